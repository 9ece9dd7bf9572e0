package planning

import (
	"testing"
	"time"
)

func TestDeliveries(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	at := func(day, hour, minute int) time.Time { return time.Date(2026, 3, day, hour, minute, 0, 0, oslo) } // 2 March is a Monday
	boat := Deliveries{Days: []time.Weekday{time.Tuesday, time.Thursday, time.Saturday}, Arrives: "06:30", OrderBy: "16:00", OrderDays: 1}
	for name, c := range map[string]struct {
		now, by time.Time
		want    time.Time
		none    bool
	}{
		"the last before Friday's service":      {at(2, 9, 0), at(6, 17, 0), at(5, 6, 30), false},
		"after its cut-off the one before":      {at(4, 16, 1), at(6, 17, 0), time.Time{}, true},
		"at the cut-off it is too late":         {at(4, 16, 0), at(6, 17, 0), time.Time{}, true},
		"a minute before it is not":             {at(4, 15, 59), at(6, 17, 0), at(5, 6, 30), false},
		"over the change of the clocks by wall": {at(27, 9, 0), at(31, 23, 0), at(31, 6, 30), false},
	} {
		got, ok := boat.Last(c.now, c.by, oslo)
		if ok == c.none || !got.At.Equal(c.want) {
			t.Errorf("%s: %v %v, want %v", name, got.At, ok, c.want)
		}
	}
	if next, ok := (Deliveries{Arrives: "07:00", OrderBy: "05:00"}).Next(at(2, 6, 0), oslo); !ok || !next.At.Equal(at(3, 7, 0)) {
		t.Errorf("the next of one that comes daily, ordered by five of the day: %v", next.At)
	}
}
