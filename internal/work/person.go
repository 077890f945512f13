package work

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/export"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/records/query"
)

// A person is all that is stored of somebody but for runs and attempts, which follow one by one. Times of the future
// and empty texts mean what they mean elsewhere.
type person struct {
	Account struct {
		Login    string `json:"login"`
		Name     string `json:"name"`
		Email    string `json:"email,omitempty"`
		Active   bool   `json:"active"`
		Password string `json:"password"`
	} `json:"account"`
	Courses      []map[string]any `json:"courses"`
	Standing     []map[string]any `json:"standing"`
	Marks        []map[string]any `json:"marks_by_hand"`
	Notes        []map[string]any `json:"notes"`
	Disputes     []map[string]any `json:"disputes"`
	Extensions   []map[string]any `json:"extensions"`
	Examinations []map[string]any `json:"examinations"`
	Sessions     []map[string]any `json:"sessions"`
	Drafts       []map[string]any `json:"drafts"`
	Texts        []map[string]any `json:"own_texts"`
	Log          []map[string]any `json:"log"`
}

// PersonFile writes all that is stored of somebody to a file: one's own account or one that the account may change.
// What one may not be told yet of one's own attempts is left out.
func (w *Work) PersonFile(
	ctx context.Context, session *account.Session, name string, asHTML bool,
) (*Export, error) {
	who := session.Account
	whose, own := who, name == who.Name
	if !own {
		var err error
		if whose, err = w.accounts.Other(ctx, who, name); err != nil {
			return nil, err
		}
	}
	leave, err := w.exports.enter(ctx, who)
	if err != nil {
		return nil, err
	}
	file, err := os.CreateTemp("", "examen-person-")
	if err != nil {
		leave()
		return nil, err
	}
	_ = os.Remove(file.Name()) // its space is free once it is closed, whatever ends this service
	f := personFile{Work: w, session: session, whose: whose, own: own, format: export.PersonJSON}
	if asHTML {
		f.format = export.PersonHTML
	}
	if err = f.write(ctx, file); err == nil {
		var size int64
		if size, err = file.Seek(0, io.SeekCurrent); err == nil {
			if _, err = file.Seek(0, io.SeekStart); err == nil {
				return &Export{Size: size, file: file, done: leave}, nil
			}
		}
	}
	leave()
	_ = file.Close()
	return nil, err
}

// A personFile is being written.
type personFile struct {
	*Work
	session *account.Session
	whose   account.Account
	own     bool
	format  export.PersonFormat
	untold  []course.Untold
}

func (f *personFile) write(ctx context.Context, file io.Writer) error {
	if f.own {
		var err error
		if f.untold, err = f.courses.Untold(ctx, f.whose); err != nil {
			return err
		}
	}
	p, err := f.person(ctx)
	if err != nil {
		return err
	}
	head, err := json.Marshal(p)
	if err != nil {
		return err
	}
	out := export.NewPerson(file, f.format, f.whose.DisplayName, time.Now())
	if err := out.Begin(head); err != nil {
		return err
	}
	params := query.HistoryParams{
		AccountID: f.whose.ID, Page: longestPage, MostBytes: largestPage, Untold: []string{},
	}
	for {
		rows, err := f.records.History(ctx, params)
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			return out.Close()
		}
		if err := f.entries(ctx, out, rows); err != nil {
			return err
		}
		params.Before = &rows[len(rows)-1].ID
	}
}

// entries writes runs and attempts, these with all their checks.
func (f *personFile) entries(ctx context.Context, out *export.Person, rows []query.HistoryRow) error {
	var attempts []int64
	for _, row := range rows {
		if row.Kind == "attempt" {
			attempts = append(attempts, row.ID)
		}
	}
	checks, err := f.records.ChecksOf(ctx, attempts)
	if err != nil {
		return err
	}
	for _, row := range rows {
		e := entryOf(row)
		e.Findings = explain.ToLearner(e.Findings)
		entry := map[string]any{
			"kind": e.Kind, "at": e.At, "dataset": e.Dataset, "sql": e.SQL, "rows": e.RowCount,
		}
		if e.Paper != "" {
			entry["paper"], entry["exercise"] = e.Paper, e.Exercise
		}
		if row.Kind != "attempt" {
			entry["outcome"] = e.Outcome
		} else if f.told(row.CourseID, row.PaperID) {
			var all []map[string]any
			for _, c := range checks {
				if c.AttemptID == row.ID {
					all = append(all, map[string]any{
						"outcome": c.Outcome, "mark": marking.PointsOf(c.Mark), "points": marking.PointsOf(c.Points),
						"at": c.At, "cause": c.Cause,
					})
				}
			}
			entry["checks"], entry["findings"] = all, e.Findings
		} else {
			delete(entry, "rows")
			entry["checks"] = "told later"
		}
		text, err := json.Marshal(entry)
		if err != nil {
			return err
		}
		if err := out.Entry(text); err != nil {
			return err
		}
	}
	return nil
}

// told tells whether what came of attempts at a paper in a course may be said.
func (f *personFile) told(in, paper *int64) bool {
	return in == nil || paper == nil || !slices.Contains(f.untold, course.Untold{Course: *in, Paper: *paper})
}

// person reads all but runs and attempts.
func (f *personFile) person(ctx context.Context) (*person, error) {
	p := &person{}
	p.Account.Login, p.Account.Name, p.Account.Email = f.whose.Name, f.whose.DisplayName, f.whose.Email
	p.Account.Active, p.Account.Password = f.whose.Active, "kept as a hash only"
	for _, read := range []func(context.Context, *person) error{
		f.places, f.standings, f.margins, f.times, f.texts,
	} {
		if err := read(ctx, p); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// places reads courses, sessions and what the log says.
func (f *personFile) places(ctx context.Context, p *person) error {
	courses, err := f.records.MembershipsOf(ctx, f.whose.ID)
	if err != nil {
		return err
	}
	for _, c := range courses {
		p.Courses = append(p.Courses, map[string]any{
			"course": c.Slug, "title": c.Title, "role": c.Role, "group": c.GroupName, "joined": c.JoinedAt,
			"left": c.LeftAt,
		})
	}
	sessions, err := f.accounts.Sessions(ctx, f.session, f.whose.Name)
	if err != nil {
		return err
	}
	for _, s := range sessions {
		p.Sessions = append(p.Sessions, map[string]any{
			"made": s.Made, "expires": s.Expires, "address": s.Address, "client": s.Client,
		})
	}
	log, err := f.courses.Log().Of(ctx, f.whose)
	for _, l := range log {
		if l.About == "marks" && f.own && len(f.untold) > 0 {
			continue // which marks it speaks of may not be told yet
		}
		p.Log = append(p.Log, map[string]any{"at": l.At, "by": l.ActorName, "what": l.Sentence, "reason": l.Reason})
	}
	return err
}

// standings reads how somebody stands, and marks set by hand.
func (f *personFile) standings(ctx context.Context, p *person) error {
	standing, err := f.records.StandingOf(ctx, f.whose.ID)
	if err != nil {
		return err
	}
	for _, s := range standing {
		one := map[string]any{"course": s.Course, "paper": s.Paper, "exercise": s.Exercise, "attempts": s.Attempts}
		if f.told(s.CourseID, &s.PaperID) {
			one["outcome"], one["mark"] = s.Outcome, marking.PointsOf(s.Mark)
		}
		p.Standing = append(p.Standing, one)
	}
	marks, err := f.records.MarksOf(ctx, f.whose.ID)
	for _, m := range marks {
		if f.told(&m.CourseID, &m.PaperID) {
			p.Marks = append(p.Marks, map[string]any{
				"course": m.Course, "paper": m.Paper, "exercise": m.Exercise, "mark": m.Mark, "reason": m.Reason,
				"by": m.SetBy, "at": m.SetAt,
			})
		}
	}
	return err
}

// margins reads notes, and what was disputed.
func (f *personFile) margins(ctx context.Context, p *person) error {
	notes, err := f.records.NotesTo(ctx, f.whose.ID)
	if err != nil {
		return err
	}
	for _, n := range notes {
		if f.told(&n.CourseID, &n.PaperID) {
			p.Notes = append(p.Notes, map[string]any{
				"course": n.Course, "paper": n.Paper, "exercise": n.Exercise, "text": n.Text, "by": n.MadeBy,
				"at":        n.MadeAt,
				"withdrawn": n.WithdrawnAt, "seen": n.SeenAt, "answers": n.Answers,
			})
		}
	}
	disputes, err := f.records.DisputesBy(ctx, f.whose.ID)
	for _, d := range disputes {
		p.Disputes = append(p.Disputes, map[string]any{
			"course": d.Course, "paper": d.Paper, "exercise": d.Exercise, "reason": d.Reason, "at": d.At,
			"seen": d.DoneAt,
		})
	}
	return err
}

// times reads extensions and examinations.
func (f *personFile) times(ctx context.Context, p *person) error {
	extensions, err := f.records.ExtensionsOf(ctx, &f.whose.ID)
	if err != nil {
		return err
	}
	for _, e := range extensions {
		p.Extensions = append(p.Extensions, map[string]any{
			"course": e.Course, "paper": e.Paper, "due": e.DueAt, "minutes": e.Minutes, "reason": e.Reason,
			"at": e.MadeAt,
		})
	}
	sittings, err := f.records.SittingsOf(ctx, f.whose.ID)
	for _, s := range sittings {
		p.Examinations = append(p.Examinations, map[string]any{
			"course": s.Course, "paper": s.Paper, "begun": s.StartedAt, "moved": s.Moved,
		})
	}
	return err
}

// texts reads drafts and own texts.
func (f *personFile) texts(ctx context.Context, p *person) error {
	drafts, err := f.records.DraftsOf(ctx, f.whose.ID)
	if err != nil {
		return err
	}
	for _, d := range drafts {
		p.Drafts = append(p.Drafts, map[string]any{
			"paper": d.Paper, "exercise": d.Exercise, "sql": d.Sql, "kept": d.KeptAt,
		})
	}
	texts, err := f.records.OwnTexts(ctx, f.whose.ID)
	for _, t := range texts {
		p.Texts = append(p.Texts, map[string]any{
			"name": t.Name, "dataset": t.Dataset, "sql": t.Sql, "kept": t.KeptAt,
		})
	}
	return err
}
