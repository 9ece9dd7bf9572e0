package web

import (
	"regexp"
	"strings"
	"testing"

	"leancatch/internal/core/refs"
)

// The page gives each rule its source: each names a work, or says that there is
// none; and each work stands on it once, as what the rules link to.
func TestSourcesPage(t *testing.T) {
	s := serve(t)
	status, page := s.get("/k/quay/sources")
	if status != 200 {
		t.Fatalf("status %d", status)
	}
	s.holds(page, "From death to chilling", "9 h; 6 h where water or air is above 28.3 °C; 12 h gilled and gutted first",
		`<a href="#FDA-hazards">FDA hazards guide, chapter 7</a>`, "At −18 °C", "fatty 5 months, lean 9 months")
	rows := regexp.MustCompile(`(?s)<td class="quiet">(.*?)</td>`).FindAllStringSubmatch(page, -1)
	if len(rows) < 80 {
		t.Fatalf("only %d rules", len(rows))
	}
	for _, row := range rows {
		says := func(word string) bool { return strings.Contains(row[1], word) }
		if !says(`<a href="#`) && !says("house") && !says("common practice") && !says("from memory") && !says("no restriction known") {
			t.Errorf("no source: %q", row[1])
		}
	}
	for _, w := range refs.Works() {
		if n := strings.Count(page, `<dt id="`+strings.ReplaceAll(w.ID, "&", "&amp;")+`"`); n != 1 {
			t.Errorf("%s stands on the page %d times", w.ID, n)
		}
	}
}
