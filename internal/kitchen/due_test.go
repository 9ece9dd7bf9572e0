package kitchen_test

import (
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/kitchen"
)

// What is done in one go is one line: the lots of a delivery that wait to be inspected, the fish of a
// place that wait for the same; a place, a probe and a step of a plan stand alone.
func TestGatherDue(t *testing.T) {
	noon := time.Date(2026, 4, 10, 12, 0, 0, 0, time.UTC)
	note := uuid.New()
	lot := func(do, path string, place int64, of uuid.UUID, minutes int) kitchen.Due {
		return kitchen.Due{Action: assess.Action{Do: do, Path: path, Due: noon.Add(time.Duration(minutes) * time.Minute)}, LotID: uuid.New(),
			PlaceID: place, NoteID: of}
	}
	list := []kitchen.Due{lot("Inspect", "inspect", 1, note, 0), lot("Move", "", 1, note, 1), lot("Inspect", "inspect", 2, note, 2),
		lot("Move", "", 2, note, 3), lot("Move", "", 1, uuid.New(), 4), lot("Inspect", "inspect", 1, uuid.New(), 5),
		lot("Weigh", "ageing", 3, note, 5), lot("Look, smell, touch", "ageing", 3, uuid.New(), 5), lot("Take out", "ageing", 3, note, 5),
		{Action: assess.Action{Do: "Top up ice", Due: noon.Add(6 * time.Minute)}, PlaceID: 1},
		{Action: assess.Action{Do: "Top up ice", Due: noon.Add(7 * time.Minute)}, PlaceID: 1}}
	var sizes []int
	for i, g := range kitchen.GatherDue(list) {
		sizes = append(sizes, len(g.Items))
		if i > 0 && g.First().Due.Before(kitchen.GatherDue(list)[i-1].First().Due) {
			t.Error("out of order")
		}
	}
	if want := []int{2, 2, 1, 1, 2, 1, 1, 1}; !slices.Equal(sizes, want) {
		t.Errorf("gathered as %v, want %v", sizes, want)
	}
}

// A note to the next shift stands until somebody has read it, and says who did.
func TestNotesToTheNextShift(t *testing.T) {
	b := newBench(t)
	id := kitchen.NewID()
	if err := b.LeaveNote(b.ctx, id, "  "); err == nil {
		t.Error("a note without a word")
	}
	b.must(b.LeaveNote(b.ctx, id, "the drawer closes badly"))
	b.must(b.LeaveNote(b.ctx, id, "the drawer closes badly")) // sent twice
	b.now = b.now.Add(48 * time.Hour)
	notes, err := b.Notes(b.ctx)
	b.must(err)
	if len(notes) != 1 || notes[0].ReadAt != nil {
		t.Fatalf("%+v", notes)
	}
	b.must(b.ReadNote(b.manager, id))
	b.must(b.ReadNote(b.ctx, id))
	if notes, err = b.Notes(b.ctx); err != nil || len(notes) != 0 {
		t.Errorf("two days later it still stands: %+v, %v", notes, err)
	}
}
