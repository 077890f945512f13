-- name: CreateCourse :one
INSERT INTO course (slug, title, zone) VALUES ($1, $2, $3) RETURNING *;

-- name: CourseBySlug :one
SELECT * FROM course WHERE slug = $1;

-- name: ListCourses :many
-- All courses, or those of the numbers given.
SELECT course.slug, course.title, course.zone, course.archived_at,
       (SELECT count(*) FROM member WHERE course_id = course.id AND role = 'learner' AND left_at IS NULL) AS learners,
       (SELECT count(*) FROM course_paper WHERE course_id = course.id) AS papers
FROM course WHERE @all_courses::boolean OR course.id = ANY (@ids::bigint[]) ORDER BY course.archived_at IS NOT NULL, course.slug;

-- name: ChangeCourse :exec
UPDATE course SET title = $2, zone = $3 WHERE id = $1;

-- name: ArchiveCourse :exec
UPDATE course SET archived_at = CASE WHEN @archived::boolean THEN coalesce(archived_at, now()) END WHERE id = @id;

-- name: CourseWork :one
-- How many attempts and runs were made in a course.
SELECT (SELECT count(*) FROM attempt WHERE attempt.course_id = $1) AS attempts, (SELECT count(*) FROM run WHERE run.course_id = $1) AS runs;

-- name: DeleteCourse :exec
WITH papers AS (DELETE FROM course_paper WHERE course_paper.course_id = $1), secrets AS (DELETE FROM webhook_secret USING webhook WHERE webhook.id = webhook_id AND webhook.course_id = $1),
     hooks AS (DELETE FROM webhook WHERE webhook.course_id = $1), members AS (DELETE FROM member WHERE member.course_id = $1)
DELETE FROM course WHERE course.id = $1;

-- name: SetMember :exec
-- Adds somebody to a course, also if they left it, or changes what they are there.
INSERT INTO member (course_id, account_id, role, group_name) VALUES ($1, $2, $3, $4)
ON CONFLICT (course_id, account_id) DO UPDATE SET role = excluded.role, group_name = excluded.group_name, left_at = NULL
WHERE (member.role, member.group_name, member.left_at IS NULL) IS DISTINCT FROM (excluded.role, excluded.group_name, true);

-- name: SetMembers :exec
-- The same for many.
INSERT INTO member (course_id, account_id, role, group_name)
SELECT @course_id::bigint, given.account_id, given.role, given.group_name
FROM (SELECT unnest(@accounts::bigint[]) AS account_id, unnest(@roles::text[]) AS role, unnest(@groups::text[]) AS group_name) AS given
ON CONFLICT (course_id, account_id) DO UPDATE SET role = excluded.role, group_name = excluded.group_name, left_at = NULL
WHERE (member.role, member.group_name, member.left_at IS NULL) IS DISTINCT FROM (excluded.role, excluded.group_name, true);

-- name: LeaveCourse :execrows
UPDATE member SET left_at = now() WHERE course_id = $1 AND account_id = $2 AND left_at IS NULL;

-- name: CourseMembers :many
SELECT sqlc.embed(account), sqlc.embed(member) FROM account JOIN member ON member.account_id = account.id
WHERE member.course_id = $1 ORDER BY member.left_at IS NOT NULL, account.display_name, account.name;

-- name: CoursePapers :many
SELECT sqlc.embed(course_paper), paper.slug, paper.title,
       (SELECT count(*) FROM extension WHERE extension.course_paper_id = course_paper.id) AS extensions
FROM course_paper JOIN paper ON paper.id = course_paper.paper_id
WHERE course_paper.course_id = $1 ORDER BY course_paper.due_at NULLS LAST, paper.slug;

-- name: CoursePaper :one
SELECT * FROM course_paper WHERE course_id = $1 AND paper_id = $2;

-- name: LockSet :exec
-- Held to the end of the transaction: nothing is submitted meanwhile for a paper as it is set. See held_revision.
SELECT pg_advisory_xact_lock(hashtextextended('set ' || @set_id::bigint, 0));

-- name: SetCoursePaper :one
INSERT INTO course_paper (course_id, paper_id, opens_at, due_at, rules) VALUES ($1, $2, $3, $4, $5)
ON CONFLICT (course_id, paper_id) DO UPDATE SET opens_at = excluded.opens_at, due_at = excluded.due_at, rules = excluded.rules
RETURNING *;

-- name: ReviseSet :one
UPDATE course_paper SET revision = revision + 1 WHERE id = $1 RETURNING *;

-- name: ReleaseMarks :exec
UPDATE course_paper SET released_at = CASE WHEN @released::boolean THEN coalesce(released_at, now()) END WHERE id = @id;

-- name: UnsetPaper :execrows
-- Takes a paper out of a course in which nothing was done on it.
DELETE FROM course_paper WHERE course_paper.id = $1 AND NOT EXISTS (
    SELECT FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
    WHERE exercise.paper_id = course_paper.paper_id AND attempt.course_id = course_paper.course_id);

-- name: SetExtension :one
INSERT INTO extension (course_paper_id, account_id, group_name, due_at, minutes, reason, made_by) VALUES ($1, $2, $3, $4, $5, $6, $7)
ON CONFLICT (course_paper_id, account_id, group_name) DO UPDATE
SET due_at = excluded.due_at, minutes = excluded.minutes, reason = excluded.reason, made_by = excluded.made_by, made_at = now()
RETURNING *;

-- name: RemoveExtension :execrows
DELETE FROM extension WHERE course_paper_id = @course_paper_id
  AND account_id IS NOT DISTINCT FROM sqlc.narg('account_id') AND group_name IS NOT DISTINCT FROM sqlc.narg('group_name');

-- name: Extensions :many
SELECT sqlc.embed(extension), coalesce(account.name, '')::text AS name, coalesce(account.display_name, '')::text AS display_name, coalesce(maker.name, '')::text AS maker
FROM extension LEFT JOIN account ON account.id = extension.account_id LEFT JOIN account AS maker ON maker.id = extension.made_by
WHERE extension.course_paper_id = $1 ORDER BY extension.group_name NULLS LAST, account.display_name, account.name;

-- name: SetLearners :many
-- The learners of a paper as it is set, with the extension that each of them has: the latest time
-- (the epoch: none) and the most minutes.
SELECT member.account_id, coalesce(max(extension.due_at), 'epoch')::timestamptz AS due_at, coalesce(max(extension.minutes), 0)::int AS minutes, sitting.started_at
FROM course_paper JOIN member ON member.course_id = course_paper.course_id
LEFT JOIN extension ON extension.course_paper_id = course_paper.id
     AND (extension.account_id = member.account_id OR member.group_name <> '' AND extension.group_name = member.group_name)
LEFT JOIN sitting ON sitting.course_paper_id = course_paper.id AND sitting.account_id = member.account_id
WHERE course_paper.id = @set_id AND (sqlc.narg('account_id')::bigint IS NULL OR member.account_id = sqlc.narg('account_id'))
GROUP BY member.account_id, sitting.started_at;

-- name: PaperSets :many
-- Where papers are set for courses that an account is or was in, and until when; of one paper, or of all. Without an extension its time is the epoch.
SELECT course_paper.id, course_paper.paper_id, course_paper.course_id, course.zone, course.archived_at, course_paper.opens_at, course_paper.due_at,
       course_paper.rules, course_paper.released_at, course_paper.revision, member.role, member.left_at,
       coalesce((SELECT max(extension.due_at) FROM extension WHERE extension.course_paper_id = course_paper.id
            AND (extension.account_id = member.account_id OR member.group_name <> '' AND extension.group_name = member.group_name)), 'epoch')::timestamptz AS extended_to,
       coalesce((SELECT max(extension.minutes) FROM extension WHERE extension.course_paper_id = course_paper.id
            AND (extension.account_id = member.account_id OR member.group_name <> '' AND extension.group_name = member.group_name)), 0)::int AS minutes,
       coalesce((SELECT max(extension.due_at) FROM extension WHERE extension.course_paper_id = course_paper.id), 'epoch')::timestamptz AS last_due,
       sitting.started_at, sitting.session
FROM course_paper JOIN course ON course.id = course_paper.course_id JOIN member ON member.course_id = course_paper.course_id
LEFT JOIN sitting ON sitting.course_paper_id = course_paper.id AND sitting.account_id = member.account_id
WHERE member.account_id = @account_id AND (sqlc.narg('paper_id')::bigint IS NULL OR course_paper.paper_id = sqlc.narg('paper_id'))
ORDER BY course_paper.course_id;

-- name: StartSitting :one
-- Begins a learner's examination, unless it has begun.
INSERT INTO sitting (course_paper_id, account_id, started_at, session) VALUES ($1, $2, $3, $4)
ON CONFLICT (course_paper_id, account_id) DO UPDATE SET started_at = sitting.started_at
RETURNING *;

-- name: OwnSitting :one
SELECT * FROM sitting WHERE course_paper_id = $1 AND account_id = $2;

-- name: MoveSitting :exec
UPDATE sitting SET session = $3, moved = moved + 1 WHERE course_paper_id = $1 AND account_id = $2 AND session <> $3;

-- name: Sittings :many
SELECT sqlc.embed(sitting), account.name, account.display_name FROM sitting JOIN account ON account.id = sitting.account_id
WHERE sitting.course_paper_id = $1 ORDER BY account.display_name, account.name;

-- name: CreateNotice :one
INSERT INTO notice (course_paper_id, text, made_by) VALUES ($1, $2, $3) RETURNING *;

-- name: Notices :many
-- The words to all who work on papers as they are set.
SELECT notice.*, account.display_name FROM notice JOIN account ON account.id = notice.made_by
WHERE notice.course_paper_id = ANY (@sets::bigint[]) ORDER BY notice.id;

-- name: CopyPapers :exec
-- Sets for a course what is set for another, so many days later by the clock of the course.
INSERT INTO course_paper (course_id, paper_id, opens_at, due_at, rules)
SELECT course.id, original.paper_id, later_by_days(original.opens_at, @days::int, course.zone), later_by_days(original.due_at, @days::int, course.zone), original.rules
FROM course_paper AS original JOIN course ON course.id = @to_course WHERE original.course_id = @from_course;

-- name: Member :one
SELECT * FROM member WHERE course_id = $1 AND account_id = $2;

-- name: SetsOfGroups :many
-- The papers as they are set for a course of which groups have extensions.
SELECT DISTINCT course_paper.id FROM course_paper JOIN extension ON extension.course_paper_id = course_paper.id AND extension.group_name IS NOT NULL
WHERE course_paper.course_id = $1 ORDER BY course_paper.id;

-- name: CountInstructors :one
SELECT count(*) FROM member WHERE course_id = $1 AND role = 'instructor' AND left_at IS NULL;
