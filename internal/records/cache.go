package records

import (
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"
)

// A Cache keeps what many calls ask of the records and hardly ever changes. It keeps something only while every change of it is heard of, from whichever
// replica (see [Store.Follow]), and nothing of it across a change.
type Cache[K comparable, V any] struct {
	mu    sync.Mutex
	heard bool
	// how many changes were heard of: what was read before one is not kept after it
	changes int
	kept    *expirable.LRU[K, V]
}

// NewCache returns a cache of so many entries, each kept for so long at most. It forgets them when the store hears of the change named (see [Store.Follow]).
func NewCache[K comparable, V any](of *Store, what string, entries int, lasts time.Duration) *Cache[K, V] {
	c := &Cache[K, V]{kept: expirable.NewLRU[K, V](entries, nil, lasts)}
	of.mu.Lock()
	defer of.mu.Unlock()
	of.caches[what] = append(of.caches[what], c)
	return c
}

// listen says whether changes are heard of.
func (c *Cache[K, V]) listen(heard bool) {
	c.mu.Lock()
	c.heard = heard
	c.mu.Unlock()
	c.invalidate()
}

// invalidate forgets everything: something may have changed.
func (c *Cache[K, V]) invalidate() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.changes++
	c.kept.Purge()
}

// Load returns what is kept under a key, or reads it and keeps it. An error is not kept.
func (c *Cache[K, V]) Load(key K, read func() (V, error)) (V, error) {
	c.mu.Lock()
	before := c.changes
	found, ok := c.kept.Get(key)
	c.mu.Unlock()
	if ok {
		return found, nil
	}
	v, err := read()
	c.mu.Lock()
	defer c.mu.Unlock()
	if err == nil && c.heard && c.changes == before {
		c.kept.Add(key, v)
	}
	return v, err
}
