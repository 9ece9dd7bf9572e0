package web

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/kitchen"
)

// hub passes the database's notifications on to the browsers that listen.
type hub struct {
	mu        sync.Mutex
	listeners map[*listener]struct{}
	ended     chan struct{} // closed when run ends, so that streams do
}

// listener is a browser's stream. Its channels hold a token after each change
// of the site; changes that come faster than they are read are one.
type listener struct {
	site              int64
	changed, readings chan struct{}
}

func newHub() *hub { return &hub{listeners: map[*listener]struct{}{}, ended: make(chan struct{})} }

// join adds a listener to a site; leave ends it.
func (h *hub) join(site int64) (l *listener, leave func()) {
	l = &listener{site, make(chan struct{}, 1), make(chan struct{}, 1)}
	h.mu.Lock()
	h.listeners[l] = struct{}{}
	h.mu.Unlock()
	return l, func() {
		h.mu.Lock()
		delete(h.listeners, l)
		h.mu.Unlock()
	}
}

// notify puts a token into the channels of a site; site 0 means all.
func (h *hub) notify(site int64, readings bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.listeners {
		if site != 0 && l.site != site {
			continue
		}
		if readings {
			poke(l.readings)
		} else {
			poke(l.changed)
		}
	}
}

func poke(ch chan<- struct{}) {
	select {
	case ch <- struct{}{}:
	default:
	}
}

// run listens until the context ends. After a lost connection it notifies everybody, since
// changes may have been missed.
func (h *hub) run(ctx context.Context, k *kitchen.Kitchen, wake chan<- struct{}, log *slog.Logger) {
	defer close(h.ended)
	for ctx.Err() == nil {
		err := k.Listen(ctx, func() { h.notify(0, false); poke(wake) }, func(site int64, readings bool) {
			if readings {
				poke(wake)
			}
			h.notify(site, readings)
		})
		if ctx.Err() != nil {
			return
		}
		log.Warn("the live channel broke, listening again", "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// livePause is the least time between two events to one browser.
const livePause = 300 * time.Millisecond

// live is a stream of server-sent events: "changed" after each change of what
// people see, "readings" when temperatures came in.
func (s *Server) live(c *gin.Context) {
	l, leave := s.hub.join(kitchen.ActorFrom(c.Request.Context()).Site.ID)
	defer leave()
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	control := http.NewResponseController(c.Writer)
	control.SetWriteDeadline(time.Time{})
	fmt.Fprint(c.Writer, "retry: 1000\n\n")
	control.Flush()
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	for {
		select {
		case <-c.Request.Context().Done():
			return
		case <-s.hub.ended:
			return
		case <-beat.C:
			fmt.Fprint(c.Writer, ": beat\n\n")
		case <-l.changed:
			fmt.Fprint(c.Writer, "event: changed\ndata: \n\n")
			time.Sleep(livePause)
		case <-l.readings:
			fmt.Fprint(c.Writer, "event: readings\ndata: \n\n")
			time.Sleep(livePause)
		}
		if control.Flush() != nil {
			return
		}
	}
}
