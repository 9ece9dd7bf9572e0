package assess

import (
	"fmt"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
)

// TimeConstant is how slowly one fish, or fillet, as the lot has them now, follows air with a surface
// coefficient: the time constant of the heat model. A box of them together
// follows more slowly yet.
func TimeConstant(s *lot.State, h float64) time.Duration {
	return timeConstant(s, s.Piece(), h)
}

func timeConstant(s *lot.State, p piece.Piece, h float64) time.Duration {
	tau, err := heat.TimeConstant(heat.Of(s.Species()), p.Shape, p.ThicknessMM/1000, h)
	if err != nil {
		return 0 // a species whose flesh is not known follows at once
	}
	return tau
}

// chilledC is how warm air is taken to be in which chilled fish is carried, as far as its surface
// coefficient depends on it, °C.
const chilledC = 5.0

// surfaceH is the surface coefficient of one fish, or fillet, of the lot in a medium, °C, W/(m²·K).
func surfaceH(p piece.Piece, around heat.Boundary, mediumC float64) float64 {
	return around.Of(p.Shape, p.ThicknessMM/1000, mediumC)
}

// body is the lot's own temperature over a leg in which it freezes, lies frozen or thaws.
type body struct {
	coldchain.Span
	line     coldchain.Series
	logged   []coldchain.Span // in which an instrument recorded what it follows
	checked  []coldchain.Span // those, and in which people found it cold enough
	freezing bool             // it lies frozen
	steps    []coldchain.Step // what surrounds it
	iceFree  time.Time        // of a thaw: when it is free of ice, by the heat solver; zero where it is not in here
}

// checkedFrozenC is how cold the air of a freezer is found that clears fish of parasites by checks, °C
// (house).
const checkedFrozenC = -22.0

// freeze follows the fish through a leg in which it freezes, lies frozen or thaws, in what surrounds
// it: whatever is known of that.
func (t assessor) freeze(l leg, segments []around, stay *lot.FrozenStay, thawing bool) body {
	b := body{Span: l.Span}
	tau := timeConstant(t.state, l.piece, l.h)
	var steps []coldchain.Step
	for _, s := range segments {
		recorded := s.Grade != GradeUnknown && s.Grade != GradeIced
		hours := coldchain.Hours(s.Span)
		air := make([]coldchain.Exposure, len(hours))
		for i, part := range hours {
			air[i] = s.Exposure(part)
		}
		for i, part := range hours {
			step := coldchain.Step{Span: part, Celsius: air[i].Mean()}
			if s.Grade == GradeLogged && !thawing && defrosts(air, i) {
				step.Celsius = min(step.Celsius, clearingC)
			}
			if recorded {
				step.Tau = tau
			}
			steps = append(steps, step)
		}
		switch {
		case s.Grade == GradeLogged:
			b.logged, b.checked = coldchain.Join(b.logged, s.Span), coldchain.Join(b.checked, s.Span)
		case s.Grade == GradeChecked && s.Exposure(s.Span).Max <= checkedFrozenC:
			b.checked = coldchain.Join(b.checked, s.Span)
		}
	}
	var points []coldchain.Reading
	if thawing {
		b.steps = steps
		points, b.iceFree = t.thawingCurve(l, stay, steps, t.fish)
	} else {
		b.freezing = true
		points = t.freezingCurve(l, stay, steps, t.fish)
	}
	b.line = coldchain.Series{Readings: points, MaxGap: l.Len() + time.Hour}
	return b
}

// A freezer that defrosts warms its air for so long and no higher: that does not break a stretch at
// clearingC, °C, which clears fish of parasites (house).
const (
	clearingC      = -20.0
	longestDefrost = 30 * time.Minute
	defrostC       = -15.0
)

// defrosts reports whether the air of an hour, with the hours beside it, is warmer than clearingC only
// as that of a freezer that defrosts.
func defrosts(air []coldchain.Exposure, i int) bool {
	above := 0.0
	for _, e := range air[max(0, i-1):min(len(air), i+2)] {
		above += e.HoursAbove(clearingC)
	}
	return air[i].Covered > 0 && air[i].Max <= defrostC && above <= longestDefrost.Hours()
}

// startC is how warm the fish comes into a leg: as it was measured shortly
// before, as it left the leg before, else as its new surroundings.
func (t assessor) startC(l leg, steps []coldchain.Step, before []body) float64 {
	for i := len(t.state.CoreReadings) - 1; i >= 0; i-- {
		if x := t.state.CoreReadings[i]; !x.At.After(l.From) && l.From.Sub(x.At) <= CoreReadingGap {
			return x.Celsius
		}
	}
	if n := len(before); n > 0 && before[n-1].To.Equal(l.From) {
		line := before[n-1].line.Readings
		return line[len(line)-1].Celsius
	}
	return steps[0].Celsius
}

// coreReadingsIn are the core readings in a span.
func coreReadingsIn(s *lot.State, span coldchain.Span) []coldchain.Reading {
	return readingsIn(s.CoreReadings, span)
}

func readingsIn(readings []coldchain.Reading, span coldchain.Span) []coldchain.Reading {
	var in []coldchain.Reading
	for _, x := range readings {
		if span.Has(x.At) {
			in = append(in, x)
		}
	}
	return in
}

// thermalNote says how the fish follows the air where it lies.
func (t assessor) thermalNote() string {
	switch {
	case t.state.Frozen() || t.state.Thawing():
		return "Its temperature is forecast by the heat model in the air that is known."
	case len(t.curves) == 0 || len(t.state.Stays) == 0:
		return ""
	}
	place := t.env.Places[t.state.Place()]
	piece := t.state.Piece()
	p := t.paceIn(piece, surfaceH(piece, place.Boundary(), place.SetC))
	return fmt.Sprintf("In %s the fish follows the air with a time constant of %s as it warms and %s as it cools (heat model, one "+
		"fish alone, at the unfavourable end of what is known).", place.Name, hoursText(p.warm), hoursText(p.cool))
}

func hoursText(d time.Duration) string {
	if d < time.Hour {
		return fmt.Sprintf("%.0f min", d.Minutes())
	}
	return fmt.Sprintf("%.1f h", d.Hours())
}
