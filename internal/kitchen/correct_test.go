package kitchen_test

import (
	"encoding/json"
	"errors"
	"math"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// correction is an event that corrects the nth entry of a lot.
func (b *bench) correction(row kitchen.Row, n int, p lot.Payload) kitchen.Write {
	b.t.Helper()
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	data, err := json.Marshal(p)
	b.must(err)
	return b.write(row.LotID, lot.Corrected{EventID: card.Entries[n-1].ID, Data: data, Reason: "misread"})
}

// An inspection whose sign was tapped wrong is read and judged again as of its time; where a
// hard stop is overridden by it, a manager has to approve.
func TestAnInspectionIsCorrected(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	fish := freshness.Fish{Signs: freshness.Signs{"skin": 0, "belly": 0, "smell": 0, "stiffness": 0, "eye_shape": 0,
		"eye_clarity": 0, "gill_colour": 0, "gill_smell": 0}}
	b.must(b.Inspect(b.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: row.LotID, At: b.now,
		Fish: []freshness.Fish{fish}}))
	b.now = b.now.Add(5 * time.Hour)
	was, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	old, _ := was.State.Inspection()
	right := old.Inspected
	right.Fish = []freshness.Fish{{Signs: freshness.Signs{"skin": 2, "belly": 1, "smell": 2, "stiffness": 1,
		"eye_shape": 1, "eye_clarity": 1, "gill_colour": 1, "gill_smell": 1}}}
	var bad invalid.Errors
	if err := b.Append(b.ctx, b.correction(row, 2, right)); !errors.As(err, &bad) || bad.On("data.reason") == "" {
		t.Fatalf("a stale fish is still accepted, without a reason: %v", err)
	}
	right.Decision, right.Reading.Index = "", -4 // worked out here, whatever is sent
	b.must(b.Append(b.ctx, b.correction(row, 2, right)))
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	now, _ := card.State.Inspection()
	if now.Reading.Index <= old.Reading.Index || now.Proposed.Decision.Accepted() || now.Decision != now.Proposed.Decision ||
		!now.At.Equal(old.At) {
		t.Errorf("read again as %v, %v instead of %v", now.Reading.Index, now.Proposed, old.Reading.Index)
	}
	e := card.Entries[1]
	if len(e.Was) != 1 || e.Was[0].(lot.Inspected).Reading.Index != old.Reading.Index ||
		e.Payload.(lot.Inspected).Reading.Index != now.Reading.Index {
		t.Errorf("the entry says %+v and said %+v", e.Payload, e.Was)
	}
	right.Fish[0].Signs["skin"] = 99
	if err := b.Append(b.ctx, b.correction(row, 2, right)); !errors.As(err, &bad) || bad.On("data.fish[0]") == "" {
		t.Errorf("a level that there is not: %v", err)
	}
}

// The ice of a box follows the icing as it is corrected, and goes with it.
func TestTheIceOfACorrectedIcing(t *testing.T) {
	b := newBench(t)
	box := b.box()
	row := b.receive("cod")[0]
	ten, four := 10.0, 4.0
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Iced{Method: "boxed", PlaceID: box, IceKg: &ten})))
	full := b.left(box)
	b.must(b.Append(b.ctx, b.correction(row, 2, lot.Iced{Method: "boxed", PlaceID: box, IceKg: &four})))
	if got := b.left(box); math.Abs(full-got-6) > 1e-6 {
		t.Errorf("%.3f kg in the box, it had %.3f with 6 kg more", got, full)
	}
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Voided{EventID: card.Entries[2].ID, Reason: "it was ten"})))
	if got := b.left(box); math.Abs(full-got) > 1e-6 {
		t.Errorf("%.3f kg once the correction is withdrawn, it had %.3f", got, full)
	}
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Voided{EventID: card.Entries[1].ID, Reason: "another lot"})))
	if got := b.left(box); got != 0 {
		t.Errorf("%.3f kg without the icing", got)
	}
}

// A reading by hand is put right, or taken back: the fish ages by what it says now, and what
// it said stays on record.
func TestAHandReadingIsCorrected(t *testing.T) {
	b := newBench(t)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now, Lines: []lot.Received{b.line("cod")}}
	d.Lines[0].Ice, d.Lines[0].PlaceID = "none", b.walkIn
	b.must(b.Receive(b.ctx, d))
	note, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	row := note.Rows[0]
	start := b.now
	log := func(c float64) {
		b.must(b.LogPlaceTemperature(b.ctx, b.walkIn, b.byHand(c)))
		b.now = b.now.Add(3 * time.Hour)
	}
	log(2)
	log(20) // two, with a zero too many
	log(2)
	used := func() float64 {
		b.must(b.RefreshStale(b.ctx))
		r, err := b.Row(b.ctx, row.LotID)
		b.must(err)
		return r.UsedDays
	}
	entries := func() []kitchen.HandEntry {
		list, err := b.HandEntries(b.ctx, b.walkIn, coldchain.Span{From: start.Add(-time.Minute), To: b.now})
		b.must(err)
		return list
	}
	before := used()
	wrong := entries()[1]
	two := 2.0
	fix := kitchen.ReadingCorrection{ID: kitchen.NewID(), PlaceID: b.walkIn, ProbeID: wrong.ProbeID, At: wrong.At, Celsius: &two,
		Reason: "a zero too many"}
	for field, change := range map[string]func(*kitchen.ReadingCorrection){
		"reason": func(r *kitchen.ReadingCorrection) { r.Reason = " " }, "celsius": func(r *kitchen.ReadingCorrection) { x := 20.0; r.Celsius = &x },
		"at": func(r *kitchen.ReadingCorrection) { r.At = r.At.Add(time.Second) },
	} {
		r := fix
		change(&r)
		var bad invalid.Errors
		if err := b.CorrectReading(b.ctx, r); !errors.As(err, &bad) || bad.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	b.must(b.CorrectReading(b.ctx, fix))
	// Nine hours at 2 °C spend (1 + 0.1 × 2)² × 9/24 of a day in ice (Nixon 1971): the reference
	// does not know of the readings.
	if got := used() - row.UsedDays; before-row.UsedDays < 2*got || math.Abs(got-1.44*9/24) > 0.02 {
		t.Errorf("spent %.3f, before %.3f", got, before-row.UsedDays)
	}
	if e := entries()[1]; len(e.Was) != 1 || e.Was[0].WasC != 20 || e.Celsius == nil || *e.Celsius != 2 {
		t.Errorf("the record: %+v", e)
	}
	fix.ID, fix.Celsius = kitchen.NewID(), nil
	b.must(b.CorrectReading(b.ctx, fix))
	if e := entries()[1]; len(e.Was) != 2 || e.Celsius != nil {
		t.Errorf("taken back: %+v", e)
	}
	var bad invalid.Errors
	if err := b.CorrectReading(b.ctx, fix); !errors.As(err, &bad) || bad.On("at") == "" {
		t.Errorf("taken back twice: %v", err)
	}
}
