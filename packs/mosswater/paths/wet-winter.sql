-- Another year: more has been seen, and other paths are closed.
DELETE FROM closure;
INSERT INTO closure VALUES (1, '2026-01-10', 'flooded'), (3, '2026-01-12', 'flooded');
INSERT INTO report VALUES
    (21, 13, '2026-01-20', 'the latch is broken', 3, true), (22, 14, '2026-01-21', 'the gate is off its hinges', 3, false),
    (23, 14, '2026-01-25', 'the gate is gone', 3, false), (24, 11, '2025-11-03', 'the gate drags', 1, false),
    (25, 4, '2025-12-12', 'the gate drags', 1, false), (26, 12, '2026-01-30', 'the post leans', 2, false);
INSERT INTO repair (report_id, warden_id, done, hours) VALUES (24, 6, '2026-02-02', 4.0), (24, 5, '2026-02-03', 1.0);
INSERT INTO warden (name, village, joined, path_id) VALUES
    ('Hilde Amsel', 'Mosswater', '2025-12-01', 1), ('Ivo Karst', 'Dunmere', '2026-01-02', NULL);
UPDATE fund SET balance = balance + 300;
UPDATE stile SET built = 1970 WHERE stile_id IN (3, 11);
INSERT INTO tally VALUES (4, '2026-06-01', 12);
