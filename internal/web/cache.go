package web

import (
	"fmt"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// cache keeps what is the same for everybody who looks at a site between two
// changes, for at most a minute: the board's chart and what is due. Any number
// of processes may do so, since the version comes from the database.
type cache struct {
	mu      sync.Mutex
	entries map[string]*entry
}

type entry struct {
	mu      sync.Mutex
	version int64
	minute  time.Time
	value   any
}

func newCache() *cache { return &cache{entries: map[string]*entry{}} }

// cached returns what was kept under the key for the site's version and the
// minute, or makes it, once for all who wait for it.
func cached[T any](s *Server, c *gin.Context, p page, key string, make func() (T, error)) (T, error) {
	var none T
	version, err := s.kitchen.Version(c.Request.Context())
	if err != nil {
		return none, err
	}
	key = fmt.Sprintf("%d %s", p.Actor.Site.ID, key)
	s.cache.mu.Lock()
	e, ok := s.cache.entries[key]
	if !ok {
		e = &entry{}
		s.cache.entries[key] = e
	}
	s.cache.mu.Unlock()

	e.mu.Lock()
	defer e.mu.Unlock()
	if minute := p.Now.Truncate(time.Minute); e.value == nil || e.version != version || !e.minute.Equal(minute) {
		value, err := make()
		if err != nil {
			return none, err
		}
		e.version, e.minute, e.value = version, minute, value
	}
	return e.value.(T), nil
}
