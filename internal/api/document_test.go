package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/kitchen"
)

// described is the document, strict: what it does not name may not be in an answer.
func described(t *testing.T) routers.Router {
	t.Helper()
	doc, err := openapi3.NewLoader().LoadFromData(document())
	if err != nil {
		t.Fatal(err)
	}
	for name, s := range doc.Components.Schemas {
		if !strings.HasPrefix(name, "data.") {
			strict(s)
		}
	}
	for _, path := range doc.Paths.Map() {
		for _, op := range path.Operations() {
			for _, r := range op.Responses.Map() {
				for _, c := range r.Value.Content {
					strict(c.Schema)
				}
			}
		}
	}
	router, err := gorillamux.NewRouter(doc)
	if err != nil {
		t.Fatal(err)
	}
	return router
}

func strict(s *openapi3.SchemaRef) {
	if s == nil || s.Value == nil {
		return
	}
	if len(s.Value.Properties) > 0 && s.Value.AdditionalProperties.Has == nil && s.Value.AdditionalProperties.Schema == nil {
		no := false
		s.Value.AdditionalProperties.Has = &no
	}
	for _, p := range s.Value.Properties {
		strict(p)
	}
	strict(s.Value.Items)
}

// Every path answers as the document says, what is right and what is wrong alike.
func TestAnswersFitTheDocument(t *testing.T) {
	s, router := serve(t), described(t)
	lotPath := "/lots/" + s.Lot.LotID.String()
	now := s.Now().Format(time.RFC3339Nano)
	event := func(kind, data string) string {
		return fmt.Sprintf(`{"id":%q,"kind":%q,"happened_at":%q,"data":%s}`, kitchen.NewID(), kind, now, data)
	}
	series := `[{"at":"2026-03-01T00:00:00Z","celsius":1},{"at":"2026-03-01T06:00:00Z","celsius":2}]`
	senml := fmt.Sprintf(`[{"n":"walk-in-1","u":"Cel","t":%d,"v":1.5},{"n":"x","u":"Cel","v":1}]`, s.Now().Unix())
	span := "?from=" + s.Now().Add(-2*time.Hour).Format(time.RFC3339) + "&to=" + s.Now().Format(time.RFC3339)
	calls := []struct {
		method, path, body string
		status             int
	}{
		{"GET", "/openapi.json", "", 200},
		{"GET", "/events/schema", "", 200},
		{"GET", "/species", "", 200},
		{"GET", "/schemes", "", 200},
		{"GET", "/explanations", "", 200},
		{"GET", "/findings", "", 200},
		{"POST", "/calc/exposure", `{"model":"temperate","readings":` + series + `,"shelf_life_days":6,"hold_celsius":1}`, 200},
		{"POST", "/calc/exposure", `{"model":"lukewarm","readings":[]}`, 422},
		{"POST", "/calc/freshness", `{"scheme":"demerit20","species":"cod","form":"whole",` +
			`"fish":[{"skin":1},{"skin":2}],"count":2,"claimed_ice_days":2,"claimed_sd":1}`, 200},
		{"POST", "/calc/freshness", `{"scheme":"taste","species":"cod","form":"whole","fish":[{"skin":1}]}`, 422},
		{"POST", "/calc/rigor", `{"species":"cod","celsius":0,"stressed":true}`, 200},
		{"POST", "/calc/rigor", `{"species":"unicorn","celsius":0}`, 422},
		{"POST", "/calc/ice", `{"species":"cod","fish_kg":10,"from_celsius":10,"inner_mm":[600,400,300],"wall_mm":30,` +
			`"wall_w_mk":0.035,"outside_celsius":15,"hours":8}`, 200},
		{"POST", "/calc/ice", `{"species":"cod","fish_kg":-1,"from_celsius":10}`, 422},
		{"POST", "/calc/histamine", `{"death_at":"2026-02-28T20:00:00Z","chilled_at":"2026-02-28T23:00:00Z",` +
			`"gutted_before_chilling":false,"max_ambient_celsius":20,"readings":` + series + `,"frozen_weeks":0}`, 200},
		{"POST", "/calc/histamine", `{"readings":[],"frozen_weeks":-1}`, 422},
		{"POST", "/calc/heat", `{"species":"cod","shape":"slab","thickness_mm":20,"start_celsius":5,"medium_celsius":-30,` +
			`"h_w_m2k":25,"until":{"part":"core","op":"le","celsius":-18}}`, 200},
		{"POST", "/calc/heat", `{"species":"cod","shape":"cube","thickness_mm":20}`, 422},
		{"POST", "/calc/parasite", `{"profile":"eu","species":"cod","readings":` + series + `}`, 200},
		{"POST", "/calc/parasite", `{"profile":"mine","species":"cod","readings":[]}`, 422},
		{"POST", "/calc/frozen-life", `{"fat_class":"lean","readings":[{"at":"2026-01-01T00:00:00Z","celsius":-20},` +
			`{"at":"2026-02-01T00:00:00Z","celsius":-20}]}`, 200},
		{"POST", "/calc/frozen-life", `{"fat_class":"thin","readings":[]}`, 422},
		{"POST", "/calc/thaw", `{"species":"cod","form":"fillet_skinless","thickness_mm":20,"start_celsius":-20,` +
			`"method":"fridge","medium_celsius":2,"serve_at":"2026-03-02T19:00:00Z","vacuum_packed":false}`, 200},
		{"POST", "/calc/thaw", `{"species":"cod","form":"soup","thickness_mm":20}`, 422},
		{"POST", "/calc/ageing", `{"species":"sea-bream","start_kg":2,"celsius":2,"rh":0.8,"target_loss":0.08,` +
			`"weigh_ins":[{"at":"2026-03-01T00:00:00Z","kg":2},{"at":"2026-03-04T00:00:00Z","kg":1.93}]}`, 200},
		{"POST", "/calc/ageing", `{"species":"sea-bream","weigh_ins":[]}`, 422},
		{"POST", "/calc/yield", `{"whole_kg":4.5,"whole_price_per_kg":19,"yield":0.5,"fee":9,"fillet_price_per_kg":38}`, 200},
		{"POST", "/calc/yield", `{"whole_kg":4.5,"yield":1.2}`, 422},
		{"POST", "/calc/portion", `{"species":"salmon","form":"fillet_skin_on","length_mm":520,"weight_kg":1.1,"portion_g":170}`, 200},
		{"POST", "/calc/portion", `{"species":"salmon","form":"soup","length_mm":520,"weight_kg":1.1,"portion_g":170,"pieces":3}`, 422},
		{"POST", "/calc/split-cost", `{"landed_cost":85,"labour_minutes":20,"wage_per_hour":21,"by":"value",` +
			`"parts":[{"name":"fillet","kg":2.4,"value_per_kg":38},{"name":"frame","kg":1.1,"value_per_kg":2},{"name":"waste","kg":0.8}]}`, 200},
		{"POST", "/calc/split-cost", `{"landed_cost":85,"by":"taste","parts":[]}`, 422},
		{"POST", "/calc/order", `{"covers":62,"covers_sd":9,"share":0.3,"portion_g":80,"yield":0.45,"service_level":0.9}`, 200},
		{"POST", "/calc/order", `{"covers":62,"portion_g":80,"yield":0.45,"service_level":0.9,"waste_cost":3}`, 422},
		{"POST", "/calc/properties", `{"species":"cod","celsius":-10}`, 200},
		{"POST", "/calc/properties", `{"species":"cod","celsius":900}`, 422},
		{"POST", "/calc/history", `{"species":"cod","received":{"at":"2026-03-01T00:00:00Z","ice":"none","place":"w"},` +
			`"places":[{"id":"w","kind":"walk_in","sources":[{"id":"w","kind":"logger","readings":` + series + `}]}],` +
			`"events":[{"kind":"temperature","at":"2026-03-01T01:00:00Z","celsius":1}],"at":["2026-03-01T02:00:00Z"]}`, 200},
		{"POST", "/calc/history", `{"species":"cod","received":{"place":"w"},"at":[]}`, 422},
		{"GET", "/lots?on_hand=true", "", 200},
		{"GET", lotPath, "", 200},
		{"GET", "/lots/" + kitchen.NewID().String(), "", 404},
		{"GET", lotPath + "/events", "", 200},
		{"GET", "/lots/" + kitchen.NewID().String() + "/events", "", 404},
		{"POST", lotPath + "/events", event("temperature", `{"celsius":1.5}`), 201},
		{"POST", lotPath + "/events", event("temperature", `{"celsius":300}`), 422},
		{"GET", lotPath + "/exposure" + span, "", 200},
		{"GET", lotPath + "/exposure?from=now", "", 422},
		{"GET", lotPath + "/epcis", "", 200},
		{"GET", "/lots/" + kitchen.NewID().String() + "/epcis", "", 404},
		{"GET", "/export/deliveries.csv", "", 200},
		{"GET", "/export/records.xlsx?from=" + s.Now().Format(time.DateOnly), "", 200},
		{"GET", "/export/records.pdf", "", 200},
		{"GET", "/export/deliveries.pdf", "", 404},
		{"GET", "/export/deliveries.csv?from=2026-02-30", "", 422},
		{"GET", "/due.ics?token=" + s.Token, "", 404}, // which may more, and is no calendar's
		{"GET", "/places", "", 200},
		{"GET", "/alarms", "", 200},
		{"POST", "/readings", senml, 200},
		{"POST", "/readings", `{"n":"p"}`, 400},
	}
	seen := map[string]bool{}
	for _, c := range calls {
		req, err := http.NewRequest(c.method, s.url+Path+c.path, strings.NewReader(c.body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+s.Token)
		if c.body != "" {
			req.Header.Set("Content-Type", "application/json")
		}
		if c.path == "/readings" {
			req.Header.Set("Content-Type", "application/senml+json")
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(res.Body)
		res.Body.Close()
		if err != nil || res.StatusCode != c.status {
			t.Errorf("%s %s: status %d, want %d: %.300s", c.method, c.path, res.StatusCode, c.status, body)
			continue
		}
		inDoc, err := http.NewRequest(c.method, "/api/v1"+c.path, strings.NewReader(c.body))
		if err != nil {
			t.Fatal(err)
		}
		inDoc.Header = req.Header
		route, params, err := router.FindRoute(inDoc)
		if err != nil {
			t.Errorf("%s %s is not in the document: %v", c.method, c.path, err)
			continue
		}
		seen[c.method+" "+route.Path] = true
		input := &openapi3filter.ResponseValidationInput{
			RequestValidationInput: &openapi3filter.RequestValidationInput{Request: inDoc, PathParams: params, Route: route},
			Status:                 res.StatusCode, Header: res.Header, Body: io.NopCloser(bytes.NewReader(body)),
			Options: &openapi3filter.Options{IncludeResponseStatus: true},
		}
		if err := openapi3filter.ValidateResponse(t.Context(), input); err != nil {
			why, _, _ := strings.Cut(err.Error(), "\n")
			t.Errorf("%s %s, status %d: %s", c.method, c.path, c.status, why)
		}
	}
	for _, r := range New(&kitchen.Kitchen{}, nobody{}, nil, nil).Routes() {
		if at := r.Method + " " + inDocument.ReplaceAllString(strings.TrimPrefix(r.Path, Path), "{$1}"); !seen[at] {
			t.Errorf("%s was not called", at)
		}
	}
}

// Every kind of event has a schema, which says what must be sent and refuses what does
// not belong there; an error in the data names its field as it was sent.
func TestSchemasOfEvents(t *testing.T) {
	s := serve(t)
	status, got := s.call("GET", Path+"/events/schema", "", "", "Authorization", "")
	kinds, _ := got["kinds"].([]any)
	if status != 200 || len(kinds) != len(lot.Kinds()) {
		t.Fatalf("status %d, %d kinds of %d", status, len(kinds), len(lot.Kinds()))
	}
	doc, err := openapi3.NewLoader().LoadFromData(document())
	if err != nil {
		t.Fatal(err)
	}
	stored := lottest.Stored(t)
	for _, e := range eventSchemas() {
		schema := doc.Components.Schemas["data."+string(e.Kind)]
		if e.Name == "" || e.Schema.Type != "object" || schema == nil {
			t.Errorf("%s: %+v", e.Kind, e)
			continue
		}
		if e.Kind == "inspected" || !e.Written { // more is stored than is sent
			continue
		}
		for _, text := range stored[e.Kind] {
			var data any
			if err := json.Unmarshal([]byte(text), &data); err != nil {
				t.Fatal(err)
			}
			if err := schema.Value.VisitJSON(data); err != nil {
				t.Errorf("%s: the stored text does not fit its schema: %v", e.Kind, err)
			}
		}
	}
	required := map[lot.Kind]string{"moved": "place_id", "held": "reason", "accounted": "until account",
		"inspected": "scheme fish", "tested": "plan results lab"}
	for _, e := range eventSchemas() {
		if want, ok := required[e.Kind]; ok && strings.Join(e.Schema.Required, " ") != want {
			t.Errorf("%s requires %v, want %s", e.Kind, e.Schema.Required, want)
		}
	}
	path := Path + "/lots/" + s.Lot.LotID.String() + "/events"
	body := fmt.Sprintf(`{"id":%q,"kind":"froze","happened_at":%q,"data":{"place_id":1,"thickness_mm":900}}`,
		kitchen.NewID(), s.Now().Format(time.RFC3339Nano))
	status, got = s.post(path, body)
	text, _ := json.Marshal(got["errors"])
	if status != 422 || !strings.Contains(string(text), `"field":"data.thickness_mm"`) {
		t.Errorf("900 mm: status %d, %s", status, text)
	}
}
