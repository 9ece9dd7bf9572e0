package web

import (
	"context"
	"fmt"
	"html/template"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/sync/singleflight"
)

// rendered keeps what is the same for everybody who looks at a site between two
// changes, for at most a minute: the board's chart, what is due, the alarms. Any number
// of processes may do so, since the version comes from the database. It is made once for
// all who wait for it.
type rendered struct {
	making singleflight.Group
	mu     sync.Mutex // a newer one is never replaced by an older one
	kept   *expirable.LRU[renderedKey, renderedPart]
}

// renderedKey names a part of a site's pages, and in which of its forms.
type renderedKey struct {
	site       int64
	part, form string
}

type renderedPart struct {
	version int64
	minute  time.Time
	html    template.HTML
}

// mostRendered bounds the parts that are kept.
const mostRendered = 512

// renderTime bounds how long a part is made: it goes on where who asked first has left.
const renderTime = 15 * time.Second

func newRendered() *rendered {
	return &rendered{kept: expirable.NewLRU[renderedKey, renderedPart](mostRendered, nil, time.Minute)}
}

// rendered returns the part that was kept for the site's version and the minute, or makes it.
func (s *Server) rendered(c *gin.Context, p page, part, form string,
	make func(context.Context) (template.HTML, error)) (template.HTML, error) {
	version, err := s.kitchen.Version(c.Request.Context())
	if err != nil {
		return "", err
	}
	key, minute := renderedKey{p.Actor.Site.ID, part, form}, p.Now.Truncate(time.Minute)
	if kept, ok := s.parts.kept.Get(key); ok && kept.version >= version && !kept.minute.Before(minute) {
		return kept.html, nil
	}
	html, err, _ := s.parts.making.Do(fmt.Sprint(key, version, minute), func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Request.Context()), renderTime)
		defer cancel()
		html, err := make(ctx)
		if err != nil {
			return html, err
		}
		s.parts.keep(key, renderedPart{version, minute, html})
		return html, nil
	})
	if err != nil {
		return "", err
	}
	return html.(template.HTML), nil
}

func (r *rendered) keep(key renderedKey, part renderedPart) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if was, ok := r.kept.Peek(key); ok && (was.version > part.version || was.minute.After(part.minute)) {
		return
	}
	r.kept.Add(key, part)
}
