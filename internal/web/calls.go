package web

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/problem"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func (s *server) GetHealth(
	ctx context.Context, _ contract.GetHealthRequestObject,
) (contract.GetHealthResponseObject, error) {
	out := toHealth(s.Health(ctx))
	if !out.Ready {
		return contract.GetHealth503JSONResponse(out), nil
	}
	return contract.GetHealth200JSONResponse(out), nil
}

func toHealth(h Health) contract.Health {
	return contract.Health{
		Records:  contract.ServerState(h.Records),
		Practice: contract.ServerState(h.Practice),
		Unending: h.Unending,
		Stopping: h.Stopping,
		Ready:    len(h.Reasons) == 0,
		Reasons:  append([]string{}, h.Reasons...),
	}
}

func (s *server) GetLive(context.Context, contract.GetLiveRequestObject) (contract.GetLiveResponseObject, error) {
	return contract.GetLive204Response{}, nil
}

func (s *server) LogIn(ctx context.Context, request contract.LogInRequestObject) (contract.LogInResponseObject, error) {
	c := ctx.(*gin.Context)
	kind, device := string(request.Body.Kind), request.Body.Device
	if kind == account.Cookie {
		device, _ = c.Cookie(deviceCookie)
	}
	session, token, device, err := s.Accounts.LogIn(
		ctx,
		account.LogIn{
			Name:     request.Body.Name,
			Password: request.Body.Password,
			Kind:     kind,
			Address:  c.ClientIP(),
			Client:   c.Request.UserAgent(),
			Device:   device,
		},
	)
	if err != nil {
		return nil, err
	}
	preferences, err := s.Accounts.Preferences(ctx, session.Account)
	if err != nil {
		return nil, err
	}
	out := toSession(session, token, preferences)
	if session.Kind == account.Cookie {
		s.setCookie(c, cookieName, token, session.Expires)
		s.setCookie(c, deviceCookie, device, time.Now().Add(deviceLasts))
	} else {
		out.Device = device
	}
	return contract.LogIn201JSONResponse(out), nil
}

// deviceLasts is how long a browser keeps the cookie by which its device is known.
const deviceLasts = 365 * 24 * time.Hour

// setCookie sets a cookie; an empty value removes it.
func (s *server) setCookie(c *gin.Context, name, value string, expires time.Time) {
	http.SetCookie(
		c.Writer,
		&http.Cookie{
			Name:     name,
			Value:    value,
			Path:     "/",
			Expires:  expires,
			HttpOnly: true,
			Secure:   s.secure(c),
			SameSite: http.SameSiteStrictMode,
		},
	)
}

func (s *server) GetSession(
	ctx context.Context, _ contract.GetSessionRequestObject,
) (contract.GetSessionResponseObject, error) {
	preferences, err := s.Accounts.Preferences(ctx, who(ctx))
	return contract.GetSession200JSONResponse(toSession(session(ctx), "", preferences)), err
}

func (s *server) SetPreferences(
	ctx context.Context, request contract.SetPreferencesRequestObject,
) (contract.SetPreferencesResponseObject, error) {
	p := account.Preferences{
		TextSize: request.Body.TextSize, Wrap: request.Body.Wrap, Look: account.Look(request.Body.Look),
		Mail: request.Body.Mail,
	}
	return contract.SetPreferences200JSONResponse(toPreferences(p)), s.Accounts.SetPreferences(ctx, who(ctx), p)
}

func (s *server) LogOut(ctx context.Context, _ contract.LogOutRequestObject) (contract.LogOutResponseObject, error) {
	if session(ctx).Kind == account.Cookie {
		s.setCookie(ctx.(*gin.Context), cookieName, "", time.Unix(0, 0))
	}
	return contract.LogOut204Response{}, s.Accounts.LogOut(ctx, session(ctx))
}

func (s *server) SetPassword(
	ctx context.Context, request contract.SetPasswordRequestObject,
) (contract.SetPasswordResponseObject, error) {
	return contract.SetPassword204Response{}, s.Accounts.SetPassword(
		ctx, session(ctx), request.Body.Current, request.Body.New,
	)
}

func (s *server) ListPapers(
	ctx context.Context, _ contract.ListPapersRequestObject,
) (contract.ListPapersResponseObject, error) {
	papers, err := s.Courses.Papers(ctx, who(ctx))
	list := contract.ListPapers200JSONResponse{}
	for _, p := range papers {
		list = append(list, toSummary(p))
	}
	return list, err
}

func (s *server) GetPaper(
	ctx context.Context, request contract.GetPaperRequestObject,
) (contract.GetPaperResponseObject, error) {
	p, err := s.Work.Paper(ctx, who(ctx), request.Paper)
	if err != nil {
		return nil, err
	}
	return contract.GetPaper200JSONResponse(toPaper(p)), nil
}

func (s *server) GetPicture(
	ctx context.Context, request contract.GetPictureRequestObject,
) (contract.GetPictureResponseObject, error) {
	p, err := s.Work.Picture(ctx, who(ctx), request.Paper, request.Picture)
	if err != nil {
		return nil, err
	}
	c := ctx.(*gin.Context)
	c.Header("Cache-Control", "private, max-age=31536000, immutable") // its address changes with its content
	c.Header("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	return contract.GetPicture200ImageResponse{
		Body: bytes.NewReader(p.Content), ContentType: p.MediaType, ContentLength: int64(len(p.Content)),
	}, nil
}

func (s *server) GetExercise(
	ctx context.Context, request contract.GetExerciseRequestObject,
) (contract.GetExerciseResponseObject, error) {
	e, err := s.Work.Exercise(ctx, who(ctx), request.Paper, request.Exercise)
	if err != nil {
		return nil, err
	}
	return contract.GetExercise200JSONResponse(toExercise(e)), nil
}

func (s *server) KeepDraft(
	ctx context.Context, request contract.KeepDraftRequestObject,
) (contract.KeepDraftResponseObject, error) {
	draft, err := s.Work.KeepDraft(ctx, who(ctx), work.NewDraft{
		Paper: request.Paper, Exercise: request.Exercise, SQL: request.Body.Sql, Revision: request.Body.Revision,
	})
	if err != nil {
		return nil, err
	}
	return contract.KeepDraft200JSONResponse(toDraft(draft)), nil
}

func (s *server) Submit(
	ctx context.Context, request contract.SubmitRequestObject,
) (contract.SubmitResponseObject, error) {
	a, err := s.Work.Submit(ctx, who(ctx), work.Submission{
		Paper: request.Paper, Exercise: request.Exercise, SQL: request.Body.Sql, Key: request.Body.Key,
		Received: ctx.(*gin.Context).GetTime("received"),
	})
	if err != nil {
		return nil, err
	}
	s.metrics.outcomes.WithLabelValues("submission", cmp.Or(string(a.Outcome), "untold")).Inc()
	return contract.Submit201JSONResponse(toAttempt(a)), nil
}

func (s *server) ReadCause(
	ctx context.Context, request contract.ReadCauseRequestObject,
) (contract.ReadCauseResponseObject, error) {
	found, err := work.CauseOf(ctx, s.Work, who(ctx), request.Attempt)
	if err != nil {
		return nil, err
	}
	return contract.ReadCause200JSONResponse{Findings: toFindings(found)}, nil
}

func (s *server) Run(ctx context.Context, request contract.RunRequestObject) (contract.RunResponseObject, error) {
	b := request.Body
	run, err := s.Work.Run(ctx, who(ctx), work.RunRequest{
		SQL: b.Sql, Paper: b.Paper, Exercise: b.Exercise, Dataset: b.Dataset, Window: b.Window,
		Received: ctx.(*gin.Context).GetTime("received"),
	})
	if err != nil {
		return nil, err
	}
	s.metrics.outcomes.WithLabelValues("run", string(run.Outcome)).Inc()
	return contract.Run201JSONResponse(toRun(run)), nil
}

func (s *server) ExportRun(
	ctx context.Context, request contract.ExportRunRequestObject,
) (contract.ExportRunResponseObject, error) {
	p := request.Params
	format := cmp.Or(p.Format, contract.ExportCSV)
	if !format.Valid() || p.Most < 0 {
		return nil, &problem.Problem{Type: "examen:unreadable", Title: "Invalid request", Status: 400,
			Detail: fmt.Sprintf("format %q, most %d: expected are csv, json, lines or xlsx, and no negative number.",
				format, p.Most)}
	}
	file, err := s.Work.Export(ctx, who(ctx), request.Run, export.Format(format), p.Most)
	if err != nil {
		return nil, err
	}
	return exported{file, format, request.Run}, nil
}

// exported is a file to be downloaded, in any of the formats.
type exported struct {
	*work.Export
	format contract.ExportRunParamsFormat
	run    string
}

// VisitExportRunResponse sends the file.
func (e exported) VisitExportRunResponse(w http.ResponseWriter) error {
	defer func() { _ = e.Close() }()
	h := w.Header()
	h.Set("Content-Type", map[contract.ExportRunParamsFormat]string{
		contract.ExportCSV:   "text/csv; charset=utf-8",
		contract.ExportJSON:  "application/json",
		contract.ExportLines: "application/x-ndjson",
		contract.ExportXLSX:  "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	}[e.format])
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="rows-%s.%s"`, e.run, e.format))
	h.Set("Content-Length", strconv.FormatInt(e.Size, 10)) // by which whoever saves it knows that it is whole
	h.Set(gzhttp.HeaderNoCompression, "its length is told")
	_, err := io.Copy(w, e)
	return err
}

func (s *server) PlanQuery(
	ctx context.Context, request contract.PlanQueryRequestObject,
) (contract.PlanQueryResponseObject, error) {
	b := request.Body
	step, err := s.Work.Plan(
		ctx, who(ctx), work.RunRequest{SQL: b.Sql, Paper: b.Paper, Exercise: b.Exercise, Dataset: b.Dataset},
	)
	return contract.PlanQuery200JSONResponse(toPlanStep(step)), err
}

func (s *server) CheckPaper(ctx context.Context, request contract.CheckPaperRequestObject) (
	contract.CheckPaperResponseObject, error,
) {
	job, err := s.Library.CheckPaper(ctx, who(ctx), request.Paper)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.CheckPaper202JSONResponse(out), err
}
