package web

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
)

// What changes goes out at once; what comes right after is gathered.
func TestEventsGoOutFirst(t *testing.T) {
	s := serve(t)
	ctx, leave := context.WithCancel(context.Background())
	server, err := New(s.k, slog.New(slog.DiscardHandler), Options{SignedIn: true})
	s.must(err)
	go server.Run(ctx)
	s.Server = httptest.NewServer(server.Handler())
	defer s.Server.Close()
	defer leave() // first: the server waits for its streams
	events := s.listen(ctx)
	time.Sleep(2 * livePause) // what there was before has gone out
	for len(events) > 0 {
		<-events
	}
	begin := time.Now()
	card := "/k/quay/lots/" + s.lot.LotID.String()
	s.submit(card+"/events/temperature", url.Values{"event_id_new": {uuid.NewString()}, "seen": {"1"}, "celsius": {"1"}})
	sent := time.Now()
	select {
	case <-events:
		if late := time.Since(sent); late > 300*time.Millisecond {
			t.Errorf("the event came %s after the answer, %s after it was sent", late, time.Since(begin))
		}
	case <-time.After(10 * time.Second):
		t.Error("no event came")
	}
}

// The streams of a session are bounded, those of a kitchen too, and end with the session.
func TestStreamsAreBounded(t *testing.T) {
	h := newHub()
	session := uuid.New()
	var over []*listener
	for range sessionStreams {
		l, _, ok := h.join(1, session)
		if !ok {
			t.Fatal("refused too soon")
		}
		over = append(over, l)
	}
	if _, _, ok := h.join(1, session); ok {
		t.Error("a session has more streams than a browser opens")
	}
	if _, leave, ok := h.join(1, uuid.New()); !ok {
		t.Error("another session is refused")
	} else {
		leave()
	}
	h.hangUp(session)
	for _, l := range over {
		select {
		case <-l.over:
		default:
			t.Error("a stream goes on after its session")
		}
	}
	for range siteStreams {
		h.join(1, uuid.New())
	}
	if _, _, ok := h.join(1, uuid.New()); ok || h.streams() != siteStreams {
		t.Errorf("a kitchen has %d streams and takes more", h.streams())
	}
	if _, _, ok := h.join(2, uuid.New()); !ok {
		t.Error("another kitchen is refused")
	}
}

// A page that was drawn before temperatures came in learns of them as it begins to listen; so does every page after the
// database's channel broke.
func TestWhatCameBeforeTheStreamIsTold(t *testing.T) {
	h, drawn := newHub(), time.Now()
	if h.lastMeasured(1).After(drawn) {
		t.Error("before anything came in")
	}
	h.notify(1, false)
	if h.lastMeasured(1).After(drawn) {
		t.Error("a change is not a temperature")
	}
	h.notify(1, true)
	if !h.lastMeasured(1).After(drawn) || h.lastMeasured(2).After(drawn) {
		t.Error("the temperatures of a kitchen are told to it alone")
	}
	h.notify(0, false)
	if !h.lastMeasured(2).After(drawn) {
		t.Error("what may have been missed is not told")
	}
}

// Signing out ends the streams of that session at once, and no others.
func TestSigningOutEndsTheStream(t *testing.T) {
	s, cookie := staffed(t)
	leaves, stays := cookie(access.Crew), cookie(access.Buyer)
	ended := func(cookie *http.Cookie) <-chan error {
		done := make(chan error, 1)
		res := s.open("GET", "/k/quay/live", cookie, nil)
		if res.StatusCode != http.StatusOK {
			t.Fatalf("status %d", res.StatusCode)
		}
		go func() {
			_, err := io.Copy(io.Discard, res.Body)
			done <- err
		}()
		return done
	}
	first, second := ended(leaves), ended(stays)
	if res := s.send("POST", "/k/quay/sign-out", leaves, nil); res.StatusCode != http.StatusSeeOther {
		t.Fatalf("signing out: status %d", res.StatusCode)
	}
	select {
	case <-first:
	case <-time.After(beatEvery):
		t.Error("the stream goes on")
	}
	select {
	case err := <-second:
		t.Errorf("another one's stream ended: %v", err)
	default:
	}
}
