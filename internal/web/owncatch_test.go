package web

import (
	"encoding/json"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/icing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// boxed adds a tote of ice to the site and returns its id.
func (s *site) boxed() string {
	s.t.Helper()
	s.must(s.k.AddPlace(s.ctx, kitchen.NewPlace{Name: "Deck box", Kind: "tote", OutsideC: 18,
		Box: &icing.Box{LengthMM: 600, WidthMM: 400, HeightMM: 300, WallMM: 30, WallWMK: 0.035}}))
	places, err := s.k.Places(s.ctx)
	s.must(err)
	var id strings.Builder
	s.must(json.NewEncoder(&id).Encode(places[len(places)-1].ID))
	return strings.TrimSpace(id.String())
}

// fields makes the fields of a form from pairs.
func fields(pairs ...string) url.Values {
	v := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		v.Add(pairs[i], pairs[i+1])
	}
	return v
}

func (s *site) holds(page string, texts ...string) {
	s.t.Helper()
	for _, text := range texts {
		if !strings.Contains(page, text) {
			s.t.Errorf("%q is not on the page", text)
		}
	}
}

// What is wrong with a catch is said beside its field, and what was typed is
// still there; a stamp of nonsense changes nothing.
func TestOwnCatchForms(t *testing.T) {
	s := serve(t)
	box := s.boxed()
	status, page := s.submit("/k/quay/deliveries/own-catch",
		fields("new_id", kitchen.NewID().String(), "species", "mackrel", "count", "ten", "weight_kg", "-3", "water_celsius", "900",
			"vessel", "<b>Tern</b>", "area", "off the skerries", "landed_at", "soon"))
	if status != 422 {
		t.Errorf("a catch of nonsense: status %d", status)
	}
	s.holds(page, "did you mean Mackerel?", "is not a whole number", "is not a date and time",
		"&lt;b&gt;Tern&lt;/b&gt;", "off the skerries", `value="mackrel"`)

	// What cannot be read keeps all of it from being stored: one bad field of a
	// catch, or of a delivery, whose others are good.
	count := func() int {
		rows, err := s.k.Find(s.ctx, "", false)
		s.must(err)
		return len(rows)
	}
	before := count()
	if status, _ = s.submit("/k/quay/deliveries/own-catch",
		fields("new_id", kitchen.NewID().String(), "species", "Atlantic cod", "count", "2", "weight_kg", "5", "water_celsius", "cold",
			"vessel", "Tern", "place_id", "1")); status != 422 || count() != before {
		t.Errorf("water that is no number: status %d, %d lots more", status, count()-before)
	}
	docket := fields("new_id", kitchen.NewID().String(), "lines", "1", "supplier", "Skua Day-boat", "arrived_at",
		time.Now().UTC().Format(form.LocalTime),
		"line-0-species", "Atlantic cod", "line-0-form", "whole", "line-0-count", "2", "line-0-weight_kg", "5", "line-0-core_celsius",
		"cold", "line-0-ice", "well_iced", "line-0-place_id", "1")
	if status, _ = s.submit("/k/quay/deliveries/receive", docket); status != 422 || count() != before {
		t.Errorf("a core that is no number: status %d, %d lots more", status, count()-before)
	}

	places, err := s.k.Places(s.ctx)
	s.must(err)
	id := kitchen.NewID().String()
	landing := fields("new_id", id, "species", "mackerel", "count", "12", "weight_kg", "5", "water_celsius", "12", "air_celsius", "14",
		"vessel", "Skiff Tern", "place_id", "1")
	landing.Set("place_id", box)
	landed := time.Now().UTC().Add(-3 * time.Hour).Format(form.LocalTime)
	landing.Set("landed_at", landed)
	if status, page = s.submit("/k/quay/deliveries/own-catch", landing); status != 200 {
		t.Fatalf("a good catch: status %d, %d places", status, len(places))
	}
	s.holds(page, "12 fish", "Killed", "On ice", "Plan its ice")
	lot := regexp.MustCompile(`/k/quay/lots/[0-9a-f-]+`).FindString(page)
	if lot == "" {
		t.Fatal("no lot on the page")
	}
	stamp := func(pairs ...string) (int, string) {
		return s.submit(lot+"/own-catch", fields(append([]string{"event_id_new", kitchen.NewID().String()},
			pairs...)...))
	}
	if status, page = stamp("stamp", "killed", "method", "boredom", "ago", "60"); status != 422 {
		t.Errorf("an unknown way to die: status %d", status)
	}
	s.holds(page, "choose one")
	if status, _ = stamp("stamp", "eaten"); status != 422 {
		t.Errorf("an unknown stamp: status %d", status)
	}
	if status, page = stamp("stamp", "killed", "method", "spike", "ago", "60"); status != 200 {
		t.Errorf("killed an hour ago: status %d", status)
	}
	s.holds(page, "1 h 00", "Spiked, cord destroyed", "Undo Killed")
	if status, page = stamp("stamp", "iced", "way", "boxed", "place_id", "999", "ago", "0"); status != 422 {
		t.Errorf("into a box that is not ours: status %d", status)
	}
	s.holds(page, "choose a place of this kitchen")
	if status, page = stamp("stamp", "iced", "way", "boxed", "place_id", box, "ice_kg", "much"); status != 422 {
		t.Errorf("much ice: status %d", status)
	}
	s.holds(page, `value="much"`)
	if status, page = stamp("stamp", "bled", "how", "gills", "medium", "water_celsius", "at",
		time.Now().UTC().Add(26*time.Hour).Format(form.LocalTime)); status != 422 {
		t.Errorf("bled tomorrow: status %d", status)
	}
	s.holds(page, "lies in the future")

	// The record: two people write at once; the second decides again.
	if status, page = s.submit(lot+"/harvest",
		fields("seen", "2", "reason", "a new record", "bled_at",
			time.Now().UTC().Add(-50*time.Minute).Format(form.LocalTime), "how", "gills")); status != 409 {
		t.Errorf("overtaken: status %d", status)
	}
	s.holds(page, "Somebody else changed this lot", `value="gills" selected`)
	if status, page = s.submit(lot+"/harvest", fields("seen", "3", "method", "spike")); status != 422 {
		t.Errorf("a record without times: status %d", status)
	}
	s.holds(page, "say why")
	for _, path := range []string{"/k/quay/lots/nonsense/own-catch", "/k/quay/lots/" + kitchen.NewID().String() +
		"/harvest"} {
		if status, _ := s.get(path); status != 404 {
			t.Errorf("%s: status %d", path, status)
		}
	}
}

func TestIceForms(t *testing.T) {
	s := serve(t)
	box := s.boxed()
	ice := "/k/quay/cold/places/" + box
	status, page := s.submit(ice+"/ice", fields("new_id", kitchen.NewID().String(), "kind", "added", "kg", "a lot"))
	if status != 422 {
		t.Errorf("a lot of ice: status %d", status)
	}
	s.holds(page, `value="a lot"`, "role=\"alert\"")
	if status, page = s.submit(ice+"/ice", fields("new_id", kitchen.NewID().String(), "kind", "added", "kg",
		"6,5")); status != 200 {
		t.Errorf("6,5 kg: status %d", status)
	}
	s.holds(page, "6.50 kg</b> of ice left")
	if status, page = s.submit(ice+"/box", fields("length", "600", "width", "400", "height", "300", "wall", "0",
		"conductivity", "0.035", "outside", "warm")); status != 422 {
		t.Errorf("a box without walls in warm air: status %d", status)
	}
	s.holds(page, `value="warm"`)
	if status, _ = s.submit("/k/quay/cold/places/999/ice",
		fields("new_id", kitchen.NewID().String(), "kind", "added", "kg", "2")); status != 404 {
		t.Errorf("a place that is not there: status %d", status)
	}
	if status, page = s.get("/k/quay/cold/ice-plan?species=hadock&weight_kg=&count=8&from=12&outside=20&hours=8&place_id=" +
		box); status != 422 {
		t.Errorf("a plan for codd: status %d", status)
	}
	s.holds(page, "did you mean Haddock?", `value="hadock"`)
	if status, page = s.get("/k/quay/cold/ice-plan?species=Atlantic+cod&weight_kg=25&count=8&from=12&outside=20&hours=8&place_id=" +
		box); status != 200 {
		t.Errorf("a good plan: status %d", status)
	}
	s.holds(page, "5.53 kg", "Slurry", "Racked over ice")
}

func TestRulesPage(t *testing.T) {
	s := serve(t)
	status, page := s.get("/k/quay/rules")
	if status != 200 {
		t.Fatalf("status %d", status)
	}
	s.holds(page, "Regulation (EC) 853/2004", "FDA Food Code 2022", "Local codes go first.", "EU, 9 samples")
	if status, _ = s.submit("/k/quay/rules", fields("profile", "none")); status != 422 {
		t.Errorf("no rules: status %d", status)
	}
	if status, page = s.submit("/k/quay/rules", fields("profile", "model-code")); status != 200 ||
		!strings.Contains(page, "<b>Model code</b>") {
		t.Errorf("model code: status %d", status)
	}
}
