package kitchen

import (
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
)

// usualDays is how many days are meant where nobody says which.
const usualDays = 30

// DaysAsked reads the first and the last day that are asked for, like 2026-01-30, on the kitchen's clock: both count whole. Without them
// it is the
// last thirty days until today. Errors are on from and to.
func DaysAsked(a Actor, now time.Time, from, to string, most int) (coldchain.Span, error) {
	var bad invalid.Errors
	day := func(field, text string, usual time.Time) time.Time {
		if text == "" {
			return usual
		}
		at, err := time.ParseInLocation(time.DateOnly, text, a.Zone())
		if err != nil {
			bad.Add(field, "is not a day like 2026-01-30")
		}
		return at
	}
	local := now.In(a.Zone())
	last := day("to", to, time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, a.Zone()))
	span := coldchain.Span{From: day("from", from, last.AddDate(0, 0, -usualDays)), To: last.AddDate(0, 0, 1)}
	switch days := span.Len().Hours() / 24; {
	case len(bad) > 0:
	case days <= 0:
		bad.Add("to", "lies before the first day")
	case days > float64(most)+1:
		bad.Add("to", "at most %d days after the first", most)
	}
	return span, bad.Err()
}
