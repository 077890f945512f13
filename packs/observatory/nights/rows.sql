-- The rows are generated, the same each time: 1,200,000 measurements of 24,000 observations in 2,400 nights.

SELECT setseed(0.2026);

INSERT INTO site VALUES
    (1, 'Skarn Peak', 2410, 61.84, 9.12),
    (2, 'Low Moor', 312, 60.02, 8.77),
    (3, 'Lantern Rock', 1190, 62.45, 10.31);

INSERT INTO telescope VALUES
    (1, 1, 'Great Mirror', 1800, '2004-06-01'),
    (2, 1, 'Little Mirror', 600, '1996-09-15'),
    (3, 1, 'Sentinel', 400, '2015-03-20'),
    (4, 2, 'Old Refractor', 250, '1931-05-02'),
    (5, 2, 'Moorhen', 350, '2010-10-10'),
    (6, 3, 'Lantern', 900, '2012-08-08'),
    (7, 3, 'Spark', 300, '2019-11-30');

INSERT INTO observer
SELECT n, (ARRAY['Asta', 'Brynn', 'Corin', 'Delia', 'Eskil', 'Freya', 'Gale', 'Hedda'])[1 + n % 8] || ' '
          || (ARRAY['Alder', 'Birchwood', 'Cairn', 'Dale', 'Elmstead'])[1 + n / 8], date '2010-01-01' + (random() * 5000)::int
FROM generate_series(0, 39) AS n;

INSERT INTO night
SELECT (s - 1) * 800 + d, s, date '2024-01-01' + d,
       CASE WHEN random() < 0.05 THEN NULL ELSE (random() * 100)::int END,
       CASE WHEN random() < 0.15 THEN NULL ELSE round((0.6 + random() * 3.4)::numeric, 1) END
FROM generate_series(1, 3) AS s, generate_series(1, 800) AS d;

INSERT INTO star
SELECT n, 'SK ' || lpad((n * 37 % 10000)::text, 4, '0'),
       (ARRAY['Lyra', 'Cygnus', 'Aquila', 'Draco', 'Perseus', 'Auriga'])[1 + (random() * 5.999)::int % 6], random() < 0.3
FROM generate_series(1, 600) AS n;

INSERT INTO observation
SELECT n, night.night_id,
       CASE night.site_id WHEN 1 THEN 1 + n % 3 WHEN 2 THEN 4 + n % 2 ELSE 6 + n % 2 END,
       CASE WHEN random() < 0.2 THEN NULL ELSE (random() * 39)::int END,
       1 + (random() * 599)::int,
       night.day + interval '20 hours' + (n / 2400) * interval '45 minutes'
FROM generate_series(0, 23999) AS n
JOIN night ON night.night_id = 1 + n % 2400;

INSERT INTO measurement
SELECT o.observation_id::bigint * 50 + m, o.observation_id, o.begun_at + m * interval '50 seconds', (ARRAY['B', 'V', 'R'])[1 + m % 3],
       CASE WHEN random() < 0.02 THEN NULL ELSE round((8 + o.star_id % 7 + sin(m / 8.0) * 0.3 + random() * 0.05)::numeric, 3) END,
       random() * 0.05, random() > 0.04
FROM observation AS o, generate_series(1, 50) AS m
ORDER BY 1;

CREATE INDEX ON measurement (observation_id);
CREATE INDEX ON observation (star_id);

CREATE VIEW clear_night AS
SELECT night.night_id, site.name AS site, night.day, night.cloud, night.seeing
FROM night JOIN site USING (site_id)
WHERE night.cloud <= 20;
