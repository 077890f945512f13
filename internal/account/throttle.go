package account

import (
	"math"
	"sync"
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
	// Tell tells other services what an account has asked for of this one, and Hear has what it has asked for of the
	// others told to a function; nil where there are none.
	Tell func(account int64, calls, bytes int)
	Hear func(told func(account int64, calls, bytes int))
}

// throttle bounds what each learner asks of the service, in calls and in text that is kept.
type throttle struct {
	calls, bytes int // a minute
	learners     *lru.Cache[int64, *allowance]
	tell         func(account int64, calls, bytes int) // tells other services; nil where there are none
}

// An allowance is what a learner may still ask for.
type allowance struct {
	calls, text *rate.Limiter

	mu           sync.Mutex
	spent, bytes int // since other services were told last
}

// toldAfter is the part of a minute's allowance that is asked for until other services are told.
const toldAfter = 20

// spend counts what was asked for, and returns what other services are to be told, if anything.
func (t *throttle) spend(a *allowance, calls, bytes int) (toldCalls, toldBytes int) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.spent, a.bytes = a.spent+calls, a.bytes+bytes
	if a.spent <= t.calls/toldAfter && a.bytes <= t.bytes/toldAfter {
		return 0, 0
	}
	toldCalls, toldBytes, a.spent, a.bytes = a.spent, a.bytes, 0, 0
	return toldCalls, toldBytes
}

// spentElsewhere counts what an account has asked for of other services.
func (t *throttle) spentElsewhere(account int64, calls, bytes int) {
	a := t.of(account)
	now := time.Now()
	a.calls.ReserveN(now, min(calls, t.calls))
	a.text.ReserveN(now, min(bytes, t.bytes))
}

func newThrottle(o Limits) *throttle {
	t := &throttle{calls: DefaultCalls, bytes: DefaultText, tell: o.Tell}
	if o.Calls > 0 {
		t.calls = o.Calls
	}
	if o.Text > 0 {
		t.bytes = o.Text
	}
	t.learners, _ = lru.New[int64, *allowance](sessionsKept) // fails only for a size below one
	if o.Hear != nil {
		o.Hear(t.spentElsewhere)
	}
	return t
}

func (t *throttle) of(account int64) *allowance {
	if found, ok := t.learners.Get(account); ok {
		return found
	}
	a := &allowance{
		calls: rate.NewLimiter(rate.Limit(float64(t.calls)/60), t.calls),
		text:  rate.NewLimiter(rate.Limit(float64(t.bytes)/60), t.bytes),
	}
	if earlier, ok, _ := t.learners.PeekOrAdd(account, a); ok {
		return earlier
	}
	return a
}

// AdmitText counts bytes of text that an account sends to be stored, and refuses them when there are too many in a
// minute.
func (a *Accounts) AdmitText(who Account, bytes int) error {
	if who.Can(Prepare) {
		return nil
	}
	return a.throttle.take(
		who, 0, bytes, "Too much text in a short time",
		"You have sent more text within a minute than can be kept.",
	)
}

// Admit counts a call made by an account, and refuses it when there are too many in a minute.
func (a *Accounts) Admit(who Account) error {
	if who.Can(Prepare) {
		return nil
	}
	return a.throttle.take(
		who, 1, 0, "Too many requests",
		"You have sent more requests within a minute than are answered.",
	)
}

// take counts calls or bytes.
func (t *throttle) take(who Account, calls, bytes int, title, detail string) error {
	a := t.of(who.ID)
	limiter, n := a.calls, calls
	if bytes > 0 {
		limiter, n = a.text, bytes
	}
	r := limiter.ReserveN(time.Now(), n)
	wait := r.Delay()
	if r.OK() && wait == 0 {
		if t.tell != nil {
			if calls, bytes := t.spend(a, calls, bytes); calls > 0 || bytes > 0 {
				t.tell(who.ID, calls, bytes)
			}
		}
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
