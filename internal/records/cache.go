package records

import (
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"
)

// counting is a cache that counts how often a value was there.
type counting interface {
	lookups() (found, missed int64)
}

// A Cache holds values that many calls read and that rarely change. It holds them only while the store hears of every
// change, whichever replica makes it (see [Store.Follow]), and drops them when a change is heard of.
type Cache[K comparable, V any] struct {
	mu    sync.Mutex
	heard bool
	// the number of changes heard of: what was read before one is not stored after it
	changes int
	kept    *expirable.LRU[K, V]

	found, missed int64 // lookups
}

// NewCache returns a cache of at most the given number of entries, each of which expires after the given time. It is
// invalidated by the changes named. holds says what is kept.
func NewCache[K comparable, V any](
	of *Store, holds string, entries int, lasts time.Duration, changes ...string,
) *Cache[K, V] {
	c := &Cache[K, V]{kept: expirable.NewLRU[K, V](entries, nil, lasts)}
	of.mu.Lock()
	defer of.mu.Unlock()
	if of.cachesOf == nil {
		of.cachesOf = map[string]counting{}
	}
	of.cachesOf[holds] = c
	for _, what := range changes {
		of.caches[what] = append(of.caches[what], c)
	}
	return c
}

// listen tells the cache whether changes are heard of.
func (c *Cache[K, V]) listen(heard bool) {
	c.mu.Lock()
	c.heard = heard
	c.mu.Unlock()
	c.invalidate()
}

// invalidate drops every entry.
func (c *Cache[K, V]) invalidate() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.changes++
	c.kept.Purge()
}

func (c *Cache[K, V]) lookups() (found, missed int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.found, c.missed
}

// Load returns the value for a key, calling read if it is not in the cache. Errors are not cached.
func (c *Cache[K, V]) Load(key K, read func() (V, error)) (V, error) {
	c.mu.Lock()
	before := c.changes
	found, ok := c.kept.Get(key)
	if ok {
		c.found++
	} else {
		c.missed++
	}
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
