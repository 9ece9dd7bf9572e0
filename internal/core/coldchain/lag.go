package coldchain

import (
	"math"
	"slices"
	"time"
)

// A fish of which nobody knows the size follows the mean of the last lagWindow as the air warms, and
// stays as warm as it was for as long again, and for leastHeld at least, as the air cools (house).
const (
	lagWindow = 20 * time.Minute
	leastHeld = 30 * time.Minute
	// meanDigits rounds a mean, so that what lies exactly at a limit is not above it by the last bit.
	meanDigits = 1e9
	// lagStep is how finely a mean that bends is drawn.
	lagStep = 5 * time.Minute
)

// Lagging is a stretch of what surrounds a fish: its straight pieces, and whether it is air that the
// fish follows with delay.
type Lagging struct {
	Points []Reading // in order of time; two of one time are a jump
	Air    bool
}

// Lag is the temperature of a fish whose size nobody knows, along stretches that follow one another:
// of air, the mean of the last twenty minutes; and once it was at or above one of Limits for a while,
// it stays there for as long again, at least half an hour, or until it was measured (known,
// ascending). A core that was measured warmer than what surrounds it stands until the next one, for
// stands at most. It returns points between which the temperature runs straight; two of one time are
// a jump.
func Lag(stretches []Lagging, known []Reading, stands time.Duration) []Reading {
	var line []Reading
	for _, s := range stretches {
		if s.Air {
			line = append(line, trailing(s.Points, known)...)
		} else {
			line = append(line, s.Points...)
		}
	}
	if len(line) == 0 {
		return nil
	}
	end := line[len(line)-1].At
	var floors []floor
	for _, limit := range Limits {
		if limit < 2 {
			continue
		}
		for _, span := range atOrAbove(line, limit) {
			to := span.To.Add(max(span.Len(), leastHeld))
			for _, x := range known {
				if x.At.After(span.To) && x.At.Before(to) {
					to = x.At
					break
				}
			}
			floors = append(floors, floor{Span{span.To, earlier(to, end)}, limit + 1e-6})
		}
	}
	for i, x := range known {
		to := x.At.Add(stands)
		if i+1 < len(known) {
			to = earlier(to, known[i+1].At)
		}
		floors = append(floors, floor{Span{x.At, earlier(to, end)}, x.Celsius})
	}
	return raised(line, floors)
}

// floor is a temperature below which the fish is not in a time.
type floor struct {
	Span
	celsius float64
}

// raised is the line, nowhere below its floors.
func raised(line []Reading, floors []floor) []Reading {
	floors = slices.DeleteFunc(floors, func(f floor) bool { return f.Len() <= 0 })
	if len(floors) == 0 {
		return line
	}
	var cuts []time.Time
	for _, f := range floors {
		cuts = append(cuts, f.From, f.To)
	}
	slices.SortFunc(cuts, time.Time.Compare)
	slices.SortFunc(floors, func(a, b floor) int { return a.From.Compare(b.From) })
	var out []Reading
	var active []floor
	put := func(span Span, a, b float64) {
		for len(floors) > 0 && !floors[0].From.After(span.From) {
			active, floors = append(active, floors[0]), floors[1:]
		}
		active = slices.DeleteFunc(active, func(f floor) bool { return !f.To.After(span.From) })
		least := math.Inf(-1)
		for _, f := range active {
			least = math.Max(least, f.celsius)
		}
		if (a-least)*(b-least) < 0 { // it crosses the floor
			meet := span.From.Add(time.Duration(float64(span.Len()) * (least - a) / (b - a)))
			out = append(out, Reading{span.From, math.Max(a, least)}, Reading{meet, least}, Reading{span.To, math.Max(b, least)})
			return
		}
		out = append(out, Reading{span.From, math.Max(a, least)}, Reading{span.To, math.Max(b, least)})
	}
	next := 0
	for i := 1; i < len(line); i++ {
		from, to := line[i-1], line[i]
		for next < len(cuts) && !cuts[next].After(from.At) {
			next++
		}
		for ; next < len(cuts) && cuts[next].Before(to.At); next++ {
			c := from.Celsius + (to.Celsius-from.Celsius)*float64(cuts[next].Sub(from.At))/float64(to.At.Sub(from.At))
			put(Span{from.At, cuts[next]}, from.Celsius, c)
			from = Reading{cuts[next], c}
		}
		put(Span{from.At, to.At}, from.Celsius, to.Celsius)
	}
	return out
}

// atOrAbove are the stretches in which a line is at or above a temperature.
func atOrAbove(line []Reading, limit float64) []Span {
	var spans []Span
	for i := 1; i < len(line); i++ {
		a, b := line[i-1], line[i]
		part := Span{a.At, b.At}
		meet := func() time.Time {
			return a.At.Add(time.Duration(float64(part.Len()) * (limit - a.Celsius) / (b.Celsius - a.Celsius)))
		}
		switch {
		case a.Celsius < limit && b.Celsius < limit:
			continue
		case a.Celsius < limit:
			part.From = meet()
		case b.Celsius < limit:
			part.To = meet()
		}
		spans = Join(spans, part)
	}
	return spans
}

// trailing is the mean of the last lagWindow along a stretch; it begins anew at its start, and where
// the fish was measured.
func trailing(points, known []Reading) []Reading {
	if len(points) < 2 {
		return points
	}
	sums := make([]float64, len(points)) // ∫ T dt from the start, °C·s
	for i := 1; i < len(points); i++ {
		sums[i] = sums[i-1] + (points[i].Celsius+points[i-1].Celsius)/2*points[i].At.Sub(points[i-1].At).Seconds()
	}
	start, end := points[0].At, points[len(points)-1].At
	integral := func(t time.Time) float64 {
		i, found := slices.BinarySearchFunc(points, t, func(x Reading, t time.Time) int { return x.At.Compare(t) })
		if found || i == 0 {
			return sums[i]
		}
		a := points[i-1]
		return sums[i-1] + (a.Celsius+at(points, t))/2*t.Sub(a.At).Seconds()
	}
	var out []Reading
	for i, when := range breaks(points) {
		from := when.Add(-lagWindow)
		for _, x := range known {
			if !x.At.After(when) && x.At.After(from) {
				from = x.At
			}
		}
		if from.Before(start) {
			from = start
		}
		if span := when.Sub(from).Seconds(); i > 0 && span > 0 {
			mean := (integral(when) - integral(from)) / span
			out = append(out, Reading{when, math.Round(mean*meanDigits) / meanDigits})
		} else {
			out = append(out, Reading{when, at(points, when)})
		}
		if when.Equal(end) {
			break
		}
	}
	return out
}

// breaks are the times at which a trailing mean is worked out: where the line bends, where such a bend
// leaves the window, and every few minutes between where it is not level.
func breaks(points []Reading) []time.Time {
	end := points[len(points)-1].At
	times := make([]time.Time, 0, 2*len(points))
	leaves := 0 // of which bend that leaves the window is next
	for i, p := range points {
		for ; leaves < i && !points[leaves].At.Add(lagWindow).After(p.At); leaves++ {
			times = append(times, points[leaves].At.Add(lagWindow))
		}
		times = append(times, p.At)
	}
	times = slices.Compact(times)
	var out []time.Time
	var level time.Time // from when on the window holds nothing but level line
	next := 1
	for i, t := range times {
		if i > 0 {
			for ; next < len(points) && points[next-1].At.Before(t); next++ {
				if points[next].Celsius != points[next-1].Celsius {
					level = earlier(points[next].At.Add(lagWindow), end)
				}
			}
			for step := times[i-1].Add(lagStep); step.Before(earlier(t, level)); step = step.Add(lagStep) {
				out = append(out, step)
			}
		}
		out = append(out, t)
	}
	return out
}

// PointsOf are the ends of the straight pieces of a source over a span of which it knows all; of one
// that does not run straight it looks every few minutes.
func PointsOf(s Source, span Span) []Reading {
	switch s := s.(type) {
	case Steady:
		return []Reading{{span.From, float64(s)}, {span.To, float64(s)}}
	case Series:
		if line := linesIn(s, span); line != nil {
			return line
		}
	}
	var line []Reading
	for at := span.From; ; at = earlier(at.Add(lagStep), span.To) {
		look := Span{at, at.Add(time.Millisecond)}
		if !at.Before(span.To) {
			look = Span{at.Add(-time.Millisecond), at}
		}
		e, _ := s.Exposure(look)
		line = append(line, Reading{at, e.Max})
		if !at.Before(span.To) {
			return line
		}
	}
}
