package lot

import (
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
)

// Events are for ever: those written before the payloads grew still fold to the
// same state and account, word for word as they stand in the first databases.
func TestOldEventsStillFold(t *testing.T) {
	old := []struct {
		kind Kind
		data string
	}{
		{KindReceived, `{"docket_id":"0195a5c2-0000-7000-8000-000000000001","line":1,"code":"COVE-482","species":"cod","form":"gutted","count":4,"weight_kg":15.6,
			"core_celsius":0.8,"ice":"well_iced","claim":{"at":"2026-02-28T06:00:00Z","means":"caught"},"supplier_id":1,"supplier_lot":"119-1","place_id":10}`},
		{KindInspected, `{"scheme":"demerit20","scheme_version":1,"fish":[{"belly":0,"eye_clarity":0,"eye_shape":1,"gill_colour":0,"gill_smell":0,"skin":1,"smell":0,"stiffness":1,"blood_spots":0}],
			"reading":{"index":3,"index_max":20,"grade":"fresh","fish":1,"signs_seen":9,"age":{"days":1.714,"sd":1.828}},
			"proposed":{"verdict":"hold","rule":"second opinion","reasons":["musty"],"hard_stops":[]},"decision":"hold","profile":"house-strict"}`},
		{KindReleased, `{"reason":"smelt again"}`},
		{KindMoved, `{"place_id":20}`},
		{KindTemperature, `{"celsius":1.4}`},
		{KindHeld, `{"reason":"which reef?"}`},
	}
	var events []Event
	var prev []byte
	id := uuid.New()
	for i, o := range old {
		e := Event{ID: uuid.New(), LotID: id, Seq: i + 1, Kind: o.kind, HappenedAt: at(float64(i)), RecordedAt: at(float64(i)), PersonID: 1, Data: []byte(o.data), PrevHash: prev}
		e.Hash = e.Digest()
		prev = e.Hash
		events = append(events, e)
	}
	if err := CheckChain(events); err != nil {
		t.Fatal(err)
	}
	s, err := Fold(events)
	if err != nil {
		t.Fatal(err)
	}
	i, ok := s.Inspection()
	if !ok || i.Fish[0].Signs["skin"] != 1 || len(i.Fish[0].Explanations) != 0 || i.Reading.Age == nil || i.Decision != freshness.Hold {
		t.Errorf("inspected as %+v", i)
	}
	if s.Hold != "which reef?" || s.Place() != 20 || s.Received.Ordered != nil || s.ParentCode != "" || len(s.Spots) != 2 {
		t.Errorf("folded to %+v", s)
	}
	a := Tell(s, env(at(8), nil))
	near(t, "read age, carried on", a.Read.Days-1.714, a.Claimed.Days-claimedAt(t, s, 1), 1e-9)
	if a.GapDays == nil || a.Basis != freshness.BasisMean {
		t.Errorf("told as %+v", a)
	}
}

// claimedAt is the age by the papers some hours after the first event.
func claimedAt(t *testing.T, s *State, hours float64) float64 {
	t.Helper()
	age, _ := ClaimedAt(s, env(at(hours), nil), at(hours))
	if age == nil {
		t.Fatal("the papers say nothing")
	}
	return age.Days
}
