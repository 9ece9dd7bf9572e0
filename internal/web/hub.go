package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/kitchen"
)

// hub passes the database's notifications on to the browsers that listen.
type hub struct {
	mu        sync.Mutex
	listeners map[*listener]struct{}
	measured  map[int64]time.Time // when temperatures last came in, by site; site 0: when they may have been missed
	ended     chan struct{}       // closed when run ends, so that streams do
	readAt    atomic.Int64        // when the database was last known to answer, Unix time in ns
}

// listener is a browser's stream. Its channels hold a token after each change
// of the site; changes that come faster than they are read are one.
type listener struct {
	site              int64
	session           uuid.UUID
	changed, readings chan struct{}
	over              chan struct{} // closed to end the stream
}

func newHub() *hub {
	return &hub{listeners: map[*listener]struct{}{}, measured: map[int64]time.Time{}, ended: make(chan struct{})}
}

// Streams at once of one session, and of one kitchen. A browser opens six connections to a host.
const (
	sessionStreams = 6
	siteStreams    = 500
)

// join adds a listener to a site; leave ends it. It returns false where the kitchen has too many. Of a
// session with too many the oldest would come again at once: the new one is refused.
func (h *hub) join(site int64, session uuid.UUID) (l *listener, leave func(), ok bool) {
	l = &listener{site, session, make(chan struct{}, 1), make(chan struct{}, 1), make(chan struct{})}
	h.mu.Lock()
	defer h.mu.Unlock()
	ofSite, ofSession := 0, 0
	for other := range h.listeners {
		if other.site == site {
			ofSite++
		}
		if other.session == session && session != uuid.Nil {
			ofSession++
		}
	}
	if ofSite >= siteStreams || ofSession >= sessionStreams {
		return nil, nil, false
	}
	h.listeners[l] = struct{}{}
	return l, func() {
		h.mu.Lock()
		delete(h.listeners, l)
		h.mu.Unlock()
	}, true
}

// hangUp ends the streams of a session.
func (h *hub) hangUp(session uuid.UUID) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.listeners {
		if l.session == session && session != uuid.Nil {
			close(l.over)
			delete(h.listeners, l)
		}
	}
}

// streams is how many browsers listen.
func (h *hub) streams() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.listeners)
}

// behind is how long the database has not answered.
func (h *hub) behind() time.Duration { return time.Since(time.Unix(0, h.readAt.Load())) }

// notify puts a token into the channels of a site; site 0 means all.
func (h *hub) notify(site int64, readings bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if readings || site == 0 {
		h.measured[site] = time.Now()
	}
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

// lastMeasured is when temperatures of a site last came in, as far as this process knows.
func (h *hub) lastMeasured(site int64) time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	if missed := h.measured[0]; missed.After(h.measured[site]) {
		return missed
	}
	return h.measured[site]
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
	h.readAt.Store(time.Now().UnixNano())
	go h.watch(ctx, k)
	for ctx.Err() == nil {
		err := k.Listen(ctx, func() { h.notify(0, false); poke(wake) }, h.notify, func() { poke(wake) })
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

// beatEvery is how often browsers hear that all is well, and how often the database is asked for it.
const beatEvery = 3 * time.Second

// watch asks the database whether it answers, so that pages that hear nothing of it do not look alive.
func (h *hub) watch(ctx context.Context, k *kitchen.Kitchen) {
	beat := time.NewTicker(beatEvery)
	defer beat.Stop()
	for {
		within, cancel := context.WithTimeout(ctx, beatEvery)
		if k.Answers(within) == nil {
			h.readAt.Store(time.Now().UnixNano())
		}
		cancel()
		select {
		case <-ctx.Done():
			return
		case <-beat.C:
		}
	}
}

// livePause is the least time between two events to one browser: what comes meanwhile is gathered.
const livePause = 100 * time.Millisecond

// streamWrite is how long a browser may take to take an event.
const streamWrite = 10 * time.Second

// stillSigned is how often it is asked whether who listens may still do so.
const stillSigned = 20 * time.Second

// live is a stream of server-sent events: "at" with the kitchen's version as it begins and when temperatures last came in
// (Unix time in ms), "changed" after each change of what
// people see, "readings" when temperatures came in, "beat" with for how many seconds the database has
// not answered.
func (s *Server) live(c *gin.Context) {
	a := kitchen.ActorFrom(c.Request.Context())
	l, leave, ok := s.hub.join(a.Site.ID, a.SignIn.Session)
	if !ok {
		c.Header("Retry-After", "30")
		s.problem(c, http.StatusTooManyRequests, "Too many pages are open at once.")
		return
	}
	defer leave()
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	control := http.NewResponseController(c.Writer)
	send := func(format string, args ...any) bool {
		control.SetWriteDeadline(time.Now().Add(streamWrite))
		fmt.Fprintf(c.Writer, format, args...)
		return control.Flush() == nil
	}
	sendBeat := func() bool { return send("event: beat\ndata: %.0f\n\n", s.hub.behind().Seconds()) }
	version, err := s.kitchen.Version(c.Request.Context()) // after joining: what changes from here on is heard
	if err != nil {
		version = a.Version
	}
	if !send("retry: 1000\n\nevent: at\ndata: %d %d\n\n", version, s.hub.lastMeasured(a.Site.ID).UnixMilli()) || !sendBeat() {
		return
	}
	beat := time.NewTicker(beatEvery)
	defer beat.Stop()
	asked := time.Now()
	for {
		going := true
		select {
		case <-c.Request.Context().Done():
			return
		case <-s.hub.ended:
			return
		case <-l.over:
			return
		case <-beat.C:
			if time.Since(asked) > stillSigned {
				asked = time.Now()
				if _, err := s.visitor(c); errors.Is(err, kitchen.ErrNoActor) {
					return
				}
			}
			going = sendBeat()
		case <-l.changed:
			going = send("event: changed\ndata: \n\n") && l.wait()
		case <-l.readings:
			going = send("event: readings\ndata: \n\n") && l.wait()
		}
		if !going {
			return
		}
	}
}

// wait gathers what comes after an event that went out; false where the stream is over.
func (l *listener) wait() bool {
	select {
	case <-l.over:
		return false
	case <-time.After(livePause):
		return true
	}
}
