package form

import (
	"errors"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
)

// Reader reads the fields of a form that was sent, in the scales and the zone of
// who sent it, and collects what is wrong with them under the fields' names. What
// was typed stays in Values, from which the page fills the fields again.
//
// A field that may be empty is read by Number, Celsius, At and their like, which
// return nil for it; one that must be filled by the same name with Must.
type Reader struct {
	Values url.Values
	Temps  unit.TempScale
	Masses unit.MassScale
	Zone   *time.Location
	Bad    invalid.Errors
}

// Err is all that is wrong so far, nil for nothing.
func (r *Reader) Err() error { return r.Bad.Err() }

// Seen reports whether the person saw a preview of exactly what the form says.
func (r *Reader) Seen() bool { return r.Text(preview) == "" && r.Text(shown) == digest(r.Values) }

// Follows reports whether only a preview is asked for, of a form that is being filled in.
func (r *Reader) Follows() bool { return r.Text(preview) != "" }

// Changed reports whether the form says something else than the preview that its person saw.
func (r *Reader) Changed() bool { return !r.Follows() && r.Text(shown) != "" && !r.Seen() }

// Ask asks once about a value that is unusual and may be right: what is odd about it is
// said beside its field until the person says that it is so, of just that value.
func (r *Reader) Ask(field, odd string) {
	if r.Bad.On(field) == "" && r.Text(sure+field) != r.Text(field) {
		r.Bad.Add(field, "%s", odd+askSure)
	}
}

// Text is a line of text, without the spaces around it.
func (r *Reader) Text(field string) string { return strings.TrimSpace(r.Values.Get(field)) }

// Has reports whether a box is ticked, or anything typed.
func (r *Reader) Has(field string) bool { return r.Text(field) != "" }

// All are the values of a field that may stand more than once.
func (r *Reader) All(field string) []string { return r.Values[field] }

// Lines are the lines of a text area that say something.
func (r *Reader) Lines(field string) []string {
	var list []string
	for line := range strings.Lines(r.Text(field)) {
		if line = strings.TrimSpace(line); line != "" {
			list = append(list, line)
		}
	}
	return list
}

// must returns what was read, or says what to give.
func must[T any](r *Reader, field string, v *T, give string) T {
	var zero T
	if v != nil {
		return *v
	}
	if r.Bad.On(field) == "" {
		r.Bad.Add(field, "%s", give)
	}
	return zero
}

// Celsius is a temperature of fish or of where it lies, in °C from the person's
// scale; nil for an empty field.
func (r *Reader) Celsius(field string) *float64 { return r.celsius(field, unit.ParseCelsius) }

// Cooked is Celsius for the core of fish that may be cooked, Boiling for what may be
// boiling water.
func (r *Reader) Cooked(field string) *float64  { return r.celsius(field, unit.ParseCookedCelsius) }
func (r *Reader) Boiling(field string) *float64 { return r.celsius(field, unit.ParseTemperature) }

func (r *Reader) celsius(field string, parse func(string, unit.TempScale) (float64, error)) *float64 {
	if !r.Has(field) {
		return nil
	}
	v, err := parse(r.Text(field), r.Temps)
	if err != nil {
		r.Bad.Add(field, "%v", err)
		return nil
	}
	return &v
}

// MustCelsius, MustCooked and MustBoiling are those for a field that must be filled.
func (r *Reader) MustCelsius(field string) float64 {
	return must(r, field, r.Celsius(field), "give a temperature")
}
func (r *Reader) MustCooked(field string) float64 {
	return must(r, field, r.Cooked(field), "give a temperature")
}
func (r *Reader) MustBoiling(field string) float64 {
	return must(r, field, r.Boiling(field), "give a temperature")
}

// Mass is a weight above 0, in kg from the person's scale; nil for an empty field.
func (r *Reader) Mass(field string) *float64 {
	if !r.Has(field) {
		return nil
	}
	v, err := unit.ParseKilograms(r.Text(field), r.Masses)
	if err != nil {
		r.Bad.Add(field, "%v", err)
		return nil
	}
	return &v
}

// MustMass is Mass for a field that must be filled.
func (r *Reader) MustMass(field string) float64 {
	return must(r, field, r.Mass(field), "give a weight")
}

// MassOrNone is a weight in kg that may be 0, which an empty field is too.
func (r *Reader) MassOrNone(field string) float64 {
	if v := r.Text(field); v == "" || isZero(v) {
		return 0
	}
	return r.MustMass(field)
}

// isZero reports whether a text says 0, with whatever unit.
func isZero(text string) bool {
	v, _, err := unit.ParseQuantity(text)
	return err == nil && v == 0
}

// Grams is a weight in grams of at least 0; 0 for an empty field.
func (r *Reader) Grams(field string) float64 {
	v := r.Number(field, "g")
	if v == nil {
		return 0
	}
	if *v < 0 {
		r.Bad.Add(field, "must be at least 0")
	}
	return math.Max(0, *v)
}

// Number is a number of any kind; units are those that may stand behind it. It is nil
// for an empty field.
func (r *Reader) Number(field string, units ...string) *float64 {
	if !r.Has(field) {
		return nil
	}
	v, err := readNumber(r.Text(field), units)
	if err != nil {
		r.Bad.Add(field, "%v", err)
		return nil
	}
	return &v
}

// MustNumber is Number for a field that must be filled.
func (r *Reader) MustNumber(field string, units ...string) float64 {
	return must(r, field, r.Number(field, units...), "give a number")
}

// readNumber reads a number with or without one of some units; it returns
// unit.ErrNotNumber for any other text.
func readNumber(text string, units []string) (float64, error) {
	v, typed, err := unit.ParseQuantity(text)
	if err != nil || typed != "" && !slices.ContainsFunc(units, func(u string) bool {
		return strings.EqualFold(u, typed)
	}) {
		return 0, unit.ErrNotNumber
	}
	return v, nil
}

// Whole is a whole number, with or without one of some units; nil for an empty field.
func (r *Reader) Whole(field string, units ...string) *int {
	if !r.Has(field) {
		return nil
	}
	v, err := readNumber(r.Text(field), units)
	if err != nil || v != math.Trunc(v) || math.Abs(v) > math.MaxInt32 {
		r.Bad.Add(field, "is not a whole number")
		return nil
	}
	n := int(v)
	return &n
}

// MustWhole is Whole for a field that must be filled.
func (r *Reader) MustWhole(field string, units ...string) int {
	return must(r, field, r.Whole(field, units...), "give a whole number")
}

// Cents is an amount of money in hundredths; 0 for an empty field.
func (r *Reader) Cents(field string) int64 {
	if !r.Has(field) {
		return 0
	}
	v, err := unit.ParseNumber(r.Text(field))
	if err != nil || !(v >= 0 && v < 1e9) {
		r.Bad.Add(field, "is not an amount")
		return 0
	}
	return int64(math.Round(100 * v))
}

// MustChoose is what was chosen of a list; give says what to choose.
func (r *Reader) MustChoose(field, give string) string {
	if !r.Has(field) {
		r.Bad.Add(field, "%s", give)
	}
	return r.Text(field)
}

// ID is the number of what was chosen; 0 for nothing.
func (r *Reader) ID(field string) int64 {
	v, err := strconv.ParseInt(r.Text(field), 10, 32)
	if err != nil {
		return 0
	}
	return v
}

// UUID is an id that the page made, or that was chosen.
func (r *Reader) UUID(field string) uuid.UUID {
	id, err := uuid.Parse(r.Text(field))
	if err != nil {
		r.Bad.Add(field, "is not an id: open the page again")
	}
	return id
}

// LocalTime is how browsers write a day with its hour, without a zone.
const LocalTime = "2006-01-02T15:04"

// errTwice asks which of two equal local times is meant: in the autumn the clocks
// are put back, and an hour comes twice.
const errTwice = "that hour came twice, as the clocks were put back: say which"

// At is a day with its hour in the zone of the kitchen; nil for an empty field.
func (r *Reader) At(field string) *time.Time {
	text := r.Text(field)
	if text == "" {
		return nil
	}
	t, err := r.at(text, r.Text(field+twice))
	if err != nil {
		r.Bad.Add(field, "%v", err)
		return nil
	}
	return &t
}

// at reads a local time; which is "1" or "2" where it may come twice.
func (r *Reader) at(text, which string) (time.Time, error) {
	for _, layout := range []string{LocalTime, LocalTime + ":05"} {
		t, err := time.ParseInLocation(layout, text, r.Zone)
		if err != nil {
			continue
		}
		if t.Format(layout) != text {
			return t, errors.New("there was no such hour: the clocks were put forward")
		}
		first, second := bothOf(t)
		switch {
		case first.Equal(second), which == "1":
			return first.UTC(), nil
		case which == "2":
			return second.UTC(), nil
		}
		return t, errors.New(errTwice)
	}
	return time.Time{}, errors.New("is not a date and time")
}

// bothOf are the two moments at which a clock shows the same; twice the same one
// except in the hour that comes twice. Zones are put back by at most 2 h.
func bothOf(t time.Time) (first, second time.Time) {
	wall := func(t time.Time) string { return t.Format(LocalTime + ":05") }
	for _, back := range []time.Duration{30 * time.Minute, time.Hour, 2 * time.Hour} {
		if early := t.Add(-back); wall(early) == wall(t) {
			return early, t
		}
		if late := t.Add(back); wall(late) == wall(t) {
			return t, late
		}
	}
	return t, t
}

// MustAt is At for a field that must be filled.
func (r *Reader) MustAt(field string) time.Time {
	return must(r, field, r.At(field), "give the day and the hour")
}

// AtOr is At, with another time for an empty field.
func (r *Reader) AtOr(field string, or time.Time) time.Time {
	if t := r.At(field); t != nil {
		return *t
	}
	return or
}

// Day is a day; the zero time, with an error, where it is none.
func (r *Reader) Day(field string) time.Time {
	t, err := time.Parse(time.DateOnly, r.Text(field))
	if err != nil {
		r.Bad.Add(field, "give a day")
	}
	return t
}

// DayAndHour is a day with an hour that may be missing, in two fields: it is then the
// beginning of that day, which makes what lies since the longest. It is nil where both
// are empty.
func (r *Reader) DayAndHour(day, hour string) *time.Time {
	switch {
	case !r.Has(day) && !r.Has(hour):
		return nil
	case !r.Has(day):
		r.Bad.Add(day, "give the day too")
		return nil
	}
	d, clock := r.Day(day), r.Hour(hour)
	if r.Bad.On(day) != "" || r.Bad.On(hour) != "" {
		return nil
	}
	if clock == "" {
		clock = "00:00"
	}
	t, err := r.at(d.Format(time.DateOnly)+"T"+clock, "1")
	if err != nil {
		r.Bad.Add(hour, "%v", err)
		return nil
	}
	return &t
}

// Hour is a time of the day, as 15:04; "" for an empty field.
func (r *Reader) Hour(field string) string {
	text := r.Text(field)
	if text == "" {
		return ""
	}
	if _, err := time.Parse("15:04", text); err != nil {
		r.Bad.Add(field, "write an hour like 19:30")
	}
	return text
}
