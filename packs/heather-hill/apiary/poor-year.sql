-- A poor year: no honey at all, many hives empty, and the others alike. It brings out what goes wrong with an empty table, with missing
-- values, and with rows that tie.

DELETE FROM harvest;
UPDATE hive SET strength = NULL WHERE hive_id % 3 = 0;
UPDATE hive SET strength = 8 WHERE strength BETWEEN 6 AND 10;
UPDATE hive SET queen_year = NULL WHERE strength IS NULL;
UPDATE inspection SET remark = NULL WHERE inspection_id % 2 = 0;
UPDATE inspection SET mites = NULL WHERE mites = 0;
UPDATE beekeeper SET email = NULL WHERE beekeeper_id % 2 = 1;
DELETE FROM care WHERE apiary_id IN (SELECT apiary_id FROM apiary WHERE valley = 'Durn');
