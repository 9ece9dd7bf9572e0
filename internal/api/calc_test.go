package api

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/species"
)

// The calculators of the way from death to dock, over HTTP: an answer each that
// the tests of the core hold against its sources.
func TestCalcDeathToDock(t *testing.T) {
	s := serve(t)
	number := func(got map[string]any, field string) float64 {
		v, ok := got[field].(float64)
		if !ok {
			return math.NaN()
		}
		return v
	}
	near := func(what string, got, want, tolerance float64) {
		t.Helper()
		if !(math.Abs(got-want) <= tolerance) {
			t.Errorf("%s = %v, want %v ± %v", what, got, want, tolerance)
		}
	}
	post := func(calc, body string) map[string]any {
		t.Helper()
		status, got := s.post("/api/v1/calc/"+calc, body)
		if status != 200 {
			t.Errorf("%s %s: status %d, %v", calc, body, status, got)
		}
		return got
	}

	rigor := post("rigor", `{"species":"cod","celsius":0,"stressed":true}`)
	onset, end := rigor["onset_hours"].([]any), rigor["end_hours"].([]any)
	if onset[0] != 2.0 || onset[1] != 8.0 || end[0] != 20.0 || end[1] != 65.0 {
		t.Errorf("rigor of stressed cod at 0 °C: %v", rigor)
	}

	ice := post("ice", `{"species":"cod","fish_kg":100,"from_celsius":10,"inner_mm":[600,400,300],"wall_mm":30,`+
		`"wall_w_mk":0.035,"outside_celsius":20,"hours":8}`)
	near("ice to hold", number(ice, "to_hold_kg"), 2.167, 0.001)
	near("melt", number(ice, "melt_kg_per_hour"), 0.2709, 0.0001)
	near("melt on deck", number(post("ice", `{"species":"cod","fish_kg":100,"from_celsius":10,"inner_mm":[600,400,200],`+
		`"wall_mm":3,"wall_w_mk":0.4,"outside_celsius":20,"hours":8,"outside_h_w_m2k":15}`), "melt_kg_per_hour"), 2.291, 0.002)
	near("ice to cool", number(ice, "to_cool_kg"), 11.2, 0.2)
	near("ice in all", number(ice, "total_kg"), number(ice, "to_cool_kg")+number(ice, "to_hold_kg"), 1e-9)
	near("without a box", number(post("ice", `{"species":"cod","fish_kg":100,"from_celsius":10}`), "to_hold_kg"), 0, 0)

	buy := post("yield", `{"whole_kg":4.5,"whole_price_per_kg":19,"yield":0.5,"fee":9,"fillet_price_per_kg":38}`)
	near("break-even with a fee", number(buy, "break_even_yield"), 0.5526, 0.0001) // (19·4.5 + 9)/(38·4.5)
	if buy["buy"] != "fillet" {
		t.Errorf("at a yield of half: %v", buy)
	}
	thirds := post("portion", `{"species":"yellowfin-tuna","form":"loin","length_mm":300,"weight_kg":0.9,"pieces":3}`) // as thick all along
	cuts := thirds["cuts_mm"].([]any)
	if len(cuts) != 2 || math.Abs(cuts[0].(float64)-100) > 1e-6 || math.Abs(cuts[1].(float64)-200) > 1e-6 {
		t.Errorf("a loin in thirds is cut at %v", cuts)
	}
	near("left at the tail", number(post("portion", `{"species":"salmon","form":"fillet_skin_on","length_mm":520,"weight_kg":1.1,"portion_g":170}`),
		"remainder_g"), 80, 1e-9)
	parts := post("split-cost", `{"landed_cost":93,"labour_minutes":20,"wage_per_hour":21,"by":"value",`+
		`"parts":[{"name":"fillet","kg":2,"value_per_kg":40},{"name":"frame","kg":2,"value_per_kg":10}]}`)["parts"].([]any)
	near("a kilo of fillet", number(parts[0].(map[string]any), "cost_per_kg"), 40, 1e-9) // four fifths of 100, over 2 kg
	near("a kilo of frame", number(parts[1].(map[string]any), "cost_per_kg"), 10, 1e-9)

	plain := post("order", `{"covers":80,"portion_g":180,"yield":0.42,"ageing_loss":0.05,"drip_loss":0.03,"on_hand_kg":2}`)
	near("whole to order", number(plain, "whole_kg"), 12.4/(0.42*0.95*0.97), 1e-9) // by hand: 80 × 180 g, less 2 kg
	near("usable to order", number(plain, "usable_kg"), 12.4, 1e-9)
	raw := post("order", `{"covers":62,"covers_sd":9,"share":0.3,"portion_g":80,"yield":0.5,"service_level":0.9}`)
	near("for 18.6 give or take 4.5 plates", number(raw, "whole_kg"), (18.6+1.2816*math.Sqrt(20.31))*0.08/0.5, 1e-4)
	near("as sure as it was asked for", number(raw, "chance_enough"), 0.9, 1e-9)

	properties := post("properties", `{"species":"cod","celsius":-20}`)
	near("ice fraction", number(properties, "ice_fraction"), 0.698, 0.001)
	near("enthalpy at −40", number(post("properties",
		`{"composition":{"water":0.8,"protein":0.18,"fat":0.01,"ash":0.01},"celsius":-40}`), "enthalpy_kj_kg"), 0, 1e-9)

	frozen := post("heat",
		`{"species":"cod","shape":"cylinder","thickness_mm":125,"start_celsius":5,"medium_celsius":-35,"h_w_m2k":30,`+
			`"until":{"part":"core","op":"le","celsius":-20}}`)
	near("reported freezing time", number(frozen, "hours"), 5, 0.75)
	blast := post("heat",
		`{"species":"cod","shape":"cylinder","thickness_mm":125,"start_celsius":5,"medium_celsius":-35,"air_speed_ms":5,`+
			`"pack_m2k_w":0.002,"until":{"part":"core","op":"le","celsius":-20}}`)
	near("coefficient in a blast", number(blast, "h_w_m2k"), 26, 2.6)
	if bare, packed := number(frozen, "hours"), number(blast, "hours"); packed < bare {
		t.Errorf("bare at 30 W/(m²·K) %.2f h, packed in air of 5 m/s %.2f h", bare, packed)
	}
	if passage := number(frozen, "hours_core_minus1_to_minus5"); !(passage > 0.3 && passage < 5) ||
		len(frozen["curve"].([]any)) < 20 {
		t.Errorf("%v h from −1 to −5 °C, %d points", passage, len(frozen["curve"].([]any)))
	}
	if never := post("heat",
		`{"species":"cod","shape":"slab","thickness_mm":20,"start_celsius":5,"medium":[{"at_hours":0,"celsius":0},`+
			`{"at_hours":2,"celsius":-3}],"h_w_m2k":10,"max_hours":3,"until":{"part":"all","op":"le","celsius":-18}}`); never["hours"] != nil {
		t.Errorf("−18 °C in a medium of −3 °C: %v", never["hours"])
	}

	for name, c := range map[string]struct{ body, state string }{
		"iced at once, logged cold": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"readings":[{"at":"2026-03-01T05:00:00Z","celsius":1},` +
			`{"at":"2026-03-01T07:00:00Z","celsius":1},{"at":"2026-03-01T09:00:00Z","celsius":1}]}`, "ok"},
		"no record up to now": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"until":"2026-03-01T07:00:00Z"}`, "unknown"},
		"a gap in the record": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"readings":[{"at":"2026-03-01T05:00:00Z","celsius":1},` +
			`{"at":"2026-03-01T06:00:00Z","celsius":1},{"at":"2026-03-01T07:00:00Z","celsius":1},` +
			`{"at":"2026-03-01T12:00:00Z","celsius":1}]}`, "unknown"},
		"eight hours at 10 °C": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"readings":[{"at":"2026-03-01T05:00:00Z","celsius":10},` +
			`{"at":"2026-03-01T09:00:00Z","celsius":10},{"at":"2026-03-01T13:06:00Z","celsius":10}]}`, "stop"},
		"4.2 h at 22 °C": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"readings":[{"at":"2026-03-01T05:00:00Z","celsius":22},` +
			`{"at":"2026-03-01T07:06:00Z","celsius":22},{"at":"2026-03-01T09:12:00Z","celsius":22}]}`, "stop"},
		"iced after nine hours": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T13:06:00Z",` +
			`"max_ambient_celsius":20}`, "stop"},
		"the same, gutted first": {`{"death_at":"2026-03-01T04:00:00Z","chilled_at":"2026-03-01T13:06:00Z",` +
			`"max_ambient_celsius":20,"gutted_before_chilling":true}`, "warn"},
		"death not recorded": {`{"chilled_at":"2026-03-01T13:06:00Z","max_ambient_celsius":20}`, "unknown"},
		"after long frozen storage": {`{"death_at":"2026-01-01T04:00:00Z","chilled_at":"2026-01-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"frozen_weeks":26,"readings":[{"at":"2026-07-01T05:00:00Z","celsius":10},` +
			`{"at":"2026-07-01T10:00:00Z","celsius":10},{"at":"2026-07-01T15:00:00Z","celsius":10}],` +
			`"until":"2026-07-01T15:00:00Z"}`, "unknown"},
		"long frozen, its way recorded": {`{"death_at":"2026-01-01T04:00:00Z","chilled_at":"2026-01-01T05:00:00Z",` +
			`"max_ambient_celsius":12,"frozen_weeks":26,"readings":[{"at":"2026-01-01T05:00:00Z","celsius":1},` +
			`{"at":"2026-01-01T10:00:00Z","celsius":1},{"at":"2026-07-02T05:00:00Z","celsius":10},` +
			`{"at":"2026-07-02T10:00:00Z","celsius":10},{"at":"2026-07-02T15:00:00Z","celsius":10}]}`, "ok"},
	} {
		if got := post("histamine", c.body); got["state"] != c.state || got["to_chill"] == nil ||
			got["after"] == nil || got["reasons"] == nil {
			t.Errorf("%s: %v, want %s", name, got, c.state)
		}
	}

	for _, c := range []struct{ calc, body, field string }{
		{"rigor", `{"species":"cod"}`, "celsius"},
		{"rigor", `{"species":"unicorn","celsius":2}`, "species"},
		{"ice", `{"species":"cod","fish_kg":0,"from_celsius":10}`, "fish_kg"},
		{"ice", `{"species":"cod","fish_kg":10,"from_celsius":10,"wall_mm":30}`, "inner_mm"},
		{"ice", `{"species":"cod","fish_kg":10,"from_celsius":10,"inner_mm":[6,400,300],"wall_mm":30,` +
			`"wall_w_mk":0.03,"outside_celsius":20,"hours":3}`, "inner_mm"},
		{"heat", `{"species":"cod","shape":"cube","thickness_mm":20,"start_celsius":5,"medium_celsius":0,` +
			`"h_w_m2k":10,"until":{"part":"core","op":"le","celsius":2}}`, "shape"},
		{"heat", `{"species":"cod","shape":"slab","thickness_mm":20,"start_celsius":500,"medium_celsius":0,` +
			`"h_w_m2k":10,"until":{"part":"core","op":"le","celsius":2}}`, "start_celsius"},
		{"heat", `{"species":"cod","shape":"slab","thickness_mm":20,"start_celsius":5,"medium":[{"at_hours":3,` +
			`"celsius":0},{"at_hours":1,"celsius":0}],"h_w_m2k":10,"until":{"part":"core","op":"lt","celsius":2}}`,
			"until.op"},
		{"heat", `{"species":"cod","shape":"slab","thickness_mm":20,"start_celsius":5,"medium":[{"at_hours":0,"celsius":0}` +
			strings.Repeat(`,{"at_hours":1,"celsius":0}`, 500) + `],"h_w_m2k":10,"until":{"part":"core","op":"le","celsius":2}}`, "medium"},
		{"properties", `{"composition":{"water":0,"protein":1,"fat":0,"ash":0},"celsius":5}`, "composition"},
		{"properties", `{"species":"cod","celsius":-80}`, "celsius"},
		{"histamine", `{"death_at":"2026-03-01T05:00:00Z","chilled_at":"2026-03-01T04:00:00Z"}`, "chilled_at"},
		{"histamine", `{"readings":[{"at":"2026-03-01T05:00:00Z"}]}`, "readings[0].celsius"},
		{"histamine", `{"died_at":"2026-03-01T05:00:00Z"}`, "died_at"},
	} {
		status, got := s.post("/api/v1/calc/"+c.calc, c.body)
		fields, _ := got["errors"].([]any)
		found := false
		for _, f := range fields {
			found = found || f.(map[string]any)["field"] == c.field
		}
		if status != 422 || !found {
			t.Errorf("%s %s: status %d, %v, want an error on %s", c.calc, c.body, status, got, c.field)
		}
	}
}

// The calculators of the frost, over HTTP.
func TestCalcFreezer(t *testing.T) {
	s := serve(t)
	post := func(calc, body string, status int) map[string]any {
		t.Helper()
		got, answer := s.post("/api/v1/calc/"+calc, body)
		if got != status {
			t.Fatalf("%s %s: status %d, %v", calc, body, got, answer)
		}
		return answer
	}
	week := `[{"at":"2026-11-01T00:00:00Z","celsius":-21},{"at":"2026-11-08T00:00:00Z","celsius":-21}]`
	done := post("parasite", `{"profile":"model-code","species":"cod","readings":`+week+`}`, 200)
	if done["met"] != true || done["route"] != "minus20-7d" || done["met_at"] != "2026-11-08T00:00:00Z" ||
		done["remaining_hours"] != 0.0 {
		t.Errorf("a week at −21 °C: %v", done)
	}
	half := post("parasite",
		`{"profile":"house-strict","species":"salmon","readings":[{"at":"2026-11-01T00:00:00Z","celsius":-21},`+
			`{"at":"2026-11-02T00:00:00Z","celsius":-21}]}`, 200)
	if half["met"] != false || half["route"] != nil || half["remaining_hours"] != 144.0 {
		t.Errorf("a day at −21 °C: %v", half)
	}
	if tuna := post("parasite", `{"profile":"model-code","species":"bluefin-tuna","readings":[]}`,
		200); tuna["met"] != true || tuna["route"] != "exempt" {
		t.Errorf("tuna: %v", tuna)
	}

	life := post("frozen-life",
		`{"fat_class":"fatty","readings":[{"at":"2026-01-01T00:00:00Z","celsius":-18},{"at":"2026-03-02T21:00:00Z",`+
			`"celsius":-18}]}`, 200)
	if used, left := life["used_fraction"].(float64),
		life["life_left_months_at_mean"].(float64); math.Abs(used-0.4) > 1e-9 || math.Abs(left-3) > 1e-9 ||
		life["hold"] != false {
		t.Errorf("two of five months: %v", life)
	}
	if warm := post("frozen-life",
		`{"fat_class":"lean","readings":[{"at":"2026-01-01T00:00:00Z","celsius":-5},{"at":"2026-01-02T00:00:00Z",`+
			`"celsius":-5}]}`, 200); warm["hold"] != true || warm["life_left_months_at_mean"] != nil {
		t.Errorf("at −5 °C: %v", warm)
	}

	thaw := func(more string, status int) map[string]any {
		return post("thaw",
			`{"species":"cod","form":"fillet_skinless","thickness_mm":20,"start_celsius":-20,`+
				`"serve_at":"2026-11-24T19:00:00Z"`+more+`}`, status)
	}
	fridge := thaw(`,"method":"fridge","medium_celsius":4,"profile":"model-code"`, 200)
	if a, b := fridge["workable_hours"].(float64), fridge["ice_free_hours"].(float64); a > 10 || b < 12 ||
		fridge["refused"] != nil || fridge["start_by"].(string) >= "2026-11-24T07:00:00Z" {
		t.Errorf("fridge: %v to %v h, %v, %v", a, b, fridge["refused"], fridge["start_by"])
	}
	if wet := thaw(`,"method":"water","medium_celsius":12,"end_use":"raw"`, 200); wet["refused"] == nil {
		t.Error("raw from water is not refused by the strict profile")
	}
	if one := thaw(`,"method":"fridge","medium_celsius":2,"faces":1`,
		200); one["ice_free_hours"].(float64) < 2*fridge["ice_free_hours"].(float64) {
		t.Errorf("one face: %v h", one["ice_free_hours"])
	}
	packed := thaw(`,"method":"fridge","medium_celsius":2,"vacuum_packed":true`, 200)
	if first := packed["steps"].([]any)[0].(map[string]any)["do"]; first != "Open the pack" {
		t.Errorf("a vacuum pack: %v first", first)
	}
	age := func(more string, status int) map[string]any {
		return post("ageing",
			`{"species":"sea-bream","start_kg":2,"celsius":2,"target_loss":0.08,`+
				`"weigh_ins":[{"at":"2026-11-01T08:00:00Z","kg":2},{"at":"2026-11-02T08:00:00Z","kg":1.97},`+
				`{"at":"2026-11-04T08:00:00Z","kg":1.92}]`+more+`}`, status)
	}
	hung := age(`,"rh":0.8`, 200)
	if loss := hung["loss"].(float64); math.Abs(loss-0.04) > 0.004 || len(hung["forecast"].([]any)) != 15 ||
		hung["target_at"].(string) < "2026-11-06" || hung["target_lo"].(string) >= hung["target_hi"].(string) {
		t.Errorf("a bream after three days: %v", hung)
	}
	if drier := age(`,"rh":0.7`, 200); drier["k_reference_per_day"].(float64) >= hung["k_reference_per_day"].(float64) {
		t.Errorf("the same loss in drier air: %v", drier)
	}
	age(`,"rh":80`, 422)
	age(`,"rh":0.8,"start_kg":3`, 422)
	post("ageing", `{"species":"sea-bream","celsius":2,"rh":0.8,"target_loss":0.08,"weigh_ins":[]}`, 422)

	thaw(`,"method":"hot_water","medium_celsius":45`, 422)
	thaw(`,"method":"fridge"`, 422)
}

func TestCalcExposure(t *testing.T) {
	s := serve(t)
	at := func(h int) string {
		return time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(h) * time.Hour).Format(time.RFC3339)
	}
	series := func(pairs ...float64) string {
		var parts []string
		for i := 0; i < len(pairs); i += 2 {
			parts = append(parts, fmt.Sprintf(`{"at":%q,"celsius":%v}`, at(int(pairs[i])), pairs[i+1]))
		}
		return "[" + strings.Join(parts, ",") + "]"
	}
	for _, c := range []struct {
		name, body string
		status     int
		want       map[string]float64
	}{
		{"a day at 0 °C", `{"model":"temperate","readings":` + series(0, 0, 24, 0) +
			`,"shelf_life_days":6,"hold_celsius":5}`, 200,
			map[string]float64{"ice_days": 1, "hours": 24, "life_left_ice_days": 5, "life_left_days": 5 / 2.25}},
		{"a ramp to 10 °C, closed form", `{"model":"temperate","readings":` + series(0, 0, 24, 10) + `}`, 200,
			map[string]float64{"ice_days": 7.0 / 3, "max_celsius": 10, "hours_above_4_4": 13.44}},
		{"warm water", `{"model":"warm","readings":` + series(0, 10, 24, 10) + `}`, 200,
			map[string]float64{"ice_days": math.Exp(1.2)}},
		{"a gap, along the line", `{"model":"temperate","readings":` + series(0, 0, 1, 0, 2, 0, 12, 0) + `}`, 200,
			map[string]float64{"assumed_hours": 10, "ice_days": 0.5}},
		{"a gap, at the set temperature + 2", `{"model":"temperate","set_celsius":3,"readings":` +
			series(0, 0, 1, 0, 2, 0, 12, 0) + `}`, 200,
			map[string]float64{"assumed_hours": 10, "ice_days": (2 + 10*2.25) / 24}},
		{"above the rule", `{"model":"temperate","readings":` + series(0, 26, 2, 26) + `}`, 200,
			map[string]float64{"hours_above_25": 2, "hours_above_21_1": 2}},
		{"one reading", `{"model":"temperate","readings":` + series(0, 0) + `}`, 422, nil},
		{"backwards", `{"model":"temperate","readings":` + series(2, 0, 1, 0) + `}`, 422, nil},
		{"70 °C", `{"model":"temperate","readings":` + series(0, 0, 1, 70) + `}`, 422, nil},
		{"no model", `{"readings":` + series(0, 0, 1, 0) + `}`, 422, nil},
		{"an unknown field", `{"model":"warm","fish":1,"readings":` + series(0, 0, 1, 0) + `}`, 422, nil},
		{"held where there is no rule", `{"model":"warm","hold_celsius":30,"shelf_life_days":5,"readings":` +
			series(0, 0, 1, 0) + `}`, 422, nil},
		{"not JSON", `model=warm`, 400, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, got := s.post("/api/v1/calc/exposure", c.body)
			if status != c.status {
				t.Fatalf("status %d: %v", status, got)
			}
			for field, want := range c.want {
				if v, ok := got[field].(float64); !ok || math.Abs(v-want) > 1e-9 {
					t.Errorf("%s = %v, want %v", field, got[field], want)
				}
			}
			if c.name == "above the rule" && (got["ice_days"] != nil || got["hold"] != true) {
				t.Errorf("ice_days %v, hold %v: want null and true", got["ice_days"], got["hold"])
			}
		})
	}
}

func TestCalcFreshness(t *testing.T) {
	s := serve(t)
	eight := `{"skin":1,"blood_spots":1,"stiffness":2,"belly":1,"smell":1,"eye_clarity":1,"eye_shape":1,` +
		`"gill_colour":0,"gill_smell":0}`
	status, got := s.post("/api/v1/calc/freshness", `{"scheme":"demerit20","species":"cod","form":"whole","fish":[`+
		eight+`],"claimed_ice_days":2,"claimed_sd":1}`)
	if status != 200 || got["index"] != 8.0 || got["index_max"] != 20.0 || got["read_age_ice_days"] != 6.0 ||
		got["grade"] != "fair" {
		t.Errorf("status %d: %v", status, got)
	}
	if gap, _ := got["age_gap"].(float64); math.Abs(gap-4/math.Hypot(1, 12*math.Hypot(0.14, 0.06))) > 1e-9 {
		t.Errorf("gap %v", got["age_gap"])
	}
	status, got = s.post("/api/v1/calc/freshness",
		`{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"smell":3,"skin":0,"belly":0,"stiffness":0,`+
			`"eye_shape":0}]}`)
	if stops, _ := got["hard_stops"].([]any); status != 200 || got["verdict"] != "refuse" || len(stops) != 1 ||
		got["age_gap"] != nil {
		t.Errorf("stale fish: status %d, %v", status, got)
	}
	for name, body := range map[string]string{
		"unknown species": `{"scheme":"demerit20","species":"unicorn","form":"whole","fish":[{"skin":0}]}`,
		"unknown sign":    `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"fins":0}]}`,
		"level too high":  `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"skin":9}]}`,
		"no fish":         `{"scheme":"demerit20","species":"cod","form":"whole","fish":[]}`,
		"wrong form":      `{"scheme":"demerit20","species":"cod","form":"loin","fish":[{"skin":0}]}`,
		"level as a text": `{"scheme":"demerit20","species":"cod","form":"whole","fish":[{"skin":"0"}]}`,
	} {
		if status, got := s.post("/api/v1/calc/freshness", body); status != 422 || got["errors"] == nil {
			t.Errorf("%s: status %d, %v", name, status, got)
		}
	}
}

// Every method answers over HTTP: its index, its grade and its verdict.
func TestCalcFreshnessOfEveryMethod(t *testing.T) {
	s := serve(t)
	for name, c := range map[string]struct {
		body           string
		index          float64
		grade, verdict string
		age            bool
	}{
		"white": {`{"scheme":"grade","species":"cod","form":"gutted","fish":[{"skin":1,"mucus":1,"eye":1,` +
			`"gills":1,"smell":0,"flesh":1,"peritoneum":1}]}`, 24 * 6.0 / 21, "A", "accept", true},
		"oily": {`{"scheme":"grade","species":"mackerel","form":"whole","fish":[{"skin":0,"mucus":0,"eye":0,` +
			`"gills":0,"smell":3,"flesh":0,"cover":0}]}`, 3, "Not admitted", "refuse", true},
		"rays": {`{"scheme":"grade","species":"thornback-ray","form":"gutted","fish":[{"eye":0,"appearance":0,` +
			`"smell":0,"skin":0,"flesh":0,"fins":0,"belly":0}]}`, 0, "Extra", "accept", true},
		"quick": {`{"scheme":"quick","species":"anglerfish","form":"tail","fish":[{"cut_face":0,"cavity":0,` +
			`"smell":0,"press":2,"skin":0,"explanations":["spent"]}]}`, 0, "pass", "accept_cook", true},
		"cutface": {`{"scheme":"cutface","species":"yellowfin-tuna","form":"loin","fish":[{"flesh_tone":1,` +
			`"bloodline":2,"surface":1,"gaping":0,"press":0,"liquid":0,"smell":0}]}`, 4, "fair", "refuse", true},
		"frozen": {`{"scheme":"frozen","species":"salmon","form":"fillet_skin_on","frozen":true,"fish":[{"seal":0,` +
			`"solid":0,"frost":1,"drip":2,"burn":0}]}`, 3, "worn", "hold", false},
	} {
		status, got := s.post("/api/v1/calc/freshness", c.body)
		index, _ := got["index"].(float64)
		if status != 200 || math.Abs(index-c.index) > 1e-9 || got["grade"] != c.grade ||
			got["verdict"] != c.verdict || (got["read_age_ice_days"] != nil) != c.age {
			t.Errorf("%s: status %d, %v", name, status, got)
		}
	}
	// A box: the majority's grade, the spread, and a hard stop that opens it.
	status, got := s.post("/api/v1/calc/freshness",
		`{"scheme":"quick","species":"cod","form":"whole","count":24,"fish":[{"eyes":0,"gills":0,"smell":0,`+
			`"press":0,"skin":0},{"eyes":0,"gills":0,"smell":2,"press":0,"skin":0}]}`)
	each, _ := got["fish"].([]any)
	if status != 200 || len(each) != 2 || got["open_whole_box"] != true || got["grade"] != "doubt" {
		t.Errorf("a box: status %d, %v", status, got)
	}
	// One eye that reads far older than the rest is named, with what it could be.
	status, got = s.post("/api/v1/calc/freshness",
		`{"scheme":"grade","species":"sardine","form":"whole","fish":[{"skin":0,"mucus":0,"eye":3,"gills":0,`+
			`"smell":0,"flesh":0,"cover":0}]}`)
	mixed, _ := got["mixed_evidence"].([]any)
	if status != 200 || len(mixed) != 1 || mixed[0].(map[string]any)["sign"] != "eye" ||
		len(mixed[0].(map[string]any)["could_be"].([]any)) == 0 {
		t.Errorf("one bad eye: status %d, %v", status, got)
	}
	for name, body := range map[string]string{
		"unknown scheme": `{"scheme":"taste","species":"cod","form":"whole","fish":[{"skin":0}]}`,
		"unknown explanation": `{"scheme":"quick","species":"cod","form":"whole","fish":[{"press":2,` +
			`"explanations":["old_age"]}]}`,
		"explanation of other fish": `{"scheme":"quick","species":"cod","form":"whole","fish":[{"skin":2,` +
			`"explanations":["loose_scales"]}]}`,
		"explanations as a text": `{"scheme":"quick","species":"cod","form":"whole","fish":[{"press":2,` +
			`"explanations":"spent"}]}`,
		"more fish than in the box": `{"scheme":"quick","species":"cod","form":"whole","count":1,` +
			`"fish":[{"press":0},{"press":0}]}`,
		"a table of other fish":      `{"scheme":"grade-shark","species":"cod","form":"whole","fish":[{"eye":0}]}`,
		"a frozen scheme's own sign": `{"scheme":"frozen","species":"cod","form":"whole","fish":[{"skin":0}]}`,
	} {
		if status, got := s.post("/api/v1/calc/freshness", body); status != 422 || got["errors"] == nil {
			t.Errorf("%s: status %d, %v", name, status, got)
		}
	}
}

// FuzzCalcHeat holds the calculator to answering whatever it is asked: an error
// on a field, or temperatures between those it was given.
func FuzzCalcHeat(f *testing.F) {
	f.Add("slab", 20.0, 5.0, -30.0, 25.0, -18.0, 24.0)
	f.Add("sphere", 0.0, 500.0, 1e308, -1.0, math.Inf(1), 0.0)
	cod, _ := species.Builtin().Get("cod")
	f.Fuzz(func(t *testing.T, shape string, mm, start, medium, h, until, most float64) {
		most = math.Min(most, 48)
		in := heatIn{ThicknessMM: mm, StartCelsius: &start, MediumCelsius: &medium, H: &h,
			Until: &goalIn{Part: "core", Op: "le", Celsius: &until}, MaxHours: &most}
		in.Species, in.Shape = cod.ID, heat.Shapes[len(shape)%len(heat.Shapes)]
		out, err := (calculator{species.Builtin()}).heat(context.Background(), in)
		if err != nil {
			return
		}
		lo, hi := math.Min(start, medium)-0.5, math.Max(start, medium)+0.5
		for _, p := range out.Curve {
			if !(p.Core >= lo && p.Core <= hi && p.Surface >= lo && p.Surface <= hi) {
				t.Fatalf("%v mm from %v in %v °C with h %v: core %v, surface %v after %v h", mm, start, medium, h,
					p.Core, p.Surface, p.Hours)
			}
		}
	})
}
