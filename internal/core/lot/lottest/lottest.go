// Package lottest makes histories of lots for tests.
package lottest

import (
	"encoding/json"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

// Start is hour 0 of all histories.
var Start = time.Date(2026, 3, 2, 6, 0, 0, 0, time.UTC)

// At is some hours after Start.
func At(hours float64) time.Time { return Start.Add(time.Duration(hours * float64(time.Hour))) }

// History is the chained events of one lot.
type History struct {
	ID     uuid.UUID
	Events []lot.Event
}

// Add appends an event that happened some hours after Start, whether it may be or not.
func (h *History) Add(hours float64, p lot.Payload) lot.Event {
	data, err := json.Marshal(p)
	if err != nil {
		panic(err)
	}
	e := lot.Event{ID: uuid.New(), LotID: h.ID, Seq: len(h.Events) + 1, Kind: lot.KindOf(p), HappenedAt: At(hours),
		RecordedAt: At(hours + 0.1), PersonID: 1, Data: data}
	if n := len(h.Events); n > 0 {
		e.PrevHash = h.Events[n-1].Hash
	}
	e.Hash = e.Digest()
	h.Events = append(h.Events, e)
	return e
}

// Fold is the state after all of them.
func (h *History) Fold(t testing.TB) *lot.State {
	t.Helper()
	s, err := lot.Fold(species.Builtin(), h.Events)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// Stored reads core/lot/testdata/wire.golden: texts of each kind as they stand in databases,
// one a line. Lines are added, as for a new kind or field, and never changed.
func Stored(t testing.TB) map[lot.Kind][]string {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	text, err := os.ReadFile(filepath.Join(filepath.Dir(here), "../testdata/wire.golden"))
	if err != nil {
		t.Fatal(err)
	}
	list := map[lot.Kind][]string{}
	for line := range strings.Lines(string(text)) {
		kind, data, _ := strings.Cut(strings.TrimSpace(line), "\t")
		list[lot.Kind(kind)] = append(list[lot.Kind(kind)], data)
	}
	return list
}
