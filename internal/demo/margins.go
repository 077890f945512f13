package demo

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"examen/internal/client"
	"examen/internal/core/marking"
	"examen/internal/work"
)

// A groupNote is what the instructor writes to all whose answers to an exercise are alike.
type groupNote struct{ exercise, has, text, answer string }

// Notes on the paper that is open; the answer is that of the first whom a note reaches.
var groupNotes = []groupNote{
	{"hives-by-strength", "FROM hive ORDER BY strength DESC",
		"Where does PostgreSQL put NULL when it sorts downwards? Look at your first rows.",
		"They come first! So I have to leave those hives out."},
	{"no-mail", "= NULL",
		"Nothing is equal to NULL, not even NULL: the condition is never true. There is a test for it.", ""},
	{"calm-bees", "LIKE 'calm%'", "Some inspectors begin their remarks with a capital letter.", ""},
}

// Answers at which somebody has to look: one joins without a condition and is stopped at a limit; one joins each with
// each; and one has the right rows, and none of the joins that the exercise asks for.
const (
	noted   = "who-looks-after-what"
	endless = "SELECT a.name, b.name FROM apiary a, beekeeper b, hive h, harvest v, harvest w;"
	crossed = "SELECT a.name, b.name FROM apiary a JOIN beekeeper b ON true WHERE a.valley = 'Durn' ORDER BY 1, 2;"
	unruly  = "SELECT (SELECT name FROM apiary a WHERE a.apiary_id = c.apiary_id) AS apiary,\n" +
		"       (SELECT name FROM beekeeper b WHERE b.beekeeper_id = c.beekeeper_id) AS beekeeper\n" +
		"FROM care c\n" +
		"WHERE apiary_id IN (SELECT apiary_id FROM apiary WHERE valley = 'Durn')\nORDER BY 1, 2;"
)

// inTheMargins has the instructor write notes and set marks by hand, and learners answer and dispute, unless that was
// done before.
func (g *group) inTheMargins(
	ctx context.Context, accounts Accounts, w Work, hazel *client.Client, url string, now time.Time,
) error {
	page, err := client.Read[client.NotePage](hazel.ListNotes(ctx, &client.ListNotesParams{Course: g.slug}))
	if err != nil || len(page.Notes) > 0 {
		return err
	}
	if err := g.submitsOddly(ctx, accounts, w, hazel, now); err != nil {
		return err
	}
	for _, n := range groupNotes {
		if err := g.writes(ctx, hazel, url, n); err != nil {
			return fmt.Errorf("note on %s: %w", n.exercise, err)
		}
	}
	if err := g.marksByHand(ctx, hazel); err != nil {
		return err
	}
	return g.disputes(ctx, hazel, url)
}

// submitsOddly has two who have not solved the exercise submit what somebody has to look at, and a third be stuck at
// it.
func (g *group) submitsOddly(
	ctx context.Context, accounts Accounts, w Work, hazel *client.Client, now time.Time,
) error {
	names, err := g.at(ctx, hazel, firstLook, noted, "", client.Incorrect)
	for i, sql := range []string{endless, unruly, crossed, crossed + " -- again", crossed + " -- why?", crossed} {
		if err != nil || len(names) < 3 {
			return err
		}
		who, err := accounts.ByName(ctx, names[min(i, 2)])
		if err != nil {
			return err
		}
		if _, err := w.Submit(ctx, who, work.Submission{
			Paper: firstLook, Exercise: noted, SQL: sql, Received: now.Add(time.Duration(i-10) * time.Minute),
		}); err != nil {
			return err
		}
	}
	return err
}

// writes writes a note to the largest group of attempts whose example has a text.
func (g *group) writes(ctx context.Context, hazel *client.Client, url string, n groupNote) error {
	class, err := client.Read[client.Class](
		hazel.GetClass(ctx, firstLook, n.exercise, &client.GetClassParams{Course: g.slug}),
	)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(class.Alike, func(a client.AlikeAttempts) bool {
		return strings.Contains(a.Example.Sql, n.has)
	})
	if at < 0 {
		return nil // nobody has made this mistake twice
	}
	written, err := client.Read[client.NoteWritten](hazel.WriteNote(ctx, client.NewNote{
		Attempt: class.Alike[at].Example.Attempt, Text: n.text, Alike: true, Later: true,
	}))
	if err != nil || n.answer == "" {
		return err
	}
	learner, err := logIn(ctx, url, class.Alike[at].Example.Learner, LearnerPassword)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(written.Id, 10, 64)
	if err != nil {
		return err
	}
	if _, err := client.Read[struct{}](learner.SeeNotes(ctx,
		client.NotesSeen{Notes: []string{written.Id}})); err != nil {
		return err
	}
	_, err = client.Read[struct{}](learner.AnswerNote(ctx, id, client.NewNoteAnswer{Text: n.answer}))
	return err
}

// at lists the learners of the course whose attempt that counts at an exercise has one of some outcomes, and whose mark
// is not set by hand.
func (g *group) at(
	ctx context.Context, hazel *client.Client, paper, exercise string, outcomes ...client.Outcome,
) (names []string, err error) {
	grid, err := client.Read[client.Progress](hazel.GetProgress(ctx, paper, &client.GetProgressParams{Course: g.slug}))
	at := slices.IndexFunc(grid.Exercises, func(e client.ExerciseHead) bool { return e.Slug == exercise })
	for _, l := range grid.Learners {
		if c := l.Cells[at]; slices.Contains(outcomes, c.Outcome) && !c.ByHand && l.Name != NewLearnerName {
			names = append(names, l.Name)
		}
	}
	return names, err
}

// byHand are the exercises for which marks are set by hand, with the reason.
var byHand = [][3]string{
	{firstLook, "harvest-by-grade", "Grouped as it should be; only the condition on the sum is missing."},
	{season, "dear-honey", "The task could be read so: dearer than 16, not from 16 on."},
}

// marksByHand gives half a point where an answer was nearly right; of a second learner's it is taken back.
func (g *group) marksByHand(ctx context.Context, hazel *client.Client) error {
	half, params := marking.PointsOf("0.5"), &client.UndoMarkParams{Course: g.slug}
	for _, e := range byHand {
		names, err := g.at(ctx, hazel, e[0], e[1], client.Incorrect)
		if err != nil {
			return err
		}
		for i, name := range names[:min(2, len(names))] {
			if _, err := client.Read[client.MarksSet](hazel.SetMark(ctx, e[0], e[1], name, client.MarkByHand{
				Course: g.slug, Mark: &half, Reason: e[2],
			})); err != nil {
				return err
			}
			if i == 0 {
				continue
			}
			if _, err := client.Read[client.MarksSet](hazel.UndoMark(ctx, e[0], e[1], name, params)); err != nil {
				return err
			}
		}
	}
	return nil
}

// disputed are answers that their learners dispute: the exercise, what the text has, and what they say.
var disputed = [][3]string{
	{"high-and-strong", "strength > 8",
		"Strong is more than 8 where I learnt it. The task does not say that 8 is enough."},
	{"calm-bees", "LIKE 'calm%'", "My rows have the word calm. I think the task means the word as it is written."},
	{"harvest-by-grade", "count(moisture)", "I counted the harvests. Why is mine fewer?"},
	{"hives-by-strength", "ORDER BY strength;", "All hives are there, and their strength is right."},
}

// disputes has a learner dispute each of these answers, where somebody's latest is such.
func (g *group) disputes(ctx context.Context, hazel *client.Client, url string) error {
	for _, d := range disputed {
		page, err := client.Read[client.HistoryPage](hazel.ListHistory(ctx, &client.ListHistoryParams{
			Paper: firstLook, Exercise: d[0], Kind: client.EntryKindAttempt, Text: d[1], Outcome: client.Incorrect,
			Limit: 100,
		}))
		if err != nil {
			return err
		}
		names, err := g.at(ctx, hazel, firstLook, d[0], client.Incorrect)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(page.Entries, func(e client.HistoryEntry) bool {
			return slices.Contains(names,
				e.Learner)
		})
		if at < 0 {
			continue
		}
		learner, err := logIn(ctx, url, page.Entries[at].Learner, LearnerPassword)
		if err != nil {
			return err
		}
		id, err := strconv.ParseInt(page.Entries[at].Id, 10, 64)
		if err != nil {
			return err
		}
		if _, err := client.Read[struct{}](learner.Dispute(ctx, id, client.NewDispute{Reason: d[2]})); err != nil {
			return err
		}
	}
	return nil
}
