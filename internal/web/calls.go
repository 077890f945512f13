package web

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/exam"
	"examen/internal/problem"
	"examen/internal/web/contract"
)

func (s *server) GetHealth(ctx context.Context, _ contract.GetHealthRequestObject) (contract.GetHealthResponseObject, error) {
	h := s.service.Health(ctx)
	out := contract.Health{Records: contract.ServerState(h.Records), Practice: contract.ServerState(h.Practice), Unending: h.Unending}
	if h.Records != exam.Up || h.Practice != exam.Up {
		return contract.GetHealth503JSONResponse(out), nil
	}
	return contract.GetHealth200JSONResponse(out), nil
}

func (s *server) LogIn(ctx context.Context, request contract.LogInRequestObject) (contract.LogInResponseObject, error) {
	c := ctx.(*gin.Context)
	kind, device := string(request.Body.Kind), request.Body.Device
	if kind == account.Cookie {
		device, _ = c.Cookie(deviceCookie)
	}
	session, token, device, err := s.accounts.LogIn(ctx, account.LogIn{Name: request.Body.Name, Password: request.Body.Password, Kind: kind, Address: c.ClientIP(), Device: device})
	if err != nil {
		return nil, err
	}
	out := toSession(session, token)
	if session.Kind == account.Cookie {
		s.setCookie(c, cookieName, token, session.Expires)
		s.setCookie(c, deviceCookie, device, time.Now().Add(deviceLasts))
	} else {
		out.Device = device
	}
	return contract.LogIn201JSONResponse(out), nil
}

// deviceLasts is how long a browser keeps what makes it known.
const deviceLasts = 365 * 24 * time.Hour

// setCookie gives the browser a cookie; with an empty value it takes it away.
func (s *server) setCookie(c *gin.Context, name, value string, expires time.Time) {
	http.SetCookie(c.Writer, &http.Cookie{Name: name, Value: value, Path: "/", Expires: expires, HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteStrictMode})
}

func (s *server) GetSession(ctx context.Context, _ contract.GetSessionRequestObject) (contract.GetSessionResponseObject, error) {
	return contract.GetSession200JSONResponse(toSession(session(ctx), "")), nil
}

func (s *server) LogOut(ctx context.Context, _ contract.LogOutRequestObject) (contract.LogOutResponseObject, error) {
	if session(ctx).Kind == account.Cookie {
		s.setCookie(ctx.(*gin.Context), cookieName, "", time.Unix(0, 0))
	}
	return contract.LogOut204Response{}, s.accounts.LogOut(ctx, session(ctx))
}

func (s *server) SetPassword(ctx context.Context, request contract.SetPasswordRequestObject) (contract.SetPasswordResponseObject, error) {
	return contract.SetPassword204Response{}, s.accounts.SetPassword(ctx, session(ctx), request.Body.Current, request.Body.New)
}

func (s *server) ListPapers(ctx context.Context, _ contract.ListPapersRequestObject) (contract.ListPapersResponseObject, error) {
	papers, err := s.service.Papers(ctx, who(ctx))
	list := contract.ListPapers200JSONResponse{}
	for _, p := range papers {
		list = append(list, toSummary(p))
	}
	return list, err
}

func (s *server) GetPaper(ctx context.Context, request contract.GetPaperRequestObject) (contract.GetPaperResponseObject, error) {
	p, err := s.service.Paper(ctx, who(ctx), request.Paper)
	if err != nil {
		return nil, err
	}
	return contract.GetPaper200JSONResponse(toPaper(p)), nil
}

func (s *server) GetExercise(ctx context.Context, request contract.GetExerciseRequestObject) (contract.GetExerciseResponseObject, error) {
	e, err := s.service.Exercise(ctx, who(ctx), request.Paper, request.Exercise)
	if err != nil {
		return nil, err
	}
	return contract.GetExercise200JSONResponse(toExercise(e)), nil
}

func (s *server) KeepDraft(ctx context.Context, request contract.KeepDraftRequestObject) (contract.KeepDraftResponseObject, error) {
	draft, err := s.service.KeepDraft(ctx, who(ctx), request.Paper, request.Exercise, request.Body.Sql, request.Body.Revision)
	return contract.KeepDraft200JSONResponse(toDraft(draft)), err
}

func (s *server) Submit(ctx context.Context, request contract.SubmitRequestObject) (contract.SubmitResponseObject, error) {
	a, err := s.service.Submit(ctx, who(ctx), exam.Submission{Paper: request.Paper, Exercise: request.Exercise, SQL: request.Body.Sql, Key: request.Body.Key})
	if err != nil {
		return nil, err
	}
	return contract.Submit201JSONResponse(toAttempt(a)), nil
}

func (s *server) Run(ctx context.Context, request contract.RunRequestObject) (contract.RunResponseObject, error) {
	b := request.Body
	run, err := s.service.Run(ctx, who(ctx), exam.RunRequest{SQL: b.Sql, Paper: b.Paper, Exercise: b.Exercise, Dataset: b.Dataset})
	if err != nil {
		return nil, err
	}
	return contract.Run201JSONResponse(toRun(run)), nil
}

func (s *server) ListHistory(ctx context.Context, request contract.ListHistoryRequestObject) (contract.ListHistoryResponseObject, error) {
	p := request.Params
	if p.Outcome != "" && !p.Outcome.Valid() || p.Kind != "" && !p.Kind.Valid() {
		return nil, &problem.Problem{Type: "examen:unreadable", Title: "Invalid request", Status: 400,
			Detail: fmt.Sprintf("outcome %q, kind %q: expected are correct, incorrect, rejected, failed, stopped or done, and run or attempt.", p.Outcome, p.Kind)}
	}
	page, err := s.service.History(ctx, who(ctx), exam.HistoryFilter{Paper: p.Paper, Exercise: p.Exercise, Learner: p.Learner,
		Outcome: string(p.Outcome), Kind: string(p.Kind), Before: p.Before, Limit: p.Limit})
	if err != nil {
		return nil, err
	}
	out := contract.ListHistory200JSONResponse{Entries: []contract.HistoryEntry{}, Next: page.Next}
	for _, e := range page.Entries {
		out.Entries = append(out.Entries, toEntry(e))
	}
	return out, nil
}

func (s *server) GetProgress(ctx context.Context, request contract.GetProgressRequestObject) (contract.GetProgressResponseObject, error) {
	grid, err := s.courses.Progress(ctx, who(ctx), request.Paper, request.Params.Course)
	if err != nil {
		return nil, err
	}
	return contract.GetProgress200JSONResponse(toProgress(grid)), nil
}

func (s *server) GetMarks(ctx context.Context, request contract.GetMarksRequestObject) (contract.GetMarksResponseObject, error) {
	grid, err := s.courses.Progress(ctx, who(ctx), request.Paper, request.Params.Course)
	if err != nil {
		return nil, err
	}
	if request.Params.Format == contract.Csv {
		csv := marksCSV(grid)
		return contract.GetMarks200TextcsvResponse{Body: strings.NewReader(csv), ContentLength: int64(len(csv))}, nil
	}
	return contract.GetMarks200JSONResponse(toProgress(grid)), nil
}

// marksCSV writes one line per learner: name, display name, the mark of each exercise (empty without attempts), the sum, and the points there are.
func marksCSV(grid *course.Progress) string {
	header := []string{"name", "display_name"}
	for _, e := range grid.Exercises {
		header = append(header, e.Slug)
	}
	lines := [][]string{append(header, "mark", "points")}
	for _, l := range grid.Learners {
		line := []string{l.Name, l.DisplayName}
		for _, c := range l.Cells {
			if c.Attempts == 0 {
				line = append(line, "")
				continue
			}
			line = append(line, marking.Format(c.Mark))
		}
		lines = append(lines, append(line, marking.Format(l.Mark), marking.Format(grid.Points)))
	}
	return marking.CSV(lines)
}

func (s *server) ListCourses(ctx context.Context, _ contract.ListCoursesRequestObject) (contract.ListCoursesResponseObject, error) {
	courses, err := s.courses.List(ctx, who(ctx))
	list := contract.ListCourses200JSONResponse{}
	for _, c := range courses {
		list = append(list, toCourse(c))
	}
	return list, err
}

func toCourse(c course.Course) contract.Course {
	return contract.Course{Slug: c.Slug, Title: c.Title, Learners: c.Learners, Papers: c.Papers}
}

func (s *server) CreateCourse(ctx context.Context, request contract.CreateCourseRequestObject) (contract.CreateCourseResponseObject, error) {
	course, err := s.courses.Create(ctx, who(ctx), request.Body.Slug, request.Body.Title)
	return contract.CreateCourse201JSONResponse(toCourse(course)), err
}

func (s *server) GetCourse(ctx context.Context, request contract.GetCourseRequestObject) (contract.GetCourseResponseObject, error) {
	course, err := s.courses.Course(ctx, who(ctx), request.Course)
	if err != nil {
		return nil, err
	}
	out := contract.GetCourse200JSONResponse{Slug: course.Slug, Title: course.Title, Papers: []contract.CoursePaper{}, Learners: []contract.Account{}}
	for _, p := range course.Papers {
		out.Papers = append(out.Papers, toCoursePaper(p))
	}
	for _, l := range course.Learners {
		out.Learners = append(out.Learners, toAccount(l))
	}
	return out, nil
}

func (s *server) OpenPaper(ctx context.Context, request contract.OpenPaperRequestObject) (contract.OpenPaperResponseObject, error) {
	p, err := s.courses.SetPaper(ctx, who(ctx), request.Course, request.Paper, given(request.Body.Opens), given(request.Body.Due))
	return contract.OpenPaper200JSONResponse(toCoursePaper(p)), err
}

// given returns nil for a time that was left out.
func given(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (s *server) AddLearner(ctx context.Context, request contract.AddLearnerRequestObject) (contract.AddLearnerResponseObject, error) {
	b := request.Body
	account, password, err := s.courses.AddLearner(ctx, who(ctx), request.Course, course.NewLearner{Name: b.Name, DisplayName: b.DisplayName, Password: b.Password})
	return contract.AddLearner201JSONResponse{Account: toAccount(account), Password: password}, err
}

func (s *server) ResetLearner(ctx context.Context, request contract.ResetLearnerRequestObject) (contract.ResetLearnerResponseObject, error) {
	account, password, err := s.courses.ResetLearner(ctx, who(ctx), request.Learner)
	return contract.ResetLearner201JSONResponse{Account: toAccount(account), Password: password}, err
}

func (s *server) CheckPaper(ctx context.Context, request contract.CheckPaperRequestObject) (contract.CheckPaperResponseObject, error) {
	report, err := s.service.CheckPaper(ctx, who(ctx), request.Paper)
	if err != nil {
		return nil, err
	}
	return contract.CheckPaper200JSONResponse(toCheck(report)), nil
}
