package course

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"examen/internal/core/marking"
	"examen/internal/post"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Mails tell learners by e-mail what is new: a paper that is due soon, a note, marks that are released.
type Mails struct {
	*Courses
	sender  *post.Sender
	address string // of the service, as it stands in what is sent
	log     *slog.Logger
}

// NewMails has the courses send e-mail from now on. address is that of the service, as learners reach it.
func NewMails(c *Courses, sender *post.Sender, address string, log *slog.Logger) *Mails {
	c.mails = true
	return &Mails{c, sender, address, log}
}

// enqueue queues e-mail that was made.
func enqueue(ctx context.Context, t *records.Transaction, ids []int64, err error) error {
	for _, id := range ids {
		if err == nil {
			err = t.Enqueue(ctx, records.Task{Kind: records.SendMail, ID: id})
		}
	}
	return err
}

// Send sends e-mail. An error means that it is to be tried again.
func (m *Mails) Send(ctx context.Context, id int64) error {
	row, err := m.records.MailByID(ctx, id)
	if records.Missing(err) {
		return nil
	} else if err != nil || row.State != "waiting" {
		return err
	}
	tried := query.MailTriedParams{ID: id, State: "sent"}
	subject, text, why, err := m.text(ctx, row)
	if err != nil {
		return err
	}
	if why != "" {
		tried.State, tried.Error = "left out", why
		return m.records.MailTried(ctx, tried)
	}
	sent := m.sender.Send(ctx, fmt.Sprintf("mail-%d@examen", id), row.Email, subject, text)
	var refused *post.Refused
	switch {
	case errors.As(sent, &refused) || sent != nil && row.Tries+1 >= records.MostDeliveries:
		m.log.Warn("e-mail was given up", "to", row.Name, "about", row.Kind, "error", sent)
		tried.State, tried.Error, sent = "failed", sent.Error(), nil
	case sent != nil:
		tried.State, tried.Error = "waiting", sent.Error()
	}
	tried.Error = fmt.Sprintf("%.300s", tried.Error)
	return errors.Join(sent, m.records.MailTried(ctx, tried))
}

// text is what is sent; or why nothing is.
func (m *Mails) text(ctx context.Context, row query.MailByIDRow) (subject, text, why string, err error) {
	who, err := m.accounts.ByName(ctx, row.Name)
	if err != nil {
		return "", "", "", err
	}
	if !who.Active || row.Withdrawn {
		return "", "", "what it is about is gone", nil
	}
	news, err := Sets{m.Courses}.News(ctx, who, row.Paper)
	if err != nil {
		return "", "", "the learner does not have the paper", nil
	}
	link := fmt.Sprintf("%s/papers/%s", m.address, row.Paper)
	switch row.Kind {
	case "note":
		if !news.Told {
			return "", "", "what came of attempts is told later", nil
		}
		subject = fmt.Sprintf("A note on %s", row.ExerciseTitle)
		text = fmt.Sprintf("%s wrote a note on your answer to %s (%s):\n\n%s\n\nYou can answer it there: %s#%s\n",
			row.Maker, row.ExerciseTitle, row.Title, row.Note, link, row.Exercise)
	case "released":
		if !news.Told {
			return "", "", "the release was taken back", nil
		}
		subject = fmt.Sprintf("The marks of %s are released", row.Title)
		text = fmt.Sprintf("You can see your marks for %s now: %s\n", row.Title, link)
	default:
		if row.DueAt == nil || !news.Due.Equal(*row.DueAt) || !m.now().Before(news.Due) {
			return "", "", "the paper is due at another time", nil
		}
		subject = fmt.Sprintf("%s is due soon", row.Title)
		text = fmt.Sprintf("%s is due on %s, and you have not solved all of it: %s\n",
			row.Title, when(news.Due, row.Zone), link)
	}
	return subject, fmt.Sprintf("%s,\n\n%s\nYou can turn such e-mail off with your account: %s/password\n",
		row.DisplayName, text, m.address), "", nil
}

// How long before it is due learners are reminded of a paper, and how often it is looked for such.
const (
	remindBefore = 24 * time.Hour
	remindEvery  = 5 * time.Minute
)

// Remind reminds learners of papers that are due soon, until the context ends.
func (m *Mails) Remind(ctx context.Context) {
	tick := time.NewTicker(remindEvery)
	defer tick.Stop()
	for {
		if err := m.RemindNow(ctx); err != nil && ctx.Err() == nil && !records.Unavailable(err) {
			m.log.Warn("learners cannot be reminded of what is due", "error", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// RemindNow reminds those learners, each once of each due time, whose own it is within a day and who have not solved
// all.
func (m *Mails) RemindNow(ctx context.Context) error {
	now := m.now()
	sets, err := m.records.SetsDueSoon(ctx, query.SetsDueSoonParams{Since: &now, Until: now.Add(remindBefore)})
	if err != nil {
		return err
	}
	for _, set := range sets {
		var rules marking.Rules
		if err := json.Unmarshal(set.Rules, &rules); err != nil {
			return err
		}
		if rules.Exam != nil {
			continue // who writes one knows
		}
		spans, err := spansOf(ctx, m.records.Queries, set, rules, nil)
		if err != nil {
			return err
		}
		params := query.MailDueParams{SetID: set.ID}
		for account, span := range spans {
			if span.Due.After(now) && !span.Due.After(now.Add(remindBefore)) {
				params.Accounts, params.Due = append(params.Accounts, account), append(params.Due, span.Due)
			}
		}
		if err := m.records.Together(ctx, func(t *records.Transaction) error {
			ids, err := t.MailDue(ctx, params)
			return enqueue(ctx, t, ids, err)
		}); err != nil {
			return err
		}
	}
	return nil
}
