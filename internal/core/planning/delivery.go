package planning

import (
	"slices"
	"time"

	"leancatch/internal/core/invalid"
)

// Deliveries are when a supplier delivers, and until when it takes orders for that.
type Deliveries struct {
	Days      []time.Weekday // none: any day
	Arrives   string         // about, by the clock of the kitchen, "06:30"
	OrderBy   string         // the same, so many days before
	OrderDays int            // 0 to 14
}

// clock is how hours of the day are written.
const clock = "15:04"

// Check adds what is wrong, by the names of the form's fields.
func (d Deliveries) Check(bad *invalid.Errors) {
	for field, text := range map[string]string{"arrives": d.Arrives, "order_by": d.OrderBy} {
		if _, err := time.Parse(clock, text); err != nil {
			bad.Add(field, "give an hour like 06:30")
		}
	}
	if d.OrderDays < 0 || d.OrderDays > 14 {
		bad.Add("order_days", "must be between 0 and 14")
	}
}

// Slot is a delivery to come.
type Slot struct {
	At      time.Time
	OrderBy time.Time
}

// mostAhead is how many days ahead deliveries are looked for.
const mostAhead = 30

// Last is the last delivery that comes by a time and can still be ordered now: fish that comes later is fresher. false where there is
// none.
func (d Deliveries) Last(now, by time.Time, zone *time.Location) (Slot, bool) {
	var last Slot
	for _, s := range d.slots(now, zone) {
		if !s.At.After(by) {
			last = s
		}
	}
	return last, !last.At.IsZero()
}

// Next is the next delivery that can still be ordered now; false where there is none in the next month.
func (d Deliveries) Next(now time.Time, zone *time.Location) (Slot, bool) {
	if list := d.slots(now, zone); len(list) > 0 {
		return list[0], true
	}
	return Slot{}, false
}

// slots are the deliveries that can still be ordered, the soonest first.
func (d Deliveries) slots(now time.Time, zone *time.Location) (list []Slot) {
	arrives, err := time.Parse(clock, d.Arrives)
	by, byErr := time.Parse(clock, d.OrderBy)
	if err != nil || byErr != nil {
		return nil
	}
	local := now.In(zone)
	on := func(day int, t time.Time) time.Time {
		return time.Date(local.Year(), local.Month(), local.Day()+day, t.Hour(), t.Minute(), 0, 0, zone)
	}
	for day := range mostAhead {
		s := Slot{At: on(day, arrives), OrderBy: on(day-d.OrderDays, by)}
		if len(d.Days) > 0 && !slices.Contains(d.Days, s.At.Weekday()) || !s.OrderBy.After(now) || !s.At.After(now) {
			continue
		}
		list = append(list, s)
	}
	return list
}
