package web

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"github.com/klauspost/compress/gzip"
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
	gzipped func() []byte // made once, for who asks for the part alone
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
	kept, err := s.renderedPart(c, p, part, form, make)
	return kept.html, err
}

func (s *Server) renderedPart(c *gin.Context, p page, part, form string,
	make func(context.Context) (template.HTML, error)) (renderedPart, error) {
	version, err := s.kitchen.Version(c.Request.Context())
	if err != nil {
		return renderedPart{}, err
	}
	key, minute := renderedKey{p.Actor.Site.ID, part, form}, p.Now.Truncate(time.Minute)
	if kept, ok := s.parts.kept.Get(key); ok && kept.version >= version && !kept.minute.Before(minute) {
		return kept, nil
	}
	made, err, _ := s.parts.making.Do(fmt.Sprint(key, version, minute), func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Request.Context()), renderTime)
		defer cancel()
		html, err := make(ctx)
		made := renderedPart{version, minute, html, sync.OnceValue(func() []byte { return gzipped(string(html)) })}
		if err == nil {
			s.parts.keep(key, made)
		}
		return made, err
	})
	return made.(renderedPart), err
}

// gzipped is a text compressed.
func gzipped(text string) []byte {
	var out bytes.Buffer
	w, err := gzip.NewWriterLevel(&out, gzip.BestSpeed)
	if err == nil {
		_, err = io.WriteString(w, text)
	}
	if err != nil || w.Close() != nil {
		panic("compressing into memory fails") // the level is constant
	}
	return out.Bytes()
}

// sendPart answers with a part alone: two hundred boards ask for the same one after each change.
func (s *Server) sendPart(c *gin.Context, part renderedPart) {
	c.Header("Cache-Control", "no-store")
	c.Header("Vary", "Accept-Encoding")
	const kind = "text/html; charset=utf-8"
	if !strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		c.Data(http.StatusOK, kind, []byte(part.html))
		return
	}
	c.Header("Content-Encoding", "gzip")
	c.Data(http.StatusOK, kind, part.gzipped())
}

func (r *rendered) keep(key renderedKey, part renderedPart) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if was, ok := r.kept.Peek(key); ok && (was.version > part.version || was.minute.After(part.minute)) {
		return
	}
	r.kept.Add(key, part)
}
