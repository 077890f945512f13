-- name: CreateCourse :one
INSERT INTO course (slug, title, zone) VALUES ($1, $2, $3) RETURNING *;

-- name: CourseBySlug :one
SELECT * FROM course WHERE slug = $1;

-- name: ListCourses :many
-- All courses, or those of the numbers given.
SELECT course.slug, course.title, course.zone,
       (SELECT count(*) FROM member WHERE course_id = course.id AND role = 'learner') AS learners,
       (SELECT count(*) FROM course_paper WHERE course_id = course.id) AS papers
FROM course WHERE @all_courses::boolean OR id = ANY (@ids::bigint[]) ORDER BY slug;

-- name: SetMember :exec
-- Adds somebody to a course, or gives them another role there.
INSERT INTO member (course_id, account_id, role) VALUES ($1, $2, $3)
ON CONFLICT (course_id, account_id) DO UPDATE SET role = excluded.role WHERE member.role <> excluded.role;

-- name: CourseMembers :many
SELECT sqlc.embed(account), member.role FROM account JOIN member ON member.account_id = account.id
WHERE member.course_id = $1 ORDER BY account.display_name, account.name;

-- name: CoursePapers :many
SELECT paper.slug, paper.title, course_paper.opens_at, course_paper.due_at
FROM course_paper JOIN paper ON paper.id = course_paper.paper_id
WHERE course_paper.course_id = $1 ORDER BY course_paper.due_at NULLS LAST, paper.slug;

-- name: SetCoursePaper :exec
INSERT INTO course_paper (course_id, paper_id, opens_at, due_at) VALUES ($1, $2, $3, $4)
ON CONFLICT (course_id, paper_id) DO UPDATE SET opens_at = excluded.opens_at, due_at = excluded.due_at;

-- name: PaperSets :many
-- Where papers are set for courses of an account, and until when; of one paper, or of all.
SELECT course_paper.paper_id, course_paper.course_id, course_paper.opens_at, course_paper.due_at, extension.due_at AS extended_to, course.zone
FROM course_paper JOIN course ON course.id = course_paper.course_id JOIN member ON member.course_id = course_paper.course_id
LEFT JOIN extension ON extension.course_paper_id = course_paper.id AND extension.account_id = member.account_id
WHERE member.account_id = @account_id AND (sqlc.narg('paper_id')::bigint IS NULL OR course_paper.paper_id = sqlc.narg('paper_id'))
ORDER BY course_paper.course_id;

-- name: SetMark :exec
INSERT INTO mark (account_id, exercise_id, course_id, mark, reason, set_by) VALUES ($1, $2, $3, $4, $5, $6);

-- name: StandByHand :exec
-- A mark that is set by hand counts in place of the computed one; NULL gives that back.
INSERT INTO standing AS s (account_id, exercise_id, course_id, outcome, computed, by_hand, attempts, used, hidden_only, last_at)
VALUES (@account_id, @exercise_id, @course_id::bigint, '', 0, @by_hand, 0, 0, 0, now())
ON CONFLICT (account_id, exercise_id, course_id) DO UPDATE SET by_hand = excluded.by_hand, version = nextval('standing_version');
