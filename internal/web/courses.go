package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/web/contract"
)

func (s *server) ListCourses(
	ctx context.Context, _ contract.ListCoursesRequestObject,
) (contract.ListCoursesResponseObject, error) {
	courses, err := s.Courses.List(ctx, who(ctx))
	list := contract.ListCourses200JSONResponse{}
	for _, c := range courses {
		list = append(list, toCourse(c))
	}
	return list, err
}

func toCourse(c course.Course) contract.Course {
	return contract.Course{
		Slug: c.Slug, Title: c.Title, Zone: c.Zone, Archived: orZero(c.Archived), Learners: c.Learners,
		Papers: c.Papers,
	}
}

func (s *server) CreateCourse(
	ctx context.Context, request contract.CreateCourseRequestObject,
) (contract.CreateCourseResponseObject, error) {
	b := request.Body
	made, err := s.Courses.Create(ctx, who(ctx), course.NewCourse{Slug: b.Slug, Title: b.Title, Zone: b.Zone})
	return contract.CreateCourse201JSONResponse(toCourse(made)), err
}

func (s *server) GetCourse(
	ctx context.Context, request contract.GetCourseRequestObject,
) (contract.GetCourseResponseObject, error) {
	c, err := s.Courses.Course(ctx, who(ctx), request.Course)
	if err != nil {
		return nil, err
	}
	out := contract.GetCourse200JSONResponse{
		Slug: c.Slug, Title: c.Title, Zone: c.Zone, Archived: orZero(c.Archived),
		Papers: []contract.CoursePaper{}, Members: []contract.Member{},
	}
	for _, p := range c.Papers {
		out.Papers = append(out.Papers, toCoursePaper(p))
	}
	for _, m := range c.Members {
		out.Members = append(out.Members, toMember(m))
	}
	return out, nil
}

func (s *server) ChangeCourse(
	ctx context.Context, request contract.ChangeCourseRequestObject,
) (contract.ChangeCourseResponseObject, error) {
	c, err := s.Courses.Change(ctx, who(ctx), request.Course, request.Body.Title, request.Body.Zone)
	return contract.ChangeCourse200JSONResponse(toCourse(c)), err
}

func (s *server) DeleteCourse(
	ctx context.Context, request contract.DeleteCourseRequestObject,
) (contract.DeleteCourseResponseObject, error) {
	return contract.DeleteCourse204Response{}, s.Courses.Delete(ctx, who(ctx), request.Course)
}

func (s *server) ArchiveCourse(
	ctx context.Context, request contract.ArchiveCourseRequestObject,
) (contract.ArchiveCourseResponseObject, error) {
	c, err := s.Courses.Archive(ctx, who(ctx), request.Course, request.Body.Archived)
	return contract.ArchiveCourse200JSONResponse(toCourse(c)), err
}

func (s *server) CopyCourse(
	ctx context.Context, request contract.CopyCourseRequestObject,
) (contract.CopyCourseResponseObject, error) {
	b := request.Body
	c, err := s.Courses.Copy(ctx, who(ctx), request.Course, course.NewCourse{
		Slug: b.Slug, Title: b.Title, Zone: b.Zone,
	}, b.FirstDay.Time)
	return contract.CopyCourse201JSONResponse(toCourse(c)), err
}

func (s *server) SetPaper(
	ctx context.Context, request contract.SetPaperRequestObject,
) (contract.SetPaperResponseObject, error) {
	b := request.Body
	n := course.NewSet{Opens: given(b.Opens), Due: given(b.Due)}
	for _, which := range b.Unbounded {
		n.Unbounded = append(n.Unbounded, string(which))
	}
	if b.Rules != nil {
		rules := fromRules(*b.Rules)
		n.Rules = &rules
	}
	p, err := s.Courses.Sets().Set(ctx, who(ctx), request.Course, request.Paper, n)
	return contract.SetPaper200JSONResponse(toCoursePaper(p)), err
}

// given returns nil for a time that was not given.
func given(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (s *server) UnsetPaper(
	ctx context.Context, request contract.UnsetPaperRequestObject,
) (contract.UnsetPaperResponseObject, error) {
	return contract.UnsetPaper204Response{}, s.Courses.Sets().Unset(ctx, who(ctx), request.Course, request.Paper)
}

func (s *server) ReleaseMarks(
	ctx context.Context, request contract.ReleaseMarksRequestObject,
) (contract.ReleaseMarksResponseObject, error) {
	p, err := s.Courses.Sets().Release(ctx, who(ctx), request.Course, request.Paper, request.Body.Released)
	return contract.ReleaseMarks200JSONResponse(toCoursePaper(p)), err
}

func (s *server) ListExtensions(
	ctx context.Context, request contract.ListExtensionsRequestObject,
) (contract.ListExtensionsResponseObject, error) {
	all, err := s.Courses.Sets().Extensions(ctx, who(ctx), request.Course, request.Paper)
	list := contract.ListExtensions200JSONResponse{}
	for _, e := range all {
		list = append(list, toExtension(e))
	}
	return list, err
}

func (s *server) ExtendPaper(
	ctx context.Context, request contract.ExtendPaperRequestObject,
) (contract.ExtendPaperResponseObject, error) {
	b := request.Body
	made, err := s.Courses.Sets().Extend(ctx, who(ctx), request.Course, request.Paper, course.Extension{
		Learner: b.Learner, Group: b.Group, Due: given(b.Due), Minutes: b.Minutes, Reason: b.Reason,
	})
	return contract.ExtendPaper200JSONResponse(toExtension(made)), err
}

func toExtension(e course.Extension) contract.Extension {
	return contract.Extension{
		Learner: e.Learner, DisplayName: e.DisplayName, Group: e.Group, Due: orZero(e.Due), Minutes: e.Minutes,
		Reason: e.Reason, By: e.By, At: e.At,
	}
}

func (s *server) TakeBackExtension(
	ctx context.Context, request contract.TakeBackExtensionRequestObject,
) (contract.TakeBackExtensionResponseObject, error) {
	return contract.TakeBackExtension204Response{}, s.Courses.Sets().TakeBack(
		ctx, who(ctx), request.Course, request.Paper, request.Params.Learner, request.Params.Group,
	)
}

func (s *server) TellAll(
	ctx context.Context, request contract.TellAllRequestObject,
) (contract.TellAllResponseObject, error) {
	n, err := s.Courses.Sets().Tell(ctx, who(ctx), request.Course, request.Paper, request.Body.Text)
	return contract.TellAll201JSONResponse(toNotice(n)), err
}

func toNotice(n course.Notice) contract.Notice {
	return contract.Notice{Id: strconv.FormatInt(n.ID, 10), Text: n.Text, By: n.By, At: n.At}
}

func toNotices(all []course.Notice) []contract.Notice {
	out := []contract.Notice{}
	for _, n := range all {
		out = append(out, toNotice(n))
	}
	return out
}

func (s *server) ListCandidates(
	ctx context.Context, request contract.ListCandidatesRequestObject,
) (contract.ListCandidatesResponseObject, error) {
	all, err := s.Courses.Sets().Candidates(ctx, who(ctx), request.Course, request.Paper)
	list := contract.ListCandidates200JSONResponse{}
	for _, c := range all {
		list = append(list, contract.Candidate{
			Name: c.Name, DisplayName: c.DisplayName, Begun: c.Begun, Ends: c.Ends, Moved: c.Moved,
		})
	}
	return list, err
}

func (s *server) BeginExamination(
	ctx context.Context, request contract.BeginExaminationRequestObject,
) (contract.BeginExaminationResponseObject, error) {
	if _, err := s.Courses.Sets().Begin(ctx, who(ctx), request.Paper, request.Body.Move); err != nil {
		return nil, err
	}
	p, err := s.Work.Paper(ctx, who(ctx), request.Paper)
	if err != nil {
		return nil, err
	}
	return contract.BeginExamination200JSONResponse(toSummary(p.Summary)), nil
}

func (s *server) FollowPaper(
	ctx context.Context, request contract.FollowPaperRequestObject,
) (contract.FollowPaperResponseObject, error) {
	if _, err := s.Courses.Sets().News(ctx, who(ctx), request.Paper); err != nil {
		return nil, err
	}
	reader := who(ctx)
	return events{s, ctx, func(ctx context.Context, each func(any) error) error {
		return s.Courses.Sets().Follow(ctx, reader, request.Paper, func(n course.News) error {
			return each(contract.PaperNews{
				State: contract.PaperState(n.State), Due: n.Due, Closes: n.Closes, Now: n.Now, Untold: !n.Told,
				Elsewhere: n.Elsewhere, Notices: toNotices(n.Notices), Margin: n.Margin,
			})
		})
	}}, nil
}

// events is an answer of server-sent events: each is a value as JSON. They end when the service stops.
type events struct {
	server *server
	ctx    context.Context
	follow func(ctx context.Context, each func(any) error) error
}

func (e events) VisitFollowPaperResponse(w http.ResponseWriter) error   { return e.send(w) }
func (e events) VisitFollowJobResponse(w http.ResponseWriter) error     { return e.send(w) }
func (e events) VisitWatchProgressResponse(w http.ResponseWriter) error { return e.send(w) }

func (e events) send(w http.ResponseWriter) error {
	ctx, cancel := context.WithCancel(e.ctx)
	defer cancel()
	go func() {
		select {
		case <-e.server.stopping:
			cancel()
		case <-ctx.Done():
		}
	}()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	flush := http.NewResponseController(w)
	err := e.follow(ctx, func(value any) error {
		text, err := json.Marshal(value)
		if err == nil {
			_, err = fmt.Fprintf(w, "data: %s\n\n", text)
		}
		if err == nil {
			err = flush.Flush()
		}
		return err
	})
	select {
	case <-e.server.stopping: // whoever follows asks again, of the service that is there then
		_, _ = io.WriteString(w, "retry: 1000\nevent: stopping\ndata: {}\n\n")
		return nil
	default:
	}
	if err != nil && ctx.Err() == nil {
		e.server.log.Warn("events ended early", "path", e.ctx.(*gin.Context).Request.URL.Path, "error", err)
	}
	return nil // the caller asks again
}

func toCoursePaper(p course.Paper) contract.CoursePaper {
	return contract.CoursePaper{
		Paper: p.Slug, Title: p.Title, State: contract.PaperState(p.State), Opens: p.Span.Opens, Due: p.Span.Due,
		Closes: p.Span.Closes(), Rules: toRules(p.Rules), Released: orZero(p.Released), Extensions: p.Extensions,
	}
}

func toRules(r marking.Rules) contract.PaperRules {
	out := contract.PaperRules{
		Counts: contract.CountsBest, Attempts: r.Attempts, Tell: contract.TellAtOnce, Answers: r.Answers,
		Partial: r.Partial, Late: contract.LateRules{Minutes: r.Late.Minutes, PerHour: r.Late.PerHour},
	}
	if r.Counts != marking.Best {
		out.Counts = contract.PaperRulesCounts(r.Counts)
	}
	if r.Tell != marking.AtOnce {
		out.Tell = contract.PaperRulesTell(r.Tell)
	}
	for _, s := range r.Late.Steps {
		out.Late.Steps = append(out.Late.Steps, contract.LateStep(s))
	}
	if r.Exam != nil {
		out.Examination = contract.ExaminationRules(*r.Exam)
	}
	return out
}

func fromRules(r contract.PaperRules) marking.Rules {
	out := marking.Rules{
		Attempts: r.Attempts, Answers: r.Answers, Partial: r.Partial,
		Late: marking.Late{Minutes: r.Late.Minutes, PerHour: r.Late.PerHour},
	}
	if r.Counts != contract.CountsBest {
		out.Counts = marking.Counts(r.Counts)
	}
	if r.Tell != contract.TellAtOnce {
		out.Tell = marking.Tell(r.Tell)
	}
	for _, s := range r.Late.Steps {
		out.Late.Steps = append(out.Late.Steps, marking.Step(s))
	}
	if r.Examination != (contract.ExaminationRules{}) {
		exam := marking.Exam(r.Examination)
		out.Exam = &exam
	}
	return out
}
