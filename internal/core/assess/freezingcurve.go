package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
)

// The heat solver follows a freezing until its core is within nearAir of the air
// that was forecast, K, and for longestSolved at most; what is left of the
// difference goes on with a time constant.
const (
	nearAir       = 1.5
	longestSolved = 4 * 24 * time.Hour
)

// freezingCurve follows the core of a lot through a leg in which it is frozen: from
// its start by the heat solver in the air that was measured, with the
// coefficient that the core's own readings show, then with a time constant. It
// returns points between which the temperature runs straight.
func (t assessor) freezingCurve(l leg, stay *lot.FrozenStay, steps []coldchain.Step, before []body) []coldchain.Reading {
	s := t.state
	tau := frozenTimeConstant(s, l, stay)
	if stay.Froze == nil || !l.From.Equal(stay.From) {
		if hard := t.hardUntil(l); hard.After(l.From) {
			start := t.startC(l, steps, before)
			points := []coldchain.Reading{{At: l.From, Celsius: start}, {At: hard, Celsius: start}}
			return append(points, coldchain.Follow(start, paced(after(steps, hard), tau),
				coreReadingsIn(s, coldchain.Span{From: hard, To: l.To}))...)
		}
		return coldchain.Follow(t.startC(l, steps, before), paced(steps, tau), coreReadingsIn(s, l.Span))
	}
	solved := l.Span
	if solved.Len() > longestSolved {
		solved.To = l.From.Add(longestSolved)
	}
	b := stay.Froze.Batch(heat.Of(s.Species()))
	b.Medium, b.Max = mediumOf(steps, l.From), solved.Len()
	p, err := b.Process()
	if err != nil {
		return coldchain.Follow(stay.Froze.StartC, paced(steps, tau), coreReadingsIn(s, l.Span))
	}
	if h, _, ok := freezing.Fit(p, coreReadingsIn(s, solved), l.From); ok {
		p.H = h
	}
	p.Goals = []heat.Goal{{Part: heat.Core, Op: heat.AtMost, Celsius: stay.Froze.AirC + nearAir}}
	r, err := p.Run()
	if err != nil {
		return nil // checked before
	}
	points := readings(r.Curve, l.From, func(m heat.Moment) float64 { return m.Core })
	if last := points[len(points)-1]; last.At.Before(l.To) {
		points = append(points, coldchain.Follow(last.Celsius, paced(after(steps, last.At), tau),
			coreReadingsIn(s, coldchain.Span{From: last.At, To: l.To}))...)
	}
	return points
}

// hardUntil is how long fish that came hard frozen stays so where it was put
// down before it went into a freezer; the zero time elsewhere.
func (t assessor) hardUntil(l leg) time.Time {
	r := t.state.Received
	if !r.Frozen || r.CoreC == nil || *r.CoreC > hardFrozenC || l.placeID == 0 || t.env.Places[l.placeID].Freezer() {
		return time.Time{}
	}
	until := t.state.ReceivedAt.Add(hardFrozenFor)
	if until.After(l.To) {
		until = l.To
	}
	return until
}

// thawingCurve follows the outside of a lot, which is its warmest part, through a leg
// in which it thaws or is thawed: by the heat solver until it is free of ice or
// was found so, then with a time constant. It returns when it is free of ice by the solver too, the
// zero time where that is not within the leg.
func (t assessor) thawingCurve(l leg, stay *lot.FrozenStay, steps []coldchain.Step, before []body) ([]coldchain.Reading, time.Time) {
	s := t.state
	tau := timeConstant(s, l.piece, l.h)
	start := t.startC(l, steps, before)
	follow := func() ([]coldchain.Reading, time.Time) {
		return coldchain.Follow(start, paced(steps, tau), coreReadingsIn(s, l.Span)), time.Time{}
	}
	begun := slices.DeleteFunc(slices.Clone(before), func(b body) bool { return b.From.Before(stay.PullAt) })
	over := slices.ContainsFunc(begun, func(b body) bool { return !b.iceFree.IsZero() }) ||
		stay.Thawed != nil && !stay.ThawedAt.After(l.From)
	if !l.From.Equal(stay.PullAt) && (len(begun) == 0 || over) {
		return follow()
	}
	material, err := heat.Of(s.Species()).Material()
	if err != nil {
		return nil, time.Time{}
	}
	end := l.To
	if stay.Thawed != nil && stay.ThawedAt.Before(end) {
		end = stay.ThawedAt
	}
	from := start
	var all []coldchain.Step // it was carried elsewhere while it thawed
	for _, b := range begun {
		all = append(all, b.steps...)
	}
	if len(begun) > 0 {
		from = begun[0].line.Readings[0].Celsius
	}
	if stay.Pull.StartC != nil {
		from = *stay.Pull.StartC
	}
	p := heat.Process{Body: stay.Pull.Piece().Body(material), StartC: from, Medium: mediumOf(append(all, steps...), stay.PullAt),
		H: stay.Pull.H, Max: max(end.Sub(stay.PullAt), time.Minute),
		Goals: []heat.Goal{{Part: heat.All, Op: heat.AtLeast, Celsius: thawing.IceFreeC}}}
	r, err := p.Run()
	if err != nil { // what is cooked from frozen has no coefficient
		return follow()
	}
	points := readings(r.Curve, stay.PullAt, func(m heat.Moment) float64 { return m.Surface })
	if len(begun) > 0 {
		points = slices.DeleteFunc(points, func(x coldchain.Reading) bool { return !x.At.After(l.From) })
		points = slices.Insert(points, 0, coldchain.Reading{At: l.From, Celsius: start})
	}
	last := r.Curve[len(r.Curve)-1]
	if left := stay.PullAt.Add(last.Since); left.Before(l.To) {
		points = append(points, coldchain.Follow(last.Mean, paced(after(steps, left), tau),
			coreReadingsIn(s, coldchain.Span{From: left, To: l.To}))...)
	}
	if free := r.Reached[0]; free != heat.Never {
		return points, stay.PullAt.Add(free)
	}
	return points, time.Time{}
}

// frozenTimeConstant is how slowly a frozen piece follows its air.
func frozenTimeConstant(s *lot.State, l leg, stay *lot.FrozenStay) time.Duration {
	p := l.piece
	if stay.Froze != nil {
		p = stay.Froze.Piece()
	}
	tau, err := heat.FrozenTimeConstant(heat.Of(s.Species()), p.Shape, p.ThicknessMM/1000, l.h)
	if err != nil {
		return 0
	}
	return tau
}

// paced gives all steps a time constant.
func paced(steps []coldchain.Step, tau time.Duration) []coldchain.Step {
	out := make([]coldchain.Step, len(steps))
	for i, s := range steps {
		s.Tau = tau
		out[i] = s
	}
	return out
}

// after is what of the steps lies after a time.
func after(steps []coldchain.Step, at time.Time) []coldchain.Step {
	var rest []coldchain.Step
	for _, s := range steps {
		if s.From.Before(at) {
			s.From = at
		}
		if s.Len() > 0 {
			rest = append(rest, s)
		}
	}
	return rest
}

// mediumOf is steps as the heat solver takes its medium.
func mediumOf(steps []coldchain.Step, from time.Time) []heat.At {
	var medium []heat.At
	for _, s := range steps {
		medium = append(medium, heat.At{Since: s.From.Sub(from), Celsius: s.Celsius},
			heat.At{Since: s.To.Sub(from), Celsius: s.Celsius})
	}
	return medium
}

func readings(curve []heat.Moment, from time.Time, of func(heat.Moment) float64) []coldchain.Reading {
	list := make([]coldchain.Reading, len(curve))
	for i, m := range curve {
		list[i] = coldchain.Reading{At: from.Add(m.Since), Celsius: of(m)}
	}
	return list
}

// frozenSpans are the times in which the fish was frozen down to a temperature: fish
// that came frozen from the start of its line; fish frozen here from where its
// core was there first; both until it was pulled. The ice clock paused while frozen
// below freezing.SolidC.
func (t assessor) frozenSpans(celsius float64) []coldchain.Span {
	var spans []coldchain.Span
	for _, stay := range t.state.FrozenStays {
		span := coldchain.Span{From: stay.From, To: stay.To}
		if span.To.IsZero() || span.To.After(t.at) {
			span.To = t.at
		}
		if stay.Froze != nil {
			at, ok := t.coldFrom(stay.From, celsius)
			if !ok {
				continue
			}
			span.From = at
		}
		if span.Len() > 0 {
			spans = append(spans, span)
		}
	}
	return spans
}

// coldFrom is when a core that began to freeze at a time was first at a
// temperature or below.
func (t assessor) coldFrom(from time.Time, celsius float64) (time.Time, bool) {
	for _, b := range t.fish {
		if b.From.Before(from) || !b.freezing {
			continue
		}
		for _, x := range b.line.Readings {
			if x.Celsius <= celsius {
				return x.At, true
			}
		}
	}
	return time.Time{}, false
}

// exposure is the exposure of a span in which the ice clock runs: without what the
// fish lay frozen hard.
func (t assessor) exposure(span coldchain.Span) coldchain.Exposure {
	var e coldchain.Exposure
	for _, solid := range t.frozenSpans(freezing.SolidC) {
		if cut := solid.Clip(span); cut.Len() > 0 {
			e = e.Add(sum(t.stretches(coldchain.Span{From: span.From, To: cut.From})))
			span.From = cut.To
		}
	}
	return e.Add(sum(t.stretches(span)))
}
