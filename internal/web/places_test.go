package web

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/alarm"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// The quiet hours silence what is a nuisance, and never a safety stop.
func TestQuietHoursNeverSilenceAStop(t *testing.T) {
	s := serve(t)
	s.must(s.k.AddPlace(s.ctx, kitchen.NewPlace{Name: "Empty room", Kind: "walk_in", SetC: 1}))
	places, err := s.k.DB.Places(s.ctx, s.lot.SiteID)
	s.must(err)
	_, err = s.k.AddProbe(s.ctx, kitchen.NewProbe{Name: "empty-1", Kind: kitchen.Fixed, PlaceID: places[1].ID})
	s.must(err)
	var records []string
	for m := 60; m >= 0; m -= 5 {
		for _, probe := range []string{"walk-in-1", "empty-1"} {
			records = append(records, fmt.Sprintf(`{"n":%q,"u":"Cel","v":8,"t":%d}`, probe,
				s.k.Now().Unix()-int64(m)*60))
		}
	}
	if status, got := s.call("POST", "/api/v1/readings", "application/senml+json", "["+strings.Join(records, ",")+
		"]"); status != 200 {
		t.Fatalf("%d: %v", status, got)
	}
	s.must(s.k.WatchStale(s.ctx))
	local := s.k.Now().Format("15:04")
	for _, c := range []struct {
		name, from, to string
		both           bool
	}{{"quiet all day", "00:00", "23:59", local == "23:59"}, {"never quiet", "12:00", "12:00", true}} {
		s.must(s.k.SetAlarmSettings(s.ctx, kitchen.AlarmSettings{QuietFrom: c.from, QuietTo: c.to, CheckDays: 30}))
		_, bar := s.get("/k/quay/alarms")
		if !strings.Contains(bar, "Walk-in: Too warm") || !strings.Contains(bar, "data-sound") {
			t.Errorf("%s: the stop is not shown: %s", c.name, bar)
		}
		if strings.Contains(bar, "and 1 more") != c.both || strings.Count(bar, "alarm-said") != 1 {
			t.Errorf("%s: the empty room counts %v, want %v, in one line: %s", c.name, !c.both, c.both, bar)
		}
	}
	_, board := s.get("/k/quay/board")
	if !strings.Contains(board, "Walk-in: Too warm") {
		t.Error("the board does not show the alarm")
	}
}

// Slips in the forms of places, probes and what-ifs come back with what was
// typed, and nothing is stored.
func TestSlipsInTheFormsOfPlaces(t *testing.T) {
	s := serve(t)
	for _, c := range []struct{ path, body, wants string }{
		{"/cold/places", "name=&kind=walk_in&set=1", "give the place a name"},
		{"/cold/places", "name=Walk-in&kind=walk_in&set=1", "there is a place of this name"},
		{"/cold/places", "name=Larder&kind=cave&set=1&capacity=3", "choose the kind of place"},
		{"/cold/places/1", "name=Walk-in&set=1&holds=raw&warm=9", "is milder than the rules"},
		{"/cold/places/1", "name=Walk-in&set=one&holds=raw&delay=x", "is not a whole number"},
		{"/cold/places/1/plan", "to=0/0", "the plan has"},
		{"/cold/probes", "name=walk-in-1&kind=fixed&place_id=1", "there is a probe of this name"},
		{"/cold/probes", "name=p2&kind=fixed&place_id=77", "choose a place of this kitchen"},
		{"/cold/probes", "name=p2&kind=fixed&place_id=1&interval=0", "must be between 0.1 minutes and a day"},
		{"/cold/probes/1/move", "place=1&since=2999-01-01T00:00", "lies in the future"},
		{"/cold/probes/1/check", "new_id=x&method=ice&read=0", "open the page again"},
		{"/cold/probes/1/reassign", "from=&until=&to=1", "give the day and the hour"},
		{"/cold/alarm-settings", "quiet_from=25:00&quiet_to=06:00&altitude=0&check_days=0", "write an hour like 19:30"},
		{"/cold/whatif", "place=1&at=19:00", "choose at least one lot"},
		{"/lots/" + s.lot.LotID.String() + "/events/packed", "event_id_new=" + kitchen.NewID().String() + "&pack=jar",
			"choose a pack"},
	} {
		res, err := http.Post(s.URL+"/k/quay"+c.path, "application/x-www-form-urlencoded", strings.NewReader(c.body))
		s.must(err)
		status, text := s.read(res)
		if status != http.StatusUnprocessableEntity || !strings.Contains(text, c.wants) {
			t.Errorf("%s %s: status %d, want %q", c.path, c.body, status, c.wants)
		}
	}
	for _, path := range []string{"/cold/places/99", "/cold/places/x", "/cold/probes/99", "/cold/alarms/x",
		"/cold/alarms/" + kitchen.NewID().String(), "/measured/scale", "/lots/" + kitchen.NewID().String() +
			"/exposure"} {
		if status, _ := s.get("/k/quay" + path); status != http.StatusNotFound {
			t.Errorf("%s: status %d", path, status)
		}
	}
	if status, text := s.get("/k/quay/lots/" + s.lot.LotID.String() +
		"/exposure?from=2026-03-02T06:00&to=2026-03-01T06:00"); status != http.StatusUnprocessableEntity ||
		!strings.Contains(text, "must lie after the beginning") {
		t.Errorf("a span the wrong way round: %d", status)
	}
}

// What programs ask of places: limits, alarms, a lot's exposure; a probe's token
// does nothing but send.
func TestPlacesByTheAPI(t *testing.T) {
	s := serve(t)
	_, got := s.call("GET", "/api/v1/places", "", "")
	place := got["places"].([]any)[0].(map[string]any)
	if place["warm_limit_celsius"] != 2.0 || place["freezing_limit_celsius"] != -1.5 || place["holds"] != "raw" ||
		place["lots"] != 1.0 {
		t.Errorf("%v", place)
	}
	now := s.k.Now()
	span := fmt.Sprintf("?from=%s&to=%s", now.Add(-30*time.Minute).Format(time.RFC3339), now.Format(time.RFC3339))
	status, x := s.call("GET", "/api/v1/lots/"+s.lot.LotID.String()+"/exposure"+span, "", "")
	if hours := x["hours"].(map[string]any); status != 200 || hours["spot"] == nil && hours["assumed"] == nil && hours["in_ice"] == nil ||
		x["model"] != "temperate" {
		t.Errorf("%d: %v", status, x)
	}
	if status, _ = s.call("GET", "/api/v1/lots/"+s.lot.LotID.String()+"/exposure?from=today", "",
		""); status != http.StatusUnprocessableEntity {
		t.Errorf("a span that is none: %d", status)
	}
	if status, got = s.call("GET", "/api/v1/alarms", "", ""); status != 200 || len(got["alarms"].([]any)) != 0 {
		t.Errorf("%d: %v", status, got)
	}
	whole := s.quay.Token
	var err error
	s.quay.Token, err = s.k.ProbeToken(s.ctx, 1)
	s.must(err)
	for _, path := range []string{"/api/v1/lots", "/api/v1/places", "/api/v1/alarms"} {
		if status, _ := s.call("GET", path, "", ""); status != http.StatusForbidden {
			t.Errorf("%s with a probe's token: %d", path, status)
		}
	}
	if status, got := s.call("POST", "/api/v1/readings", "application/senml+json",
		`[{"n":"walk-in-1","u":"Cel","v":1,"t":0}]`); status != 200 || got["stored"] != 1.0 {
		t.Errorf("%d: %v", status, got)
	}
	before := s.quay.Token
	if s.quay.Token, err = s.k.ProbeToken(s.ctx, 1); err != nil || s.quay.Token == before {
		t.Error("no new token")
	}
	s.quay.Token = before
	if status, _ := s.call("POST", "/api/v1/readings", "application/senml+json",
		`[]`); status != http.StatusUnauthorized {
		t.Errorf("the token that was replaced: %d", status)
	}
	s.quay.Token = whole
}

// Alarms of one place and kind are one, with how often and since when it is over.
func TestAlarmsAreGatheredByPlace(t *testing.T) {
	at := func(hours int) time.Time { return time.Date(2026, 4, 10, hours, 0, 0, 0, time.UTC) }
	p := page{Zone: time.UTC, Now: at(20), Actor: kitchen.Actor{Person: kitchen.Person{TempScale: "C"}}}
	view := func(place int64, kind alarm.Kind, from, to int, worst float64) alarmView {
		end := at(to)
		return alarmView{kitchen.AlarmEntry{Alarm: store.Alarm{PlaceID: place, Kind: string(kind), Since: at(from), EndedAt: &end, WorstC: worst, LimitC: 2}}, p}
	}
	groups := grouped([]alarmView{view(1, alarm.Warm, 8, 9, 5), view(2, alarm.Silent, 6, 7, 1), view(1, alarm.Warm, 3, 4, 8.3)})
	if len(groups) != 2 || groups[0].Times != 2 || groups[1].Times != 1 {
		t.Fatalf("%+v", groups)
	}
	if got, want := groups[0].Text(), "up to 8.3 °C, limit 2.0 °C, 2 times since Fri 10 Apr 03:00, over since 09:00"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
}
