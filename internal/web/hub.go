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
	"leancatch/internal/store"
)

// hub passes the database's notifications on to the browsers that listen.
type hub struct {
	mu        sync.Mutex
	listeners map[chan struct{}]int64 // the site each listens to
	ended     chan struct{}           // closed when run ends, so that streams do
}

func newHub() *hub { return &hub{listeners: map[chan struct{}]int64{}, ended: make(chan struct{})} }

// join returns a channel that holds a token after each change of the site, and
// a function that ends it. Changes that come faster than they are read are one.
func (h *hub) join(site int64) (changes <-chan struct{}, leave func()) {
	ch := make(chan struct{}, 1)
	h.mu.Lock()
	h.listeners[ch] = site
	h.mu.Unlock()
	return ch, func() {
		h.mu.Lock()
		delete(h.listeners, ch)
		h.mu.Unlock()
	}
}

// tell puts a token into the channels of a site; site 0 means all.
func (h *hub) tell(site int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch, s := range h.listeners {
		if site == 0 || s == site {
			poke(ch)
		}
	}
}

func poke(ch chan<- struct{}) {
	select {
	case ch <- struct{}{}:
	default:
	}
}

// run listens until the context ends. After a break it tells everybody, since
// changes may have been missed.
func (h *hub) run(ctx context.Context, db *store.DB, wake chan<- struct{}, log *slog.Logger) {
	defer close(h.ended)
	for ctx.Err() == nil {
		err := db.Listen(ctx, func() { h.tell(0); poke(wake) }, func(topic store.Topic, site int64) {
			if topic == store.TopicStale {
				poke(wake)
				return
			}
			h.tell(site)
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

// live is a stream of server-sent events: "changed" after each change.
func (s *Server) live(c *gin.Context) {
	changes, leave := s.hub.join(kitchen.ActorFrom(c.Request.Context()).Site.ID)
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
		case <-changes:
			fmt.Fprint(c.Writer, "event: changed\ndata: \n\n")
			time.Sleep(livePause)
		}
		if control.Flush() != nil {
			return
		}
	}
}
