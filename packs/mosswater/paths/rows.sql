INSERT INTO path VALUES
    (1, 'Otter Bank', 4.2, 'easy'), (2, 'Drover''s Way', 9.8, 'moderate'), (3, 'Heron Fen', 3.1, 'easy'),
    (4, 'Long Scar', 7.5, 'steep'), (5, 'Mill Leat', 2.6, 'easy'), (6, 'Quarry Ridge', 11.4, 'steep');

INSERT INTO stile VALUES
    (1, 1, 'kissing gate', 0.3, 2009), (2, 1, 'footbridge', 1.8, 1998), (3, 1, 'step stile', 3.9, NULL),
    (4, 2, 'field gate', 0.5, 2015), (5, 2, 'step stile', 2.2, 1987), (6, 2, 'step stile', 4.7, 1987),
    (7, 2, 'footbridge', 7.1, 2003), (8, 3, 'kissing gate', 0.1, 2018), (9, 3, 'footbridge', 1.2, 1979),
    (10, 4, 'step stile', 1.5, 1992), (11, 4, 'field gate', 3.3, NULL), (12, 4, 'step stile', 5.9, 2001),
    (13, 5, 'kissing gate', 0.4, 2020), (14, 6, 'field gate', 0.9, 1995), (15, 6, 'step stile', 6.2, 1995),
    (16, 6, 'footbridge', 8.8, 2011);

INSERT INTO warden (warden_id, name, village, joined, path_id) VALUES
    (1, 'Ada Thornley', 'Dunmere', '2016-03-01', 1), (2, 'Bram Oakes', 'Mosswater', '2018-05-12', 2),
    (3, 'Cleo Marsh', 'Dunmere', '2019-09-30', 3), (4, 'Dov Pell', 'Upper Sallow', '2021-01-17', 4),
    (5, 'Esme Rudd', 'Mosswater', '2021-06-02', NULL), (6, 'Finn Garrow', 'Sallow', '2023-04-08', 6),
    (7, 'Greta Lund', 'Upper Sallow', '2024-10-19', NULL);
ALTER TABLE warden ALTER COLUMN warden_id RESTART WITH 8;

INSERT INTO report VALUES
    (1, 2, '2026-02-11', 'a plank is loose', 2, true), (2, 5, '2026-02-20', 'the step has rotted through', 3, false),
    (3, 9, '2026-03-02', 'the handrail is gone', 3, false), (4, 1, '2026-03-14', 'the latch sticks', 1, true),
    (5, 7, '2026-03-21', 'the water stands over the planks', 3, false), (6, 10, '2026-04-05', 'the post leans', 2, false),
    (7, 14, '2026-04-09', 'the gate drags on the ground', 1, false), (8, 9, '2026-04-18', 'a beam has cracked', 3, false),
    (9, 12, '2026-05-01', 'the step is missing', 2, true), (10, 4, '2026-05-06', 'the hinge squeaks', 1, false),
    (11, 16, '2026-05-23', 'a plank is loose', 2, false), (12, 11, '2026-06-10', 'the gate does not close', 1, false),
    (13, 3, '2026-06-15', 'nettles up to the shoulder', 1, true), (14, 15, '2026-06-28', 'the post leans', 2, false),
    (15, 8, '2026-07-02', 'the latch sticks', 1, false);

INSERT INTO repair (repair_id, report_id, warden_id, done, hours) VALUES
    (1, 1, 1, '2026-02-28', 1.5), (2, 4, 1, '2026-03-20', 0.5), (3, 9, 4, '2026-05-20', 3.0), (4, 13, 5, '2026-06-21', 2.0),
    (5, 6, 4, '2026-06-25', 2.5), (6, 11, 6, '2026-07-04', 1.0), (7, 10, 2, '2026-07-11', 0.5);
ALTER TABLE repair ALTER COLUMN repair_id RESTART WITH 8;

INSERT INTO closure VALUES (4, '2026-04-06', 'rockfall at Long Scar');

INSERT INTO tally VALUES
    (1, '2026-05-01', 212), (1, '2026-06-01', 260), (2, '2026-05-01', 95), (2, '2026-06-01', 131), (3, '2026-05-01', 180),
    (3, '2026-06-01', 174), (5, '2026-05-01', 340), (5, '2026-06-01', 402), (6, '2026-06-01', 38);

INSERT INTO fund VALUES ('Timber', 840.00), ('Drainage', 55.50), ('Signs', 210.00);
