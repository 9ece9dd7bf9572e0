package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// cold adds a freezer, a thaw shelf and an ageing cabinet to the served kitchen, and returns
// their ids by kind.
func (s *site) cold() map[string]string {
	s.t.Helper()
	ids := map[string]string{}
	for _, p := range []kitchen.NewPlace{{Name: "Freezer", Kind: "freezer", SetC: -24},
		{Name: "Thaw shelf", Kind: "thaw_shelf", SetC: 1}, {Name: "Ager", Kind: "ager", SetC: 1.5}} {
		s.must(s.k.AddPlace(s.ctx, p))
	}
	places, err := s.k.Places(s.ctx)
	s.must(err)
	for _, p := range places {
		ids[p.Kind] = fmt.Sprint(p.ID)
	}
	return ids
}

// take takes a lot in like the one that is served, changed.
func (s *site) take(change func(*lot.Received)) string {
	s.t.Helper()
	line := s.received()
	change(&line)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: s.k.Now(),
		Lines: []lot.Received{line}}
	s.must(s.k.Receive(s.ctx, d))
	docket, err := s.k.DeliveryNote(s.ctx, d.ID)
	s.must(err)
	return docket.Rows[0].LotID.String()
}

func idOf(text string) int64 {
	n, _ := strconv.ParseInt(text, 10, 64)
	return n
}

// holds checks that a page has all of some texts.
func holds(t *testing.T, what, page string, texts ...string) {
	t.Helper()
	for _, text := range texts {
		if !strings.Contains(page, text) {
			t.Errorf("%s: there is no %q", what, text)
		}
	}
}

// A freezing is asked about before it is done; what was typed wrong stands beside
// its field and stays, and nothing is frozen.
func TestFreezingForms(t *testing.T) {
	s := serve(t)
	places := s.cold()
	id := s.take(func(r *lot.Received) { r.Form, r.Count, r.WeightKg = "fillet_skin_on", 6, 1.2 })
	status, page := s.get("/k/quay/cold/freezer/freeze?lot=" + id)
	if status != 200 || !strings.Contains(page, "Say how it is frozen") {
		t.Fatalf("status %d", status)
	}
	_, page = s.get("/k/quay/cold/freezer/freeze?wrapping=bare&lot=" + id)
	holds(t, "the forecast", page, "Core temperature at −18 °C", "from 0 to −5 °C", "Freeze 1.20 kg now",
		`<svg class="frost"`)

	form := url.Values{"lot": {id}, "place_id": {places["freezer"]}, "way": {"fan"}, "wrapping": {"bare"},
		"thickness_mm": {"abc"}, "shape": {"slab"}, "start_celsius": {"1,5"}, "air_celsius": {"4"}, "prep": {"bled"},
		"batch": {kitchen.NewID().String()}}
	status, page = s.submit("/k/quay/cold/freezer/freeze", form)
	if status != http.StatusUnprocessableEntity {
		t.Errorf("an unreadable thickness: status %d", status)
	}
	holds(t, "the form that came back", page, "is not a number", `value="abc"`, `value="1,5"`, `value="bled" checked`)
	form.Set("thickness_mm", "18")
	if status, page = s.press("/k/quay/cold/freezer/freeze", form); status != http.StatusUnprocessableEntity ||
		!strings.Contains(page, "it would not freeze") {
		t.Errorf("air of 4 °C: status %d", status)
	}
	form.Set("air_celsius", "-24")
	if _, page = s.submit("/k/quay/cold/freezer/freeze", form); !strings.Contains(page, "Freeze 1.20 kg now") {
		t.Error("the first press shows no forecast")
	}
	if status, page = s.press("/k/quay/cold/freezer/freeze", form); status != 200 {
		t.Fatalf("status %d: %s", status, page)
	}
	holds(t, "the batch", page, "frozen since", "Log a core temperature", "Done before: bled")
	s.press("/k/quay/cold/freezer/freeze", form) // sent twice
	if _, page = s.get("/k/quay/lots/" + id); strings.Count(page, "To freeze") < 1 || strings.Contains(page,
		"event-3") {
		t.Error("the batch was frozen twice")
	}
	holds(t, "the card", page, "Frozen", "Its batch", "Plan a thaw")
	if status, page = s.get("/k/quay/lots/" + id + "/certificate.pdf"); status != http.StatusConflict ||
		!strings.Contains(page, "nothing to certify yet") {
		t.Errorf("a certificate of the first hour: status %d", status)
	}
	for _, path := range []string{"/cold/freezer", "/declarations", "/cold/thaw", "/cold/thaw/plan", "/cold/ageing",
		"/cold/ageing/plans", "/cold/ageing/start"} {
		if status, page := s.get("/k/quay" + path); status != 200 || !strings.Contains(page, "Local codes go first") {
			t.Errorf("%s: status %d, or no word of local codes", path, status)
		}
	}
	for _, path := range []string{"/cold/freezer/batches/no", "/cold/freezer/batches/" + kitchen.NewID().String(),
		"/cold/thaw/plans/" + kitchen.NewID().String(), "/lots/" + id + "/ageing"} {
		if status, _ := s.get("/k/quay" + path); status != http.StatusNotFound {
			t.Errorf("%s: status %d", path, status)
		}
	}
}

// A thaw is refused with its reason, planned, written as a sheet and a calendar;
// hostile numbers are errors of their fields.
func TestThawForms(t *testing.T) {
	s := serve(t)
	places := s.cold()
	core := -22.0
	s.take(func(r *lot.Received) {
		r.Form, r.Frozen, r.CoreC, r.Count, r.WeightKg, r.Ice = "fillet_skinless", true, &core, 10, 1.6, "none"
		r.PlaceID = idOf(places["freezer"])
	})
	serveAt := s.k.Now().Add(40 * time.Hour).UTC().Format(form.LocalTime)
	form := url.Values{"what": {"cod/fillet_skinless"}, "portions": {"4"}, "portion": {"160"}, "serve_at": {serveAt},
		"end_use": {"cook"}, "method": {""}, "thickness_mm": {""}}
	ask := func(field, value string) (int, string) {
		changed := url.Values{}
		for k, v := range form {
			changed[k] = v
		}
		changed.Set(field, value)
		return s.submit("/k/quay/cold/thaw/plan", changed)
	}
	if _, page := ask("portions", "4"); !strings.Contains(page, "Save this plan") {
		t.Fatal("no plan for four portions")
	}
	for field, c := range map[string]struct{ value, says string }{
		"portions": {"-3", "must be between 1"}, "portion": {"NaN", "is not a number"},
		"serve_at":     {"2001-01-01T10:00", "must lie in the next two weeks"},
		"thickness_mm": {"1e9", "must be between 3 and 500 mm"}, "what": {"<script>/x", "choose what is thawed"},
		"end_use": {"", "say whether it is cooked or served raw"},
	} {
		status, page := ask(field, c.value)
		if status != http.StatusUnprocessableEntity || !strings.Contains(page, c.says) || strings.Contains(page,
			"<script>/x") {
			t.Errorf("%s of %q: status %d", field, c.value, status)
		}
	}
	if _, page := ask("end_use", "raw"); !strings.Contains(page, "not for raw service") {
		t.Error("fish without a route may be thawed to be served raw")
	}
	id := kitchen.NewID().String()
	form.Set("new_id", id)
	status, page := s.press("/k/quay/cold/thaw/plan", form)
	if status != 200 {
		t.Fatalf("status %d", status)
	}
	holds(t, "the plan", page, "Pull: unwrapped", "Measure the core", "Plan the rest again")
	if _, page = s.get("/k/quay/cold/thaw/plans/" + id + "/sheet"); !strings.Contains(page,
		"Closed vacuum packs are opened first") {
		t.Error("the sheet does not warn")
	}
	if _, calendar := s.get("/k/quay/cold/thaw/plans/" + id + "/thaw.ics"); !strings.HasPrefix(calendar,
		"BEGIN:VCALENDAR") || strings.Count(calendar, "BEGIN:VEVENT") < 5 {
		t.Error("the calendar is none")
	}
	tick := url.Values{"line": {"1"}, "seq": {"1"}, "event": {kitchen.NewID().String()}, "core_celsius": {"ice"}}
	if status, page = s.submit("/k/quay/cold/thaw/plans/"+id+"/steps",
		tick); status != http.StatusUnprocessableEntity || !strings.Contains(page, "is not a number") {
		t.Errorf("a core that is no number: status %d", status)
	}
	tick.Set("core_celsius", "")
	if status, _ = s.submit("/k/quay/cold/thaw/plans/"+id+"/steps", tick); status != 200 {
		t.Errorf("pulled: status %d", status)
	}
	due, err := s.k.DueBy(s.ctx, s.k.Now().Add(48*time.Hour))
	s.must(err)
	if !slices.ContainsFunc(due, func(d kitchen.Due) bool { return strings.HasPrefix(d.Do, "Measure the core") }) {
		t.Error("what is due does not know of the thaw")
	}
	tick.Set("seq", "999")
	if status, page = s.submit("/k/quay/cold/thaw/plans/"+id+"/steps",
		tick); status != http.StatusUnprocessableEntity || !strings.Contains(page, "the plan has changed") {
		t.Errorf("a step that is none: status %d", status)
	}
}

// The forms of the ageing cabinet come back with what was typed; a fish that hangs has a
// page, and what is posted to it twice is stored once.
func TestAgeingForms(t *testing.T) {
	s := serve(t)
	places := s.cold()
	id := s.take(func(r *lot.Received) {
		r.SpeciesID, r.Form, r.Count, r.WeightKg = "sea-bream", "gutted_gills_out", 1, 1.8
	})
	form := url.Values{"lot": {id}, "place_id": {places["ager"]}, "hook": {"one"}, "kg": {"1,8"}, "school": {"long_age"},
		"target": {"8"}, "hanging": {"head_down"}, "cents_per_kg": {"free"}, "opened": {`"><script>x`},
		"event": {kitchen.NewID().String()},
		"prep":  {"gutted", "gilled", "scaled", "kidney", "dried", "apart"}}
	status, page := s.press("/k/quay/cold/ageing/start", form)
	if status != http.StatusUnprocessableEntity || strings.Contains(page, "<script>x") {
		t.Errorf("status %d, or the reason is markup", status)
	}
	holds(t, "the gate", page, "is not a whole number", "is not an amount", `value="one"`, `value="free"`,
		"May it be aged?")
	form.Set("hook", "1")
	form.Set("cents_per_kg", "12.50")
	form.Set("opened", "trial of the manager")
	if status, page = s.press("/k/quay/cold/ageing/start", form); status != 200 {
		t.Fatalf("status %d", status)
	}
	holds(t, "the fish", page, "Lost, day 0", "Look, smell, touch", "In other air", `<svg class="drying"`)
	s.press("/k/quay/cold/ageing/start", form)
	post := func(what string, fields url.Values) (int, string) {
		fields.Set("event", kitchen.NewID().String())
		return s.submit("/k/quay/lots/"+id+"/ageing/"+what, fields)
	}
	if status, page = post("weigh", url.Values{"kg": {"-2"}}); status != http.StatusUnprocessableEntity ||
		!strings.Contains(page, `value="-2"`) {
		t.Errorf("a weight below 0: status %d", status)
	}
	if status, page = post("weigh", url.Values{"kg": {"9"}}); status != http.StatusUnprocessableEntity ||
		!strings.Contains(page, "another fish on the hook") {
		t.Errorf("9 kg: status %d", status)
	}
	if status, page = post("check", url.Values{"sign-smell": {"fine"}}); status != http.StatusUnprocessableEntity ||
		strings.Count(page, "choose one") != 4 || !strings.Contains(page, `name="sign-smell" value="fine" checked`) {
		t.Errorf("four taps missing: status %d, %d asked", status, strings.Count(page, "choose one"))
	}
	if status, page = post("take-out", url.Values{"kg": {"1.7"}, "crust_kg": {"2"}, "usable_kg": {"0"},
		"place_id": {places["thaw_shelf"]}}); status != http.StatusUnprocessableEntity || !strings.Contains(page,
		"less than the fish") {
		t.Errorf("more crust than fish: status %d", status)
	}
	if status, _ = post("eat", url.Values{}); status != http.StatusNotFound {
		t.Errorf("an act that there is not: status %d", status)
	}
	if status, page = s.submit("/k/quay/cold/ageing/places/"+places["ager"],
		url.Values{"set": {"1"}, "rh": {"12"}, "step": {"0"}}); status != http.StatusUnprocessableEntity {
		t.Errorf("12 %% and no step: status %d", status)
	}
	holds(t, "the settings", page, "must be between 30 and 100", "must be above 0 and at most 100 g", `value="12"`)
	if status, page = s.submit("/k/quay/cold/ageing/plans",
		url.Values{"new_id": {kitchen.NewID().String()}, "reference": {""}, "days": {"x"},
			"celsius": {"2"}}); status != http.StatusUnprocessableEntity || !strings.Contains(page, `value="x"`) {
		t.Errorf("a plan without a number: status %d", status)
	}
	if _, page = s.get("/k/quay/cold/ageing"); strings.Count(page, `class="cab-fish"`) != 1 {
		t.Error("one fish hangs")
	}
	if _, page = s.get("/k/quay/board"); !strings.Contains(page, "take out") {
		t.Error("the board does not say when it is taken out")
	}
}

// What was cooked is raw fish no more, and what is frozen or hangs is not cooked
// where it is, whoever asks.
func TestCookedByTheAPI(t *testing.T) {
	s := serve(t)
	places := s.cold()
	core := -22.0
	frozen := s.take(func(r *lot.Received) {
		r.Form, r.Frozen, r.CoreC, r.Ice, r.PlaceID = "fillet_skinless", true, &core, "none", idOf(places["freezer"])
	})
	write := func(id, kind, data string) (int, string) {
		status, got := s.post("/api/v1/lots/"+id+"/events",
			fmt.Sprintf(`{"id":%q,"kind":%q,"happened_at":%q,"data":%s}`, kitchen.NewID(), kind,
				s.k.Now().Format(time.RFC3339Nano), data))
		return status, fmt.Sprint(got)
	}
	if status, got := write(frozen, "cooked", `{"core_celsius":70}`); status != http.StatusUnprocessableEntity ||
		!strings.Contains(got, "is frozen") {
		t.Errorf("cooked in the freezer: %d %s", status, got)
	}
	cod := s.lot.LotID.String()
	for _, c := range []struct {
		kind, data, says string
		status           int
	}{
		{"cooked", `{"core_celsius":55}`, "cook on to", 422},
		{"cooked", `{"core_celsius":250}`, "core_celsius", 422},
		{"temperature", `{"celsius":62}`, "celsius", 422},
		{"cooked", `{"core_celsius":68}`, "", 201},
		{"temperature", `{"celsius":62}`, "", 201},
		{"cooked", `{"core_celsius":68}`, "raw fish no more", 422},
		{"inspected", `{"fish":[{"smell":0,"skin":0,"belly":0,"stiffness":0,"eye_shape":0}]}`, "raw fish no more", 422},
		{"froze", `{"place_id":` + places["freezer"] + `}`, "raw fish no more", 422},
		{"pulled", `{"place_id":` + places["thaw_shelf"] + `}`, "raw fish no more", 422},
		{"hung", `{}`, "raw fish no more", 422},
		{"temperature", `{"celsius":20}`, "", 201},
		{"temperature", `{"celsius":4}`, "", 201},
	} {
		if status, got := write(cod, c.kind, c.data); status != c.status || !strings.Contains(got, c.says) {
			t.Errorf("%s %s: %d, want %d with %q: %s", c.kind, c.data, status, c.status, c.says, got)
		}
	}
	_, page := s.get("/k/quay/lots/" + cod)
	holds(t, "the card", page, "Cooked: good for", "to its date mark", "Cooked, cooling")
	if strings.Contains(page, "/lots/"+cod+"/inspect") {
		t.Error("cooked fish is offered for a look at its freshness")
	}
	if _, got := s.call("GET", "/api/v1/lots/"+cod, "", ""); !strings.Contains(fmt.Sprint(got["fitness"]),
		"cooked: serve it from the chill") {
		t.Errorf("fitness: %v", got["fitness"])
	}
}
