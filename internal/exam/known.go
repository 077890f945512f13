package exam

import (
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"examen/internal/records"
	"examen/internal/records/query"
)

// known is what each call asks of the records and hardly ever changes: sessions, and papers with their exercises. It is kept only while
// every change of it is heard of, from whichever replica, and forgotten as soon as there is one.
type known struct {
	mu       sync.Mutex
	heard    bool
	changes  int // heard so far: what was read before one is not kept after it
	sessions *lru.Cache[string, Session]
	papers   *lru.Cache[query.ExerciseForParams, query.ExerciseForRow]
}

// mostKnown is how many of each are kept: enough for a few courses at once.
const mostKnown = 5000

func newKnown() *known {
	k := &known{}
	k.sessions, _ = lru.New[string, Session](mostKnown) // fails only for a size below one
	k.papers, _ = lru.New[query.ExerciseForParams, query.ExerciseForRow](mostKnown)
	return k
}

// listen says whether changes are heard of.
func (k *known) listen(heard bool) {
	k.mu.Lock()
	k.heard = heard
	k.mu.Unlock()
	k.forget("")
}

// forget forgets what may have changed; "" is all.
func (k *known) forget(what string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.changes++
	if what != records.PapersChanged {
		k.sessions.Purge()
	}
	if what != records.SessionsChanged {
		k.papers.Purge()
	}
}

// remember returns what is kept under a key, or reads it and keeps it.
func remember[K comparable, V any](k *known, kept *lru.Cache[K, V], key K, read func() (V, error)) (V, error) {
	k.mu.Lock()
	before := k.changes
	found, ok := kept.Get(key)
	k.mu.Unlock()
	if ok {
		return found, nil
	}
	v, err := read()
	k.mu.Lock()
	defer k.mu.Unlock()
	if err == nil && k.heard && k.changes == before {
		kept.Add(key, v)
	}
	return v, err
}
