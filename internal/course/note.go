package course

import (
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Notes gives access to what those who follow a course write in the margins of its learners' attempts.
type Notes struct{ *Courses }

// Notes returns the notes on learners' attempts.
func (c *Courses) Notes() Notes { return Notes{c} }

// longestNote is the greatest length of a note, and of an answer to one, in bytes.
const longestNote = 4000

// A TextSpan is a part of a text, in characters counted from 0. Its end is not part of it.
type TextSpan struct{ From, To int }

// A NewNote is a note to be written on an attempt.
type NewNote struct {
	Attempt int64
	Text    string
	Place   *TextSpan // of the attempt's text that it speaks of; nil: all of it, or Quote
	Quote   string    // what it speaks of, as it is written there; "" for none
	// Alike has it reach all attempts of the course that are alike: those that stand together on the exercise's page.
	// Later has it reach whoever comes to the same result afterwards, too.
	Alike, Later bool
}

// A Note is what somebody wrote on attempts, and whom it reaches.
type Note struct {
	ID                      int64
	Course, Paper, Exercise string
	ExerciseID              int64
	Text                    string
	Place                   *TextSpan // of the attempt that it speaks of; nil: all of it
	Quote                   string    // what stands there
	Later                   bool
	By                      string // the name to show
	At                      time.Time
	Readers                 []Reader
}

// A Reader is somebody whom a note reaches.
type Reader struct {
	Learner, Name string
	Attempts      []int64   // the latest last
	At            time.Time // when the latest was received
	Seen          *time.Time
	Answers       []NoteAnswer
}

// A NoteAnswer is what a learner answered to a note, or was answered.
type NoteAnswer struct {
	Text    string    `json:"text"`
	By      string    `json:"by"` // the name to show
	At      time.Time `json:"at"`
	Learner bool      `json:"learner"` // it is the learner's own
}

// Write writes a note. It returns its number, and how many learners it reaches.
func (n Notes) Write(ctx context.Context, who account.Account, made NewNote) (id int64, learners int, err error) {
	row, err := n.records.AttemptIn(ctx, made.Attempt)
	if records.Missing(err) || err == nil && !slices.Contains(who.In(account.Follow), *row.Attempt.CourseID) {
		return 0, 0, noAttempt(made.Attempt)
	} else if err != nil {
		return 0, 0, err
	}
	if made.Text, err = noteText(made.Text); err != nil {
		return 0, 0, err
	}
	if row.LeftAt != nil && !made.Alike {
		return 0, 0, problem.New(409, "left", "The learner has left the course",
			"%s left on %s and would not read it.", row.DisplayName, row.LeftAt.UTC().Format("2 January 2006"))
	}
	if made.Place, err = made.place(row.Attempt.Sql); err != nil {
		return 0, 0, err
	}
	reached := []int64{made.Attempt}
	if made.Alike {
		if made.Place != nil {
			return 0, 0, problem.New(422, "place", "A note to a group speaks of whole attempts",
				"Leave the place out, or write to this attempt alone.")
		}
		if reached, learners, err = n.alike(ctx, row); err != nil {
			return 0, 0, err
		}
	} else {
		learners = 1
	}
	if made.Later && row.Outcome == string(marking.Correct) {
		return 0, 0, problem.New(422, "later", "The attempt is correct",
			"A note reaches later attempts only if they come to the same wrong result.")
	}
	id, err = n.keep(ctx, who, row, made, reached)
	return id, learners, err
}

// place returns the part of an attempt's text that the note speaks of; nil for all of it.
func (n NewNote) place(sql string) (*TextSpan, error) {
	p := n.Place
	if n.Quote != "" {
		before, _, found := strings.Cut(sql, n.Quote)
		if !found {
			return nil, problem.New(422, "place", "There is no such place in the attempt",
				"%.80q is not in its text.", n.Quote)
		}
		from := utf8.RuneCountInString(before)
		p = &TextSpan{from, from + utf8.RuneCountInString(n.Quote)}
	}
	if all := utf8.RuneCountInString(sql); p != nil && (p.From < 0 || p.To <= p.From || p.To > all) {
		return nil, problem.New(422, "place", "There is no such place in the attempt",
			"Characters %d to %d: its text has %d.", p.From, p.To, all)
	}
	return p, nil
}

func (n Notes) keep(
	ctx context.Context, who account.Account, row query.AttemptInRow, made NewNote, reached []int64,
) (id int64, err error) {
	if made.Later { // by shape, where there is no result
		if err := Following(n).keepShapes(ctx, []int64{row.Attempt.ExerciseID},
			[]int64{*row.Attempt.CourseID}); err != nil {
			return 0, err
		}
	}
	err = n.records.As(ctx, who.ID, func(t *records.Transaction) (err error) {
		params := query.CreateNoteParams{
			CourseID: *row.Attempt.CourseID, ExerciseID: row.Attempt.ExerciseID, Text: made.Text, Later: made.Later,
			MadeBy: who.ID,
		}
		if p := made.Place; p != nil {
			from, to := int32(p.From), int32(p.To)
			params.Begins, params.Ends = &from, &to
		}
		if id, err = t.CreateNote(ctx, params); err != nil {
			return err
		}
		if err := t.NoteAttempts(ctx, query.NoteAttemptsParams{NoteID: id, Attempts: reached}); err != nil {
			return err
		}
		if made.Later {
			if err := t.NoteLater(ctx, query.NoteLaterParams{NoteID: id, Attempts: reached}); err != nil {
				return err
			}
		}
		if n.mails {
			ids, err := t.MailNote(ctx, id)
			if err := enqueue(ctx, t, ids, err); err != nil {
				return err
			}
		}
		return t.TellNotes(ctx, id)
	})
	return id, err
}

func noteText(text string) (string, error) {
	text = strings.TrimSpace(text)
	if text == "" || len(text) > longestNote || !records.IsText(text) {
		return "", problem.New(422, "note", "There is nothing to say",
			"Write up to %d characters for the learner to read.", longestNote)
	}
	return text, nil
}

// alike returns the attempts of a course that are like one, that one counted, and how many learners made them.
func (n Notes) alike(ctx context.Context, row query.AttemptInRow) (attempts []int64, learners int, err error) {
	tries, err := Following(n).tries(ctx, row.Attempt.ExerciseID, []int64{*row.Attempt.CourseID})
	if err != nil {
		return nil, 0, err
	}
	for _, group := range marking.ClassOf(tries, time.UTC).Alike {
		if slices.Contains(group.All, row.Attempt.ID) {
			return group.All, group.Learners, nil
		}
	}
	return nil, 0, problem.New(422, "alike", "No other attempt is like this one",
		"Groups are of wrong attempts with the same result, or the same text but for names, layout and literals. "+
			"Write to this attempt alone.")
}

// found finds a note for somebody whom it reaches, or who follows its course.
func (n Notes) found(ctx context.Context, who account.Account, id int64) (query.NoteByIDRow, error) {
	row, err := n.records.NoteByID(ctx, query.NoteByIDParams{ID: id, Reader: who.ID})
	if err == nil && row.WithdrawnAt == nil && (row.Reaches || who.Can(account.Follow, row.Course)) {
		return row, nil
	}
	if err == nil || records.Missing(err) {
		err = problem.New(404, "no-note", "There is no such note", "%d is the number of no note that you can read.", id)
	}
	return row, err
}

// Withdraw takes a note back: nobody reads it any more. Who wrote it may, and the course's instructors.
func (n Notes) Withdraw(ctx context.Context, who account.Account, id int64) error {
	row, err := n.found(ctx, who, id)
	if err != nil {
		return err
	}
	if row.MadeBy != who.ID || !who.Can(account.Follow, row.Course) {
		if err := who.May(account.Instruct, row.Course); err != nil {
			return err
		}
	}
	return n.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.WithdrawNote(ctx, id); err != nil {
			return err
		}
		return t.TellNotes(ctx, id)
	})
}

// Answer answers a note: a learner whom it reaches in their own thread; who follows the course in that of a learner,
// whose name is given where it reaches several.
func (n Notes) Answer(ctx context.Context, who account.Account, id int64, learner, text string) error {
	row, err := n.found(ctx, who, id)
	if err != nil {
		return err
	}
	if text, err = noteText(text); err != nil {
		return err
	}
	thread := who.ID
	own := row.Reaches && (learner == "" || learner == who.Name)
	if !own {
		if thread, err = n.thread(ctx, row, learner); err != nil {
			return err
		}
	}
	return n.records.As(ctx, who.ID, func(t *records.Transaction) error {
		_, err := t.AnswerNote(ctx, query.AnswerNoteParams{AccountID: thread, Text: text, MadeBy: who.ID, NoteID: id})
		if err != nil {
			return err
		}
		if own {
			err = t.ReviewAnswer(ctx, query.ReviewAnswerParams{NoteID: id, AccountID: who.ID, Reason: text})
		} else {
			err = t.AnswersReviewed(ctx, query.AnswersReviewedParams{NoteID: id, AccountID: thread, DoneBy: &who.ID})
		}
		if err != nil {
			return err
		}
		return t.TellNotes(ctx, id)
	})
}

// thread finds whose thread somebody answers in who teaches.
func (n Notes) thread(ctx context.Context, row query.NoteByIDRow, learner string) (int64, error) {
	rows, err := n.records.Notes(ctx, query.NotesParams{
		Courses: []int64{row.CourseID}, ExerciseID: &row.ExerciseID, Before: next(row.ID), Most: 1,
	})
	if err != nil {
		return 0, err
	}
	if learner == "" && len(rows) == 1 {
		learner = rows[0].Name
	}
	for _, r := range rows {
		if r.Name == learner {
			other, err := n.accounts.ByName(ctx, learner)
			return other.ID, err
		}
	}
	if learner == "" {
		return 0, problem.New(422, "which-learner", "The learner is missing",
			"The note reaches %d: name the one who is to be answered.", len(rows))
	}
	return 0, problem.New(404, "no-learner", "There is no such learner", "The note does not reach %q.", learner)
}

func next(id int64) *int64 { id++; return &id }

// See tells that somebody has had notes before their eyes.
func (n Notes) See(ctx context.Context, who account.Account, ids []int64) error {
	return n.records.SeeNotes(ctx, query.SeeNotesParams{Ids: ids, AccountID: who.ID})
}

// NoteFilter selects notes. An empty field selects all.
type NoteFilter struct {
	Course, Paper, Exercise, Learner string
	Attempt                          int64
	Before                           string // the Next of the page before
}

// NotePage is a page of notes, the latest first. Next is "" on the last page.
type NotePage struct {
	Notes []Note
	Next  string
}

// mostNotes is how many notes a page has.
const mostNotes = 100

// List lists the notes of the courses that the account follows; for learners those that reach them and that they may
// know of.
func (n Notes) List(ctx context.Context, who account.Account, f NoteFilter) (*NotePage, error) {
	params := query.NotesParams{Most: mostNotes + 1}
	own := len(who.In(account.Follow)) == 0 || f.Learner == who.Name
	if own {
		params.AccountID, params.Courses = &who.ID, courseIDs(who)
		if f.Course != "" {
			params.Courses = slices.DeleteFunc(params.Courses, func(id int64) bool {
				return !slices.Contains(who.Courses, account.Membership{ID: id, Course: f.Course,
					Role: account.Learner})
			})
		}
	} else {
		var err error
		if params.Courses, err = followed(who, f.Course); err != nil {
			return nil, err
		}
		if f.Learner != "" {
			learner, err := n.accounts.ByName(ctx, f.Learner)
			if err != nil && !records.Missing(err) {
				return nil, err
			}
			params.AccountID = &learner.ID // of who is not there, nothing is found
		}
	}
	if err := n.filter(ctx, who, f, &params); err != nil {
		return nil, err
	}
	rows, err := n.records.Notes(ctx, params)
	if err != nil {
		return nil, err
	}
	if own {
		untold, err := n.Untold(ctx, who)
		if err != nil {
			return nil, err
		}
		rows = slices.DeleteFunc(rows, func(row query.NotesRow) bool {
			return slices.Contains(untold, Untold{row.CourseID, row.PaperID})
		})
	}
	page := &NotePage{Notes: notesOf(rows)}
	if len(page.Notes) > mostNotes {
		page.Notes = page.Notes[:mostNotes]
		page.Next = strconv.FormatInt(page.Notes[mostNotes-1].ID, 10)
	}
	return page, nil
}

// filter looks up what is filtered by.
func (n Notes) filter(ctx context.Context, who account.Account, f NoteFilter, params *query.NotesParams) error {
	if f.Before != "" {
		before, err := pageFrom(f.Before)
		if err != nil {
			return err
		}
		params.Before = &before
	}
	if f.Attempt != 0 {
		params.AttemptID = &f.Attempt
	}
	if f.Paper == "" {
		return nil
	}
	p, err := n.Known(ctx, who, f.Paper, func(int64) (bool, error) { return false, nil })
	if err != nil {
		return err
	}
	params.PaperID = &p.ID
	if f.Exercise != "" {
		e, err := n.library.Exercise(ctx, p, f.Exercise)
		if err != nil {
			return err
		}
		params.ExerciseID = &e.ID
	}
	return nil
}

// Margin returns what an account may read in the margins of its attempts at a paper, the latest first.
func (n Notes) Margin(ctx context.Context, who account.Account, r *Reading) ([]Note, error) {
	if r.Course == nil || !r.Told {
		return nil, nil
	}
	rows, err := n.records.Notes(ctx, query.NotesParams{
		AccountID: &who.ID, Courses: []int64{*r.Course}, PaperID: &r.ID, Most: mostNotes,
	})
	return notesOf(rows), err
}

// notesOf gathers the rows of each note.
func notesOf(rows []query.NotesRow) (notes []Note) {
	for _, row := range rows {
		if len(notes) == 0 || notes[len(notes)-1].ID != row.ID {
			note := Note{
				ID: row.ID, Course: row.Course, Paper: row.Paper, Exercise: row.Exercise, ExerciseID: row.ExerciseID,
				Text: row.Text, Later: row.Later, By: row.MakerName, At: row.MadeAt,
			}
			if row.Begins != nil && row.Ends != nil {
				note.Place, note.Quote = &TextSpan{int(*row.Begins), int(*row.Ends)}, row.Quote
			}
			notes = append(notes, note)
		}
		reader := Reader{
			Learner: row.Name, Name: row.DisplayName, Attempts: row.Attempts, At: row.ReceivedAt, Seen: row.SeenAt,
		}
		slices.Sort(reader.Attempts)
		_ = json.Unmarshal(row.Answers, &reader.Answers) // written by the query
		last := &notes[len(notes)-1]
		last.Readers = append(last.Readers, reader)
	}
	return notes
}
