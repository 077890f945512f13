package grading

import (
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// A byteCache keeps values up to a total number of bytes; those used least recently go first. It is safe for concurrent
// use.
type byteCache[V any] struct {
	mu   sync.Mutex
	most int
	size int
	lru  *simplelru.LRU[string, sized[V]]
	seen Lookups
}

// Lookups count how often a value was in a cache, and how often not.
type Lookups struct{ Found, Missed int64 }

type sized[V any] struct {
	value V
	bytes int
}

func newByteCache[V any](most int) *byteCache[V] {
	c := &byteCache[V]{most: most}
	// bounded by size, below; fails only for a number below one
	c.lru, _ = simplelru.NewLRU(most, func(_ string, gone sized[V]) { c.size -= gone.bytes })
	return c
}

// get returns the value kept under a key.
func (c *byteCache[V]) get(key string) (V, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	found, ok := c.lru.Get(key)
	if ok {
		c.seen.Found++
	} else {
		c.seen.Missed++
	}
	return found.value, ok
}

func (c *byteCache[V]) lookups() Lookups {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.seen
}

// add keeps a value of about that many bytes. A value larger than the whole cache is not kept.
func (c *byteCache[V]) add(key string, value V, bytes int) {
	bytes += len(key)
	if bytes > c.most {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.lru.Remove(key)
	c.lru.Add(key, sized[V]{value, bytes})
	for c.size += bytes; c.size > c.most; {
		c.lru.RemoveOldest()
	}
}
