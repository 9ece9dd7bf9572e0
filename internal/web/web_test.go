package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// site is a served kitchen with one lot of cod in a walk-in that has a probe.
type site struct {
	*httptest.Server
	t     *testing.T
	k     *kitchen.Kitchen
	ctx   context.Context
	token string
	lot   kitchen.Row
}

func serve(t *testing.T) *site {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	s := &site{t: t, k: kitchen.New(storetest.New(t), log)}
	ctx := context.Background()
	made, err := s.k.AddSite(ctx, kitchen.Setup{Name: "Quay", TimeZone: "UTC", Profile: "eu", People: []kitchen.NewPerson{{Name: "Mara", Role: "manager"}},
		Places: []kitchen.NewPlace{{Name: "Walk-in", Kind: "walk_in", SetC: 1, Contact: true}}})
	s.must(err)
	ctx = store.WithSite(ctx, made.ID)
	people, err := s.k.DB.People(ctx, made.ID)
	s.must(err)
	places, err := s.k.DB.Places(ctx, made.ID)
	s.must(err)
	s.ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: made, Person: people[0]})
	_, err = s.k.AddProbe(s.ctx, kitchen.NewProbe{Name: "walk-in-1", Kind: kitchen.Fixed, PlaceID: places[0].ID})
	s.must(err)
	caught, core := s.k.Now().Add(-24*time.Hour), 0.5
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: s.k.Now().Add(-time.Hour), Lines: []lot.Received{{SpeciesID: "cod", Form: "whole", Count: 1,
		WeightKg: 2, CoreC: &core, Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, PlaceID: places[0].ID}}}
	s.must(s.k.Receive(s.ctx, d))
	docket, err := s.k.DeliveryNote(s.ctx, d.ID)
	s.must(err)
	s.lot = docket.Rows[0]
	s.token, err = s.k.AddToken(s.ctx, kitchen.NewToken{Name: "test", Scopes: []access.Scope{access.ScopeRead, access.ScopeWrite}})
	s.must(err)
	server, err := New(s.k, log, Options{SignedIn: true})
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

// call sends a request with the token and returns the status and the JSON answer.
func (s *site) call(method, path, contentType, body string, headers ...string) (int, map[string]any) {
	s.t.Helper()
	req, err := http.NewRequest(method, s.URL+path, strings.NewReader(body))
	s.must(err)
	req.Header.Set("Authorization", "Bearer "+s.token)
	req.Header.Set("Content-Type", contentType)
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	s.must(err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	s.must(err)
	out := map[string]any{}
	if strings.Contains(res.Header.Get("Content-Type"), "json") {
		if err := json.Unmarshal(text, &out); err != nil {
			s.t.Fatalf("%s %s: %v in %s", method, path, err, text)
		}
	}
	if res.StatusCode >= 400 && strings.HasPrefix(path, "/api/") && res.Header.Get("Content-Type") != "application/problem+json" {
		s.t.Errorf("%s %s: status %d as %s", method, path, res.StatusCode, res.Header.Get("Content-Type"))
	}
	return res.StatusCode, out
}

func (s *site) post(path, body string) (int, map[string]any) {
	s.t.Helper()
	return s.call("POST", path, "application/json", body)
}

// The OpenAPI document and the routes name the same calls.
func TestOpenAPIAndRoutesAgree(t *testing.T) {
	var doc struct {
		Paths map[string]map[string]json.RawMessage
	}
	if err := json.Unmarshal(openAPI, &doc); err != nil {
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
	for _, route := range (&Server{limits: newLimiter()}).routes() {
		if path, ok := strings.CutPrefix(route.path, apiPath); ok {
			routed = append(routed, route.method+" "+strings.ReplaceAll(path, ":id", "{id}"))
		}
	}
	slices.Sort(described)
	slices.Sort(routed)
	if !slices.Equal(described, routed) {
		t.Errorf("described %v\nrouted    %v", described, routed)
	}
}

func TestCalcExposure(t *testing.T) {
	s := serve(t)
	at := func(h int) string {
		return time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(h) * time.Hour).Format(time.RFC3339)
	}
	series := func(pairs ...float64) string {
		var parts []string
		for i := 0; i < len(pairs); i += 2 {
			parts = append(parts, fmt.Sprintf(`{"at":%q,"celsius":%v}`, at(int(pairs[i])), pairs[i+1]))
		}
		return "[" + strings.Join(parts, ",") + "]"
	}
	for _, c := range []struct {
		name, body string
		status     int
		want       map[string]float64
	}{
		{"a day at 0 °C", `{"model":"temperate","readings":` + series(0, 0, 24, 0) + `,"shelf_life_days":6,"hold_celsius":5}`, 200,
			map[string]float64{"ice_days": 1, "hours": 24, "life_left_ice_days": 5, "life_left_days": 5 / 2.25}},
		{"a ramp to 10 °C, closed form", `{"model":"temperate","readings":` + series(0, 0, 24, 10) + `}`, 200, map[string]float64{"ice_days": 7.0 / 3, "max_celsius": 10, "hours_above_4_4": 13.44}},
		{"warm water", `{"model":"warm","readings":` + series(0, 10, 24, 10) + `}`, 200, map[string]float64{"ice_days": math.Exp(1.2)}},
		{"a gap, along the line", `{"model":"temperate","readings":` + series(0, 0, 1, 0, 2, 0, 12, 0) + `}`, 200, map[string]float64{"assumed_hours": 10, "ice_days": 0.5}},
		{"a gap, at the set temperature + 2", `{"model":"temperate","set_celsius":3,"readings":` + series(0, 0, 1, 0, 2, 0, 12, 0) + `}`, 200, map[string]float64{"assumed_hours": 10, "ice_days": (2 + 10*2.25) / 24}},
		{"above the rule", `{"model":"temperate","readings":` + series(0, 26, 2, 26) + `}`, 200, map[string]float64{"hours_above_25": 2, "hours_above_21_1": 2}},
		{"one reading", `{"model":"temperate","readings":` + series(0, 0) + `}`, 422, nil},
		{"backwards", `{"model":"temperate","readings":` + series(2, 0, 1, 0) + `}`, 422, nil},
		{"70 °C", `{"model":"temperate","readings":` + series(0, 0, 1, 70) + `}`, 422, nil},
		{"no model", `{"readings":` + series(0, 0, 1, 0) + `}`, 422, nil},
		{"an unknown field", `{"model":"warm","fish":1,"readings":` + series(0, 0, 1, 0) + `}`, 422, nil},
		{"held where there is no rule", `{"model":"warm","hold_celsius":30,"shelf_life_days":5,"readings":` + series(0, 0, 1, 0) + `}`, 422, nil},
		{"not JSON", `model=warm`, 400, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, got := s.post("/api/v1/calc/exposure", c.body)
			if status != c.status {
				t.Fatalf("status %d: %v", status, got)
			}
			for field, want := range c.want {
				if v, ok := got[field].(float64); !ok || math.Abs(v-want) > 1e-9 {
					t.Errorf("%s = %v, want %v", field, got[field], want)
				}
			}
			if c.name == "above the rule" && (got["ice_days"] != nil || got["hold"] != true) {
				t.Errorf("ice_days %v, hold %v: want null and true", got["ice_days"], got["hold"])
			}
		})
	}
}

func TestCalcFreshness(t *testing.T) {
	s := serve(t)
	eight := `{"skin":1,"blood_spots":1,"stiffness":2,"belly":1,"smell":1,"eye_clarity":1,"eye_shape":1,"gill_colour":0,"gill_smell":0}`
	status, got := s.post("/api/v1/calc/freshness", `{"scheme":"demerit20","species":"cod","form":"whole","fish":[`+eight+`],"claimed_ice_days":2,"claimed_sd":1}`)
	if status != 200 || got["index"] != 8.0 || got["index_max"] != 20.0 || got["read_age_ice_days"] != 6.0 || got["grade"] != "fair" {
		t.Errorf("status %d: %v", status, got)
	}
	if gap, _ := got["age_gap"].(float64); math.Abs(gap-4/math.Hypot(1, 12*math.Hypot(0.14, 0.06))) > 1e-9 {
		t.Errorf("gap %v", got["age_gap"])
	}
	status, got = s.post("/api/v1/calc/freshness", `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"smell":3,"skin":0,"belly":0,"stiffness":0,"eye_shape":0}]}`)
	if stops, _ := got["hard_stops"].([]any); status != 200 || got["verdict"] != "refuse" || len(stops) != 1 || got["age_gap"] != nil {
		t.Errorf("stale fish: status %d, %v", status, got)
	}
	for name, body := range map[string]string{
		"unknown species": `{"scheme":"demerit20","species":"unicorn","form":"whole","fish":[{"skin":0}]}`,
		"unknown sign":    `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"fins":0}]}`,
		"level too high":  `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"skin":9}]}`,
		"no fish":         `{"scheme":"demerit20","species":"cod","form":"whole","fish":[]}`,
		"wrong form":      `{"scheme":"demerit20","species":"cod","form":"loin","fish":[{"skin":0}]}`,
		"level as a text": `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"skin":"0"}]}`,
	} {
		if status, got := s.post("/api/v1/calc/freshness", body); status != 422 || got["errors"] == nil {
			t.Errorf("%s: status %d, %v", name, status, got)
		}
	}
}

// Every school answers over HTTP: its index, its grade and its verdict.
func TestCalcFreshnessOfEverySchool(t *testing.T) {
	s := serve(t)
	for name, c := range map[string]struct {
		body           string
		index          float64
		grade, verdict string
		age            bool
	}{
		"white":   {`{"scheme":"grade","species":"cod","form":"gutted","fish":[{"skin":1,"mucus":1,"eye":1,"gills":1,"smell":0,"flesh":1,"peritoneum":1}]}`, 24 * 6.0 / 21, "A", "accept", true},
		"oily":    {`{"scheme":"grade","species":"mackerel","form":"whole","fish":[{"skin":0,"mucus":0,"eye":0,"gills":0,"smell":3,"flesh":0,"cover":0}]}`, 3, "Not admitted", "refuse", true},
		"rays":    {`{"scheme":"grade","species":"thornback-ray","form":"gutted","fish":[{"eye":0,"appearance":0,"smell":0,"skin":0,"flesh":0,"fins":0,"belly":0}]}`, 0, "Extra", "accept", true},
		"quick":   {`{"scheme":"quick","species":"anglerfish","form":"tail","fish":[{"cut_face":0,"cavity":0,"smell":0,"press":2,"skin":0,"explanations":["spent"]}]}`, 0, "pass", "accept_cook", true},
		"cutface": {`{"scheme":"cutface","species":"yellowfin-tuna","form":"loin","fish":[{"flesh_tone":1,"bloodline":2,"surface":1,"gaping":0,"press":0,"liquid":0,"smell":0}]}`, 4, "fair", "refuse", true},
		"frozen":  {`{"scheme":"frozen","species":"salmon","form":"fillet_skin_on","frozen":true,"fish":[{"seal":0,"solid":0,"frost":1,"drip":2,"burn":0}]}`, 3, "worn", "hold", false},
	} {
		status, got := s.post("/api/v1/calc/freshness", c.body)
		index, _ := got["index"].(float64)
		if status != 200 || math.Abs(index-c.index) > 1e-9 || got["grade"] != c.grade || got["verdict"] != c.verdict || (got["read_age_ice_days"] != nil) != c.age {
			t.Errorf("%s: status %d, %v", name, status, got)
		}
	}
	// A box: the majority's grade, the spread, and a hard stop that opens it.
	status, got := s.post("/api/v1/calc/freshness", `{"scheme":"quick","species":"cod","form":"whole","count":24,"fish":[{"eyes":0,"gills":0,"smell":0,"press":0,"skin":0},{"eyes":0,"gills":0,"smell":2,"press":0,"skin":0}]}`)
	each, _ := got["fish"].([]any)
	if status != 200 || len(each) != 2 || got["open_whole_box"] != true || got["grade"] != "doubt" {
		t.Errorf("a box: status %d, %v", status, got)
	}
	// One eye that reads far older than the rest is named, with what it could be.
	status, got = s.post("/api/v1/calc/freshness", `{"scheme":"grade","species":"sardine","form":"whole","fish":[{"skin":0,"mucus":0,"eye":3,"gills":0,"smell":0,"flesh":0,"cover":0}]}`)
	mixed, _ := got["mixed_evidence"].([]any)
	if status != 200 || len(mixed) != 1 || mixed[0].(map[string]any)["sign"] != "eye" || len(mixed[0].(map[string]any)["could_be"].([]any)) == 0 {
		t.Errorf("one bad eye: status %d, %v", status, got)
	}
	for name, body := range map[string]string{
		"unknown scheme":             `{"scheme":"taste","species":"cod","form":"whole","fish":[{"skin":0}]}`,
		"unknown explanation":        `{"scheme":"quick","species":"cod","form":"whole","fish":[{"press":2,"explanations":["old_age"]}]}`,
		"explanation of other fish":  `{"scheme":"quick","species":"cod","form":"whole","fish":[{"skin":2,"explanations":["loose_scales"]}]}`,
		"explanations as a text":     `{"scheme":"quick","species":"cod","form":"whole","fish":[{"press":2,"explanations":"spent"}]}`,
		"more fish than in the box":  `{"scheme":"quick","species":"cod","form":"whole","count":1,"fish":[{"press":0},{"press":0}]}`,
		"a table of other fish":      `{"scheme":"grade-shark","species":"cod","form":"whole","fish":[{"eye":0}]}`,
		"a frozen scheme's own sign": `{"scheme":"frozen","species":"cod","form":"whole","fish":[{"skin":0}]}`,
	} {
		if status, got := s.post("/api/v1/calc/freshness", body); status != 422 || got["errors"] == nil {
			t.Errorf("%s: status %d, %v", name, status, got)
		}
	}
}

func TestDataNeedsAToken(t *testing.T) {
	s := serve(t)
	for _, header := range []string{"", "Bearer nonsense", "Basic YTpi"} {
		if status, _ := s.call("GET", "/api/v1/lots", "", "", "Authorization", header); status != 401 {
			t.Errorf("Authorization %q: status %d, want 401", header, status)
		}
	}
	if status, got := s.call("GET", "/api/v1/lots?on_hand=true", "", ""); status != 200 || len(got["lots"].([]any)) != 1 {
		t.Errorf("status %d: %v", status, got)
	}
}

func TestEventsByTheAPI(t *testing.T) {
	s := serve(t)
	path := "/api/v1/lots/" + s.lot.LotID.String() + "/events"
	event := func(id, kind, data string, seen int) string {
		return fmt.Sprintf(`{"id":%q,"kind":%q,"happened_at":%q,"seen":%d,"data":%s}`, id, kind, s.k.Now().Format(time.RFC3339Nano), seen, data)
	}
	id := kitchen.NewID().String()
	for range 2 { // the same id twice is one event
		if status, got := s.post(path, event(id, "temperature", `{"celsius":1.5}`, 1)); status != 201 || got["seq"] != 2.0 {
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
	if status, got := s.post(path, event(kitchen.NewID().String(), "inspected", fish, 2)); status != 201 || got["decision"] != "accept" {
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
	now := s.k.Now().Unix()
	pack := fmt.Sprintf(`[{"bn":"walk-in-1","bt":%d,"bu":"Cel","v":1.5},{"t":-300,"v":1.6},{"n":"x","v":1},{"t":86400,"v":1}]`, now)
	status, got := s.call("POST", "/api/v1/readings", "application/senml+json", pack)
	if refused, _ := got["refused"].([]any); status != 200 || got["stored"] != 2.0 || len(refused) != 2 {
		t.Errorf("status %d: %v", status, got)
	}
	if _, got = s.call("POST", "/api/v1/readings", "application/senml+json", pack); got["stored"] != 0.0 || got["duplicate"] != 2.0 {
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

func TestPagesOfOtherSitesCannotPost(t *testing.T) {
	s := serve(t)
	status, _ := s.call("POST", "/k/quay/lots/"+s.lot.LotID.String()+"/events/held", "application/x-www-form-urlencoded", "reason=x", "Sec-Fetch-Site", "cross-site", "Origin", "http://elsewhere.example")
	if status != 403 {
		t.Errorf("status %d, want 403", status)
	}
}

func TestHealth(t *testing.T) {
	s := serve(t)
	for _, path := range []string{"/healthz", "/readyz", "/metrics", "/api/v1/openapi.json", "/api/v1/species", "/api/v1/schemes"} {
		res, err := http.Get(s.URL + path)
		s.must(err)
		res.Body.Close()
		if res.StatusCode != 200 {
			t.Errorf("%s: status %d", path, res.StatusCode)
		}
	}
	s.k.DB.Close()
	if status, _ := s.call("GET", "/readyz", "", ""); status != 503 {
		t.Errorf("/readyz without a database: status %d, want 503", status)
	}
}
