package probe

import (
	"errors"
	"time"
)

// Clock is how far a probe's clock is ahead: by Ahead in the readings that
// carry its time From or later. The zero Clock is right.
type Clock struct {
	Ahead time.Duration
	From  time.Time // by the probe's clock
}

// House values.
const (
	// clockSlack is how far a clock may be off without a word, and how close to
	// the present a reading must be to show that a clock is right.
	clockSlack = 2 * time.Minute
	// MostAhead is how far ahead a clock may be and be put right by calculation: any
	// error of a time zone.
	MostAhead = 14 * time.Hour
	// Oldest is how far back a reading may lie: it bounds the months of readings that there are.
	Oldest = 10 * 365 * 24 * time.Hour
)

// Errors of CheckTime.
var (
	ErrUnset  = errors.New("lies more than ten years back: the clock is not set")
	ErrFuture = errors.New("lies too far in the future")
)

// CheckTime returns an error for the time of a reading that no clock which is set could tell at a
// time now.
func CheckTime(at, now time.Time) error {
	switch {
	case at.Before(now.Add(-Oldest)):
		return ErrUnset
	case at.After(now.Add(MostAhead)):
		return ErrFuture
	}
	return nil
}

// Right returns the true time of a reading that carries the probe's time.
func (c Clock) Right(at time.Time) time.Time {
	if c.Ahead == 0 || at.Before(c.From) {
		return at
	}
	return at.Add(-c.Ahead)
}

// Hear holds the clock against readings that came at the time now, the first
// and last by the probe's clock. A reading of the future shows that it is ahead
// by at least that much. One of the present shows that a clock that was ahead
// is right again, unless it was stored before (known, at its corrected time):
// then it was only sent again. It returns the clock that holds for these
// readings and whether it changed.
func (c Clock) Hear(first, last, now time.Time, known func(time.Time) bool) (Clock, bool) {
	ahead := last.Sub(now)
	switch {
	case ahead > clockSlack && ahead > c.Ahead+clockSlack:
		return Clock{ahead.Truncate(time.Second), first}, true
	case c.Ahead > 0 && ahead.Abs() <= clockSlack && !known(c.Right(last)):
		return Clock{}, true
	}
	return c, false
}
