package kitchen_test

import (
	"context"
	"errors"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/kitchen"
)

// A clipboard counts: readings by hand make a line, and a logger that comes
// later knows better.
func TestAClipboardCountsUntilALoggerKnowsBetter(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	start := b.now
	hours := func() map[coldchain.Kind]float64 {
		card, err := b.Card(b.ctx, row.LotID)
		b.must(err)
		return card.Assessment.Hours
	}
	for range 6 { // at 0, 3 … 15 hours
		b.must(b.LogPlaceTemperature(b.ctx, b.walkIn, b.byHand(2)))
		b.now = b.now.Add(3 * time.Hour)
	}
	b.must(b.RefreshStale(b.ctx))
	if got := hours(); math.Abs(got[coldchain.Spot]-18) > 1e-6 || got[coldchain.Logged] > 0 {
		t.Errorf("hours by hand: %v, want 18", got)
	}
	b.probe("walk-in-1", b.walkIn)
	_, err := b.PutMeasurements(b.ctx, b.measurements(start, 18*60+1, 6))
	b.must(err)
	b.must(b.RefreshStale(b.ctx))
	fresh, err := b.Row(b.ctx, row.LotID)
	b.must(err)
	if want := 1.5*1.44 + 18.0/24*2.56; math.Abs(fresh.UsedDays-want) > 0.01 {
		t.Errorf("%.3f fresh days spent, want %.3f by the probe at 6 °C", fresh.UsedDays, want)
	}

	var bad invalid.Errors
	if err := b.LogPlaceTemperature(b.ctx, b.walkIn, b.byHand(99)); !errors.As(err, &bad) || bad.On("celsius") == "" {
		t.Errorf("99 °C: %v", err)
	}
	early, none, colder := b.byHand(2), kitchen.HandReading{At: b.now}, b.byHand(2)
	early.At, colder.MaximumC = b.now.Add(time.Hour), new(float64)
	for field, r := range map[string]kitchen.HandReading{"at": early, "celsius": none, "maximum": colder} {
		if err := b.LogPlaceTemperature(b.ctx, b.walkIn, r); !errors.As(err, &bad) || bad.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	if err := b.LogPlaceTemperature(b.ctx, 999, b.byHand(2)); !errors.Is(err, kitchen.ErrNotFound) {
		t.Errorf("a place that is not there: %v", err)
	}
	if err := b.LogPlaceTemperature(context.Background(), b.walkIn, b.byHand(2)); !errors.Is(err, kitchen.ErrNoActor) {
		t.Errorf("nobody on shift: %v", err)
	}
}

func TestPlacesAreNamedOnce(t *testing.T) {
	b := newBench(t)
	var bad invalid.Errors
	for name, p := range map[string]kitchen.NewPlace{
		"no name": {Kind: "drawer"}, "no kind": {Name: "Shelf"},
		"too cold": {Name: "Shelf", Kind: "freezer", SetC: -80}, "a name that is taken": {Name: "Dock", Kind: "dock"},
	} {
		if err := b.AddPlace(b.ctx, p); !errors.As(err, &bad) {
			t.Errorf("%s: %v", name, err)
		}
	}
	b.must(b.AddPlace(b.ctx, kitchen.NewPlace{Name: "Ice tote", Kind: "tote"}))
	places, err := b.Places(b.ctx)
	b.must(err)
	if len(places) != 3 || places[2].Name != "Ice tote" {
		t.Errorf("places %v", places)
	}
	if _, err := b.AddSite(b.ctx, kitchen.Setup{Name: "Test Kitchen!", TimeZone: "UTC", Profile: "eu",
		People: []kitchen.NewPerson{{Name: "X", Role: "crew"}},
		Places: []kitchen.NewPlace{{Name: "D", Kind: "dock"}}}); !errors.As(err, &bad) || bad.On("name") == "" {
		t.Errorf("a kitchen whose address is taken: %v", err)
	}
}

// A use case asks the right that its address asks: whoever may only log sets nothing up.
func TestSettingUpAPlaceNeedsItsRight(t *testing.T) {
	b := newBench(t)
	crew := kitchen.ActorFrom(b.ctx)
	crew.Person.Role = string(access.Crew)
	ctx := kitchen.WithActor(b.ctx, crew)
	for name, do := range map[string]func() error{
		"place_id": func() error {
			return b.SetPlace(ctx, b.walkIn, kitchen.PlaceChange{NewPlace: kitchen.NewPlace{Name: "Cold"}})
		},
		"plan": func() error { return b.SetPlan(ctx, b.walkIn, 2, 1) },
		"box": func() error {
			return b.SetBox(ctx, b.walkIn, icing.Box{LengthMM: 800, WidthMM: 560, HeightMM: 480, WallMM: 40,
				WallWMK: 0.035}, 6)
		},
		"freezer": func() error { return b.SetFreezer(ctx, b.walkIn, "fan", nil, nil) },
		"cabinet": func() error { return b.SetCabinet(ctx, b.walkIn, 1.5, 0.8, nil, 0.005) },
	} {
		if err := do(); !errors.Is(err, kitchen.ErrRight) {
			t.Errorf("%s: %v, want ErrRight", name, err)
		}
	}
	b.must(b.LogPlaceTemperature(ctx, b.walkIn, b.byHand(1.2)))
}

// The highest that a thermometer showed answers for a weekend in which nobody was there, at that
// highest; it is neither how warm the place is now nor an alarm.
func TestTheHighestSeenAnswersForAWeekend(t *testing.T) {
	for _, c := range []struct {
		what    string
		maximum float64
		grade   assess.Grade
		stops   bool
	}{{"nobody reset it", -1, assess.GradeUnknown, false}, {"cold", 1.9, assess.GradeMaximum, false}, {"warm", 9, assess.GradeMaximum, true}} {
		t.Run(c.what, func(t *testing.T) {
			b := newBench(t)
			row := b.receive("cod")[0]
			b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
			for range 2 {
				r := b.byHand(1.5)
				if c.maximum > 0 {
					r.MaximumC = &c.maximum
				}
				b.must(b.LogPlaceTemperature(b.ctx, b.walkIn, r))
				b.now = b.now.Add(60 * time.Hour)
			}
			b.now = b.now.Add(-60 * time.Hour)
			b.must(b.RefreshStale(b.ctx))
			b.must(b.WatchStale(b.ctx))
			card, err := b.Card(b.ctx, row.LotID)
			b.must(err)
			friday := b.now.Add(-50 * time.Hour)
			for _, s := range card.Assessment.Line {
				if s.From.Before(friday) && s.To.After(friday) && s.Grade != c.grade {
					t.Errorf("the weekend is %s, want %s", s.Grade, c.grade)
				}
			}
			if got := slices.ContainsFunc(card.Assessment.Clocks, func(r assess.Reading) bool {
				return r.State == safety.StateStop
			}); got != c.stops {
				t.Errorf("stopped %v: %+v", got, card.Assessment.Clocks)
			}
			places, err := b.Places(b.ctx)
			b.must(err)
			for _, p := range places {
				if p.ID == b.walkIn && (p.Latest.Celsius != 1.5 || len(p.Alarms) > 0) {
					t.Errorf("the place shows %v and alarms %+v", p.Latest, p.Alarms)
				}
			}
		})
	}
}

// A place that cannot be locked is a fault of the database, not of the input.
func TestAPlaceThatIsLocked(t *testing.T) {
	b := newBench(t)
	cod := b.receive("cod")[0]
	ctx := context.Background()
	tx, err := b.DB.Pool.Begin(ctx)
	b.must(err)
	defer tx.Rollback(ctx)
	_, err = tx.Exec(ctx, "select 1 from place where id = $1 for update", b.walkIn)
	b.must(err)
	short, cancel := context.WithTimeout(b.ctx, 200*time.Millisecond)
	defer cancel()
	var bad invalid.Errors
	if err := b.MoveAll(short, b.walkIn, map[uuid.UUID]uuid.UUID{cod.LotID: kitchen.NewID()}); err == nil ||
		errors.As(err, &bad) {
		t.Errorf("moving to a locked place: %v", err)
	}
	if err := b.MoveAll(b.ctx, 999, map[uuid.UUID]uuid.UUID{cod.LotID: kitchen.NewID()}); !errors.As(err, &bad) ||
		bad.On("place_id") == "" {
		t.Errorf("moving to no place: %v", err)
	}
}

func TestFindAndDue(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod", "anglerfish")
	for text, want := range map[string]string{"monk": "anglerfish", "fulmar": "", rows[0].Code: "cod",
		strings.ToLower(rows[1].Code[:4]): "anglerfish", "salmon": "none"} {
		found, err := b.Find(b.ctx, text, true)
		b.must(err)
		switch {
		case want == "none" && len(found) != 0, want == "" && len(found) != 2,
			want != "none" && want != "" && (len(found) != 1 || found[0].Species.ID != want):
			t.Errorf("Find(%q): %d lots", text, len(found))
		}
	}
	due, err := b.DueBy(b.ctx, b.now.Add(time.Hour))
	b.must(err)
	var dos []string
	for _, d := range due {
		dos = append(dos, d.Do+" "+d.Name)
	}
	slices.Sort(dos)
	if got := strings.Join(dos, ", "); got != "Inspect Anglerfish, Inspect Atlantic cod, Move Anglerfish, Move Atlantic cod" {
		t.Errorf("due: %s", got)
	}
	version, err := b.Version(b.ctx)
	b.must(err)
	b.must(b.Append(b.ctx, b.write(rows[0].LotID, lot.Left{EndUse: lot.UsedCooked})))
	if after, _ := b.Version(b.ctx); after <= version {
		t.Errorf("version %d after %d: the board would not notice", after, version)
	}
	if due, _ := b.DueBy(b.ctx, b.now.Add(time.Hour)); len(due) != 2 {
		t.Errorf("%d things due, want only the anglerfish's", len(due))
	}
}

// Another profile is a manager's act, and judges the lots on hand anew.
func TestAnotherProfile(t *testing.T) {
	b := newBench(t)
	core := 4.6
	line := b.line("cod")
	line.CoreC = &core
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now,
		Lines: []lot.Received{line}}
	b.must(b.Receive(b.ctx, d))
	stops := func() []string {
		docket, err := b.DeliveryNote(b.ctx, d.ID)
		b.must(err)
		return docket.Rows[0].Stops
	}
	if s := stops(); len(s) != 1 || !strings.Contains(s[0], "House strict") {
		t.Errorf("core of 4.6 °C, house strict: %v", s)
	}
	if err := b.SetProfile(b.ctx, "model-code"); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("the buyer changed the rules: %v", err)
	}
	var bad invalid.Errors
	if err := b.SetProfile(b.manager, "no-rules"); !errors.As(err, &bad) || bad.On("profile") == "" {
		t.Errorf("a profile that is none: %v", err)
	}
	b.must(b.SetProfile(b.manager, "model-code"))
	if s := stops(); len(s) != 0 {
		t.Errorf("core of 4.6 °C, model code: %v", s)
	}
}
