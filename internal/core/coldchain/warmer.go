package coldchain

import (
	"math"
	"slices"
	"time"
)

// Warmer is a Source that answers with the warmer of two at each moment, of which both know the
// span that is asked for. Of an hour in which their ranges cross it takes the readings; where those
// are not at hand, it counts the hours above a limit of both, which is at least as much.
type Warmer struct{ A, B Source }

// Exposure implements Source.
func (w Warmer) Exposure(span Span) (Exposure, []Span) {
	var sum Exposure
	var gaps []Span
	for _, part := range Hours(span) {
		a, missingA := w.A.Exposure(part)
		b, missingB := w.B.Exposure(part)
		switch {
		case len(missingA) > 0 || a.Covered == 0:
			sum, gaps = sum.Add(b), append(gaps, missingB...)
		case len(missingB) > 0 || b.Covered == 0 || a.Min >= b.Max:
			sum = sum.Add(a)
		case b.Min >= a.Max:
			sum = sum.Add(b)
		default:
			sum = sum.Add(w.crossing(part, a, b))
		}
	}
	return sum, gaps
}

// crossing is the exposure of a part of an hour in which both are the warmer one in turn.
func (w Warmer) crossing(part Span, a, b Exposure) Exposure {
	x, y := linesIn(w.A, part), linesIn(w.B, part)
	if x == nil || y == nil {
		both := a
		if b.DegreeDay > a.DegreeDay {
			both = b
		}
		both.Max = math.Max(a.Max, b.Max)
		for i := range both.Above {
			both.Above[i] = min(part.Len(), a.Above[i]+b.Above[i])
		}
		return both
	}
	var cuts []time.Time
	for _, r := range slices.Concat(x, y) {
		cuts = append(cuts, r.At)
	}
	slices.SortFunc(cuts, time.Time.Compare)
	var e Exposure
	for i := 1; i < len(cuts); i++ {
		piece := Span{cuts[i-1], cuts[i]}
		if piece.Len() <= 0 {
			continue
		}
		a0, a1, b0, b1 := at(x, piece.From), at(x, piece.To), at(y, piece.From), at(y, piece.To)
		if (a0-b0)*(a1-b1) >= 0 {
			e = e.Add(Ramp(math.Max(a0, b0), math.Max(a1, b1), piece.Len()))
			continue
		}
		share := (b0 - a0) / ((a1 - a0) - (b1 - b0))
		first := time.Duration(share * float64(piece.Len()))
		meet := a0 + (a1-a0)*share
		e = e.Add(Ramp(math.Max(a0, b0), meet, first)).Add(Ramp(meet, math.Max(a1, b1), piece.Len()-first))
	}
	return e
}

// linesIn are the ends of the straight pieces of a source over a part of an hour; nil where its
// readings are not at hand.
func linesIn(s Source, part Span) []Reading {
	var series Series
	switch s := s.(type) {
	case Series:
		series = s
	case *Rolled:
		i := s.search(part.From.UTC().Truncate(time.Hour))
		if i >= len(s.Hours) || s.Hours[i].Start.After(part.From) || len(s.Raw[s.Hours[i].Start]) == 0 {
			return nil
		}
		series = s.around(s.Hours[i])
	default:
		return nil
	}
	var line []Reading
	whole := true
	series.Walk(part, func(piece Span, a, b float64, known bool) {
		whole = whole && known
		line = append(line, Reading{piece.From, a}, Reading{piece.To, b})
	})
	if !whole {
		return nil
	}
	return line
}

// at is the temperature of a line at a time within it.
func at(line []Reading, t time.Time) float64 {
	i, _ := slices.BinarySearchFunc(line, t, func(x Reading, t time.Time) int { return x.At.Compare(t) })
	if i >= len(line) {
		return line[len(line)-1].Celsius
	}
	if i == 0 || line[i].At.Equal(t) {
		return line[i].Celsius
	}
	a, b := line[i-1], line[i]
	return a.Celsius + (b.Celsius-a.Celsius)*float64(t.Sub(a.At))/float64(b.At.Sub(a.At))
}

// Hours cuts a span at the clock hours.
func Hours(span Span) []Span {
	var parts []Span
	for from := span.From; from.Before(span.To); {
		to := earlier(from.UTC().Truncate(time.Hour).Add(time.Hour), span.To)
		parts = append(parts, Span{from, to})
		from = to
	}
	return parts
}
