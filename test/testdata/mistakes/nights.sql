-- Wrong answers to exercises about the nights at the observatories, as in apiary.sql.

-- Exercise: wide-eyes
-- bound in WHERE
SELECT name, aperture_mm FROM telescope WHERE aperture_mm > 400 ORDER BY aperture_mm DESC;
-- sort-direction in ORDER BY
SELECT name, aperture_mm FROM telescope WHERE aperture_mm >= 400 ORDER BY aperture_mm;
-- condition-missing in WHERE
SELECT name, aperture_mm FROM telescope ORDER BY aperture_mm DESC;
-- comparison in WHERE
SELECT name, aperture_mm FROM telescope WHERE aperture_mm <= 400 ORDER BY aperture_mm DESC;
-- column in SELECT
SELECT name, site_id FROM telescope WHERE aperture_mm >= 400 ORDER BY aperture_mm DESC;
-- value in WHERE
SELECT name, aperture_mm FROM telescope WHERE aperture_mm > 40 ORDER BY aperture_mm DESC;

-- Exercise: nights-by-site
-- condition-missing in WHERE
SELECT site.name, count(*) AS clear FROM night JOIN site ON site.site_id = night.site_id GROUP BY site.name;
-- comparison in WHERE
SELECT site.name, count(*) AS clear FROM night JOIN site ON site.site_id = night.site_id WHERE night.cloud >= 20 GROUP BY site.name;
-- join-key in ON
SELECT site.name, count(*) AS clear FROM night JOIN site ON site.site_id = night.night_id WHERE night.cloud <= 20 GROUP BY site.name;
-- group-split in GROUP BY
SELECT site.name, count(*) AS clear FROM night JOIN site ON site.site_id = night.site_id WHERE night.cloud <= 20 GROUP BY site.name, night.day;
-- value in WHERE
SELECT site.name, count(*) AS clear FROM night JOIN site ON site.site_id = night.site_id WHERE night.cloud <= 2 GROUP BY site.name;
-- join-condition|condition-missing
SELECT site.name, count(*) AS clear FROM night, site WHERE night.cloud <= 20 GROUP BY site.name;
-- aggregate in SELECT
SELECT site.name, sum(cloud) AS clear FROM night JOIN site ON site.site_id = night.site_id WHERE night.cloud <= 20 GROUP BY site.name;

-- Exercise: busiest-stars
-- bound in HAVING
SELECT star.designation, count(*) AS observations FROM star JOIN observation ON observation.star_id = star.star_id GROUP BY star.star_id, star.designation HAVING count(*) >= 55 ORDER BY observations DESC;
-- condition-missing in HAVING
SELECT star.designation, count(*) AS observations FROM star JOIN observation ON observation.star_id = star.star_id GROUP BY star.star_id, star.designation ORDER BY observations DESC;
-- sort-direction in ORDER BY
SELECT star.designation, count(*) AS observations FROM star JOIN observation ON observation.star_id = star.star_id GROUP BY star.star_id, star.designation HAVING count(*) > 55 ORDER BY observations;
-- count-column|count-distinct in SELECT
SELECT star.designation, count(observer_id) AS observations FROM star JOIN observation ON observation.star_id = star.star_id GROUP BY star.star_id, star.designation HAVING count(*) > 55 ORDER BY count(*) DESC;
-- join-key in ON
SELECT star.designation, count(*) AS observations FROM star JOIN observation ON observation.telescope_id = star.star_id GROUP BY star.star_id, star.designation HAVING count(*) > 55 ORDER BY observations DESC;
-- value in HAVING
SELECT star.designation, count(*) AS observations FROM star JOIN observation ON observation.star_id = star.star_id GROUP BY star.star_id, star.designation HAVING count(*) > 5 ORDER BY observations DESC;
