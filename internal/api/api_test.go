package api

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/lot"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
	"leancatch/internal/kitchen/kitchentest"
)

// nobody has no session: only tokens count.
type nobody struct{}

func (nobody) SessionActor(*gin.Context) (kitchen.Actor, error) {
	return kitchen.Actor{}, kitchen.ErrNoActor
}

// server is the API of a kitchen with one lot.
type server struct {
	*kitchentest.Quay
	t   *testing.T
	url string
}

func serve(t *testing.T) *server {
	t.Helper()
	t.Parallel()
	gin.SetMode(gin.ReleaseMode)
	q := kitchentest.NewQuay(t)
	a, r := New(q.Kitchen, nobody{}, httpx.NewHeavy(), slog.New(slog.DiscardHandler)), gin.New()
	for _, x := range a.Routes() {
		r.Handle(x.Method, x.Path, a.Chain(x)...)
	}
	s := httptest.NewServer(r)
	t.Cleanup(s.Close)
	return &server{q, t, s.URL}
}

func (s *server) call(method, path, contentType, body string, headers ...string) (int, map[string]any) {
	s.t.Helper()
	return s.Call(s.t, s.url, method, path, contentType, body, headers...)
}

func (s *server) post(path, body string) (int, map[string]any) {
	s.t.Helper()
	return s.call("POST", path, "application/json", body)
}

// inDocument are what a route's address leaves open, which the document writes in braces.
var inDocument = regexp.MustCompile(`:(\w+)`)

// The OpenAPI document and the routes name the same calls.
func TestOpenAPIAndRoutesAgree(t *testing.T) {
	var doc struct {
		Paths map[string]map[string]json.RawMessage
	}
	if err := json.Unmarshal(document(), &doc); err != nil {
		t.Fatal(err)
	}
	var described []string
	for path, item := range doc.Paths {
		for method := range item {
			if method != "parameters" {
				described = append(described, strings.ToUpper(method)+" "+path)
			}
		}
	}
	var routed []string
	for _, route := range New(&kitchen.Kitchen{}, nobody{}, httpx.NewHeavy(), slog.New(slog.DiscardHandler)).Routes() {
		path := strings.TrimPrefix(route.Path, Path)
		routed = append(routed, route.Method+" "+inDocument.ReplaceAllString(path, "{$1}"))
	}
	slices.Sort(described)
	slices.Sort(routed)
	if !slices.Equal(described, routed) {
		t.Errorf("described %v\nrouted    %v", described, routed)
	}
}

func TestDataNeedsAToken(t *testing.T) {
	s := serve(t)
	for _, header := range []string{"", "Bearer nonsense", "Basic YTpi"} {
		if status, _ := s.call("GET", "/api/v1/lots", "", "", "Authorization", header); status != 401 {
			t.Errorf("Authorization %q: status %d, want 401", header, status)
		}
	}
	if status, got := s.call("GET", "/api/v1/lots?on_hand=true", "", ""); status != 200 ||
		len(got["lots"].([]any)) != 1 {
		t.Errorf("status %d: %v", status, got)
	}
}

func TestEventsByTheAPI(t *testing.T) {
	s := serve(t)
	path := "/api/v1/lots/" + s.Lot.LotID.String() + "/events"
	event := func(id, kind, data string, seen int) string {
		return fmt.Sprintf(`{"id":%q,"kind":%q,"happened_at":%q,"seen":%d,"data":%s}`, id, kind,
			s.Now().Format(time.RFC3339Nano), seen, data)
	}
	id := kitchen.NewID().String()
	for range 2 { // the same id twice is one event
		if status, got := s.post(path, event(id, "temperature", `{"celsius":1.5}`, 1)); status != 201 ||
			got["seq"] != 2.0 {
			t.Fatalf("status %d: %v", status, got)
		}
	}
	for name, c := range map[string]struct {
		body   string
		status int
	}{
		"overtaken":         {event(kitchen.NewID().String(), "held", `{"reason":"x"}`, 1), 409},
		"no reason":         {event(kitchen.NewID().String(), "held", `{"reason":""}`, 2), 422},
		"unknown kind":      {event(kitchen.NewID().String(), "fried", `{}`, 2), 422},
		"unknown payload":   {event(kitchen.NewID().String(), "held", `{"reason":"x","verdict":"accept"}`, 2), 422},
		"a receipt":         {event(kitchen.NewID().String(), "received", `{}`, 2), 422},
		"a place elsewhere": {event(kitchen.NewID().String(), "moved", `{"place_id":999}`, 2), 422},
		"no id":             {`{"kind":"held","happened_at":"2026-01-01T00:00:00Z","data":{"reason":"x"}}`, 422},
	} {
		if status, got := s.post(path, c.body); status != c.status {
			t.Errorf("%s: status %d, want %d: %v", name, status, c.status, got)
		}
	}
	// What an inspection proposes is computed here, whatever the client says.
	fish := `{"fish":[{"smell":0,"skin":0,"belly":0,"stiffness":0,"eye_shape":0}]}`
	if status, got := s.post(path, event(kitchen.NewID().String(), "inspected", fish, 2)); status != 201 ||
		got["decision"] != "accept" {
		t.Errorf("inspection: status %d, %v", status, got)
	}
	status, got := s.call("GET", path, "", "")
	events, _ := got["events"].([]any)
	if status != 200 || len(events) != 3 {
		t.Fatalf("status %d, %d events, want 3", status, len(events))
	}
	first, second := events[0].(map[string]any), events[1].(map[string]any)
	if second["prev_hash"] != first["hash"] || second["person"] != "Mara" {
		t.Errorf("the chain does not show: %v", second)
	}
}

func TestReadingsByTheAPI(t *testing.T) {
	s := serve(t)
	now := s.Now().Unix()
	pack := fmt.Sprintf(
		`[{"bn":"walk-in-1","bt":%d,"bu":"Cel","v":1.5},{"t":-300,"v":1.6},{"n":"x","v":1},{"t":86400,"v":1}]`, now)
	status, got := s.call("POST", "/api/v1/readings", "application/senml+json", pack)
	if refused, _ := got["refused"].([]any); status != 200 || got["stored"] != 2.0 || len(refused) != 2 {
		t.Errorf("status %d: %v", status, got)
	}
	if _, got = s.call("POST", "/api/v1/readings", "application/senml+json", pack); got["stored"] != 0.0 ||
		got["duplicate"] != 2.0 {
		t.Errorf("sent twice: %v", got)
	}
	csv := "probe,at,celsius\nwalk-in-1," + time.Unix(now-600, 0).UTC().Format(time.RFC3339) + ",1.7\n"
	if status, got = s.call("POST", "/api/v1/readings", "text/csv", csv); status != 200 || got["stored"] != 1.0 {
		t.Errorf("CSV: status %d, %v", status, got)
	}
	for name, c := range map[string]struct {
		kind, body string
		status     int
	}{
		"not SenML":       {"application/senml+json", `{"n":"p"}`, 400},
		"no heading":      {"text/csv", "a,b,c\n", 422},
		"another kind":    {"text/plain", "1", 415},
		"a bad CSV value": {"text/csv", "probe,at,celsius\nwalk-in-1,yesterday,1\n", 422},
	} {
		if status, got := s.call("POST", "/api/v1/readings", c.kind, c.body); status != c.status {
			t.Errorf("%s: status %d, want %d: %v", name, status, c.status, got)
		}
	}
}

// Lots come in pages, each once, with how many there are.
func TestLotsComeInPages(t *testing.T) {
	s := serve(t)
	for n := range 7 {
		core := 0.5
		err := s.Receive(s.Ctx, kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Skua Day-boat", ArrivedAt: time.Now().Add(-time.Duration(n/3) * time.Hour),
			Lines: []lot.Received{{SpeciesID: "cod", Form: "gutted", Count: 1, WeightKg: 2, CoreC: &core, Ice: "well_iced", PlaceID: s.Lot.PlaceID}}})
		if err != nil {
			t.Fatal(err)
		}
	}
	seen, next, total := map[string]bool{}, "", 0
	for page := 0; page == 0 || next != ""; page++ {
		status, got := s.call("GET", "/api/v1/lots?limit=3&next="+next, "", "")
		if status != 200 {
			t.Fatalf("status %d: %v", status, got)
		}
		for _, l := range got["lots"].([]any) {
			seen[l.(map[string]any)["id"].(string)] = true
		}
		total = int(got["total"].(float64))
		next, _ = got["next"].(string)
	}
	if total < 8 || len(seen) != total {
		t.Errorf("%d of %d lots seen", len(seen), total)
	}
	for _, query := range []string{"limit=0", "limit=1001", "limit=x", "next=x", "next=e30"} {
		if status, got := s.call("GET", "/api/v1/lots?"+query, "", ""); status != 422 {
			t.Errorf("%s: status %d, %v", query, status, got)
		}
	}
}
