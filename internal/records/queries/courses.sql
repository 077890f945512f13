-- name: CreateCourse :one
INSERT INTO course (slug, title) VALUES ($1, $2) RETURNING *;

-- name: CourseBySlug :one
SELECT * FROM course WHERE slug = $1;

-- name: ListCourses :many
SELECT course.slug, course.title,
       (SELECT count(*) FROM enrolment WHERE course_id = course.id) AS learners,
       (SELECT count(*) FROM course_paper WHERE course_id = course.id) AS papers
FROM course ORDER BY slug;

-- name: Enrol :exec
INSERT INTO enrolment (course_id, account_id) VALUES ($1, $2) ON CONFLICT DO NOTHING;

-- name: CourseLearners :many
SELECT account.* FROM account JOIN enrolment ON enrolment.account_id = account.id
WHERE enrolment.course_id = $1 ORDER BY account.display_name, account.name;

-- name: CoursePapers :many
SELECT paper.slug, paper.title, course_paper.opens_at, course_paper.due_at
FROM course_paper JOIN paper ON paper.id = course_paper.paper_id
WHERE course_paper.course_id = $1 ORDER BY course_paper.due_at NULLS LAST, paper.slug;

-- name: SetCoursePaper :exec
INSERT INTO course_paper (course_id, paper_id, opens_at, due_at) VALUES ($1, $2, $3, $4)
ON CONFLICT (course_id, paper_id) DO UPDATE SET opens_at = excluded.opens_at, due_at = excluded.due_at;
