package web

import (
	"bytes"
	"context"
	"encoding/csv"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/core/roster"
	"examen/internal/course"
	"examen/internal/problem"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func (s *server) AddMember(
	ctx context.Context, request contract.AddMemberRequestObject,
) (contract.AddMemberResponseObject, error) {
	b := request.Body
	added, err := s.Courses.People().Add(ctx, who(ctx), request.Course, course.NewMember{
		Name: b.Name, DisplayName: b.DisplayName, Email: b.Email, Password: b.Password, Role: account.Role(b.Role),
		Group: b.Group,
	})
	return contract.AddMember201JSONResponse(toAdded(added)), err
}

func toMember(m course.Member) contract.Member {
	return contract.Member{
		Name: m.Name, DisplayName: m.DisplayName, Email: m.Email, Role: contract.Role(m.Role), Group: m.Group,
		Left: orZero(m.Left), Deactivated: !m.Active, OneTimePassword: m.OneTime, OneTimeUntil: orZero(m.OneTimeUntil),
	}
}

func toAdded(a course.Added) contract.AddedMember {
	return contract.AddedMember{Member: toMember(a.Member), Password: a.Password, Until: orZero(a.OneTimeUntil)}
}

func (s *server) ChangeMember(
	ctx context.Context, request contract.ChangeMemberRequestObject,
) (contract.ChangeMemberResponseObject, error) {
	b := request.Body
	m, err := s.Courses.People().Change(ctx, who(ctx), request.Course, request.Account, course.Place{
		Role: account.Role(b.Role), Group: b.Group, DisplayName: b.DisplayName, Email: b.Email,
	})
	return contract.ChangeMember200JSONResponse(toMember(m)), err
}

func (s *server) RemoveMember(
	ctx context.Context, request contract.RemoveMemberRequestObject,
) (contract.RemoveMemberResponseObject, error) {
	return contract.RemoveMember204Response{}, s.Courses.People().Leave(ctx, who(ctx), request.Course, request.Account)
}

// largestRoster is how much the files of a roster may have, in bytes.
const largestRoster = 20 << 20

// rosterFiles reads the files of a roster, and how they are to be read.
func (s *server) rosterFiles(
	ctx context.Context, body uploadedFiles, encoding string, columns []string, class string,
) (files []roster.File, o roster.Options, err error) {
	o = roster.Options{Encoding: encoding, Class: class, Columns: map[roster.Field]string{}}
	for _, c := range columns {
		field, header, found := strings.Cut(c, "=")
		if !found {
			return nil, o, problem.New(422, "column", "Invalid column",
				"%.80q: a field and the header of its column are expected, such as login=Number.", c)
		}
		o.Columns[roster.Field(strings.TrimSpace(strings.ToLower(field)))] = header
	}
	left := int64(largestRoster)
	for {
		name, in, err := body()
		if err == io.EOF {
			return files, o, nil
		} else if err != nil {
			return nil, o, drain(ctx, err)
		}
		content, err := io.ReadAll(io.LimitReader(in, left+1))
		if err != nil {
			return nil, o, err
		}
		if left -= int64(len(content)); left < 0 {
			return nil, o, drain(ctx, problem.New(413, "too-long", "The roster is too large",
				"It has more than %d MB. A roster has a line for each person, and nothing else.", largestRoster>>20))
		}
		files = append(files, roster.File{Name: name, Content: content})
	}
}

// uploadedFiles gives one file after another.
type uploadedFiles func() (string, io.Reader, error)

func (s *server) PreviewRoster(
	ctx context.Context, request contract.PreviewRosterRequestObject,
) (contract.PreviewRosterResponseObject, error) {
	p := request.Params
	files, options, err := s.rosterFiles(ctx, uploadedFiles(uploaded(request.Body)), p.Encoding, p.Column, p.Class)
	if err != nil {
		return nil, err
	}
	preview, err := s.Courses.People().Preview(ctx, who(ctx), request.Course, files, options)
	if err != nil {
		return nil, err
	}
	return contract.PreviewRoster200JSONResponse(toPreview(preview)), nil
}

func (s *server) ImportRoster(
	ctx context.Context, request contract.ImportRosterRequestObject,
) (contract.ImportRosterResponseObject, error) {
	p := request.Params
	files, options, err := s.rosterFiles(ctx, uploadedFiles(uploaded(request.Body)), p.Encoding, p.Column, p.Class)
	if err != nil {
		return nil, err
	}
	done, err := s.Courses.People().Import(ctx, who(ctx), request.Course, files, options, p.Digest, p.LeaveOut)
	if err != nil {
		return nil, err
	}
	out := contract.ImportRoster200JSONResponse{Preview: toPreview(done.RosterPreview), Added: []contract.AddedMember{}}
	for _, a := range done.Added {
		out.Added = append(out.Added, toAdded(a))
	}
	return out, nil
}

func toPreview(p *course.RosterPreview) contract.RosterPreview {
	out := contract.RosterPreview{
		Lines: []contract.RosterLine{}, Digest: p.Digest, LeftOut: p.LeftOut, Absent: orEmpty(p.Absent),
		New: p.Count(course.LineNew), Changed: p.Count(course.LineChanged),
		Same: p.Count(course.LineSame), Wrong: p.Count(course.LineWrong),
		Columns: map[string]string{}, Headers: orEmpty(p.Headers), Classes: orEmpty(p.Groups),
	}
	for field, header := range p.Columns {
		out.Columns[string(field)] = header
	}
	for _, l := range p.Lines {
		out.Lines = append(out.Lines, contract.RosterLine{
			Line: l.Line, Login: l.Login, Name: l.Name, Email: l.Email, Group: l.Group, Role: l.Role,
			State: contract.RosterLineState(l.State), HasAccount: l.HasAccount, Changes: l.Changes, Wrong: l.Wrong,
		})
	}
	return out
}

func (s *server) IssuePasswords(
	ctx context.Context, request contract.IssuePasswordsRequestObject,
) (contract.IssuePasswordsResponseObject, error) {
	issued, err := s.Courses.People().IssuePasswords(
		ctx, who(ctx), request.Course, request.Body.Learners, request.Body.Unused,
	)
	list := contract.IssuePasswords201JSONResponse{}
	for _, one := range issued {
		list = append(list, toIssued(one))
	}
	return list, err
}

func toIssued(one account.Issued) contract.AddedAccount {
	return contract.AddedAccount{Account: toAccount(one.Account), Password: one.Password, Until: one.Until}
}

func (s *server) CreateAccount(ctx context.Context, request contract.CreateAccountRequestObject) (
	contract.CreateAccountResponseObject, error,
) {
	b := request.Body
	made, password, err := s.Accounts.Create(ctx, who(ctx), account.NewAccount{
		Name: b.Name, DisplayName: b.DisplayName, Email: b.Email, Password: b.Password, Administrator: b.Administrator,
	})
	return contract.CreateAccount201JSONResponse{
		Account: toAccount(made), Password: password, Until: orZero(made.OneTimeUntil),
	}, err
}

func (s *server) ResetPassword(ctx context.Context, request contract.ResetPasswordRequestObject) (
	contract.ResetPasswordResponseObject, error,
) {
	issued, err := s.Accounts.Reset(ctx, who(ctx), request.Account)
	if err != nil {
		return nil, err
	}
	return contract.ResetPassword201JSONResponse(toIssued(issued[0])), nil
}

func (s *server) SetActive(ctx context.Context, request contract.SetActiveRequestObject) (
	contract.SetActiveResponseObject, error,
) {
	other, err := s.Accounts.SetActive(ctx, who(ctx), request.Account, request.Body.Active)
	return contract.SetActive200JSONResponse(toAccount(other)), err
}

func (s *server) Anonymise(
	ctx context.Context, request contract.AnonymiseRequestObject,
) (contract.AnonymiseResponseObject, error) {
	other, err := s.Courses.People().Anonymise(ctx, who(ctx), request.Account)
	return contract.Anonymise200JSONResponse(toAccount(other)), err
}

func (s *server) GetPersonFile(
	ctx context.Context, request contract.GetPersonFileRequestObject,
) (contract.GetPersonFileResponseObject, error) {
	asHTML := request.Params.Format == contract.PersonHTML
	file, err := s.Work.PersonFile(ctx, session(ctx), request.Account, asHTML)
	if err != nil {
		return nil, err
	}
	return personFile{file, asHTML}, nil
}

// personFile is an answer of all that is stored of somebody.
type personFile struct {
	file   *work.Export
	asHTML bool
}

func (f personFile) VisitGetPersonFileResponse(w http.ResponseWriter) error {
	defer f.file.Close()
	w.Header().Set("Content-Type", "application/json")
	if f.asHTML {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
	}
	w.Header().Set("Content-Length", strconv.FormatInt(f.file.Size, 10))
	_, err := io.Copy(w, f.file)
	return err
}

func (s *server) ListSessions(
	ctx context.Context, request contract.ListSessionsRequestObject,
) (contract.ListSessionsResponseObject, error) {
	all, err := s.Accounts.Sessions(ctx, session(ctx), request.Account)
	list := contract.ListSessions200JSONResponse{}
	for _, o := range all {
		list = append(list, contract.OpenSession{
			Id: o.ID, Kind: contract.OpenSessionKind(o.Kind), Made: o.Made, Expires: o.Expires, Address: o.Address,
			Client: o.Client, Own: o.Own,
		})
	}
	return list, err
}

func (s *server) EndSession(
	ctx context.Context, request contract.EndSessionRequestObject,
) (contract.EndSessionResponseObject, error) {
	return contract.EndSession204Response{}, s.Accounts.EndSession(
		ctx, session(ctx), request.Account, request.Session,
	)
}

func (s *server) ListLog(
	ctx context.Context, request contract.ListLogRequestObject,
) (contract.ListLogResponseObject, error) {
	p := request.Params
	filter := course.LogFilter{
		Course: p.Course, Paper: p.Paper, Person: p.Person, Actor: p.Actor, About: p.About, Since: p.Since,
		Until: p.Until, Before: p.Before, Limit: p.Limit,
	}
	if p.Format == contract.LogCSV {
		text, err := s.logCSV(ctx, filter)
		if err != nil {
			return nil, err
		}
		return contract.ListLog200TextcsvResponse{Body: text, ContentLength: int64(text.Len())}, nil
	}
	page, err := s.Courses.Log().Page(ctx, who(ctx), filter)
	if err != nil {
		return nil, err
	}
	out := contract.ListLog200JSONResponse{Lines: []contract.LogLine{}, Next: page.Next}
	for _, l := range page.Lines {
		out.Lines = append(out.Lines, contract.LogLine{
			Id: l.ID, At: l.At, Actor: l.Actor, ActorName: l.ActorName, About: l.About, Sentence: l.Sentence,
			Person: l.Person, Course: l.Course, Paper: l.Paper, Reason: l.Reason,
		})
	}
	return out, nil
}

// logCSV writes all lines of the log that a filter selects.
func (s *server) logCSV(ctx context.Context, f course.LogFilter) (*bytes.Buffer, error) {
	var text bytes.Buffer
	out := csv.NewWriter(&text)
	_ = out.Write([]string{"at", "actor", "name", "about", "what", "person", "course", "paper", "reason"})
	for f.Limit = 1000; ; {
		page, err := s.Courses.Log().Page(ctx, who(ctx), f)
		if err != nil {
			return nil, err
		}
		for _, l := range page.Lines {
			cells := []string{
				l.At.UTC().Format(time.RFC3339), l.Actor, l.ActorName, l.About, l.Sentence, l.Person, l.Course, l.Paper,
				l.Reason,
			}
			for i := range cells {
				cells[i] = export.Guard(cells[i])
			}
			_ = out.Write(cells) // into memory
		}
		if f.Before = page.Next; f.Before == "" {
			out.Flush()
			return &text, nil
		}
	}
}
