package account

import (
	"fmt"
	"math"
	"net/netip"
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

// What a call counts for: what runs SQL does for several.
const (
	OneCall = 1
	OneRun  = 4
)

// An address may ask for what so many learners may, since a whole course may sit behind one; and one instructor, and
// one address, may send files so many times a minute.
const (
	learnersAtAddress = 100
	uploads           = 60
	uploadsOfAddress  = 300
)

// Limits bound what one learner may ask for.
type Limits struct {
	// a minute, where a run counts as several; 0 is DefaultCalls
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

// A Throttle bounds what each learner, and each address, asks of the service: calls, text that is kept, and files.
type Throttle struct {
	calls, bytes int // a minute
	learners     *lru.Cache[int64, *allowance]
	tell         func(account int64, calls, bytes int) // tells other services; nil where there are none
	others       *lru.Cache[string, *rate.Limiter]     // of addresses, and of files, by what they are of
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
func (t *Throttle) spend(a *allowance, calls, bytes int) (toldCalls, toldBytes int) {
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
func (t *Throttle) spentElsewhere(account int64, calls, bytes int) {
	a := t.of(account)
	now := time.Now()
	a.calls.ReserveN(now, min(calls, t.calls))
	a.text.ReserveN(now, min(bytes, t.bytes))
}

// Throttle bounds what is asked for.
func (a *Accounts) Throttle() *Throttle { return a.throttle }

func newThrottle(o Limits) *Throttle {
	t := &Throttle{calls: DefaultCalls, bytes: DefaultText, tell: o.Tell}
	if o.Calls > 0 {
		t.calls = o.Calls
	}
	if o.Text > 0 {
		t.bytes = o.Text
	}
	t.learners, _ = lru.New[int64, *allowance](sessionsKept) // fails only for a size below one
	t.others, _ = lru.New[string, *rate.Limiter](sessionsKept)
	if o.Hear != nil {
		o.Hear(t.spentElsewhere)
	}
	return t
}

func (t *Throttle) of(account int64) *allowance {
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
func (t *Throttle) AdmitText(who Account, bytes int) error {
	if who.Can(Prepare) {
		return nil
	}
	return t.take(
		who, 0, bytes, "Too much text in a short time",
		"You have sent more text within a minute than can be kept.",
	)
}

// Admit counts a call made by an account, as so many, and refuses it when there are too many in a minute.
func (t *Throttle) Admit(who Account, calls int) error {
	if who.Can(Prepare) {
		return nil
	}
	return t.take(
		who, calls, 0, "Too many requests",
		"You have sent more requests within a minute than are answered.",
	)
}

// AdmitAddress does the same for all calls that come from an address, whoever makes them.
func (t *Throttle) AdmitAddress(address string, calls int) error {
	return t.other(
		"calls from "+networkOf(address), calls, learnersAtAddress*t.calls, "Too many requests",
		"More requests have come from your network within a minute than are answered.",
	)
}

// AdmitFiles counts files that an account sends at once, and refuses them when that happens too often in a minute.
func (t *Throttle) AdmitFiles(who Account, address string) error {
	err := t.other(
		fmt.Sprint("files of ", who.ID), 1, uploads, "Too many files",
		"You have sent files more often within a minute than they are taken.",
	)
	if err == nil {
		err = t.other(
			"files from "+networkOf(address), 1, uploadsOfAddress, "Too many files",
			"Files have been sent from your network more often within a minute than they are taken.",
		)
	}
	return err
}

// networkOf returns what is counted as one address: of IPv6, the network that a household or a machine has to itself.
func networkOf(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil || a.Unmap().Is4() {
		return address
	}
	network, err := a.WithZone("").Prefix(64)
	if err != nil {
		return address
	}
	return network.String()
}

// other counts calls against an allowance of so many a minute.
func (t *Throttle) other(of string, calls, allowed int, title, detail string) error {
	limiter, ok := t.others.Get(of)
	if !ok {
		limiter = rate.NewLimiter(rate.Limit(float64(allowed)/60), allowed)
		if earlier, ok, _ := t.others.PeekOrAdd(of, limiter); ok {
			limiter = earlier
		}
	}
	return within(limiter, calls, title, detail)
}

// take counts calls or bytes.
func (t *Throttle) take(who Account, calls, bytes int, title, detail string) error {
	a := t.of(who.ID)
	limiter, n := a.calls, calls
	if bytes > 0 {
		limiter, n = a.text, bytes
	}
	if err := within(limiter, n, title, detail); err != nil {
		return err
	}
	if t.tell != nil {
		if calls, bytes := t.spend(a, calls, bytes); calls > 0 || bytes > 0 {
			t.tell(who.ID, calls, bytes)
		}
	}
	return nil
}

// within takes n from what a limiter allows, or returns a problem that says when there is enough again.
func within(limiter *rate.Limiter, n int, title, detail string) error {
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
