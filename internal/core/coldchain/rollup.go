package coldchain

import (
	"slices"
	"time"
)

// Hour is the roll-up of one clock hour (UTC) of a probe's readings.
type Hour struct {
	Start       time.Time
	Readings    int
	First, Last Reading  // meaningless where Readings is 0
	Exposure    Exposure // of the covered part of the hour
}

// Complete reports whether the hour has no gap.
func (h Hour) Complete() bool { return h.Exposure.Covered == time.Hour }

func (h Hour) span() Span { return Span{h.Start, h.Start.Add(time.Hour)} }

// share is what the hour's roll-up says of a part of it where its readings are
// no longer kept: so much of the whole, and so much of it unknown.
func (h Hour) share(part Span) (Exposure, Span) {
	f := part.Len().Hours()
	e := h.Exposure
	e.Covered = time.Duration(f * float64(e.Covered))
	e.Temperate, e.Warm, e.Mixed, e.DegreeDay = f*e.Temperate, f*e.Warm, f*e.Mixed, f*e.DegreeDay
	for i := range e.Above {
		e.Above[i] = time.Duration(f * float64(e.Above[i]))
	}
	return e, Span{part.From.Add(e.Covered), part.To}
}

// Roller rolls a stream of readings up into hours. Push the readings in strict
// order of time, beginning with the last one before the first hour of
// interest; each finished hour that holds readings or is bridged by a line
// between two is emitted. Close emits the last one.
type Roller struct {
	MaxGap time.Duration
	Emit   func(Hour)

	prev    Reading
	started bool
	hour    Hour
}

// Push takes the next reading.
func (r *Roller) Push(x Reading) {
	if r.started && x.At.Sub(r.prev.At) <= r.MaxGap {
		Series{Readings: []Reading{r.prev, x}, MaxGap: r.MaxGap}.walkHours(func(part Span, a, b float64) {
			r.turn(part.From)
			r.hour.Exposure = r.hour.Exposure.Add(Ramp(a, b, part.Len()))
		})
	}
	r.turn(x.At)
	if r.hour.Readings == 0 {
		r.hour.First = x
	}
	r.hour.Last = x
	r.hour.Readings++
	r.prev, r.started = x, true
}

// Close emits the hour under way.
func (r *Roller) Close() {
	if !r.hour.Start.IsZero() {
		r.Emit(r.hour)
	}
	r.hour = Hour{}
}

// turn makes the hour that holds t the one under way.
func (r *Roller) turn(t time.Time) {
	start := t.UTC().Truncate(time.Hour)
	if start.Equal(r.hour.Start) {
		return
	}
	r.Close()
	r.hour = Hour{Start: start}
}

// walkHours visits the line between the first and the last reading, cut at the
// clock hours.
func (s Series) walkHours(visit func(part Span, a, b float64)) {
	from, to := s.Readings[0].At, s.Readings[len(s.Readings)-1].At
	for from.Before(to) {
		next := earlier(from.UTC().Truncate(time.Hour).Add(time.Hour), to)
		s.Walk(Span{from, next}, func(part Span, a, b float64, _ bool) { visit(part, a, b) })
		from = next
	}
}

// Rolled is a Source that answers from hourly roll-ups and needs the readings
// themselves only for hours that are asked for in part or have a gap: see
// NeedsReadings. It gives the same answer as the Series of all readings would;
// of such an hour whose readings are no longer kept, so much of the roll-up as
// is asked for.
type Rolled struct {
	Hours  []Hour // ascending; with the last one that holds readings before, and the first after, the time asked for
	Raw    map[time.Time][]Reading
	MaxGap time.Duration
	Hold   time.Duration
}

// FinestGap is the shortest longest gap that is asked of Runs: where readings may lie further apart
// in a complete hour, its readings are needed.
const FinestGap = 30 * time.Minute

// NeedsReadings lists the starts of the hours whose readings Exposure and Runs need in
// Raw to answer for the span.
func (r *Rolled) NeedsReadings(span Span) []time.Time {
	var starts []time.Time
	r.each(span, func(part Span, h Hour) {
		if h.Readings > 0 && (r.MaxGap > FinestGap || !(h.Complete() && part.Equal(h.span()))) {
			starts = append(starts, h.Start)
		}
	})
	return starts
}

// Exposure implements Source.
func (r *Rolled) Exposure(span Span) (Exposure, []Span) {
	var sum Exposure
	var gaps []Span
	r.each(span, func(part Span, h Hour) {
		if h.Complete() && part.Equal(h.span()) {
			sum = sum.Add(h.Exposure)
			return
		}
		if raw, kept := r.Raw[h.Start]; h.Readings > 0 && (!kept || len(raw) == 0) {
			e, missing := h.share(part)
			sum = sum.Add(e)
			if missing.Len() > 0 {
				gaps = Join(gaps, missing)
			}
			return
		}
		e, missing := r.around(h).Exposure(part)
		sum = sum.Add(e)
		for _, m := range missing {
			gaps = Join(gaps, m)
		}
	})
	return sum, gaps
}

// Steps returns the means of the span's hours that are known whole, in order,
// and what is left of the span.
func (r *Rolled) Steps(span Span) (steps []Step, rest []Span) {
	if span.Len() > 0 {
		steps = make([]Step, 0, int(span.Len().Hours())+1)
	}
	r.each(span, func(part Span, h Hour) {
		if h.Complete() && part.Equal(h.span()) {
			steps = append(steps, Step{Span: part, Celsius: h.Exposure.Mean()})
			return
		}
		rest = Join(rest, part)
	})
	return steps, rest
}

// each visits the span hour by hour where there are roll-ups, and the stretches
// between them as one part with an empty Hour that starts where the part does.
func (r *Rolled) each(span Span, visit func(Span, Hour)) {
	i := r.search(span.From.UTC().Truncate(time.Hour))
	at := span.From
	for ; i < len(r.Hours) && r.Hours[i].Start.Before(span.To); i++ {
		h := r.Hours[i]
		if h.Start.After(at) {
			visit(Span{at, h.Start}, Hour{Start: at})
			at = h.Start
		}
		end := earlier(h.Start.Add(time.Hour), span.To)
		visit(Span{at, end}, h)
		at = end
	}
	if at.Before(span.To) {
		visit(Span{at, span.To}, Hour{Start: at})
	}
}

// around returns the hour's readings with the neighbour on either side.
func (r *Rolled) around(h Hour) Series {
	s := Series{MaxGap: r.MaxGap, Hold: r.Hold}
	i := r.search(h.Start)
	for before := i - 1; before >= 0; before-- {
		if r.Hours[before].Readings > 0 {
			s.Readings = append(s.Readings, r.Hours[before].Last)
			break
		}
	}
	s.Readings = append(s.Readings, r.Raw[h.Start]...)
	if i < len(r.Hours) && r.Hours[i].Start.Equal(h.Start) {
		i++
	}
	for ; i < len(r.Hours); i++ {
		if r.Hours[i].Readings > 0 {
			s.Readings = append(s.Readings, r.Hours[i].First)
			break
		}
	}
	return s
}

// search returns the index of the first hour that starts at or after t.
func (r *Rolled) search(t time.Time) int {
	i, _ := slices.BinarySearchFunc(r.Hours, t, func(h Hour, t time.Time) int { return h.Start.Compare(t) })
	return i
}
