package web

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// act writes an event of a lot through its card.
func (s *site) act(id, kind string, fields ...string) string {
	s.t.Helper()
	values := url.Values{"event_id_new": {kitchen.NewID().String()}}
	for i := 0; i < len(fields); i += 2 {
		values.Set(fields[i], fields[i+1])
	}
	status, page := s.submit("/k/quay/lots/"+id+"/events/"+kind, values)
	if status != 200 {
		s.t.Fatalf("%s: status %d", kind, status)
	}
	return page
}

// A lot that is gone is fit for nothing and held by nobody, whatever held it when it left.
func TestWhatIsGoneIsNotOnHold(t *testing.T) {
	s := serve(t)
	id := s.lot.LotID.String()
	s.act(id, "held", "reason", "label is torn")
	if _, page := s.get("/k/quay/records"); !strings.Contains(page, "on hold") {
		t.Error("it is not on hold while it is held")
	}
	page := s.act(id, "discarded", "reason", "nobody knows it")
	if strings.Contains(page, `class="chip"`) || !strings.Contains(page, "No longer on hand: discarded") {
		t.Error("what is gone is offered for a use")
	}
	if _, page = s.get("/k/quay/records"); strings.Contains(page, "<td>on hold</td>") || !strings.Contains(page, "<td>discarded</td>") {
		t.Error("what is gone is on hold")
	}
}

// A delivery counts what came in, whatever that was split into since.
func TestADeliveryDoesNotCountItsSplits(t *testing.T) {
	s := serve(t)
	id := s.take(func(r *lot.Received) { r.Count, r.WeightKg = 6, 12 })
	s.act(id, "parted", "part-0-count", "4", "part-0-weight_kg", "8", "part-0-goes", "stays", "part-1-count", "2",
		"part-1-weight_kg", "4", "part-1-goes", "stays")
	_, page := s.get("/k/quay/deliveries")
	if strings.Contains(page, ">3</span><span class=\"quiet\">lots") {
		t.Error("the delivery of one lot counts three")
	}
}

// A plan says for how many of its portions there is no fish, as it did when it was proposed.
func TestAPlanSaysWhatItIsShortBy(t *testing.T) {
	s := serve(t)
	places := s.cold()
	core := -22.0
	s.take(func(r *lot.Received) {
		r.Form, r.Frozen, r.CoreC, r.Count, r.WeightKg, r.Ice = "fillet_skinless", true, &core, 10, 1.6, "none"
		r.PlaceID = idOf(places["freezer"])
	})
	status, page := s.press("/k/quay/cold/thaw/plan", url.Values{"what": {"cod/fillet_skinless"}, "portions": {"14"}, "portion": {"160"},
		"serve_at": {s.k.Now().Add(40 * time.Hour).UTC().Format(form.LocalTime)}, "end_use": {"cook"}})
	if status != 200 || !strings.Contains(page, "14 × 160 g of Atlantic cod, fillet, skinless: 4 short") {
		t.Errorf("status %d: it does not say that ten fillets are no fourteen portions", status)
	}
}

// A form that was previewed acts on what its person saw: one that was changed since is shown
// again, and nothing is done.
func TestAnOldPreviewIsNotActedOn(t *testing.T) {
	s := serve(t)
	places := s.cold()
	id := s.take(func(r *lot.Received) { r.Form, r.Count, r.WeightKg = "fillet_skin_on", 6, 1.2 })
	path := "/k/quay/cold/freezer/freeze"
	_, page := s.submit(path, url.Values{"lot": {id}, "place_id": {places["freezer"]}, "way": {"fan"}, "wrapping": {"bare"},
		"thickness_mm": {"55"}, "shape": {"slab"}, "start_celsius": {"1"}, "air_celsius": {"-24"}})
	shown, ok := sheetOf(t, page, path)
	if !ok || shown.values.Get("thickness_mm") != "55" {
		t.Fatal("there is no forecast")
	}
	shown.values.Set("thickness_mm", "99")
	shown.values.Set("wrapping", "vacuum")
	status, page := s.submit(path, shown.values)
	if status != http.StatusOK || !strings.Contains(page, "Something changed since") || !strings.Contains(page, `value="99"`) {
		t.Fatalf("status %d: it acts on a forecast of 55 mm", status)
	}
	again, _ := sheetOf(t, page, path)
	if status, page = s.submit(path, again.values); status != 200 || !strings.Contains(page, "99 mm") {
		t.Errorf("status %d: what was seen is not what was stored", status)
	}
}

// What reads by hand sends nothing, and needs no token; a long table says that it is not whole.
func TestPlacesAndProbes(t *testing.T) {
	s := serve(t)
	if status, _ := s.submit("/k/quay/cold/places/1/temperature", url.Values{"celsius": {"1,2"}}); status != 200 {
		t.Fatalf("status %d", status)
	}
	if _, page := s.get("/k/quay/cold/places/1"); !strings.Contains(page, "1.2 °C") {
		t.Error("the reading is not listed")
	} else if fix, ok := sheetOf(t, page, "/k/quay/cold/places/1/temperature/correct"); !ok {
		t.Error("a reading by hand cannot be corrected")
	} else {
		fix.values.Set("celsius", "2,1")
		if status, page := s.submit(fix.action, fix.values); status != 422 || !strings.Contains(page, `value="2,1"`) {
			t.Errorf("status %d: corrected without a reason, or the value is lost", status)
		}
		fix.values.Set("reason", "misread")
		if status, page := s.submit(fix.action, fix.values); status != 200 || !strings.Contains(page, "<s>1.2 °C</s>") {
			t.Errorf("status %d: what it said is not struck through", status)
		}
	}
	probes, err := s.k.Probes(s.ctx)
	s.must(err)
	for _, p := range probes {
		_, page := s.get(fmt.Sprintf("/k/quay/cold/probes/%d", p.ID))
		if byHand := p.Kind == kitchen.ByHand; strings.Contains(page, "Make a new token") == byHand {
			t.Errorf("%s (%s): a token is offered: %v", p.Name, p.Kind, !byHand)
		}
	}
	var csv strings.Builder
	csv.WriteString("probe,at,celsius\n")
	for i := range 90 {
		fmt.Fprintf(&csv, "walk-in-1,%s,1.%d\n", s.k.Now().Add(-time.Duration(90-i)*5*time.Minute).UTC().Format(time.RFC3339), i%10)
	}
	if status, got := s.call("POST", "/api/v1/readings", "text/csv", csv.String()); status >= 300 {
		t.Fatalf("readings: %d %v", status, got)
	}
	_, page := s.get("/k/quay/cold/places/1?span=day")
	if !strings.Contains(page, "The newest 60 of") {
		t.Error("the table ends, and does not say so")
	}
	if _, page = s.get("/k/quay/cold/places/1?span=day&rows=all"); strings.Contains(page, "The newest 60 of") || strings.Count(page, "walk-in-1</td>") < 80 {
		t.Error("all of it is not all")
	}
}

// The last act may be undone for half a minute, by who did it: its entry is cancelled, and what
// was undone once is not undone twice.
func TestUndo(t *testing.T) {
	s := serve(t)
	jar, err := cookiejar.New(nil)
	s.must(err)
	browser := &http.Client{Jar: jar}
	id := s.lot.LotID.String()
	send := func(path string, fields url.Values) string {
		res, err := browser.PostForm(s.URL+path, fields)
		s.must(err)
		status, page := s.read(res)
		if status != 200 {
			t.Fatalf("%s: status %d", path, status)
		}
		return page
	}
	page := send("/k/quay/lots/"+id+"/events/held", url.Values{"event_id_new": {kitchen.NewID().String()}, "reason": {"a slip"}})
	undo, ok := sheetOf(t, page, "/k/quay/undo")
	if !ok || !strings.Contains(page, "On hold: a slip") {
		t.Fatal("the last act offers no undo")
	}
	for range 2 {
		page = send("/k/quay/undo", undo.values)
		if strings.Contains(page, "On hold: a slip") || strings.Count(page, "<b>Entry cancelled</b>") != 1 {
			t.Error("it is not undone, or twice")
		}
	}
	if _, again := sheetOf(t, page, "/k/quay/undo"); again {
		t.Error("what was undone may be undone again")
	}
}

// An unusual value is asked about once, and taken when its person says that it is so.
func TestUnusualValuesAreAskedAboutOnce(t *testing.T) {
	s := serve(t)
	path := "/k/quay/cold/places/1/temperature"
	status, page := s.submit(path, url.Values{"celsius": {"14"}})
	if status != 422 || !strings.Contains(page, "over the limit. Is it so?") {
		t.Fatalf("14 °C in a walk-in of 1 °C: status %d", status)
	}
	asked, _ := sheetOf(t, page, path)
	if status, _ = s.submit(path, url.Values{"celsius": {"15"}, "sure-celsius": {"14"}}); status != 422 {
		t.Errorf("another value than the one that was said to be so: status %d", status)
	}
	asked.values.Set("sure-celsius", asked.values.Get("celsius"))
	if status, page = s.submit(path, asked.values); status != 200 || !strings.Contains(page, "14.0 °C") {
		t.Errorf("it is asked about twice: status %d", status)
	}
	card := "/k/quay/lots/" + s.lot.LotID.String() + "/events/temperature"
	if status, page = s.submit(card, url.Values{"event_id_new": {kitchen.NewID().String()}, "celsius": {"34"}}); status != 422 ||
		!strings.Contains(page, "Is it so?") {
		t.Errorf("a core of 34 °C: status %d", status)
	}
	line := url.Values{"new_id": {kitchen.NewID().String()}, "lines": {"1"}, "supplier": {"Fulmar Landing"}, "action": {"receive"},
		"arrived_at": {s.k.Now().UTC().Format(form.LocalTime)}, "line-0-species": {"Atlantic cod"}, "line-0-form": {"gutted"}, "line-0-count": {"1"},
		"line-0-weight_kg": {"3.2 kg"}, "line-0-core_celsius": {"0.5"}, "line-0-ice": {"well_iced"}, "line-0-place_id": {"1"},
		"line-0-claim.means": {"caught"}, "line-0-label-day": {s.k.Now().AddDate(-2, 0, 0).Format(time.DateOnly)}}
	status, page = s.submit("/k/quay/deliveries/receive", line)
	if status != 422 || !strings.Contains(page, "days ago. Is it so?") {
		t.Fatalf("a label two years old: status %d", status)
	}
	line.Set("sure-line-0-label-day", line.Get("line-0-label-day"))
	if status, _ = s.submit("/k/quay/deliveries/receive", line); status != 200 {
		t.Errorf("it is asked about twice: status %d", status)
	}
}

// A line of a delivery is corrected from the delivery, with its old values in the form.
func TestALineIsCorrectedNotRetyped(t *testing.T) {
	s := serve(t)
	id := s.take(func(r *lot.Received) { r.WeightKg = 2.75 })
	status, page := s.get("/k/quay/lots/" + id + "/entries/received/correct")
	if x := sheets(t, page); status != 200 || len(x) == 0 || !strings.Contains(page, `value="2.75"`) {
		t.Errorf("status %d, or the old weight is not in the form", status)
	}
}
