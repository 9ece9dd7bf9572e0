package web

import (
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// A supplier's letter opens raw service for its species until it is struck off the
// file: then the certificate goes with it.
func TestLettersOnFile(t *testing.T) {
	s := serve(t)
	salmon := s.take(func(r *lot.Received) { r.SpeciesID, r.Form, r.WeightKg = "salmon", "gutted_gills_out", 4 })
	certificate := func(of string) int {
		status, page := s.get("/k/quay/lots/" + of + "/certificate.pdf")
		if pdf := strings.HasPrefix(page, "%PDF-"); pdf != (status == 200) {
			t.Errorf("status %d, a PDF: %v", status, pdf)
		}
		return status
	}
	if got := certificate(salmon); got != http.StatusConflict {
		t.Fatalf("a certificate without a letter: status %d", got)
	}
	_, page := s.get("/k/quay/declarations")
	supplier := regexp.MustCompile(`<option value="(\d+)"[^>]*>Fulmar Landing`).FindStringSubmatch(page)
	if supplier == nil {
		t.Fatal("the supplier is not to be chosen")
	}
	day := func(d int) string {
		return s.k.Now().Add(time.Duration(d) * 24 * time.Hour).UTC().Format(time.DateOnly)
	}
	form := url.Values{"new_id": {kitchen.NewID().String()}, "supplier": {supplier[1]}, "species": {"salmon"},
		"kind": {"farmed"}, "reference": {"P 7, signed by the farm"}, "issued": {day(-30)}, "valid": {"soon"}}
	status, page := s.submit("/k/quay/declarations", form)
	if status != http.StatusUnprocessableEntity {
		t.Errorf("valid to soon: status %d", status)
	}
	holds(t, "the letter that came back", page, `value="soon"`, `value="P 7, signed by the farm"`)
	form.Set("valid", day(-31))
	if status, _ = s.submit("/k/quay/declarations", form); status != http.StatusUnprocessableEntity {
		t.Errorf("run out before it was issued: status %d", status)
	}
	form.Set("valid", day(300))
	for range 2 { // sent twice, filed once
		if status, page = s.submit("/k/quay/declarations", form); status != 200 || strings.Count(page,
			"Cancel it") != 1 {
			t.Fatalf("status %d, %d letters to strike", status, strings.Count(page, "Cancel it"))
		}
	}
	if got := certificate(salmon); got != http.StatusConflict {
		t.Errorf("farmed, says nobody: status %d", got)
	}
	if status, _ = s.submit("/k/quay/lots/"+salmon+"/events/declared", url.Values{"event_id_new": {kitchen.NewID().String()},
		"origin": {"farmed"}, "reason": {"the label says so"}}); status != 200 {
		t.Fatalf("declared farmed: status %d", status)
	}
	if got := certificate(salmon); got != 200 {
		t.Errorf("with its letter: status %d", got)
	}
	if got := certificate(s.lot.LotID.String()); got != http.StatusConflict {
		t.Errorf("cod, by the letter of salmon: status %d", got)
	}
	strike := "/k/quay/declarations/" + form.Get("new_id") + "/cancel"
	if status, page = s.submit(strike, url.Values{}); status != 200 || !strings.Contains(page, "cancelled") {
		t.Errorf("struck: status %d", status)
	}
	if got := certificate(salmon); got != http.StatusConflict {
		t.Errorf("by a struck letter: status %d", got)
	}
	for _, id := range []string{"no", kitchen.NewID().String()} {
		if status, _ = s.submit("/k/quay/declarations/"+id+"/cancel", url.Values{}); status != http.StatusNotFound {
			t.Errorf("letter %s struck: status %d", id, status)
		}
	}
}

// A plan on file opens the ageing cabinet to a histamine former for longer than the house
// lets it hang; struck, it opens it no more.
func TestAgeingPlansOnFile(t *testing.T) {
	s := serve(t)
	places := s.cold()
	_, err := s.k.AddProbe(s.ctx, kitchen.NewProbe{Name: "ager-1", Kind: kitchen.Fixed, PlaceID: idOf(places["ager"])})
	s.must(err)
	senML := []string{fmt.Sprintf(`{"bn":"ager-1","bu":"Cel","bt":%d,"v":1.4}`, s.k.Now().Add(-time.Hour).Unix())}
	for minute := range 11 {
		senML = append(senML, fmt.Sprintf(`{"t":%d,"v":1.4}`, 300*(minute+1)))
	}
	if status, body := s.post("/api/v1/readings", "["+strings.Join(senML, ",")+"]"); status >= 300 {
		t.Fatalf("the record of the ager: %d %v", status, body)
	}
	mackerel := s.take(func(r *lot.Received) { r.SpeciesID, r.Form, r.WeightKg = "mackerel", "gutted_gills_out", 1.8 })
	gate := func() string {
		_, page := s.get("/k/quay/cold/ageing/start?school=long_age&kg=1.8&hook=1&target=8&hanging=head_down&lot=" +
			mackerel + "&place_id=" + places["ager"])
		return page
	}
	const shut, open = "a histamine former: short dry only", "long-aged by the plan V 3"
	holds(t, "long age without a plan", gate(), shut)
	plan := url.Values{"new_id": {kitchen.NewID().String()}, "reference": {"V 3"}, "days": {"20"}, "celsius": {"2"},
		"formers": {"on"}}
	if status, page := s.submit("/k/quay/cold/ageing/plans", plan); status != 200 || !strings.Contains(page, "V 3") {
		t.Fatalf("the plan: status %d", status)
	}
	holds(t, "long age by a plan", gate(), open, "record missing") // and no plan opens that
	for _, id := range []string{"no", kitchen.NewID().String()} {
		if status, _ := s.submit("/k/quay/cold/ageing/plans/"+id+"/cancel",
			url.Values{}); status != http.StatusNotFound {
			t.Errorf("plan %s struck: status %d", id, status)
		}
	}
	holds(t, "after another was to be struck", gate(), open)
	if status, _ := s.submit("/k/quay/cold/ageing/plans/"+plan.Get("new_id")+"/cancel", url.Values{}); status != 200 {
		t.Errorf("struck: status %d", status)
	}
	holds(t, "long age by a struck plan", gate(), shut)
}
