package interchange

import (
	"bytes"
	"encoding/json"
	"strings"
	"time"
)

// HistoryExample is a history to begin with.
type HistoryExample struct {
	ID   string
	Name string
	Text string // the request, as JSON
}

// HistoryExamples lists them.
var HistoryExamples = examples()

func examples() []HistoryExample {
	begin := time.Date(2026, 5, 4, 6, 0, 0, 0, time.UTC)
	at := func(h float64) string { return begin.Add(time.Duration(h * float64(time.Hour))).Format(time.RFC3339) }
	type o = map[string]any
	logger := func(id string, from, to, every float64, c func(h float64) float64) o {
		var readings []o
		for h := from; h <= to; h += every {
			readings = append(readings, o{"at": at(h), "celsius": c(h)})
		}
		return o{"id": id, "kind": "logger", "readings": readings}
	}
	steady := func(c float64) func(float64) float64 { return func(float64) float64 { return c } }
	walkIn := func(to float64) o {
		return o{"id": "walk-in", "kind": "walk_in", "set_celsius": 1, "sources": []o{logger("walk-in air", -1, to, 0.5, steady(1.2))}}
	}
	bench := o{"id": "bench", "kind": "bench"}
	received := func(core any, ice, place string, caught float64) o {
		return o{"at": at(0), "core_celsius": core, "ice": ice, "place": place, "dispatched_at": at(-3),
			"label_date": o{"at": at(caught), "means": "caught"}}
	}
	event := func(kind string, h float64, more o) o {
		e := o{"kind": kind, "at": at(h)}
		for k, v := range more {
			e[k] = v
		}
		return e
	}
	perfect := o{"scheme": "demerit20", "fish": []o{{"skin": 0, "blood_spots": 0, "stiffness": 0, "belly": 0, "smell": 0, "eye_clarity": 0,
		"eye_shape": 0, "gill_colour": 0, "gill_smell": 0}}}
	dealer := o{"kind": "dealer"}
	list := []struct {
		id, name string
		request  o
	}{
		{"bass", "A perfect bass, served raw", o{"species": "sea-bass", "origin": "farmed", "form": "gutted", "weight_kg": 0.8, "supplier": dealer,
			"received": received(0.8, "well_iced", "walk-in", -20), "places": []o{walkIn(10)},
			"letters": []o{{"kind": "farmed", "species": "sea-bass", "from": at(-2000), "to": at(2000)}},
			"events":  []o{event("inspected", 0.4, perfect)}, "at": []string{at(1), at(9)}}},
		{"mackerel", "A dealer's mackerel, overnight in a clipboard kitchen", o{"profile": "eu", "species": "mackerel", "form": "whole", "weight_kg": 4.2,
			"count": 12, "supplier": dealer, "received": received(1.4, "well_iced", "walk-in", -22),
			"places": []o{{"id": "walk-in", "kind": "walk_in", "set_celsius": 1, "sources": []o{{"id": "clipboard", "kind": "spot",
				"readings": []o{{"at": at(2), "celsius": 1.5}, {"at": at(15), "celsius": 1.4}, {"at": at(25.5), "celsius": 1.8}}}}}},
			"events": []o{event("inspected", 0.5, perfect)}, "at": []string{at(14), at(26), at(40)}}},
		{"hot-day", "A catch on a hot day, iced in twenty minutes", o{"species": "mackerel", "form": "whole", "weight_kg": 6, "count": 14,
			"supplier": o{"kind": "boat"}, "received": received(2.1, "well_iced", "walk-in", -7), "places": []o{walkIn(12)},
			"events": []o{event("caught", -7, o{"gear": "hook", "water_celsius": 24, "air_celsius": 28}), event("killed", -7, o{"method": "spike"}),
				event("iced", -6.67, nil), event("temperature", 1, o{"celsius": 1.6})}, "at": []string{at(0.5), at(2), at(10)}}},
		{"freezer", "A freezer that failed under a vacuum pack", o{"species": "cod", "form": "fillet_skin_on", "frozen": true, "weight_kg": 1.2,
			"supplier": dealer, "received": received(-22, "none", "freezer", -400),
			"places": []o{{"id": "freezer", "kind": "freezer", "set_celsius": -24, "sources": []o{logger("freezer air", -1, 260, 1, func(h float64) float64 {
				if h >= 100 && h < 160 {
					return 10
				}
				return -24
			})}}}, "events": []o{event("packed", 1, o{"pack": "vacuum"})}, "at": []string{at(90), at(130), at(250)}}},
		{"bench", "Cooked fish forgotten on the bench", o{"species": "cod", "form": "gutted", "weight_kg": 2.4, "supplier": dealer,
			"received": received(1, "well_iced", "walk-in", -20), "places": []o{walkIn(30), bench},
			"events": []o{event("inspected", 0.5, perfect), event("cooked", 2, o{"core_celsius": 70}), event("temperature", 3.5, o{"celsius": 18}),
				event("temperature", 6, o{"celsius": 4}), event("moved", 8, o{"place_id": "bench"})}, "at": []string{at(7), at(11), at(14)}}},
	}
	var out []HistoryExample
	for _, x := range list {
		out = append(out, HistoryExample{x.id, x.name, readable(x.request)})
	}
	return out
}

// readable writes a request so that a person can change it: a reading on one line.
func readable(request any) string {
	text, err := json.MarshalIndent(request, "", "  ")
	if err != nil {
		panic(err) // texts and numbers
	}
	var b bytes.Buffer
	for i, block := range strings.Split(string(text), "{\n") {
		if i > 0 {
			b.WriteString("{")
			if end := strings.IndexByte(block, '}'); end >= 0 && !strings.ContainsAny(block[:end], "[{") {
				b.WriteString(strings.Join(strings.Fields(block[:end]), " ") + block[end:])
				continue
			}
			b.WriteString("\n")
		}
		b.WriteString(block)
	}
	return b.String()
}

// ReadHistory reads a request from its text.
func ReadHistory(text string) (HistoryIn, error) {
	var in HistoryIn
	err := strict([]byte(text), &in)
	return in, err
}
