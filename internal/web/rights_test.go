package web

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/api"
	"leancatch/internal/core/access"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// Nothing is served that the table of routes does not name with its right.
func TestTheRouterServesTheTableAlone(t *testing.T) {
	s, err := New(&kitchen.Kitchen{}, slog.New(slog.DiscardHandler), Options{})
	if err != nil {
		t.Fatal(err)
	}
	var served, listed []string
	for _, r := range s.routing.Routes() {
		served = append(served, r.Method+" "+r.Path)
	}
	for _, r := range slices.Concat(s.routes(), s.api.Routes()) {
		listed = append(listed, r.Method+" "+r.Path)
		if strings.HasPrefix(r.Path, sitePath) && r.Right == access.Anyone {
			t.Errorf("%s %s is open to anyone", r.Method, r.Path)
		}
		if r.Method != "GET" && r.Right == access.Read && r.Path != sitePath+"/records/check" && r.Path != sitePath+"/history" { // which store nothing
			t.Errorf("%s %s writes by the right to read", r.Method, r.Path)
		}
	}
	slices.Sort(served)
	slices.Sort(listed)
	if !slices.Equal(served, listed) {
		t.Errorf("served %v\nlisted %v", served, listed)
	}
}

// staffed is a served kitchen with somebody of each role, who are signed in by
// cookies of their own.
func staffed(t *testing.T) (s *site, cookie func(access.Role) *http.Cookie) {
	s = serve(t)
	all := store.Everywhere(context.Background())
	for _, role := range access.Roles {
		_, err := s.k.DB.AddPerson(all, store.AddPersonParams{SiteID: s.lot.SiteID, Name: "a " + string(role),
			Role: string(role)})
		s.must(err)
	}
	people, err := s.k.DB.People(all, s.lot.SiteID)
	s.must(err)
	return s, func(role access.Role) *http.Cookie {
		for _, p := range people {
			if p.Name == "a "+string(role) {
				secret, err := s.k.Impersonate(context.Background(), kitchen.ActorFrom(s.ctx).Site, p.ID,
					kitchen.Origin{})
				s.must(err)
				return &http.Cookie{Name: sessionCookie, Value: secret}
			}
		}
		t.Fatalf("there is no %s", role)
		return nil
	}
}

// open does a request of a browser without following where it leads.
func (s *site) open(method, path string, cookie *http.Cookie, body url.Values) *http.Response {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	s.t.Cleanup(cancel) // ends the live channel
	req, err := http.NewRequestWithContext(ctx, method, s.URL+path, strings.NewReader(body.Encode()))
	s.must(err)
	if method == "POST" {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	if cookie != nil {
		req.AddCookie(cookie)
	}
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Do(req)
	s.must(err)
	return res
}

// send is open for who asks for the status alone.
func (s *site) send(method, path string, cookie *http.Cookie, body url.Values) *http.Response {
	s.t.Helper()
	res := s.open(method, path, cookie, body)
	res.Body.Close()
	return res
}

var parameter = regexp.MustCompile(`[:*]\w+`)

// Route by route, role by role: who has the right is let through, whoever has not
// is refused, and nobody at all is sent to sign in.
func TestRightsRouteByRoute(t *testing.T) {
	s, cookie := staffed(t)
	server, err := New(s.k, slog.New(slog.DiscardHandler), Options{}) // nobody is signed in by itself
	s.must(err)
	h := httptest.NewServer(server.Handler())
	t.Cleanup(h.Close)
	s.Server = h
	nobody := uuid.NewString()
	for _, r := range slices.Concat(server.routes(), server.api.Routes()) {
		if r.Right == access.Anyone {
			continue
		}
		path := parameter.ReplaceAllStringFunc(r.Path, func(p string) string {
			switch {
			case p == ":site":
				return "quay"
			case p == ":id" && strings.Contains(r.Path, "/lots/") && r.Method == "GET":
				return s.lot.LotID.String()
			case p == ":kind" && r.Method == "POST":
				return "held"
			}
			return nobody
		})
		name := r.Method + " " + r.Path
		programs := strings.HasPrefix(r.Path, api.Path)
		if res := s.send(r.Method, path, nil, nil); programs && res.StatusCode != 401 || !programs &&
			res.StatusCode != 401 && !strings.HasPrefix(res.Header.Get("Location"), "/sign-in") {
			t.Errorf("%s by nobody: status %d, leads to %q", name, res.StatusCode, res.Header.Get("Location"))
		}
		for _, role := range access.Roles {
			status := s.send(r.Method, path, cookie(role), nil).StatusCode
			if may := role.May(r.Right); may == (status == 403) || status == 401 || status >= 500 {
				t.Errorf("%s by %s, who may: %v: status %d", name, role, may, status)
			}
		}
	}
}

// What a token may do is bounded by its scopes, and by what its person may.
func TestScopesOfTokens(t *testing.T) {
	s := serve(t)
	probes, err := s.k.DB.Probes(s.ctx, s.lot.SiteID)
	s.must(err)
	token := func(scopes ...access.Scope) string {
		n := kitchen.NewToken{Name: "test", Scopes: scopes}
		if slices.Contains(scopes, access.ScopeReadings) {
			n.ProbeIDs = []int64{probes[0].ID}
		}
		text, err := s.k.AddToken(s.ctx, n)
		s.must(err)
		return text
	}
	event := fmt.Sprintf(`{"id":%q,"kind":"held","happened_at":"2026-01-01T00:00:00Z","data":{}}`, uuid.NewString())
	calls := []struct{ method, path, body string }{
		{"GET", "/api/v1/lots", ""}, {"GET", "/api/v1/places", ""},
		{"POST", "/api/v1/lots/" + s.lot.LotID.String() + "/events", event}, {"POST", "/api/v1/readings", "[]"},
	}
	for scope, allowed := range map[access.Scope][]bool{
		access.ScopeRead: {true, true, false, false}, access.ScopeWrite: {false, false, true, true},
		access.ScopeReadings: {false, false, false, true},
	} {
		s.quay.Token = token(scope)
		for i, c := range calls {
			if status, _ := s.call(c.method, c.path, "application/json", c.body); (status == 403) == allowed[i] ||
				status == 401 || status >= 500 {
				t.Errorf("scope %s: %s %s: status %d", scope, c.method, c.path, status)
			}
		}
	}
	s.quay.Token = token(access.ScopeRead, access.ScopeWrite)
	all := store.Everywhere(context.Background())
	me := kitchen.ActorFrom(s.ctx).Person
	s.must(s.k.DB.SetRole(all, store.SetRoleParams{SiteID: me.SiteID, ID: me.ID, Role: "auditor"}))
	if status, _ := s.call("POST", calls[2].path, "application/json", event); status != 403 {
		t.Errorf("the token writes though its person may not any more: status %d", status)
	}
	now := s.k.Now()
	s.must(s.k.DB.SetLeft(all, store.SetLeftParams{SiteID: me.SiteID, ID: me.ID, LeftAt: &now}))
	if status, _ := s.call("GET", "/api/v1/lots", "application/json", ""); status != 401 {
		t.Errorf("the token of somebody who left: status %d", status)
	}
}
