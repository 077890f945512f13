-- Namesakes: people, hives and remarks that are alike and yet not the same. It brings out what goes wrong with duplicates, with
-- capital letters, and right at a bound.

INSERT INTO beekeeper
SELECT 900 + beekeeper_id, name, village, joined + 1, NULL, NULL FROM beekeeper WHERE beekeeper_id <= 6;
INSERT INTO care
SELECT apiary_id, 901, date '2026-04-01' FROM apiary WHERE valley = 'Durn';
INSERT INTO hive VALUES
    (901, 1, 'Namesake', 'stacked', 'white', 8, 2025),
    (902, 2, 'Namesake', 'stacked', 'white', 8, 2025),
    (903, 3, 'Namesake', 'long', 'violet', 10, NULL);
INSERT INTO inspection VALUES
    (9001, 901, 1, '2026-05-01', 6, 0, 'CALM and busy'),
    (9002, 902, 2, '2026-05-01', 6, 0, 'CALM and busy'),
    (9003, 903, 901, '2026-05-02', 7, NULL, 'Not calm at all');

-- The first grade weighs 500 kg, no more and no less.
DELETE FROM harvest WHERE grade_code = (SELECT min(grade_code) FROM grade);
INSERT INTO harvest
SELECT 9000 + n, 901, (SELECT min(grade_code) FROM grade), date '2026-07-01' + n, 100, NULL FROM generate_series(1, 5) AS n;
