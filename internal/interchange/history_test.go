package interchange

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
)

type object = map[string]any

var hour0 = time.Date(2026, 11, 1, 6, 0, 0, 0, time.UTC)

func at(h float64) string {
	return hour0.Add(time.Duration(h * float64(time.Hour))).Format(time.RFC3339)
}

// logged is an instrument that reads at an interval, in hours.
func logged(id string, from, to, every float64, celsius func(h float64) float64) object {
	var readings []object
	for i := 0; from+float64(i)*every <= to; i++ {
		h := from + float64(i)*every
		readings = append(readings, object{"at": at(h), "celsius": celsius(h)})
	}
	return object{"id": id, "kind": "logger", "readings": readings}
}

func always(c float64) func(float64) float64 { return func(float64) float64 { return c } }

// spell is one temperature for a time, and another before and after it.
func spell(from, to, in, out float64) func(float64) float64 {
	return func(h float64) float64 {
		if h >= from && h < to {
			return in
		}
		return out
	}
}

func byHand(kind string, pairs ...float64) object {
	var readings []object
	for i := 0; i < len(pairs); i += 2 {
		readings = append(readings, object{"at": at(pairs[i]), "celsius": pairs[i+1]})
	}
	return object{"id": kind, "kind": kind, "readings": readings}
}

func place(id, kind string, set float64, sources ...object) object {
	return object{"id": id, "kind": kind, "set_celsius": set, "sources": append([]object{}, sources...)}
}

func walkIn(celsius func(float64) float64) object {
	return place("walk", "walk_in", 1, logged("w", -30, 900, 0.25, celsius))
}

func event(kind string, h float64, fields object) object {
	e := object{"kind": kind, "at": at(h)}
	for k, v := range fields {
		e[k] = v
	}
	return e
}

var perfect = []object{{"skin": 0, "blood_spots": 0, "stiffness": 0, "belly": 0, "smell": 0, "eye_clarity": 0, "eye_shape": 0,
	"gill_colour": 0, "gill_smell": 0}}

// fish is a gutted fish of a dealer, in its ice, looked at and put into a walk-in, with changes: a
// field of received by "received.", events added behind the inspection.
func fish(species string, hours float64, changes object) HistoryIn {
	request := object{"species": species, "form": "gutted", "weight_kg": 2, "supplier": object{"kind": "dealer"},
		"places": []object{walkIn(always(1)), {"id": "bench", "kind": "bench"}}, "at": []string{at(hours)}}
	received := object{"at": at(0), "core_celsius": 1, "ice": "well_iced", "label_date": object{"at": at(-12), "means": "caught"},
		"dispatched_at": at(-3), "place": "walk"}
	events := []object{event("inspected", 0.3, object{"scheme": "demerit20", "fish": perfect})}
	for k, v := range changes {
		if own, ok := strings.CutPrefix(k, "received."); ok {
			received[own] = v
		} else if k == "events" {
			events = append(events, v.([]object)...)
		} else if k == "only" {
			events = v.([]object)
		} else {
			request[k] = v
		}
	}
	request["received"], request["events"] = received, events
	text, err := json.Marshal(request)
	if err != nil {
		panic(err)
	}
	var in HistoryIn
	if err := strict(text, &in); err != nil {
		panic(err)
	}
	return in
}

func judged(t *testing.T, what string, in HistoryIn) HistoryOut {
	t.Helper()
	out, err := JudgeHistory(context.Background(), in)
	if err != nil {
		t.Fatalf("%s: %v", what, err)
	}
	return out
}

// Histories that an audit of the judgement found wanting, with their cousins: which uses are open,
// and which clock closes the others.
func TestHistories(t *testing.T) {
	freezer := func(c func(float64) float64) object {
		return place("freezer", "freezer", -24, logged("f", -1, 900, 0.5, c))
	}
	failed := spell(200, 260, 10, -24)
	cold := []object{walkIn(always(1)), freezer(failed), {"id": "bench", "kind": "bench"}}
	letter := func(species string) []object {
		return []object{{"kind": "farmed", "species": species, "from": at(-1000), "to": at(1000)}}
	}
	clip := func(pairs ...float64) []object {
		return []object{place("walk", "walk_in", 1, byHand("spot", pairs...))}
	}
	boat := object{"kind": "boat"}
	filleted := []object{event("cut", 2, object{"parts": []object{{"form": "fillet_skin_on", "count": 2, "weight_kg": 0.9},
		{"form": "frame", "to": "stock_pot"}, {"form": "waste", "weight_kg": 0.4}}})}
	hot := []object{event("caught", -10, object{"gear": "hook", "water_celsius": 26, "air_celsius": 28}),
		event("killed", -10, object{"method": "spike"}), event("iced", -9.67, nil)}
	thaw := []object{event("pulled", 400, object{"place_id": "walk", "method": "fridge", "end_use": "raw", "opened": true}),
		event("thawed", 420, object{"core_celsius": 0.5})}
	const all = "raw cook dry_age freeze stock"
	for _, c := range []struct {
		what   string
		in     HistoryIn
		closed string // uses; of cod all are open but raw, which asks for parasites
		clock  assess.ClockID
		state  string
	}{
		{"a freezer at +10 °C for 60 h under a vacuum pack", fish("cod", 421, object{"places": cold, "events": append([]object{
			event("froze", 1, object{"place_id": "freezer"}), event("packed", 30, object{"pack": "vacuum"})}, thaw...)}), all,
			assess.ClockFrozenBreak, "stop"},
		{"the pack alone", fish("cod", 300, object{"places": cold, "events": []object{event("froze", 1, object{"place_id": "freezer"}),
			event("packed", 30, object{"pack": "vacuum"})}}), all, assess.ClockOxygen, "stop"},
		{"the same, delivered frozen", fish("cod", 421, object{"frozen": true, "places": cold, "only": thaw, "received.core_celsius": -22,
			"received.ice": "none", "received.place": "freezer", "received.label_date": object{"at": at(-400), "means": "caught"}}), all,
			assess.ClockFrozenBreak, "stop"},
		{"one late core of 12 °C", fish("mackerel", 20, object{"events": []object{event("temperature", 10, object{"celsius": 12})}}), all,
			assess.ClockOutOfCold, "stop"},
		{"a first reading after 23 h", fish("mackerel", 24.1, object{"places": clip(24, 1), "received.ice": "none"}), all,
			assess.ClockHistamine, "unknown"},
		{"25 to 23.5 °C until hour 20", fish("mackerel", 30, object{"places": []object{walkIn(func(h float64) float64 {
			if h < 20 {
				return 25 - h*1.5/20
			}
			return 4
		})}, "received.ice": "none"}), all, assess.ClockHistamine, "stop"},
		{"cooked, then 34 h on a bench", fish("cod", 40, object{"events": []object{event("cooked", 1, object{"core_celsius": 70}),
			event("temperature", 2, object{"celsius": 18}), event("temperature", 5, object{"celsius": 3}),
			event("moved", 6, object{"place_id": "bench"})}}), all, assess.ClockCooked, "stop"},
		{"par-cooked without a procedure", fish("cod", 10, object{"events": []object{event("par_cooked", 1, object{"core_celsius": 48, "minutes": 9})}}),
			"raw", assess.ClockCooling, "off"},
		{"par-cooked and chilled in time", fish("cod", 10, object{"plans": []object{{"kind": "par_cook"}}, "events": []object{
			event("par_cooked", 1, object{"core_celsius": 48, "minutes": 9}), event("temperature", 2, object{"celsius": 18}),
			event("temperature", 5, object{"celsius": 3})}}), "raw dry_age freeze stock", assess.ClockCooked, "ok"},
		{"cooked and chilled in time", fish("cod", 10, object{"events": []object{event("cooked", 1, object{"core_celsius": 70}),
			event("temperature", 2, object{"celsius": 18}), event("temperature", 5, object{"celsius": 3})}}),
			"raw dry_age freeze stock", assess.ClockCooked, "ok"},
		{"18 h at 10 °C in a logged walk-in", fish("cod", 30, object{"places": []object{walkIn(spell(2, 20, 10, 1))}}), all,
			assess.ClockOutOfCold, "stop"},
		{"20 h on a bench", fish("cod", 21, object{"events": []object{event("moved", 1, object{"place_id": "bench"})}}), all,
			assess.ClockOutOfCold, "stop"},
		{"exactly an hour on a bench", fish("cod", 2, object{"events": []object{event("moved", 1, object{"place_id": "bench"})}}), "raw",
			assess.ClockOutOfCold, "ok"},
		{"a little more", fish("cod", 2.02, object{"events": []object{event("moved", 1, object{"place_id": "bench"})}}),
			"raw dry_age freeze", assess.ClockOutOfCold, "ok"},
		{"two hours and a half: now or never", fish("cod", 3.5, object{"events": []object{event("moved", 1, object{"place_id": "bench"})}}),
			"raw dry_age freeze", assess.ClockOutOfCold, "ok"},
		{"an hour later", fish("cod", 4.1, object{"events": []object{event("moved", 1, object{"place_id": "bench"})}}), all,
			assess.ClockOutOfCold, "stop"},
		{"an account of 23 h at 15 °C", fish("mackerel", 25, object{"places": []object{place("walk", "walk_in", 1, logged("w", 23, 60, 0.25, always(1)))},
			"received.ice": "none", "events": []object{event("accounted", 0, object{"until": at(23), "account": "the chef: the door was shut",
				"warmest_celsius": 15, "recorded_at": at(24), "by_manager": true})}}), all, assess.ClockHistamine, "stop"},
		{"two probes, at 2 and 15 °C", fish("cod", 20, object{"places": []object{place("walk", "walk_in", 1, logged("a", -2, 60, 0.25, always(2)),
			logged("b", -2, 60, 0.25, always(15)))}}), all, assess.ClockOutOfCold, "stop"},
		{"a puffer", fish("puffer", 2, nil), all, assess.ClockBanned, "stop"},
		{"one look at the ice in 30 days", fish("cod", 720, object{"places": []object{{"id": "tote", "kind": "tote",
			"ice": []object{{"at": at(0), "kg": 20}}}}, "received.place": "tote"}), all, assess.ClockOutOfCold, "unknown"},
		{"looks at it twice a day", fish("cod", 50, object{"places": []object{{"id": "tote", "kind": "tote", "ice": []object{{"at": at(0)},
			{"at": at(14)}, {"at": at(26)}, {"at": at(40)}}}}, "received.place": "tote"}), "raw", assess.ClockOutOfCold, "ok"},
		{"35 minutes after the last reading", fish("cod", 8.6, object{"received.ice": "none", "places": []object{place("walk", "walk_in", 1,
			logged("w", -2, 8, 0.25, always(1)))}}), all, assess.ClockOutOfCold, "unknown"},
		{"25 minutes after it", fish("cod", 8.4, object{"received.ice": "none", "places": []object{place("walk", "walk_in", 1,
			logged("w", -2, 8, 0.25, always(1)))}}), "raw", assess.ClockOutOfCold, "ok"},
		{"a dealer's mackerel", fish("mackerel", 10, nil), "raw stock", assess.ClockHistamine, "ok"},
		{"a boat's, without a record", fish("mackerel", 10, object{"supplier": boat}), all, assess.ClockToChill, "unknown"},
		{"28 °C, iced in twenty minutes", fish("mackerel", 2, object{"supplier": boat, "events": hot}), "raw stock", assess.ClockToChill, "ok"},
		{"dead in a longline that was set the day before", fish("mackerel", 2, object{"supplier": boat, "events": []object{
			event("caught", -4, object{"gear": "longline", "gear_set_at": at(-30), "water_celsius": 20, "air_celsius": 22}),
			event("killed", -3.9, object{"method": "gear"}), event("iced", -3.8, nil)}}), all, assess.ClockToChill, "stop"},
		{"65 minutes between readings of 2.5 °C", fish("mackerel", 26, object{"received.ice": "none", "places": []object{place("walk", "walk_in", 1,
			logged("w", -2, 60, 65.0/60, always(2.5)))}}), all, assess.ClockHistamine, "stop"},
		{"carried for half an hour", fish("cod", 5, object{"places": []object{walkIn(always(1)), place("drawer", "drawer", 1,
			logged("d", -2, 60, 0.25, always(1)))}, "events": []object{event("moved", 4, object{"place_id": "drawer", "left_at": at(3.5)})}}),
			"raw dry_age freeze", assess.ClockOutOfCold, "ok"},
		{"mackerel at index 6 of 20", fish("mackerel", 3, object{"only": []object{event("inspected", 1, object{"scheme": "demerit20",
			"fish": []object{{"skin": 1, "blood_spots": 1, "stiffness": 1, "belly": 0, "smell": 1, "eye_clarity": 1, "eye_shape": 0,
				"gill_colour": 0, "gill_smell": 1}}})}}), "raw dry_age freeze stock", assess.ClockHistamine, "ok"},
		{"a clipboard, checked in the evening and in the morning", fish("mackerel", 26, object{"profile": "eu", "places": clip(11, 1.5, 25, 1.8)}),
			"raw stock", assess.ClockOutOfCold, "ok"},
		{"no check since the evening", fish("mackerel", 22, object{"profile": "eu", "places": clip(11, 1.5)}), "raw stock",
			assess.ClockOutOfCold, "ok"},
		{"nor until noon", fish("mackerel", 27, object{"profile": "eu", "places": clip(11, 1.5)}), all, assess.ClockOutOfCold, "unknown"},
		{"the strict rules ask for more", fish("mackerel", 26, object{"received.ice": "none", "places": clip(0, 1, 11, 1.5, 25, 1.8)}), all,
			assess.ClockOutOfCold, "unknown"},
		{"a thermometer that keeps the highest", fish("cod", 41, object{"received.ice": "none", "places": []object{place("walk", "walk_in", 1,
			byHand("max", 0, 1.5, 40, 3))}}), "raw dry_age", assess.ClockOutOfCold, "ok"},
		{"which was high", fish("cod", 41, object{"received.ice": "none", "places": []object{place("walk", "walk_in", 1,
			byHand("max", 0, 1.5, 40, 9))}}), all, assess.ClockOutOfCold, "stop"},
		{"our cling film", fish("cod", 30, object{"events": []object{event("packed", 1, object{"pack": "cling"})}}), "raw", assess.ClockOxygen, "off"},
		{"our cling film for too long", fish("cod", 60, object{"places": []object{walkIn(always(3.4))}, "events": []object{
			event("packed", 1, object{"pack": "cling"})}}), "raw dry_age freeze", assess.ClockOxygen, "ok"},
		{"a bass in fillets, raw within a day of the knife", fish("sea-bass", 25, object{"origin": "farmed", "letters": letter("sea-bass"),
			"events": filleted}), "dry_age", assess.ClockCut, "warn"},
		{"and not after", fish("sea-bass", 27, object{"origin": "farmed", "letters": letter("sea-bass"), "events": filleted}), "raw dry_age",
			assess.ClockCut, "stop"},
		{"portions keep the clock of their fillets", fish("sea-bass", 27, object{"origin": "farmed", "letters": letter("sea-bass"),
			"events": append(filleted, event("cut", 10, object{"parts": []object{{"form": "portion_skin_on", "count": 4, "weight_kg": 0.8}, {"form": "waste"}}}))}),
			"raw dry_age", assess.ClockCut, "stop"},
		{"cured in acid, within its hours", fish("sea-bass", 5, object{"origin": "farmed", "letters": letter("sea-bass"),
			"events": []object{event("prepared", 2, object{"method": "acid_cured"})}}), "dry_age", assess.ClockPrepared, "warn"},
		{"and over them", fish("sea-bass", 7, object{"origin": "farmed", "letters": letter("sea-bass"),
			"events": []object{event("prepared", 2, object{"method": "acid_cured"})}}), "raw dry_age freeze", assess.ClockPrepared, "stop"},
		{"a pie whose filling ends first", fish("cod", 9, object{"events": []object{event("prepared", 2, object{"method": "assembled",
			"allergens": []string{"milk"}, "use_by": at(8)})}}), all, assess.ClockPrepared, "stop"},
		{"salted ahead, frozen between", fish("cod", 70, object{"places": cold[:2], "events": []object{event("prepared", 2, object{"method": "salted"}),
			event("froze", 4, object{"place_id": "freezer"})}}), "raw dry_age freeze", assess.ClockPrepared, "ok"},
		{"a head for the pot", fish("cod", 5, object{"events": []object{event("cut", 2, object{"parts": []object{{"form": "head", "count": 1,
			"weight_kg": 0.5}, {"form": "waste", "weight_kg": 1.5}}})}}), "raw dry_age", assess.ClockCut, "ok"},
		{"a perfect bass with its letter", fish("sea-bass", 3, object{"origin": "farmed", "letters": letter("sea-bass")}), "", assess.ClockDecision, "ok"},
		{"its letter, but caught", fish("sea-bass", 3, object{"origin": "wild", "letters": letter("sea-bass")}), "raw", assess.ClockDecision, "ok"},
		{"a reading that was wrong, corrected", fish("cod", 3, object{"events": []object{event("temperature", 1, object{"celsius": 14}),
			event("corrected", 2, object{"index": 1, "data": object{"celsius": 1.4}, "reason": "typed wrongly"})}}), "raw", assess.ClockOutOfCold, "ok"},
		{"a walk-in that warms, tomorrow", fish("cod", 40, object{"now": at(5), "places": []object{walkIn(spell(5, 900, 12, 1))}}), "raw",
			assess.ClockOutOfCold, "ok"},
	} {
		out := judged(t, c.what, c.in)
		m := out.At[0]
		for use, said := range m.Uses {
			if closed := slices.Contains(strings.Fields(c.closed), use); said.OK == closed {
				t.Errorf("%s: %s is %v, against it %q", c.what, use, said.OK, said.Reasons)
			}
		}
		for _, clock := range m.Clocks {
			if clock.ID == c.clock && clock.State != c.state {
				t.Errorf("%s: %s is %s (%s), want %s", c.what, c.clock, clock.State, clock.Why, c.state)
			}
		}
		if cook := m.Uses["cook"]; cook.OK != m.Exits["cooked"].OK || cook.OK != m.Exits["staff"].OK || m.Uses["raw"].OK != m.Exits["raw"].OK {
			t.Errorf("%s: uses and exits disagree", c.what)
		}
		if m.OnHand && !(m.Exits["discard"].OK && m.Exits["return"].OK && m.Exits["sample"].OK) {
			t.Errorf("%s: it cannot be discarded", c.what)
		}
		if len(m.Clocks) != 14 {
			t.Errorf("%s: %d clocks", c.what, len(m.Clocks))
		}
		for i := 1; i < len(out.Line); i++ {
			if !out.Line[i].From.Equal(out.Line[i-1].To) {
				t.Errorf("%s: the line has a hole at %v", c.what, out.Line[i].From)
			}
		}
	}
}

// The examples can be read and are judged as their names say.
func TestExamples(t *testing.T) {
	for id, want := range map[string]string{"bass": "raw", "mackerel": "cook", "hot-day": "cook", "freezer": "", "bench": ""} {
		i := slices.IndexFunc(HistoryExamples, func(x HistoryExample) bool { return x.ID == id })
		in, err := ReadHistory(HistoryExamples[i].Text)
		if err != nil {
			t.Fatalf("%s: %v", id, err)
		}
		out := judged(t, id, in)
		last := out.At[len(out.At)-1]
		for _, e := range out.Events {
			if !e.Admitted {
				t.Errorf("%s: event %d: %v", id, e.Index, e.Errors)
			}
		}
		if want == "" && last.Uses["cook"].OK || want != "" && !last.Uses[want].OK {
			t.Errorf("%s: %+v", id, last.Uses)
		}
	}
}

// A freezer that is checked twice a day clears fish by the route of seven days, where it is found cold
// enough each time; a missed check, or a degree, begins it anew. The short routes ask for a logger.
func TestParasitesByChecks(t *testing.T) {
	checks := func(celsius float64, missed int) object {
		var pairs []float64
		for i := range 20 {
			if i != missed {
				pairs = append(pairs, 14*float64(i), celsius)
			}
		}
		return place("freezer", "freezer", -24, byHand("spot", pairs...))
	}
	for _, c := range []struct {
		what, profile string
		place         object
		hours         float64
		met           bool
	}{
		{"twice a day", "model-code", checks(-24, -1), 215, true}, {"not yet a week", "model-code", checks(-24, -1), 120, false},
		{"a check missed", "model-code", checks(-24, 8), 215, false}, {"at −21 °C", "model-code", checks(-21, -1), 215, false},
		{"a day, by the EU's route", "eu", checks(-24, -1), 40, false},
		{"the same by a logger", "eu", place("freezer", "freezer", -24, logged("f", -1, 240, 0.5, always(-24))), 40, true},
	} {
		in := fish("cod", c.hours, object{"profile": c.profile, "frozen": true, "only": []object{}, "received.core_celsius": -23, "received.ice": "none",
			"received.place": "freezer", "received.label_date": object{"at": at(-400), "means": "caught"}, "places": []object{c.place}})
		grade := map[bool]assess.Grade{true: assess.GradeLogged}[c.met]
		if c.met && c.profile == "model-code" {
			grade = assess.GradeChecked
		}
		if got := judged(t, c.what, in).At[0].Parasites; got.Met != c.met || got.Grade != grade {
			t.Errorf("%s: %+v", c.what, got)
		}
	}
}

// What an event needs a manager for, and what is refused, leaves the rest as it would be without it;
// what was written down later is not known earlier.
func TestWhatIsRefusedAndWhatIsNotKnownYet(t *testing.T) {
	in := fish("cod", 3, object{"events": []object{event("used", 2, object{"end_use": "raw"}),
		event("held", 2.5, object{"reason": "a doubt", "recorded_at": at(4)})}})
	in.At = append(in.At, hour0.Add(5*time.Hour), hour0.Add(-time.Hour))
	out := judged(t, "refused", in)
	if out.Events[1].Admitted || len(out.Events[1].Errors) == 0 || !out.Events[2].Admitted {
		t.Errorf("events %+v", out.Events)
	}
	if before, after := out.At[0], out.At[1]; !before.Uses["cook"].OK || after.Uses["cook"].OK {
		t.Errorf("held at 2.5 h and written down at 4 h: at 3 h cook is %v, at 5 h %v", before.Uses["cook"].OK, after.Uses["cook"].OK)
	}
	if out.At[2].OnHand || len(out.At[2].Clocks) != 0 {
		t.Error("it is on hand before it came")
	}
	used := judged(t, "used", fish("cod", 3, object{"events": []object{event("used", 2, object{"end_use": "cooked"})}}))
	if used.At[0].OnHand || used.At[0].Exits["discard"].OK {
		t.Error("it is still here")
	}
}

// Fish warms as slowly as its thickness says where somebody measured it: the thicker, the slower.
func TestMeasuredThickness(t *testing.T) {
	share := func(mm any) float64 {
		in := object{"places": []object{walkIn(always(1)), place("warm", "walk_in", 1, logged("b", -1, 60, 0.25, always(20)))},
			"events": []object{event("moved", 1, object{"place_id": "warm"})}}
		if mm != nil {
			in["received.thickness_mm"] = mm
		}
		for _, c := range judged(t, fmt.Sprint(mm, " mm"), fish("cod", 4, in)).At[0].Clocks {
			if c.ID == assess.ClockOutOfCold {
				return *c.Share
			}
		}
		return 0
	}
	thin, guessed, thick := share(15), share(nil), share(180)
	if !(thin > guessed && guessed > thick && thick > 0) {
		t.Errorf("three hours in a walk-in at 20 °C: share %.2f of 15 mm, %.2f as guessed, %.2f of 180 mm", thin, guessed, thick)
	}
}

func TestHistoriesThatCannotBeRead(t *testing.T) {
	for field, in := range map[string]HistoryIn{
		"species":            fish("unicorn", 1, nil),
		"profile":            fish("cod", 1, object{"profile": "lax"}),
		"places[0].kind":     fish("cod", 1, object{"places": []object{{"id": "walk", "kind": "cellar"}}}),
		"received.place":     fish("cod", 1, object{"received.place": "moon"}),
		"received.ice":       fish("cod", 1, object{"received.ice": "snow"}),
		"events[1].kind":     fish("cod", 1, object{"events": []object{event("received", 1, nil)}}),
		"events[1].place_id": fish("cod", 1, object{"events": []object{event("moved", 1, object{"place_id": "moon"})}}),
		"events[1].keeps_hours": fish("cod", 1, object{"events": []object{event("pulled", 1, object{"place_id": "walk", "method": "fridge",
			"keeps_hours": 1e6})}}),
		"events[1].index":       fish("cod", 1, object{"events": []object{event("corrected", 1, object{"index": 9, "data": object{}, "reason": "none"})}}),
		"at":                    fish("cod", 1, object{"at": []string{}}),
		"received.weight_kg":    fish("cod", 1, object{"weight_kg": -1}),
		"received.thickness_mm": fish("cod", 1, object{"received.thickness_mm": 501}),
		"origin":                fish("cod", 1, object{"origin": "mars"}),
	} {
		_, err := JudgeHistory(context.Background(), in)
		bad, ok := err.(invalid.Errors)
		if !ok || bad.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	var many []object
	for range 501 {
		many = append(many, event("temperature", 1, object{"celsius": 1}))
	}
	if _, err := JudgeHistory(context.Background(), fish("cod", 1, object{"only": many})); err == nil || !strings.Contains(fmt.Sprint(err), "more than 500") {
		t.Errorf("501 events: %v", err)
	}
}

// A week of readings a minute apart, read from JSON and judged: with the fish's weight, and without it.
func BenchmarkHistoryOf10000Readings(b *testing.B) {
	swings := func(h float64) float64 { return 2 + 3*math.Sin(h/3) + float64(int(h*60)%7)/10 }
	in := fish("mackerel", 160, object{"places": []object{place("walk", "walk_in", 1, logged("w", -2, 165, 1.0/60, swings))}})
	for name, kg := range map[string]*float64{"weighed": in.WeightKg, "bare": nil} {
		in.WeightKg = kg
		text, err := json.Marshal(in)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				var in HistoryIn
				if err := strict(text, &in); err != nil {
					b.Fatal(err)
				}
				if _, err := JudgeHistory(context.Background(), in); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
