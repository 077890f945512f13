-- Wrong answers to exercises that change the footpaths' books, as in apiary.sql. A statement is a line.

-- Exercise: new-warden
-- value in VALUES
INSERT INTO warden (name, village, joined) VALUES ('Iris Calder', 'Dunmere', '2026-01-09');
-- value in VALUES
INSERT INTO warden (name, village, joined) VALUES ('Iris Calder', 'Dunmore', '2026-09-01');
-- row-extra in VALUES
INSERT INTO warden (name, village, joined) VALUES ('Iris Calder', 'Dunmere', '2026-09-01'), ('Iris C.', 'Dunmere', '2026-09-01');

-- Exercise: closed
-- condition-missing in WHERE
INSERT INTO closure (path_id, since, reason) SELECT DISTINCT s.path_id, DATE '2026-07-01', 'unsafe' FROM report r JOIN stile s ON s.stile_id = r.stile_id WHERE r.urgency = 3 AND s.path_id NOT IN (SELECT path_id FROM closure);
-- value|expression in SELECT
INSERT INTO closure (path_id, since, reason) SELECT DISTINCT s.path_id, DATE '2026-06-01', 'unsafe' FROM report r JOIN stile s ON s.stile_id = r.stile_id WHERE r.urgency = 3 AND NOT r.settled AND s.path_id NOT IN (SELECT path_id FROM closure);
-- negation in WHERE
INSERT INTO closure (path_id, since, reason) SELECT DISTINCT s.path_id, DATE '2026-07-01', 'unsafe' FROM report r JOIN stile s ON s.stile_id = r.stile_id WHERE r.urgency = 3 AND r.settled AND s.path_id NOT IN (SELECT path_id FROM closure);

-- Exercise: not-so-steep
-- condition-missing in WHERE
UPDATE path SET grade = 'moderate';
-- value in SET
UPDATE path SET grade = 'easy' WHERE name = 'Quarry Ridge';
-- value in WHERE
UPDATE path SET grade = 'moderate' WHERE name = 'Long Scar';
-- letter-case in WHERE
UPDATE path SET grade = 'moderate' WHERE name = 'quarry ridge';

-- Exercise: mended
-- negation in WHERE
UPDATE report SET settled = true WHERE report_id NOT IN (SELECT report_id FROM repair);
-- value|expression in SET
UPDATE report SET settled = false WHERE report_id IN (SELECT report_id FROM repair);
-- column in SELECT
UPDATE report SET settled = true WHERE report_id IN (SELECT warden_id FROM repair);

-- Exercise: nobody-minds
-- condition-missing in WHERE
DELETE FROM report USING stile WHERE stile.stile_id = report.stile_id AND stile.kind = 'field gate' AND NOT EXISTS (SELECT FROM repair WHERE repair.report_id = report.report_id);
-- value in WHERE
DELETE FROM report USING stile WHERE stile.stile_id = report.stile_id AND stile.kind = 'footbridge' AND report.urgency = 1 AND NOT EXISTS (SELECT FROM repair WHERE repair.report_id = report.report_id);

-- Exercise: guided-walks
-- constraint-missing|definition in CREATE TABLE
CREATE TABLE walk (walk_id integer PRIMARY KEY, path_id integer NOT NULL REFERENCES path, starts date NOT NULL, places integer NOT NULL DEFAULT 12, UNIQUE (path_id, starts));
-- constraint-missing in CREATE TABLE
CREATE TABLE walk (walk_id integer PRIMARY KEY, path_id integer NOT NULL REFERENCES path, starts date NOT NULL, places integer NOT NULL DEFAULT 12 CHECK (places BETWEEN 1 AND 30));
-- definition in CREATE TABLE
CREATE TABLE walk (walk_id integer PRIMARY KEY, path_id integer NOT NULL REFERENCES path, starts date NOT NULL, places integer NOT NULL DEFAULT 12 CHECK (places < 30), UNIQUE (path_id, starts));
-- definition in CREATE TABLE
CREATE TABLE walk (walk_id integer PRIMARY KEY, path_id integer NOT NULL REFERENCES path, starts text NOT NULL, places integer NOT NULL DEFAULT 12 CHECK (places BETWEEN 1 AND 30), UNIQUE (path_id, starts));
-- constraint-missing in CREATE TABLE
CREATE TABLE walk (walk_id integer PRIMARY KEY, path_id integer REFERENCES path, starts date NOT NULL, places integer NOT NULL DEFAULT 12 CHECK (places BETWEEN 1 AND 30), UNIQUE (path_id, starts));

-- Exercise: to-do
-- condition-missing in WHERE
CREATE VIEW to_do AS SELECT path.name, stile.kind, report.what, report.urgency FROM report JOIN stile ON stile.stile_id = report.stile_id JOIN path ON path.path_id = stile.path_id;
-- negation in WHERE
CREATE VIEW to_do AS SELECT path.name, stile.kind, report.what, report.urgency FROM report JOIN stile ON stile.stile_id = report.stile_id JOIN path ON path.path_id = stile.path_id WHERE report.settled;

-- Exercise: made-of
-- statement-missing
ALTER TABLE stile ADD COLUMN material text NOT NULL DEFAULT 'oak';
-- value in SET
ALTER TABLE stile ADD COLUMN material text NOT NULL DEFAULT 'oak'; UPDATE stile SET material = 'steel' WHERE kind = 'field gate';
-- condition-missing in WHERE
ALTER TABLE stile ADD COLUMN material text NOT NULL DEFAULT 'oak'; UPDATE stile SET material = 'iron';

-- Exercise: timber-for-drains
-- statement-missing
UPDATE fund SET balance = balance - 120 WHERE fund = 'Timber'; SELECT fund, balance FROM fund WHERE fund IN ('Timber', 'Drainage');
