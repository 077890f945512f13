package account

import (
	"math"
	"time"

	"examen/internal/problem"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// What one learner may do in a minute: far more than anybody does by hand, and so much at once after a pause.
const (
	DefaultCalls = 1200
	DefaultText  = 6 << 20 // bytes of SQL that is stored: of drafts, runs and submissions
)

// Limits bound what one learner may ask for.
type Limits struct {
	// a minute; 0 is DefaultCalls
	Calls int
	// bytes of SQL that are stored, a minute; 0 is DefaultText
	Text int
	// how long a one-time password is taken; 0 is DefaultOneTime
	OneTime time.Duration
}

// throttle bounds what each learner asks of the service, in calls and in text that is kept.
type throttle struct {
	calls, bytes int // a minute
	learners     *lru.Cache[int64, *allowance]
}

type allowance struct{ calls, text *rate.Limiter }

func newThrottle(o Limits) *throttle {
	t := &throttle{calls: DefaultCalls, bytes: DefaultText}
	if o.Calls > 0 {
		t.calls = o.Calls
	}
	if o.Text > 0 {
		t.bytes = o.Text
	}
	t.learners, _ = lru.New[int64, *allowance](sessionsKept) // fails only for a size below one
	return t
}

func (t *throttle) of(who Account) *allowance {
	if found, ok := t.learners.Get(who.ID); ok {
		return found
	}
	a := &allowance{
		rate.NewLimiter(rate.Limit(float64(t.calls)/60), t.calls),
		rate.NewLimiter(rate.Limit(float64(t.bytes)/60), t.bytes),
	}
	if earlier, ok, _ := t.learners.PeekOrAdd(who.ID, a); ok {
		return earlier
	}
	return a
}

// AdmitText counts bytes of text that an account sends to be stored, and refuses them when there are too many in a
// minute.
func (a *Accounts) AdmitText(who Account, bytes int) error {
	if who.May(Prepare) == nil {
		return nil
	}
	return take(
		a.throttle.of(who).text, bytes, "Too much text in a short time",
		"You have sent more text within a minute than can be kept.",
	)
}

// Admit counts a call made by an account, and refuses it when there are too many in a minute.
func (a *Accounts) Admit(who Account) error {
	if who.May(Prepare) == nil {
		return nil
	}
	return take(
		a.throttle.of(who).calls, 1, "Too many requests",
		"You have sent more requests within a minute than are answered.",
	)
}

func take(limiter *rate.Limiter, n int, title, detail string) error {
	r := limiter.ReserveN(time.Now(), n)
	wait := r.Delay()
	if r.OK() && wait == 0 {
		return nil
	}
	r.Cancel()
	seconds := 60
	if r.OK() {
		seconds = max(1, int(math.Ceil(wait.Seconds())))
	}
	p := problem.New(429, "slow-down", title, "%s Try again in %d seconds; nothing is lost.", detail, seconds)
	p.RetryAfter = seconds
	return p
}
