package course

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Webhooks gives access to where a course's marks are told to as they change.
type Webhooks struct{ *Courses }

// A Webhook is an address that is told each mark of a course as it changes.
type Webhook struct {
	ID              int64
	URL             string
	By              string // the name to show
	At              time.Time
	Waiting, Failed int // marks that wait to be told, and that were given up
}

// A Delivery is a mark that a webhook was told, or is to be.
type Delivery struct {
	ID                             int64
	Learner, Name, Paper, Exercise string
	Mark                           marking.Points
	ByHand                         bool
	Made                           time.Time
	State                          string // "waiting", "sent" or "failed"
	Tries                          int
	Status                         int        // of the last answer; 0: there was none
	Error                          string     // what went wrong last
	Tried                          *time.Time // nil: not yet
}

// mostWebhooks is how many a course may have.
const mostWebhooks = 10

// List lists a course's webhooks.
func (w Webhooks) List(ctx context.Context, who account.Account, slug string) ([]Webhook, error) {
	course, err := w.instructed(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	rows, err := w.records.Webhooks(ctx, course.ID)
	all := []Webhook{}
	for _, row := range rows {
		all = append(all, Webhook{row.ID, row.Url, row.DisplayName, row.MadeAt, int(row.Waiting), int(row.Failed)})
	}
	return all, err
}

// Add has each mark of a course told to an address from now on. It returns the secret by which what is sent is signed:
// it is told once.
func (w Webhooks) Add(ctx context.Context, who account.Account, slug, address string) (*Webhook, string, error) {
	course, err := w.instructed(ctx, who, slug)
	if err != nil {
		return nil, "", err
	}
	to, err := url.Parse(address)
	if err != nil || to.Scheme != "https" && to.Scheme != "http" || to.Host == "" || to.User != nil ||
		len(address) > 1000 || !records.IsText(address) {
		return nil, "", problem.New(422, "webhook", "Invalid address",
			"%.100q: one such as https://marks.example.org/examen is expected, without a password.", address)
	}
	if rows, err := w.records.Webhooks(ctx, course.ID); err != nil {
		return nil, "", err
	} else if len(rows) >= mostWebhooks {
		return nil, "", problem.New(409, "webhooks", "The course has as many webhooks as it may have",
			"Remove one of the %d first.", mostWebhooks)
	}
	secret := make([]byte, 32)
	_, _ = rand.Read(secret) // never fails
	var made query.Webhook
	err = w.records.As(ctx, who.ID, func(t *records.Transaction) (err error) {
		made, err = t.CreateWebhook(ctx, query.CreateWebhookParams{
			CourseID: course.ID, Url: address, MadeBy: who.ID,
		})
		if err != nil {
			return err
		}
		return t.KeepWebhookSecret(ctx, query.KeepWebhookSecretParams{WebhookID: made.ID, Secret: secret})
	})
	return &Webhook{ID: made.ID, URL: made.Url, By: who.DisplayName, At: made.MadeAt},
		"whsec_" + base64.StdEncoding.EncodeToString(secret), err
}

// Remove has an address told no more marks, also not those that wait.
func (w Webhooks) Remove(ctx context.Context, who account.Account, slug string, id int64) error {
	course, err := w.instructed(ctx, who, slug)
	if err != nil {
		return err
	}
	return w.records.As(ctx, who.ID, func(t *records.Transaction) error {
		gone, err := t.RemoveWebhook(ctx, query.RemoveWebhookParams{ID: id, CourseID: course.ID})
		if err != nil {
			return err
		} else if gone == 0 {
			return noWebhook(id)
		}
		return t.DropWebhookSecret(ctx, id)
	})
}

func noWebhook(id int64) error {
	return problem.New(404, "no-webhook", "There is no such webhook", "%d is the number of none of the course's.", id)
}

// Deliveries are a page of what a webhook was told. Next is "" on the last.
type Deliveries struct {
	All  []Delivery
	Next string
}

// mostDeliveries is how many a page has.
const mostDeliveries = 100

// Log lists what a webhook was told, the latest first; before is the Next of the page before.
func (w Webhooks) Log(
	ctx context.Context, who account.Account, slug string, id int64, before string,
) (*Deliveries, error) {
	course, err := w.instructed(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	if _, err := w.records.WebhookOf(ctx, query.WebhookOfParams{ID: id, CourseID: course.ID}); records.Missing(err) {
		return nil, noWebhook(id)
	} else if err != nil {
		return nil, err
	}
	params := query.DeliveriesParams{WebhookID: id, Most: mostDeliveries + 1}
	if before != "" {
		n, err := pageFrom(before)
		if err != nil {
			return nil, err
		}
		params.Before = &n
	}
	rows, err := w.records.Deliveries(ctx, params)
	page := &Deliveries{}
	if len(rows) > mostDeliveries {
		rows = rows[:mostDeliveries]
		page.Next = strconv.FormatInt(rows[mostDeliveries-1].ID, 10)
	}
	for _, row := range rows {
		d := Delivery{
			ID: row.ID, Learner: row.Name, Name: row.DisplayName, Paper: row.Paper, Exercise: row.Exercise,
			Mark: marking.PointsOf(row.Mark), ByHand: row.ByHand, Made: row.MadeAt, State: row.State,
			Tries: int(row.Tries),
			Error: row.Error, Tried: row.TriedAt,
		}
		if row.Status != nil {
			d.Status = int(*row.Status)
		}
		page.All = append(page.All, d)
	}
	return page, err
}

// How many deliveries are queued at once, and after how long it is looked for some in any case.
const (
	queuedAtOnce = 500
	lookEvery    = 30 * time.Second
)

// Queue queues deliveries as marks change, until the context ends. It needs [records.Store.Follow].
func (w Webhooks) Queue(ctx context.Context) {
	changes, stop := w.records.Hear(records.DeliveriesMade)
	defer stop()
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		for more := true; more && ctx.Err() == nil; {
			more = w.queue(ctx)
		}
		select {
		case <-changes:
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// queue queues some deliveries, and tells whether there may be more. What could not be queued waits for the next look.
func (w Webhooks) queue(ctx context.Context) (more bool) {
	_ = w.records.Together(ctx, func(t *records.Transaction) error {
		ids, err := t.DeliveriesToQueue(ctx, queuedAtOnce)
		if err != nil || len(ids) == 0 {
			return err
		}
		for _, id := range ids {
			if err := t.Enqueue(ctx, records.Task{Kind: records.DeliverMark, ID: id}); err != nil {
				return err
			}
		}
		more = len(ids) == queuedAtOnce
		return t.DeliveriesQueued(ctx, ids)
	})
	return more
}

// receiver makes the calls to webhooks: it waits for an answer no longer than a moment, and goes where it is told to
// and nowhere else.
var receiver = &http.Client{
	Timeout:       10 * time.Second,
	CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
}

// Deliver tells a webhook a mark. An error means that it is to be tried again; how often it was, and what came back, is
// kept. What is sent, its headers and its signature are those of the Standard Webhooks specification.
func (w Webhooks) Deliver(ctx context.Context, id int64) error {
	d, err := w.records.Delivery(ctx, id)
	if records.Missing(err) {
		return nil
	} else if err != nil || d.State != "waiting" {
		return err
	}
	tried := query.DeliveryTriedParams{ID: id, State: "waiting"}
	if d.RemovedAt != nil {
		tried.State, tried.Error = "failed", "the webhook was removed"
		return w.records.DeliveryTried(ctx, tried)
	}
	status, err := w.post(ctx, d)
	if status != 0 {
		code := int32(status)
		tried.Status = &code
	}
	if err == nil {
		tried.State = "sent"
	} else {
		tried.Error = fmt.Sprintf("%.300s", err.Error())
		if d.Tries+1 >= records.MostDeliveries {
			tried.State = "failed"
		}
	}
	if kept := w.records.DeliveryTried(ctx, tried); kept != nil {
		return kept
	}
	return err
}

func (w Webhooks) post(ctx context.Context, d query.DeliveryRow) (status int, err error) {
	body, err := json.Marshal(map[string]any{
		"type": "mark.changed", "timestamp": d.MadeAt, "data": map[string]any{
			"course": d.Course, "paper": d.Paper, "exercise": d.Exercise, "number": d.Number, "title": d.Title,
			"learner": d.Name, "display_name": d.DisplayName, "email": d.Email, "mark": marking.PointsOf(d.Mark),
			"points": marking.PointsOf(d.Points), "by_hand": d.ByHand, "outcome": d.Outcome, "version": d.Version,
		},
	})
	if err != nil {
		return 0, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, d.Url, bytes.NewReader(body))
	if err != nil {
		return 0, err
	}
	name, at := fmt.Sprintf("mark-%d", d.ID), strconv.FormatInt(w.now().Unix(), 10)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("User-Agent", "Examen")
	request.Header.Set("webhook-id", name)
	request.Header.Set("webhook-timestamp", at)
	request.Header.Set("webhook-signature", "v1,"+Sign(d.Secret, name, at, body))
	answer, err := receiver.Do(request)
	if err != nil {
		return 0, err
	}
	_ = answer.Body.Close() // what it says is not looked at
	if answer.StatusCode < 200 || answer.StatusCode > 299 {
		return answer.StatusCode, fmt.Errorf("the receiver answered %s", answer.Status)
	}
	return answer.StatusCode, nil
}

// Sign signs what is sent to a webhook: its id, its time and its body, by HMAC with SHA-256 (RFC 2104), in base 64.
func Sign(secret []byte, id, at string, body []byte) string {
	mac := hmac.New(sha256.New, secret)
	_, _ = fmt.Fprintf(mac, "%s.%s.%s", id, at, body) // a hash takes all
	return base64.StdEncoding.EncodeToString(mac.Sum(nil))
}
