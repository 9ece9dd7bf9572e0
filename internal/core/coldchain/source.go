package coldchain

import (
	"slices"
	"time"
)

// Span is the time from From up to To.
type Span struct{ From, To time.Time }

// Len is the length of the span.
func (s Span) Len() time.Duration { return s.To.Sub(s.From) }

// Equal reports whether both are the same time, in whatever zone.
func (s Span) Equal(o Span) bool { return s.From.Equal(o.From) && s.To.Equal(o.To) }

// Has reports whether a time is in the span; its end is not.
func (s Span) Has(at time.Time) bool { return !at.Before(s.From) && at.Before(s.To) }

// Clip is the part of the span that lies in the other; its Len is 0 or less
// where there is none.
func (s Span) Clip(o Span) Span { return Span{later(s.From, o.From), earlier(s.To, o.To)} }

// A Source knows the temperature of something over stretches of time.
type Source interface {
	// Exposure integrates what is known over the span and returns, in order
	// and merged, the stretches of the span of which nothing is known.
	Exposure(Span) (Exposure, []Span)
}

// Steady is a Source that answers one temperature, °C, for any time.
type Steady float64

// Exposure implements Source.
func (c Steady) Exposure(s Span) (Exposure, []Span) {
	return Ramp(float64(c), float64(c), s.Len()), nil
}

// Series is a Source of readings in ascending order of time. Between two
// readings the temperature is linear, unless they lie further apart than
// MaxGap: of that stretch nothing is known. For the time Hold before the first
// and after the last reading, that reading's temperature holds; of the time
// beyond, nothing is known.
type Series struct {
	Readings []Reading
	MaxGap   time.Duration
	Hold     time.Duration
}

// Exposure implements Source.
func (s Series) Exposure(span Span) (Exposure, []Span) {
	var e Exposure
	var gaps []Span
	s.Walk(span, func(part Span, a, b float64, known bool) {
		if known {
			e = e.Add(Ramp(a, b, part.Len()))
		} else {
			gaps = Join(gaps, part)
		}
	})
	return e, gaps
}

// Walk cuts the span into the straight pieces of the series and calls visit
// for each, in order: with the temperatures at the piece's ends, or with known
// false where the series says nothing.
func (s Series) Walk(span Span, visit func(part Span, a, b float64, known bool)) {
	emit := func(a, b Reading, known bool) {
		part := Span{a.At, b.At}.Clip(span)
		if part.Len() <= 0 {
			return
		}
		if part.Equal(Span{a.At, b.At}) {
			visit(part, a.Celsius, b.Celsius, known)
			return
		}
		at := func(t time.Time) float64 {
			whole := b.At.Sub(a.At)
			return a.Celsius + (b.Celsius-a.Celsius)*float64(t.Sub(a.At))/float64(whole)
		}
		visit(part, at(part.From), at(part.To), known)
	}
	r := s.Readings
	if len(r) == 0 {
		emit(Reading{At: span.From}, Reading{At: span.To}, false)
		return
	}
	first, last := r[0], r[len(r)-1]
	held := Reading{At: first.At.Add(-s.Hold), Celsius: first.Celsius}
	emit(Reading{At: span.From}, held, false)
	emit(held, first, true)
	start, _ := slices.BinarySearchFunc(r, span.From, func(x Reading, t time.Time) int { return x.At.Compare(t) })
	for i := max(start, 1); i < len(r) && r[i-1].At.Before(span.To); i++ {
		emit(r[i-1], r[i], r[i].At.Sub(r[i-1].At) <= s.MaxGap)
	}
	held = Reading{At: last.At.Add(s.Hold), Celsius: last.Celsius}
	emit(last, held, true)
	emit(held, Reading{At: span.To}, false)
}

// UsualInterval is the median distance between neighbouring readings, 0 where
// there are fewer than two.
func UsualInterval(r []Reading) time.Duration {
	if len(r) < 2 {
		return 0
	}
	steps := make([]time.Duration, len(r)-1)
	for i := range steps {
		steps[i] = r[i+1].At.Sub(r[i].At)
	}
	slices.Sort(steps)
	mid := len(steps) / 2
	if len(steps)%2 == 1 {
		return steps[mid]
	}
	return (steps[mid-1] + steps[mid]) / 2
}

// GapFactor times the usual interval is the longest distance between two
// readings over which a line is drawn (house).
const GapFactor = 2

// Within is a Source that knows only what lies within some spans, in order and
// not touching.
type Within struct {
	Source Source
	Spans  []Span
}

// Exposure implements Source.
func (w Within) Exposure(s Span) (Exposure, []Span) {
	var sum Exposure
	var gaps []Span
	at := s.From
	for _, span := range w.Spans {
		part := span.Clip(s)
		if part.Len() <= 0 {
			continue
		}
		if part.From.After(at) {
			gaps = Join(gaps, Span{at, part.From})
		}
		e, missing := w.Source.Exposure(part)
		sum = sum.Add(e)
		for _, m := range missing {
			gaps = Join(gaps, m)
		}
		at = part.To
	}
	if s.To.After(at) {
		gaps = Join(gaps, Span{at, s.To})
	}
	return sum, gaps
}

// Kind says how well a temperature is known.
type Kind string

// The kinds, from best to worst.
const (
	Logged  Kind = "logged"  // by a logger or probe
	Spot    Kind = "spot"    // by single readings with a thermometer
	InIce   Kind = "in_ice"  // by ice around it that somebody saw
	Assumed Kind = "assumed" // by a rule, because nobody measured
)

// Layer is a source with what it is worth.
type Layer struct {
	Kind   Kind
	Source Source
}

// Part is what one layer explained.
type Part struct {
	Kind     Kind
	Exposure Exposure
	Spans    []Span // in order, not touching
}

// FromLayers asks the first layer for the span, the second for the gaps that the
// first leaves, and so on, so that the best knowledge of each moment counts
// once. The parts come in the order of the layers; what no layer knows is
// returned as gaps.
func FromLayers(span Span, layers ...Layer) (parts []Part, gaps []Span) {
	gaps = []Span{span}
	if span.Len() <= 0 {
		return nil, nil
	}
	for _, layer := range layers {
		if len(gaps) == 0 {
			break
		}
		part := Part{Kind: layer.Kind}
		var left []Span
		for _, gap := range gaps {
			e, missing := layer.Source.Exposure(gap)
			part.Exposure = part.Exposure.Add(e)
			if len(missing) == 0 {
				part.Spans = append(part.Spans, gap)
				continue
			}
			part.Spans = append(part.Spans, gap.Without(missing)...)
			left = append(left, missing...)
		}
		if len(part.Spans) > 0 {
			parts = append(parts, part)
		}
		gaps = left
	}
	return parts, gaps
}

// Sum is the exposure of all parts together.
func Sum(parts []Part) Exposure {
	var e Exposure
	for _, p := range parts {
		e = e.Add(p.Exposure)
	}
	return e
}

// Total is the length of spans together.
func Total(spans []Span) time.Duration {
	var d time.Duration
	for _, s := range spans {
		d += s.Len()
	}
	return d
}

// Without returns what is left of the span outside others, which are in the order of their beginnings.
func (s Span) Without(others []Span) []Span {
	var left []Span
	at := s.From
	for _, o := range others {
		if o = o.Clip(s); o.Len() <= 0 {
			continue
		}
		if o.From.After(at) {
			left = append(left, Span{at, o.From})
		}
		at = later(at, o.To)
	}
	if s.To.After(at) {
		left = append(left, Span{at, s.To})
	}
	return left
}

// Join adds a span behind the last one, as one where they touch.
func Join(spans []Span, s Span) []Span {
	if n := len(spans); n > 0 && spans[n-1].To.Equal(s.From) {
		spans[n-1].To = s.To
		return spans
	}
	return append(spans, s)
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

func earlier(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}
