package assess

import (
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

// Events are for ever: those written before the payloads grew still fold to the
// same state and account, word for word as they stand in the first databases.
func TestOldEventsStillFold(t *testing.T) {
	old := []written{
		{"received", `{"docket_id":"0195a5c2-0000-7000-8000-000000000001","line":1,"code":"COVE-482","species":"cod","form":"gutted","count":4,"weight_kg":15.6,
			"core_celsius":0.8,"ice":"well_iced","claim":{"at":"2026-02-28T06:00:00Z","means":"caught"},"supplier_id":1,"supplier_lot":"119-1","place_id":10}`},
		{"inspected", `{"scheme":"demerit20","scheme_version":1,"fish":[{"belly":0,"eye_clarity":0,"eye_shape":1,"gill_colour":0,"gill_smell":0,"skin":1,"smell":0,"stiffness":1,"blood_spots":0}],
			"reading":{"index":3,"index_max":20,"grade":"fresh","fish":1,"signs_seen":9,"age":{"days":1.714,"sd":1.828}},
			"proposed":{"verdict":"hold","rule":"second opinion","reasons":["musty"],"hard_stops":[]},"decision":"hold","profile":"house-strict"}`},
		{"released", `{"reason":"smelt again"}`},
		{"moved", `{"place_id":20}`},
		{"temperature", `{"celsius":1.4}`},
		{"held", `{"reason":"which reef?"}`},
	}
	s := foldWritten(t, old, 1)
	i, ok := s.Inspection()
	if !ok || i.Fish[0].Signs["skin"] != 1 || len(i.Fish[0].Explanations) != 0 || i.Reading.Age == nil ||
		i.Decision != freshness.Hold {
		t.Errorf("inspected as %+v", i)
	}
	if s.Hold != "which reef?" || s.Place() != 20 || s.Received.Ordered != nil || s.ParentCode != "" ||
		len(s.CoreReadings) != 2 {
		t.Errorf("folded to %+v", s)
	}
	a := assessNow(s, env(at(8), nil))
	near(t, "read age, carried on", a.ReadAge.Days-1.714, a.DeclaredAge.Days-claimedAt(t, s, 1), 1e-9)
	if a.GapDays == nil || a.Basis != freshness.BasisMean {
		t.Errorf("told as %+v", a)
	}
}

// written is an event as it stands in a database.
type written struct {
	kind lot.Kind
	data string
}

// foldWritten chains events some hours apart and folds them.
func foldWritten(t *testing.T, list []written, hours float64) *lot.State {
	t.Helper()
	var events []lot.Event
	var prev []byte
	id := uuid.New()
	for i, o := range list {
		when := at(hours * float64(i))
		e := lot.Event{ID: uuid.New(), LotID: id, Seq: i + 1, Kind: o.kind, HappenedAt: when, RecordedAt: when,
			PersonID: 1, Data: []byte(o.data), PrevHash: prev}
		e.Hash = e.Digest()
		prev = e.Hash
		events = append(events, e)
	}
	if err := lot.CheckChain(events); err != nil {
		t.Fatal(err)
	}
	s, err := lot.Fold(species.Builtin(), events)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// The same for the events of the freezer, the thaw and the cooling.
func TestOldEventsOfTheFreezerStillFold(t *testing.T) {
	s := foldWritten(t, []written{
		{"received", `{"docket_id":"0195a5c2-0000-7000-8000-000000000001","line":1,"code":"COVE-9","species":"hake","form":"fillet_skin_on","count":10,"weight_kg":1.6,"core_celsius":0.8,"ice":"well_iced",
			"claim":{"at":"2026-02-28T06:00:00Z","means":"caught"},"supplier_id":1,"place_id":20}`},
		{"froze", `{"batch_id":"0195a5c2-0000-7000-8000-0000000000aa","place_id":30,"way":"fan",` +
			`"wrapping":"vacuum","preps":["bled","flat"],"shape":"slab","thickness_mm":18,"start_celsius":1,` +
			`"air_celsius":-24,"h_w_m2k":19.2,"batch_kg":1.6,"power_w":900}`},
		{"pulled", `{"plan_id":"0195a5c2-0000-7000-8000-0000000000bb","place_id":40,"method":"fridge",` +
			`"end_use":"cook","opened":true,"medium_celsius":2,"h_w_m2k":9,"shape":"slab","thickness_mm":18,` +
			`"ice_free_hours":14,"keeps_hours":48}`},
		{"returned", `{"place_id":30,"core_celsius":-8,"reason":"the wrong box","by_manager":true}`},
		{"pulled", `{"place_id":40,"method":"water","end_use":"cook","medium_celsius":12,"start_celsius":-6,` +
			`"h_w_m2k":80,"shape":"slab","thickness_mm":18,"one_face":true,"ice_free_hours":0.6,"keeps_hours":1.5}`},
		{"thawed", `{"core_celsius":0.4,"drip_kg":0.05,"glaze_kg":0.02}`},
		{"cooked", `{"core_celsius":66}`},
		{"temperature", `{"celsius":19}`},
	}, 24)
	if len(s.FrozenStays) != 1 || s.FrozenStays[0].Froze.MM != 18 || *s.FrozenStays[0].Froze.PowerW != 900 ||
		!s.FrozenStays[0].Warmed || s.FrozenStays[0].Pull.Method != "water" || !s.FrozenStays[0].Pull.OneFace ||
		*s.FrozenStays[0].Pull.StartC != -6 {
		t.Errorf("frozen as %+v", s.FrozenStays)
	}
	if p, _ := s.Packing(); p.Pack != lot.PackAir || s.Place() != 40 || s.Frozen() || s.Thawing() {
		t.Errorf("packed in %s, in place %d", p.Pack, s.Place())
	}
	near(t, "weight without drip and glaze", s.WeightKg, 1.53, 1e-9)
	if s.Cooked == nil || s.Cooked.Data.CoreC != 66 || len(s.Cooled) != 1 || s.Cooled[0].Celsius != 19 {
		t.Errorf("cooked %+v, cooled %v", s.Cooked, s.Cooled)
	}
}

// And for those of the ageing cabinet.
func TestOldEventsOfAgeingStillFold(t *testing.T) {
	s := foldWritten(t, []written{
		{"received", `{"docket_id":"0195a5c2-0000-7000-8000-000000000001","line":1,"code":"COVE-10",` +
			`"species":"sea-bream","form":"gutted_gills_out","count":1,"weight_kg":1.86,"ice":"well_iced",` +
			`"supplier_id":1,"place_id":20}`},
		{"hung", `{"place_id":60,"hook":2,"kg":1.84,"school":"long_age","target":0.08,"hanging":"head_down",` +
			`"preps":["gutted","gilled"],"raw":true,"opened":"stiff when it came","by_manager":true,` +
			`"cents_per_kg":1450}`},
		{"weighed", `{"kg":1.81}`},
		{"looked", `{}`},
		{"weighed", `{"kg":1.2,"because":"the fish of hook three","aside":true}`},
		{"looked", `{"stops":["mould"],"note":"a spot at the tail"}`},
		{"released", `{"reason":"wiped and trimmed","by_manager":true}`},
		{"taken_down", `{"kg":1.7,"crust_kg":0.08,"usable_kg":0.9,"place_id":20,"why":"its target"}`},
	}, 20)
	if len(s.Hangings) != 1 || s.Ageing() != nil {
		t.Fatalf("hung %d times, hangs %v", len(s.Hangings), s.Ageing())
	}
	stay := s.Hangings[0]
	if stay.Hook != 2 || !stay.Raw || stay.Opened == "" || stay.CentsPerKg != 1450 || len(stay.Weighs) != 2 ||
		len(stay.WeighIns()) != 2 || len(stay.DailyChecks) != 2 || stay.Down.UsableKg != 0.9 {
		t.Errorf("hung as %+v", stay)
	}
	if s.Hold != "" || s.Place() != 20 || s.WeightKg != 0.9 {
		t.Errorf("held for %q, in place %d, %v kg", s.Hold, s.Place(), s.WeightKg)
	}
}

// claimedAt is the age by the papers some hours after the first event.
func claimedAt(t *testing.T, s *lot.State, hours float64) float64 {
	t.Helper()
	age, _ := DeclaredAgeAt(s, env(at(hours), nil), at(hours))
	if age == nil {
		t.Fatal("the papers say nothing")
	}
	return age.Days
}
