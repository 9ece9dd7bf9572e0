package web

import (
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"leancatch/internal/kitchen"
	"leancatch/internal/kitchen/kitchentest"
)

// site is a served kitchen with one lot of cod in a walk-in that has a probe.
type site struct {
	*httptest.Server
	t    *testing.T
	quay *kitchentest.Quay
	k    *kitchen.Kitchen
	ctx  context.Context
	lot  kitchen.Row
}

func serve(t *testing.T) *site {
	t.Helper()
	t.Parallel()
	q := kitchentest.NewQuay(t)
	s := &site{t: t, quay: q, k: q.Kitchen, ctx: q.Ctx, lot: q.Lot}
	server, err := New(s.k, slog.New(slog.DiscardHandler), Options{SignedIn: true})
	s.must(err)
	s.Server = httptest.NewServer(server.Handler())
	t.Cleanup(s.Server.Close)
	return s
}

func (s *site) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

// call sends a request with a token and returns the status and the JSON answer.
func (s *site) call(method, path, contentType, body string, headers ...string) (int, map[string]any) {
	s.t.Helper()
	return s.quay.Call(s.t, s.URL, method, path, contentType, body, headers...)
}

func (s *site) post(path, body string) (int, map[string]any) {
	s.t.Helper()
	return s.call("POST", path, "application/json", body)
}

func TestPagesOfOtherSitesCannotPost(t *testing.T) {
	s := serve(t)
	status, _ := s.call("POST", "/k/quay/lots/"+s.lot.LotID.String()+"/events/held",
		"application/x-www-form-urlencoded", "reason=x", "Sec-Fetch-Site", "cross-site", "Origin",
		"http://elsewhere.example")
	if status != 403 {
		t.Errorf("status %d, want 403", status)
	}
}

func TestHealth(t *testing.T) {
	s := serve(t)
	for _, path := range []string{"/healthz", "/readyz", "/metrics", "/api/v1/openapi.json", "/api/v1/species",
		"/api/v1/schemes"} {
		res, err := http.Get(s.URL + path)
		s.must(err)
		res.Body.Close()
		if res.StatusCode != 200 {
			t.Errorf("%s: status %d", path, res.StatusCode)
		}
	}
	s.k.DB.Close()
	time.Sleep(readyFor) // for so long the answer is kept
	if status, _ := s.call("GET", "/readyz", "", ""); status != 503 {
		t.Errorf("/readyz without a database: status %d, want 503", status)
	}
}
