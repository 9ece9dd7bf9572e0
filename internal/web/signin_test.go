package web

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"

	"leancatch/internal/core/access"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

const goodPassword = "seven grey gulls over wet slate"

// What the cookies are, by https and without; that a sign-in changes them; and
// that no secret is in the log.
func TestCookiesAndLog(t *testing.T) {
	s := serve(t)
	me := kitchen.ActorFrom(s.ctx).Person
	s.must(s.k.SetLogin(s.ctx, me.ID, "mara", goodPassword))
	s.must(s.k.SetPIN(s.ctx, me.ID, "4071"))
	var logged bytes.Buffer
	log := slog.New(slog.NewTextHandler(&logged, &slog.HandlerOptions{Level: slog.LevelDebug}))
	server, err := New(s.k, log, Options{TLS: true})
	s.must(err)
	h := httptest.NewServer(server.Handler())
	t.Cleanup(h.Close)
	s.Server = h
	signIn := func(cookies ...*http.Cookie) *http.Cookie {
		t.Helper()
		req, err := http.NewRequest("POST", s.URL+"/sign-in",
			strings.NewReader(url.Values{"with": {"password"}, "user_name": {"mara"}, "password": {goodPassword},
				"next": {"//evil.example/x"}}.Encode()))
		s.must(err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		for _, c := range cookies {
			req.AddCookie(c)
		}
		res, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
			return http.ErrUseLastResponse
		}}).Do(req)
		s.must(err)
		res.Body.Close()
		if res.StatusCode != 303 || res.Header.Get("Location") != "/k/quay/board" ||
			res.Header.Get("Strict-Transport-Security") == "" || res.Header.Get("X-Frame-Options") != "DENY" {
			t.Fatalf("status %d to %q: %v", res.StatusCode, res.Header.Get("Location"), res.Header)
		}
		kept := res.Cookies()
		if len(kept) != 2 {
			t.Fatalf("cookies %v", kept)
		}
		for _, c := range kept {
			if !c.HttpOnly || !c.Secure || c.SameSite != http.SameSiteLaxMode || !strings.HasPrefix(c.Name, "__Host-") {
				t.Errorf("cookie %+v", c)
			}
		}
		return kept[slices.IndexFunc(kept, func(c *http.Cookie) bool { return strings.HasSuffix(c.Name, sessionCookie) })]
	}
	first := signIn()
	second := signIn(first)
	if first.Value == second.Value {
		t.Error("the session was not rotated")
	}
	if res := s.send("GET", "/k/quay/board", first, nil); res.StatusCode != 303 {
		t.Errorf("the session before still opens: status %d", res.StatusCode)
	}
	if res := s.send("GET", "/k/quay/board", second, nil); res.StatusCode != 200 {
		t.Errorf("the session now: status %d", res.StatusCode)
	}
	s.send("POST", "/k/quay/shift/pin", second, url.Values{"old_pin": {"4071"}, "pin": {"5820"}})
	key, err := s.k.SetupLink(context.Background())
	s.must(err)
	s.send("GET", "/setup?key=abcdef0123456789", nil, nil)
	req, _ := http.NewRequest("GET", s.URL+"/api/v1/lots", nil)
	req.Header.Set("Authorization", "Bearer "+s.quay.Token)
	_, err = http.DefaultClient.Do(req)
	s.must(err)
	for _, secret := range []string{goodPassword, "4071", "5820", first.Value, second.Value, s.quay.Token,
		"abcdef0123456789"} {
		if secret != "" && strings.Contains(logged.String(), secret) {
			t.Errorf("the log tells %q", secret)
		}
	}
	if !strings.Contains(logged.String(), "/k/quay/board") || key != "" {
		t.Error("nothing was logged, or a set-up link was made though there is a kitchen")
	}
}

// A form of another site is refused; so is a body beyond all measure.
func TestForeignAndHugeForms(t *testing.T) {
	s, cookie := staffed(t)
	c := cookie(access.Manager)
	post := func(origin string, body io.Reader) int {
		req, err := http.NewRequest("POST", s.URL+"/k/quay/rules", body)
		s.must(err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("Origin", origin)
		req.Header.Set("Sec-Fetch-Site", map[bool]string{true: "same-origin", false: "cross-site"}[origin == s.URL])
		req.AddCookie(c)
		res, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
			return http.ErrUseLastResponse
		}}).Do(req)
		s.must(err)
		res.Body.Close()
		return res.StatusCode
	}
	if status := post("https://evil.example", strings.NewReader("profile=eu")); status != 403 {
		t.Errorf("a form of another site: status %d", status)
	}
	if status := post(s.URL, strings.NewReader("profile=house-strict")); status != 303 {
		t.Errorf("our own form: status %d", status)
	}
	if status := post(s.URL, strings.NewReader("profile="+strings.Repeat("x", 2<<20))); status < 400 || status >= 500 {
		t.Errorf("a form of 2 MB: status %d", status)
	}
}

// The demo signs nobody in from another machine, nor through a proxy, nor where
// this browser is a tablet.
func TestTheDemoSignsInOnThisMachineOnly(t *testing.T) {
	s := serve(t)
	server, err := New(s.k, slog.New(slog.DiscardHandler), Options{Demo: true, SignedIn: true})
	s.must(err)
	ask := func(from string, headers ...string) int {
		req := httptest.NewRequest("GET", "/k/quay/board", nil)
		req.RemoteAddr, req.Host = from, "127.0.0.1:8420"
		for i := 0; i+1 < len(headers); i += 2 {
			if req.Header.Set(headers[i], headers[i+1]); headers[i] == "Host" {
				req.Host = headers[i+1]
			}
		}
		w := httptest.NewRecorder()
		server.Handler().ServeHTTP(w, req)
		return w.Code
	}
	for _, c := range []struct {
		name string
		got  int
		want int
	}{
		{"here", ask("127.0.0.1:5000"), 200}, {"here by IPv6", ask("[::1]:5000"), 200},
		{"another machine", ask("192.0.2.7:5000"), 303},
		{"by a name made to lead here", ask("127.0.0.1:5000", "Host", "evil.example:8420"), 303},
		{"through a proxy", ask("127.0.0.1:5000", "X-Forwarded-For", "192.0.2.7"), 303},
		{"a tablet", ask("127.0.0.1:5000", "Cookie", "lc_device=x"), 303},
		{"a session that ended", ask("127.0.0.1:5000", "Cookie", "lc_session=x"), 303},
	} {
		if c.got != c.want {
			t.Errorf("%s: status %d, want %d", c.name, c.got, c.want)
		}
	}
	req := httptest.NewRequest("POST", "/sign-in", strings.NewReader("stand=1&site=quay"))
	req.RemoteAddr = "192.0.2.7:5000"
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	if server.Handler().ServeHTTP(w, req); len(w.Result().Cookies()) > 0 {
		t.Error("somebody on another machine stood in without a secret")
	}
}

// An approval opens the act that it was asked for, by the right secret, and no act over people.
func TestAnApproval(t *testing.T) {
	s, cookie := staffed(t)
	all := store.Everywhere(context.Background())
	people, err := s.k.DB.People(all, s.lot.SiteID)
	s.must(err)
	s.must(s.k.SetLogin(s.ctx, people[0].ID, "mara", goodPassword))
	crew := cookie(access.Crew)
	held := url.Values{"event_id_new": {kitchen.NewID().String()}, "seen": {"1"}, "reason": {"papers"}}
	if res := s.send("POST", "/k/quay/lots/"+s.lot.LotID.String()+"/events/held", crew, held); res.StatusCode != 303 {
		t.Fatalf("held: status %d", res.StatusCode)
	}
	rules := url.Values{"profile": {"house-strict"}}
	if res := s.send("POST", "/k/quay/rules", crew, rules); res.StatusCode != 403 {
		t.Errorf("crew changed the rules: status %d", res.StatusCode)
	}
	rules.Set("ask-for", "approve")
	rules.Set("ask-person", "1")
	rules.Set("ask-secret", "wrong")
	if res := s.send("POST", "/k/quay/rules", crew, rules); res.StatusCode != 403 {
		t.Errorf("by a wrong password: status %d", res.StatusCode)
	}
	rules.Set("ask-secret", goodPassword)
	if res := s.send("POST", "/k/quay/rules", crew, rules); res.StatusCode != 303 {
		t.Errorf("by the manager's word: status %d", res.StatusCode)
	}
	site, err := s.k.DB.SiteByID(all, s.lot.SiteID)
	if err != nil || site.Profile != "house-strict" {
		t.Errorf("the profile is %s: %v", site.Profile, err)
	}
	staff := url.Values{"name": {"Eve"}, "role": {"crew"}, "ask-for": {"approve"}, "ask-person": {"1"},
		"ask-secret": {goodPassword}}
	if res := s.send("POST", "/k/quay/people", crew, staff); res.StatusCode != 403 {
		t.Errorf("people were added by a lent word: status %d", res.StatusCode)
	}
}

// What stands by an approval alone names both people in the chain of the lot, and
// the audit tells the override.
func TestAnOverrideNamesBoth(t *testing.T) {
	s, cookie := staffed(t)
	all := store.Everywhere(context.Background())
	s.must(s.k.SetLogin(s.ctx, kitchen.ActorFrom(s.ctx).Person.ID, "mara", goodPassword))
	card := "/k/quay/lots/" + s.lot.LotID.String()
	warm := url.Values{"event_id": {kitchen.NewID().String()}, "seen": {"1"}, "scheme": {"quick"},
		"decision": {"accept_cook"}, "reason": {"to the pan at once"}, "do": {"record"}, "found": {"parasites_heavy"}}
	for _, sign := range []string{"eyes", "gills", "smell", "press", "skin"} {
		warm.Set("sign-"+sign, "0")
	}
	crew := cookie(access.Crew)
	if res := s.send("POST", card+"/inspect", crew, warm); res.StatusCode != 403 {
		t.Fatalf("without a manager's word: status %d", res.StatusCode)
	}
	warm.Set("ask-for", "approve")
	warm.Set("ask-person", "1")
	warm.Set("ask-secret", goodPassword)
	if res := s.send("POST", card+"/inspect", crew, warm); res.StatusCode != 303 {
		t.Fatalf("with it: status %d", res.StatusCode)
	}
	_, got := s.call("GET", "/api/v1/lots/"+s.lot.LotID.String()+"/events", "application/json", "")
	events := got["events"].([]any)
	last := events[len(events)-1].(map[string]any)
	if last["kind"] != "inspected" || last["person"] != "a crew" || last["approver"] != "Mara" {
		t.Errorf("%v by %v with the word of %v", last["kind"], last["person"], last["approver"])
	}
	if _, err := s.k.CheckChains(s.ctx, kitchen.ActorFrom(s.ctx).Site); err != nil {
		t.Error(err)
	}
	told, err := s.k.DB.Audit(all, store.AuditParams{SiteID: s.lot.SiteID, Act: string(kitchen.ActOverride),
		Before: 1 << 30, Limit: 9})
	if err != nil || len(told) != 1 || told[0].Name != "a crew" || told[0].Subject != "Inspected, lot "+s.lot.Code {
		t.Errorf("the audit tells %v, %v", told, err)
	}
	if _, err := s.k.DB.Pool.Exec(all, "alter table lot_event disable trigger append_only"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.k.DB.Pool.Exec(all,
		"update lot_event set approver_id = null where approver_id is not null"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.k.CheckChains(s.ctx, kitchen.ActorFrom(s.ctx).Site); err == nil {
		t.Error("an approver was taken out, and the chain holds")
	}
}

// A browser that is signed in may call the API, for a kitchen of its own.
func TestTheAPIWithASession(t *testing.T) {
	s, cookie := staffed(t)
	neighbour(t, s)
	for path, want := range map[string]int{"/api/v1/lots": 200, "/api/v1/lots?site=quay": 200,
		"/api/v1/lots?site=marlinspike": 401} {
		if res := s.send("GET", path, cookie(access.Auditor), nil); res.StatusCode != want {
			t.Errorf("%s: status %d, want %d", path, res.StatusCode, want)
		}
	}
	if res := s.send("POST", "/api/v1/readings", cookie(access.Auditor), nil); res.StatusCode != 403 {
		t.Errorf("readings of an auditor: status %d", res.StatusCode)
	}
}
