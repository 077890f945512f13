-- Wrong answers to exercises about the apiaries, each beneath the cause that a teacher would name, as
-- "kind in CLAUSE"; of two kinds either is right. An exercise is one of the pack's papers, or has its accepted answer here.

-- Exercise: all-about-grades
-- output-missing in SELECT
SELECT grade_code, name FROM grade;
-- limit in LIMIT
SELECT * FROM grade LIMIT 3;
-- table in FROM
SELECT * FROM buyer;

-- Exercise: dear-honey
-- bound in WHERE
SELECT name, price_kg FROM grade WHERE price_kg > 16 ORDER BY price_kg DESC;
-- comparison in WHERE
SELECT name, price_kg FROM grade WHERE price_kg <= 16 ORDER BY price_kg DESC;
-- comparison in WHERE
SELECT name, price_kg FROM grade WHERE price_kg = 16 ORDER BY price_kg DESC;
-- sort-direction in ORDER BY
SELECT name, price_kg FROM grade WHERE price_kg >= 16 ORDER BY price_kg;
-- order-by-missing in ORDER BY
SELECT name, price_kg FROM grade WHERE price_kg >= 16;
-- order-key in ORDER BY
SELECT name, price_kg FROM grade WHERE price_kg >= 16 ORDER BY name DESC;
-- condition-missing in WHERE
SELECT name, price_kg FROM grade ORDER BY price_kg DESC;
-- column in SELECT
SELECT grade_code, price_kg FROM grade WHERE price_kg >= 16 ORDER BY price_kg DESC;
-- output-order in SELECT
SELECT price_kg, name FROM grade WHERE price_kg >= 16 ORDER BY price_kg DESC;
-- limit in LIMIT
SELECT name, price_kg FROM grade WHERE price_kg >= 16 ORDER BY price_kg DESC LIMIT 2;
-- bound + sort-direction
SELECT name, price_kg FROM grade WHERE price_kg > 16 ORDER BY price_kg;
-- bound in HAVING
SELECT name, max(price_kg) FROM grade GROUP BY name HAVING max(price_kg) > 16 ORDER BY 2 DESC;
-- comparison in WHERE
SELECT name, price_kg FROM grade WHERE price_kg BETWEEN 0 AND 16 ORDER BY price_kg DESC;

-- Exercise: first-three
-- limit in LIMIT
SELECT name, founded FROM apiary ORDER BY founded;
-- limit in LIMIT
SELECT name, founded FROM apiary ORDER BY founded LIMIT 4;
-- sort-direction in ORDER BY
SELECT name, founded FROM apiary ORDER BY founded DESC LIMIT 3;
-- order-by-missing in ORDER BY
SELECT name, founded FROM apiary LIMIT 3;
-- order-key in ORDER BY
SELECT name, founded FROM apiary ORDER BY name LIMIT 3;
-- column in SELECT
SELECT valley, founded FROM apiary ORDER BY founded LIMIT 3;
-- order-key in ORDER BY
SELECT name, founded FROM apiary ORDER BY altitude_m LIMIT 3;
-- limit in LIMIT
SELECT name, founded FROM apiary ORDER BY founded LIMIT 3 OFFSET 1;
-- order-key in ORDER BY
SELECT name, min(founded) FROM apiary GROUP BY name ORDER BY name LIMIT 3;

-- Exercise: people-of-beckside
-- sort-direction in ORDER BY
SELECT name FROM beekeeper WHERE village = 'Beckside' ORDER BY joined;
-- letter-case in WHERE
SELECT name FROM beekeeper WHERE village = 'beckside' ORDER BY joined DESC;
-- comparison in WHERE
SELECT name FROM beekeeper WHERE village <> 'Beckside' ORDER BY joined DESC;
-- order-key in ORDER BY
SELECT name FROM beekeeper WHERE village = 'Beckside' ORDER BY name;
-- column in WHERE
SELECT name FROM beekeeper WHERE name = 'Beckside' ORDER BY joined DESC;
-- order-by-missing in ORDER BY
SELECT name FROM beekeeper WHERE village = 'Beckside';
-- condition-missing in WHERE
SELECT name FROM beekeeper ORDER BY joined DESC;
-- output-extra in SELECT
SELECT name, village FROM beekeeper WHERE village = 'Beckside' ORDER BY joined DESC;
-- equals-wildcard in WHERE
SELECT name FROM beekeeper WHERE village = 'Beck%' ORDER BY joined DESC;
-- limit in LIMIT
SELECT name FROM beekeeper WHERE village = 'Beckside' ORDER BY joined DESC LIMIT 1;
-- alternative-extra|condition-extra in WHERE
SELECT name FROM beekeeper WHERE village = 'Beckside' OR village = 'Alderfoot' ORDER BY joined DESC;

-- Exercise: hives-in-use
-- count-column in SELECT
SELECT count(queen_year) AS hives, count(strength) AS in_use FROM hive;
-- count-star in SELECT
SELECT count(*) AS hives, count(*) AS in_use FROM hive;
-- output-order in SELECT
SELECT count(strength) AS in_use, count(*) AS hives FROM hive;
-- count-distinct in SELECT
SELECT count(*) AS hives, count(DISTINCT strength) AS in_use FROM hive;
-- aggregate in SELECT
SELECT count(*) AS hives, sum(strength) AS in_use FROM hive;
-- condition-extra in WHERE
SELECT count(*) AS hives, count(strength) AS in_use FROM hive WHERE strength IS NOT NULL;
-- column in SELECT
SELECT count(*) AS hives, count(queen_year) AS in_use FROM hive;
-- table + column
SELECT count(*) AS hives, count(mites) AS in_use FROM inspection;
-- aggregate-missing in SELECT
SELECT hive_id, strength FROM hive;
-- count-distinct in SELECT
SELECT count(DISTINCT name), count(strength) FROM hive;

-- Exercise: names-and-valleys
-- alias-for-column in SELECT
SELECT name valley FROM apiary;
-- output-order in SELECT
SELECT valley, name FROM apiary;
-- column in SELECT
SELECT name, altitude_m FROM apiary;
-- output-extra in SELECT
SELECT name, valley, founded FROM apiary;
-- text-for-column in SELECT
SELECT name, 'valley' FROM apiary;
-- condition-extra in WHERE
SELECT name, valley FROM apiary WHERE altitude_m > 300;
-- table-extra in FROM
SELECT apiary.name, valley FROM apiary JOIN hive ON hive.apiary_id = apiary.apiary_id;
-- table-extra in FROM
SELECT a.name, a.valley FROM apiary a, grade;
-- limit in LIMIT
SELECT name, valley FROM apiary LIMIT 5;

-- Exercise: hives-by-strength
-- condition-missing in WHERE
SELECT name, kind, strength FROM hive ORDER BY strength DESC;
-- sort-direction in ORDER BY
SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength;
-- equals-null in WHERE
SELECT name, kind, strength FROM hive WHERE strength <> NULL ORDER BY strength DESC;
-- negation|equals-null in WHERE
SELECT name, kind, strength FROM hive WHERE strength IS NULL ORDER BY strength DESC;
-- column in WHERE
SELECT name, kind, strength FROM hive WHERE queen_year IS NOT NULL ORDER BY strength DESC;
-- order-key in ORDER BY
SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY name;
-- column in SELECT
SELECT name, colour, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC;
-- condition-missing in WHERE
SELECT name, kind, strength FROM hive ORDER BY strength DESC NULLS LAST;
-- sort-direction in ORDER BY
SELECT name, kind, coalesce(strength, 0) FROM hive WHERE strength IS NOT NULL ORDER BY strength;
-- condition-extra in WHERE
SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL AND queen_year IS NOT NULL ORDER BY strength DESC;
-- output-order in SELECT
SELECT kind, name, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC;
-- null-test in WHERE
SELECT name, kind, strength FROM hive WHERE strength > 1 ORDER BY strength DESC;

-- Exercise: high-and-strong
-- bound in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength > 8;
-- and-or in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' OR strength >= 8;
-- condition-missing in WHERE
SELECT hive_id, strength FROM hive WHERE strength >= 8;
-- condition-missing in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked';
-- letter-case in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'Stacked' AND strength >= 8;
-- value in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 7;
-- column in WHERE
SELECT hive_id, strength FROM hive WHERE colour = 'stacked' AND strength >= 8;
-- comparison in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength <= 8;
-- comparison in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength = 8;
-- comparison|negation in WHERE
SELECT hive_id, strength FROM hive WHERE kind <> 'stacked' AND strength >= 8;
-- column in SELECT
SELECT apiary_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 8;
-- column in SELECT
SELECT name, strength FROM hive WHERE kind = 'stacked' AND strength >= 8;
-- condition-extra in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 8 AND colour = 'white';
-- comparison|value|condition in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength BETWEEN 8 AND 9;
-- limit in LIMIT
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 8 LIMIT 10;
-- table-extra in FROM
SELECT h.hive_id, strength FROM hive h JOIN harvest v ON v.hive_id = h.hive_id WHERE kind = 'stacked' AND strength >= 8;
-- value + bound
SELECT hive_id, strength FROM hive WHERE kind = 'skep' AND strength > 8;
-- value in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND NOT strength < 7;
-- comparison in WHERE
SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength IN (8, 9);

-- Exercise: no-mail
-- equals-null in WHERE
SELECT name, village FROM beekeeper WHERE email = NULL ORDER BY name;
-- equals-null in WHERE
SELECT name, village FROM beekeeper WHERE email = '' ORDER BY name;
-- equals-null in WHERE
SELECT name, village FROM beekeeper WHERE email = 'NULL' ORDER BY name;
-- equals-null|negation in WHERE
SELECT name, village FROM beekeeper WHERE email IS NOT NULL ORDER BY name;
-- column in WHERE
SELECT name, village FROM beekeeper WHERE mentor_id IS NULL ORDER BY name;
-- sort-direction in ORDER BY
SELECT name, village FROM beekeeper WHERE email IS NULL ORDER BY name DESC;
-- order-by-missing in ORDER BY
SELECT name, village FROM beekeeper WHERE email IS NULL;
-- order-key in ORDER BY
SELECT name, village FROM beekeeper WHERE email IS NULL ORDER BY village;
-- output-order in SELECT
SELECT village, name FROM beekeeper WHERE email IS NULL ORDER BY name;
-- condition-missing in WHERE
SELECT name, village FROM beekeeper ORDER BY name;
-- output-missing in SELECT
SELECT name FROM beekeeper WHERE email IS NULL ORDER BY name;
-- output-extra in SELECT
SELECT name, village, email FROM beekeeper WHERE email IS NULL ORDER BY name;
-- distinct-unwanted in SELECT
SELECT DISTINCT name, village FROM beekeeper WHERE email IS NULL ORDER BY name;
-- equals-null in WHERE
SELECT name, village FROM beekeeper WHERE email LIKE '%NULL%' ORDER BY name;
-- equals-null in WHERE
SELECT name, village FROM beekeeper WHERE length(email) = 0 ORDER BY name;

-- Exercise: which-colours
-- distinct-missing in SELECT
SELECT colour FROM hive;
-- column in SELECT
SELECT DISTINCT kind AS colour FROM hive;
-- condition-extra in WHERE
SELECT DISTINCT colour FROM hive WHERE kind = 'skep';
-- output-extra in SELECT
SELECT DISTINCT colour, kind FROM hive;
-- group-split in GROUP BY
SELECT colour FROM hive GROUP BY colour, kind;
-- limit in LIMIT
SELECT DISTINCT colour FROM hive LIMIT 3;

-- Exercise: calm-bees
-- pattern in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE '%calm%';
-- like-wildcard|pattern in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'calm';
-- equals-wildcard in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) = 'calm%';
-- letter-case in WHERE
SELECT inspection_id, remark FROM inspection WHERE remark LIKE 'calm%';
-- letter-case|pattern in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'Calm%';
-- pattern in WHERE
SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%';
-- pattern in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'calm_';
-- function|letter-case in WHERE
SELECT inspection_id, remark FROM inspection WHERE upper(remark) LIKE 'calm%';
-- negation|comparison in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) NOT LIKE 'calm%';
-- column in SELECT
SELECT hive_id, remark FROM inspection WHERE lower(remark) LIKE 'calm%';
-- letter-case in SELECT
SELECT inspection_id, lower(remark) FROM inspection WHERE lower(remark) LIKE 'calm%';
-- condition-extra in WHERE
SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'calm%' AND mites IS NOT NULL;

-- Exercise: harvest-by-grade
-- bound in HAVING
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) > 500 ORDER BY weight DESC;
-- condition-missing in HAVING
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code ORDER BY weight DESC;
-- where-for-having in WHERE
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest WHERE weight_kg >= 500 GROUP BY grade_code ORDER BY weight DESC;
-- aggregate in SELECT
SELECT grade_code, count(*), avg(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;
-- aggregate|expression in HAVING
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING count(*) >= 500 ORDER BY weight DESC;
-- aggregate|comparison in HAVING
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING max(weight_kg) >= 500 ORDER BY weight DESC;
-- sort-direction in ORDER BY
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight;
-- order-key in ORDER BY
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY grade_code;
-- count-column in SELECT
SELECT grade_code, count(moisture), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;
-- count-distinct|count-column in SELECT
SELECT grade_code, count(DISTINCT hive_id), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;
-- group-split in GROUP BY
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code, day HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;
-- value in HAVING
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 5000 ORDER BY weight DESC;
-- comparison in HAVING
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) < 500 ORDER BY weight DESC;
-- output-order in SELECT
SELECT grade_code, sum(weight_kg) AS weight, count(*) FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;
-- aggregate|expression|count-distinct in SELECT
SELECT grade_code, count(*), sum(DISTINCT weight_kg) AS weight FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;
-- condition-extra in WHERE
SELECT grade_code, count(*), sum(weight_kg) AS weight FROM harvest WHERE moisture IS NOT NULL GROUP BY grade_code HAVING sum(weight_kg) >= 500 ORDER BY weight DESC;

-- Exercise: who-looks-after-what
-- join-key in ON
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.apiary_id WHERE a.valley = 'Durn' ORDER BY a.name, b.name;
-- condition-missing in WHERE
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id ORDER BY a.name, b.name;
-- order-key in ORDER BY
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'Durn' ORDER BY b.name, a.name;
-- order-key in ORDER BY
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'Durn' ORDER BY a.name;
-- outer-join in FROM
SELECT a.name, b.name FROM apiary a LEFT JOIN care c ON c.apiary_id = a.apiary_id LEFT JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'Durn' ORDER BY a.name, b.name;
-- output-order in SELECT
SELECT b.name, a.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'Durn' ORDER BY a.name, b.name;
-- column in SELECT
SELECT a.name, a.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'Durn' ORDER BY a.name, b.name;
-- letter-case in WHERE
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'durn' ORDER BY a.name, b.name;
-- join-condition|condition-missing in WHERE
SELECT a.name, b.name FROM apiary a, care c, beekeeper b WHERE a.valley = 'Durn' AND c.apiary_id = a.apiary_id ORDER BY a.name, b.name;
-- join-condition in ON
SELECT a.name, b.name FROM apiary a JOIN care c USING (apiary_id) CROSS JOIN beekeeper b WHERE a.valley = 'Durn' ORDER BY a.name, b.name;
-- column in WHERE
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.name = 'Durn' ORDER BY a.name, b.name;
-- column in WHERE
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE b.village = 'Durn' ORDER BY a.name, b.name;
-- table-missing in FROM
SELECT a.name, b.name FROM apiary a JOIN beekeeper b ON b.beekeeper_id = a.apiary_id WHERE a.valley = 'Durn' ORDER BY a.name, b.name;
-- condition-extra in ON
SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id AND b.email IS NOT NULL WHERE a.valley = 'Durn' ORDER BY a.name, b.name;

-- Exercise: young-queens
-- bound in WHERE
SELECT kind, count(*) AS hives FROM hive WHERE queen_year > 2025 GROUP BY kind;
-- value in WHERE
SELECT kind, count(*) AS hives FROM hive WHERE queen_year >= 2024 GROUP BY kind;
-- comparison in WHERE
SELECT kind, count(*) AS hives FROM hive WHERE queen_year = 2025 GROUP BY kind;
-- condition-missing in WHERE
SELECT kind, count(*) AS hives FROM hive GROUP BY kind;
-- column|group in GROUP BY
SELECT colour, count(*) AS hives FROM hive WHERE queen_year >= 2025 GROUP BY colour;
-- group-split in GROUP BY
SELECT kind, count(*) AS hives FROM hive WHERE queen_year >= 2025 GROUP BY kind, colour;
-- count-distinct|count-column in SELECT
SELECT kind, count(DISTINCT name) AS hives FROM hive WHERE queen_year >= 2025 GROUP BY kind;
-- aggregate in SELECT
SELECT kind, sum(queen_year) AS hives FROM hive WHERE queen_year >= 2025 GROUP BY kind;
-- where-for-having in HAVING
SELECT kind, count(*) AS hives FROM hive GROUP BY kind HAVING max(queen_year) >= 2025;
-- column in WHERE
SELECT kind, count(*) AS hives FROM hive WHERE strength >= 2025 GROUP BY kind;
-- output-order in SELECT
SELECT count(*) AS hives, kind FROM hive WHERE queen_year >= 2025 GROUP BY kind;
-- not-grouped|aggregate-missing
SELECT kind, queen_year FROM hive WHERE queen_year >= 2025;

-- Exercise: great-days
-- bound in HAVING
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day HAVING sum(weight_kg) >= 100 ORDER BY day;
-- where-for-having in WHERE
SELECT day, sum(weight_kg) AS weight FROM harvest WHERE weight_kg > 100 GROUP BY day ORDER BY day;
-- condition-missing in HAVING
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day ORDER BY day;
-- group-split in GROUP BY
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day, hive_id HAVING sum(weight_kg) > 100 ORDER BY day;
-- aggregate in HAVING
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day HAVING count(*) > 100 ORDER BY day;
-- aggregate in SELECT
SELECT day, max(weight_kg) AS weight FROM harvest GROUP BY day HAVING sum(weight_kg) > 100 ORDER BY day;
-- order-key in ORDER BY
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day HAVING sum(weight_kg) > 100 ORDER BY weight DESC;
-- sort-direction in ORDER BY
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day HAVING sum(weight_kg) > 100 ORDER BY day DESC;
-- order-by-missing in ORDER BY
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day HAVING sum(weight_kg) > 100;
-- value in HAVING
SELECT day, sum(weight_kg) AS weight FROM harvest GROUP BY day HAVING sum(weight_kg) > 1000 ORDER BY day;
-- condition-extra in WHERE
SELECT day, sum(weight_kg) AS weight FROM harvest WHERE moisture > 0 GROUP BY day HAVING sum(weight_kg) > 100 ORDER BY day;
-- not-grouped|aggregate-missing
SELECT day, weight_kg FROM harvest WHERE weight_kg > 100 ORDER BY day;

-- Exercise: teachers
-- inner-join in FROM
SELECT b.name, m.name FROM beekeeper b JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY b.name;
-- join-turned|join-key in ON
SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m ON m.mentor_id = b.beekeeper_id ORDER BY b.name;
-- join-key in ON
SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.beekeeper_id ORDER BY b.name;
-- outer-join-side|inner-join in FROM
SELECT b.name, m.name FROM beekeeper b RIGHT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY b.name;
-- condition-extra in WHERE
SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id WHERE m.name IS NOT NULL ORDER BY b.name;
-- output-order in SELECT
SELECT m.name, b.name FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY b.name;
-- order-key in ORDER BY
SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY m.name;
-- sort-direction in ORDER BY
SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY b.name DESC;
-- column in SELECT
SELECT b.name, b.mentor_id FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY b.name;
-- expression in SELECT
SELECT b.name, coalesce(m.name, '') FROM beekeeper b LEFT JOIN beekeeper m ON m.beekeeper_id = b.mentor_id ORDER BY b.name;
-- join-condition|condition-missing
SELECT b.name, m.name FROM beekeeper b, beekeeper m ORDER BY b.name;
-- join-turned in ON
SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m ON b.beekeeper_id = m.mentor_id ORDER BY b.name;

-- Exercise: best-hives
-- order-key in ORDER BY
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.valley, a.name, h.name HAVING sum(v.weight_kg) > 80 ORDER BY h.name;
-- condition-missing in HAVING
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name ORDER BY weight DESC;
-- where-for-having in WHERE
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id WHERE v.weight_kg > 80 GROUP BY a.apiary_id, a.name, h.hive_id, h.name ORDER BY weight DESC;
-- join-key in ON
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.hive_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 80 ORDER BY weight DESC;
-- join-key in ON
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.harvest_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 80 ORDER BY weight DESC;
-- sort-direction in ORDER BY
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 80 ORDER BY weight;
-- group-split in GROUP BY
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name, v.day HAVING sum(v.weight_kg) > 80 ORDER BY weight DESC;
-- aggregate in SELECT
SELECT a.name, h.name, avg(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 80 ORDER BY sum(v.weight_kg) DESC;
-- column in SELECT
SELECT a.valley, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 80 ORDER BY weight DESC;
-- value in HAVING
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 100 ORDER BY weight DESC;
-- table-extra in FROM
SELECT a.name, h.name, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id JOIN apiary a ON a.apiary_id = h.apiary_id JOIN care c ON c.apiary_id = a.apiary_id GROUP BY a.apiary_id, a.name, h.hive_id, h.name HAVING sum(v.weight_kg) > 80 ORDER BY weight DESC;

-- Exercise: without-an-apiary
-- inner-join in FROM
SELECT b.name FROM beekeeper b JOIN care c ON c.beekeeper_id = b.beekeeper_id WHERE c.beekeeper_id IS NULL;
-- equals-null in WHERE
SELECT b.name FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id WHERE c.beekeeper_id = NULL;
-- condition-missing in WHERE
SELECT b.name FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id;
-- equals-null|negation in WHERE
SELECT b.name FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id WHERE c.beekeeper_id IS NOT NULL;
-- on-where in ON
SELECT b.name FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id AND c.beekeeper_id IS NULL;
-- distinct-unwanted in SELECT
SELECT DISTINCT b.name FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id WHERE c.beekeeper_id IS NULL;
-- join-key in ON
SELECT b.name FROM beekeeper b LEFT JOIN care c ON c.apiary_id = b.beekeeper_id WHERE c.beekeeper_id IS NULL;
-- outer-join-side|inner-join in FROM
SELECT b.name FROM beekeeper b RIGHT JOIN care c ON c.beekeeper_id = b.beekeeper_id WHERE c.beekeeper_id IS NULL;
-- negation|not-in-null in WHERE
SELECT name FROM beekeeper WHERE beekeeper_id IN (SELECT beekeeper_id FROM care);
-- column in SELECT
SELECT name FROM beekeeper WHERE beekeeper_id NOT IN (SELECT apiary_id FROM care);
-- table-missing + column
SELECT name FROM beekeeper WHERE mentor_id IS NULL;
-- table-missing + condition-missing
SELECT name FROM beekeeper;

-- Exercise: never-sold
-- negation in WHERE
SELECT grade_code, name FROM grade g WHERE EXISTS (SELECT FROM sale_line l WHERE l.grade_code = g.grade_code);
-- condition-missing|join-condition in WHERE
SELECT grade_code, name FROM grade g WHERE NOT EXISTS (SELECT FROM sale_line l);
-- table in FROM
SELECT grade_code, name FROM grade g WHERE NOT EXISTS (SELECT FROM harvest l WHERE l.grade_code = g.grade_code);
-- comparison in WHERE
SELECT grade_code, name FROM grade g WHERE NOT EXISTS (SELECT FROM sale_line l WHERE l.grade_code <> g.grade_code);
-- negation in WHERE
SELECT grade_code, name FROM grade WHERE grade_code IN (SELECT grade_code FROM sale_line);
-- inner-join in FROM
SELECT g.grade_code, g.name FROM grade g JOIN sale_line l ON l.grade_code = g.grade_code WHERE l.grade_code IS NULL;
-- equals-null in WHERE
SELECT g.grade_code, g.name FROM grade g LEFT JOIN sale_line l ON l.grade_code = g.grade_code WHERE l.grade_code = NULL;
-- condition-missing in WHERE
SELECT g.grade_code, g.name FROM grade g LEFT JOIN sale_line l ON l.grade_code = g.grade_code;
-- condition-missing in WHERE
SELECT grade_code, name FROM grade;
-- output-missing in SELECT
SELECT name FROM grade g WHERE NOT EXISTS (SELECT FROM sale_line l WHERE l.grade_code = g.grade_code);
-- negation in WHERE
SELECT grade_code, name FROM grade g WHERE EXISTS (SELECT 1 FROM sale_line l WHERE l.grade_code = g.grade_code);
-- table in FROM
SELECT grade_code, name FROM grade WHERE grade_code NOT IN (SELECT grade_code FROM harvest);

-- Exercise: still-to-come
-- negation in WHERE
SELECT name, town FROM buyer WHERE buyer_id IN (SELECT buyer_id FROM sale) ORDER BY name;
-- column in SELECT
SELECT name, town FROM buyer WHERE buyer_id NOT IN (SELECT sale_id FROM sale) ORDER BY name;
-- order-key in ORDER BY
SELECT name, town FROM buyer WHERE buyer_id NOT IN (SELECT buyer_id FROM sale) ORDER BY town;
-- condition-missing in WHERE
SELECT name, town FROM buyer ORDER BY name;
-- inner-join in FROM
SELECT b.name, b.town FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id WHERE s.sale_id IS NULL ORDER BY b.name;
-- condition-missing in WHERE
SELECT b.name, b.town FROM buyer b LEFT JOIN sale s ON s.buyer_id = b.buyer_id ORDER BY b.name;
-- column in WHERE
SELECT b.name, b.town FROM buyer b LEFT JOIN sale s ON s.buyer_id = b.buyer_id WHERE s.paid_on IS NULL ORDER BY b.name;
-- sort-direction in ORDER BY
SELECT name, town FROM buyer WHERE buyer_id NOT IN (SELECT buyer_id FROM sale) ORDER BY name DESC;
-- compared-with-itself in WHERE
SELECT name, town FROM buyer WHERE NOT EXISTS (SELECT * FROM sale WHERE sale.buyer_id = buyer_id) ORDER BY name;

-- Exercise: how-many-each
-- count-star in SELECT
SELECT b.beekeeper_id, b.name, count(*) FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;
-- inner-join in FROM
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;
-- column in SELECT
SELECT b.beekeeper_id, b.name, count(b.beekeeper_id) FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;
-- join-key in ON
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b LEFT JOIN care c ON c.apiary_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;
-- group-split in GROUP BY
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name, c.since;
-- aggregate in SELECT
SELECT b.beekeeper_id, b.name, sum(c.apiary_id) FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;
-- outer-join-side|inner-join in FROM
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b RIGHT JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;
-- outer-join-undone|condition-extra
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id WHERE c.apiary_id > 0 GROUP BY b.beekeeper_id, b.name;
-- condition-extra in HAVING
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b LEFT JOIN care c ON c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name HAVING count(c.apiary_id) > 0;
-- inner-join in FROM
SELECT b.beekeeper_id, b.name, count(c.apiary_id) FROM beekeeper b, care c WHERE c.beekeeper_id = b.beekeeper_id GROUP BY b.beekeeper_id, b.name;

-- Exercise: still-owed
-- condition-missing in WHERE
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- equals-null|negation in WHERE
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NOT NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- equals-null in WHERE
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on = NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- expression in SELECT
SELECT b.name, sum(l.weight_kg) * sum(l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- expression|column in SELECT
SELECT b.name, sum(l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- expression in SELECT
SELECT b.name, sum(l.weight_kg + l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- aggregate in SELECT
SELECT b.name, max(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- group-split in GROUP BY
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name, s.sale_id ORDER BY owed DESC;
-- join-key in ON
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = b.buyer_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- sort-direction in ORDER BY
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed;
-- order-key in ORDER BY
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY b.name;
-- rounding|function|expression in SELECT
SELECT b.name, round(sum(l.weight_kg * l.price_kg)) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;
-- limit in LIMIT
SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id JOIN sale_line l ON l.sale_id = s.sale_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC LIMIT 3;
-- table-missing + expression
SELECT b.name, sum(s.sale_id) AS owed FROM buyer b JOIN sale s ON s.buyer_id = b.buyer_id WHERE s.paid_on IS NULL GROUP BY b.buyer_id, b.name ORDER BY owed DESC;

-- Exercise: ranked-hives
-- accepted
SELECT apiary_id, name, rank() OVER (PARTITION BY apiary_id ORDER BY strength DESC NULLS LAST) AS place FROM hive;
-- window in SELECT
SELECT apiary_id, name, rank() OVER (ORDER BY strength DESC NULLS LAST) AS place FROM hive;
-- window in SELECT
SELECT apiary_id, name, rank() OVER (PARTITION BY apiary_id ORDER BY strength) AS place FROM hive;
-- window|nulls-place in SELECT
SELECT apiary_id, name, rank() OVER (PARTITION BY apiary_id ORDER BY strength DESC) AS place FROM hive;
-- function in SELECT
SELECT apiary_id, name, row_number() OVER (PARTITION BY apiary_id ORDER BY strength DESC NULLS LAST) AS place FROM hive;
-- function in SELECT
SELECT apiary_id, name, dense_rank() OVER (PARTITION BY apiary_id ORDER BY strength DESC NULLS LAST) AS place FROM hive;
-- window in SELECT
SELECT apiary_id, name, rank() OVER (PARTITION BY kind ORDER BY strength DESC NULLS LAST) AS place FROM hive;
-- window in SELECT
SELECT apiary_id, name, rank() OVER (PARTITION BY apiary_id ORDER BY queen_year DESC NULLS LAST) AS place FROM hive;

-- Exercise: earlier-harvest
-- accepted
SELECT harvest_id, day, lag(day) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS earlier FROM harvest;
-- function in SELECT
SELECT harvest_id, day, lead(day) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS earlier FROM harvest;
-- window in SELECT
SELECT harvest_id, day, lag(day) OVER (PARTITION BY hive_id ORDER BY day DESC, harvest_id) AS earlier FROM harvest;
-- window in SELECT
SELECT harvest_id, day, lag(day) OVER (ORDER BY day, harvest_id) AS earlier FROM harvest;
-- function|expression in SELECT
SELECT harvest_id, day, lag(day, 2) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS earlier FROM harvest;
-- function|window|expression in SELECT
SELECT harvest_id, day, first_value(day) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS earlier FROM harvest;
-- output-order in SELECT
SELECT harvest_id, lag(day) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS earlier, day FROM harvest;

-- Exercise: running-weight
-- accepted
SELECT harvest_id, sum(weight_kg) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS so_far FROM harvest;
-- window in SELECT
SELECT harvest_id, sum(weight_kg) OVER (PARTITION BY hive_id) AS so_far FROM harvest;
-- window in SELECT
SELECT harvest_id, sum(weight_kg) OVER (PARTITION BY hive_id ORDER BY day DESC, harvest_id DESC) AS so_far FROM harvest;
-- function|aggregate in SELECT
SELECT harvest_id, avg(weight_kg) OVER (PARTITION BY hive_id ORDER BY day, harvest_id) AS so_far FROM harvest;
-- window in SELECT
SELECT harvest_id, sum(weight_kg) OVER (PARTITION BY hive_id ORDER BY day, harvest_id ROWS BETWEEN 1 PRECEDING AND CURRENT ROW) AS so_far FROM harvest;
-- window in SELECT
SELECT harvest_id, sum(weight_kg) OVER (PARTITION BY grade_code ORDER BY day, harvest_id) AS so_far FROM harvest;

-- Exercise: strength-in-words
-- accepted
SELECT hive_id, CASE WHEN strength IS NULL THEN 'empty' WHEN strength >= 8 THEN 'strong' WHEN strength >= 4 THEN 'fair' ELSE 'weak' END AS state FROM hive;
-- case in SELECT
SELECT hive_id, CASE WHEN strength IS NULL THEN 'empty' WHEN strength > 8 THEN 'strong' WHEN strength >= 4 THEN 'fair' ELSE 'weak' END AS state FROM hive;
-- case in SELECT
SELECT hive_id, CASE WHEN strength >= 4 THEN 'fair' WHEN strength >= 8 THEN 'strong' WHEN strength IS NULL THEN 'empty' ELSE 'weak' END AS state FROM hive;
-- case in SELECT
SELECT hive_id, CASE WHEN strength >= 8 THEN 'strong' WHEN strength >= 4 THEN 'fair' ELSE 'weak' END AS state FROM hive;
-- case in SELECT
SELECT hive_id, CASE WHEN strength = NULL THEN 'empty' WHEN strength >= 8 THEN 'strong' WHEN strength >= 4 THEN 'fair' ELSE 'weak' END AS state FROM hive;
-- case in SELECT
SELECT hive_id, CASE WHEN strength IS NULL THEN 'empty' WHEN strength >= 8 THEN 'strong' WHEN strength >= 4 THEN 'fair' END AS state FROM hive;

-- Exercise: all-names
-- accepted
SELECT name FROM apiary UNION SELECT name FROM hive;
-- all in UNION
SELECT name FROM apiary UNION ALL SELECT name FROM hive;
-- set-operation in INTERSECT
SELECT name FROM apiary INTERSECT SELECT name FROM hive;
-- set-operation in EXCEPT
SELECT name FROM apiary EXCEPT SELECT name FROM hive;
-- condition-extra in WHERE
SELECT name FROM apiary UNION SELECT name FROM hive WHERE strength > 5;
-- table in FROM
SELECT name FROM buyer UNION SELECT name FROM hive;
-- column in SELECT
SELECT valley FROM apiary UNION SELECT name FROM hive;

-- Exercise: villages-without-buyers
-- accepted
SELECT village FROM beekeeper EXCEPT SELECT town FROM buyer;
-- set-operation in EXCEPT
SELECT town FROM buyer EXCEPT SELECT village FROM beekeeper;
-- all in EXCEPT
SELECT village FROM beekeeper EXCEPT ALL SELECT town FROM buyer;
-- set-operation in INTERSECT
SELECT village FROM beekeeper INTERSECT SELECT town FROM buyer;
-- column in SELECT
SELECT name FROM beekeeper EXCEPT SELECT town FROM buyer;

-- Exercise: above-average
-- accepted
SELECT hive_id, strength FROM hive WHERE strength > (SELECT avg(strength) FROM hive);
-- comparison in WHERE
SELECT hive_id, strength FROM hive WHERE strength < (SELECT avg(strength) FROM hive);
-- aggregate in SELECT
SELECT hive_id, strength FROM hive WHERE strength > (SELECT min(strength) FROM hive);
-- column in SELECT
SELECT hive_id, strength FROM hive WHERE strength > (SELECT avg(queen_year) FROM hive);
-- join-condition|condition-extra in WHERE
SELECT hive_id, strength FROM hive h WHERE strength > (SELECT avg(strength) FROM hive i WHERE i.apiary_id = h.apiary_id);
-- column in WHERE
SELECT hive_id, strength FROM hive WHERE queen_year > (SELECT avg(strength) FROM hive);
-- expression|aggregate|condition in SELECT
SELECT hive_id, strength FROM hive WHERE strength > (SELECT sum(strength) / count(*) FROM hive);

-- Exercise: harvests-in-july
-- accepted
SELECT harvest_id, weight_kg FROM harvest WHERE day BETWEEN '2026-07-01' AND '2026-07-31';
-- value|condition|expression in WHERE
SELECT harvest_id, weight_kg FROM harvest WHERE day BETWEEN '2026-07-01' AND '2026-07-30';
-- value|condition|expression in WHERE
SELECT harvest_id, weight_kg FROM harvest WHERE day BETWEEN '2026-06-01' AND '2026-06-30';
-- bound + bound
SELECT harvest_id, weight_kg FROM harvest WHERE day > '2026-07-01' AND day < '2026-07-31';
-- condition-missing in WHERE
SELECT harvest_id, weight_kg FROM harvest WHERE day >= '2026-07-01';
-- negation|condition in WHERE
SELECT harvest_id, weight_kg FROM harvest WHERE day NOT BETWEEN '2026-07-01' AND '2026-07-31';

-- Exercise: share-of-stacked
-- accepted
SELECT apiary_id, round(100.0 * count(*) FILTER (WHERE kind = 'stacked') / count(*), 1) AS share FROM hive GROUP BY apiary_id;
-- expression|integer-division|value in SELECT
SELECT apiary_id, round(100 * (count(*) FILTER (WHERE kind = 'stacked') / count(*)), 1) AS share FROM hive GROUP BY apiary_id;
-- filter|expression|rounding|value in SELECT
SELECT apiary_id, round(100.0 * count(*) FILTER (WHERE kind = 'long') / count(*), 1) AS share FROM hive GROUP BY apiary_id;
-- filter|expression|rounding in SELECT
SELECT apiary_id, round(100.0 * count(*) / count(*), 1) AS share FROM hive GROUP BY apiary_id;
-- rounding|expression|value in SELECT
SELECT apiary_id, round(100.0 * count(*) FILTER (WHERE kind = 'stacked') / count(*), 0) AS share FROM hive GROUP BY apiary_id;
-- group|column in GROUP BY
SELECT kind, round(100.0 * count(*) FILTER (WHERE kind = 'stacked') / count(*), 1) AS share FROM hive GROUP BY kind;

-- Exercise: best-apiary
-- accepted
WITH yield AS (SELECT h.apiary_id, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id GROUP BY h.apiary_id) SELECT a.name, y.weight FROM yield y JOIN apiary a ON a.apiary_id = y.apiary_id ORDER BY y.weight DESC LIMIT 3;
-- sort-direction in ORDER BY
WITH yield AS (SELECT h.apiary_id, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id GROUP BY h.apiary_id) SELECT a.name, y.weight FROM yield y JOIN apiary a ON a.apiary_id = y.apiary_id ORDER BY y.weight LIMIT 3;
-- limit in LIMIT
WITH yield AS (SELECT h.apiary_id, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id GROUP BY h.apiary_id) SELECT a.name, y.weight FROM yield y JOIN apiary a ON a.apiary_id = y.apiary_id ORDER BY y.weight DESC LIMIT 1;
-- aggregate in SELECT
WITH t AS (SELECT h.apiary_id, max(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id GROUP BY h.apiary_id) SELECT a.name, t.weight FROM t JOIN apiary a ON a.apiary_id = t.apiary_id ORDER BY t.weight DESC LIMIT 3;
-- join-key in ON
WITH t AS (SELECT h.apiary_id, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.harvest_id GROUP BY h.apiary_id) SELECT a.name, t.weight FROM t JOIN apiary a ON a.apiary_id = t.apiary_id ORDER BY t.weight DESC LIMIT 3;
-- condition-extra in WHERE
WITH t AS (SELECT h.apiary_id, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id WHERE v.moisture < 0.18 GROUP BY h.apiary_id) SELECT a.name, t.weight FROM t JOIN apiary a ON a.apiary_id = t.apiary_id ORDER BY t.weight DESC LIMIT 3;
-- order-key in ORDER BY
WITH t AS (SELECT h.apiary_id, sum(v.weight_kg) AS weight FROM harvest v JOIN hive h ON h.hive_id = v.hive_id GROUP BY h.apiary_id) SELECT a.name, t.weight FROM t JOIN apiary a ON a.apiary_id = t.apiary_id ORDER BY a.name DESC LIMIT 3;
