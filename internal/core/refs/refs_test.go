package refs

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

func TestPieces(t *testing.T) {
	got := Cited("house, after [FAO348, table 5.8] (bream) [see] and [IIR]").Pieces()
	want := []Piece{{"house, after ", ""}, {"FAO Fisheries Technical Paper 348, table 5.8", "FAO348"}, {" (bream) [see] and ", ""},
		{"IIR recommendations", "IIR"}}
	if !slices.Equal(got, want) {
		t.Errorf("got %q", got)
	}
	if text := Cited("[IIR]; lean: house").String(); text != "IIR recommendations (from memory); lean: house" {
		t.Errorf("got %q", text)
	}
}

// Each work is listed once, in order, and cited somewhere; each citation in the
// code and its data is of a work that is listed; and where a work is cited, who
// has read a copy is said in the list alone.
func TestCitations(t *testing.T) {
	byID := func(a, b Work) int { return strings.Compare(strings.ToLower(a.ID), strings.ToLower(b.ID)) }
	if !slices.IsSortedFunc(works, byID) {
		t.Error("the works are not in the order of their ids")
	}
	place := regexp.MustCompile(`\[([A-Z][^\[\],\n]+), (?:annex|appendix|chapters?|equation|sections?|table|[0-9]-?[0-9]*\.)`)
	skipped := []string{"node_modules", ".data", ".git", ".build", "dist", "refs"}
	cited := map[string]bool{}
	err := filepath.WalkDir("../../..", func(path string, entry fs.DirEntry, err error) error {
		switch ext := filepath.Ext(path); {
		case err != nil:
			return err
		case entry.IsDir() && slices.Contains(skipped, entry.Name()):
			return fs.SkipDir
		case entry.IsDir() || ext != ".go" && ext != ".json":
			return nil
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		for _, found := range place.FindAllSubmatch(text, -1) {
			if _, ok := Find(string(found[1])); !ok {
				t.Errorf("%s cites %s, which is not listed", path, found[1])
			}
		}
		for i, line := range strings.Split(string(text), "\n") {
			here := slices.DeleteFunc(Cited(line).Pieces(), func(p Piece) bool { return p.Work == "" })
			for _, p := range here {
				cited[p.Work] = true
			}
			if len(here) > 0 && strings.Contains(line, "from memory") {
				t.Errorf("%s:%d says \"from memory\": that is said in the list of works", path, i+1)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range works {
		if !cited[w.ID] {
			t.Errorf("%s is listed and never cited", w.ID)
		}
	}
}
