package assess

import (
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
)

// TimeConstant is how slowly one fish, or fillet, of the lot follows air with a surface
// coefficient: the time constant of the heat model. A box of them together
// follows more slowly yet.
func TimeConstant(s *lot.State, h float64) time.Duration {
	p := s.Piece()
	tau, err := heat.TimeConstant(heat.Of(s.Species()), p.Shape, p.ThicknessMM/1000, h)
	if err != nil {
		return 0 // a species whose flesh is not known follows at once
	}
	return tau
}

// body is the lot's own temperature over a leg in measured air.
type body struct {
	coldchain.Span
	tau      time.Duration
	line     coldchain.Series
	known    map[coldchain.Kind][]coldchain.Span // how well what it follows is known
	placed   string
	freezing bool // it lies frozen
}

// follow follows the fish through the legs of a span in which a probe measures
// the air around it. Where that is not known, the fish has the temperature that
// is assumed; in ice that of the ice. Through freezing and thawing it is
// followed whatever is known.
func (t assessor) follow(span coldchain.Span) []body {
	var all []body
	t.eachLeg(span, func(l leg) {
		stay, thawing := frozenStayAt(t.state, l.From)
		if stay == nil && (!l.air || len(l.probes) == 0) {
			return
		}
		b := body{Span: l.Span, tau: TimeConstant(t.state, l.h), known: map[coldchain.Kind][]coldchain.Span{},
			placed: l.name}
		steps := t.around(l, &b)
		if len(steps) == 0 {
			return
		}
		var points []coldchain.Reading
		switch {
		case stay == nil:
			points = coldchain.Follow(t.startC(l, steps, all), steps, coreReadingsIn(t.state, l.Span))
		case thawing:
			points = t.thawingCurve(l, stay, steps, all)
		default:
			b.freezing = true
			points = t.freezingCurve(l, stay, steps, all)
		}
		b.line = coldchain.Series{Readings: points, MaxGap: l.Len() + time.Hour}
		all = append(all, b)
	})
	return all
}

// around cuts a leg into steps of at most a clock hour, each with the mean of
// what is known best of the surroundings, and notes in the body how well.
func (t assessor) around(l leg, b *body) []coldchain.Step {
	kinds := map[time.Time]coldchain.Kind{}
	steps, rest := t.hours(l)
	layers := t.surroundings(l)
	measured := len(l.probes) > 0 || len(t.state.Loggers) > 0 || len(coreReadingsIn(t.state, l.Span)) > 0
	for _, span := range rest {
		for at := span.From; at.Before(span.To); {
			next := at.UTC().Truncate(time.Hour).Add(time.Hour)
			if next.After(span.To) || !measured {
				next = span.To
			}
			parts, _ := coldchain.FromLayers(coldchain.Span{From: at, To: next}, layers...)
			for _, p := range parts {
				for _, known := range p.Spans {
					steps = append(steps, coldchain.Step{Span: known, Celsius: p.Exposure.Mean()})
					kinds[known.From] = p.Kind
				}
			}
			at = next
		}
	}
	slices.SortFunc(steps, func(a, b coldchain.Step) int { return a.From.Compare(b.From) })
	for i, step := range steps {
		kind, other := kinds[step.From]
		if !other {
			kind = coldchain.Logged
		}
		if kind == coldchain.Logged || kind == coldchain.Spot {
			steps[i].Tau = b.tau
		}
		b.known[kind] = coldchain.Join(b.known[kind], step.Span)
	}
	return steps
}

// hours are the whole hours of a leg for which the roll-up of the first probe
// of its place answers, where nothing knows better; and what is left of it.
func (t assessor) hours(l leg) ([]coldchain.Step, []coldchain.Span) {
	if len(l.probes) == 0 {
		return nil, []coldchain.Span{l.Span}
	}
	stay := l.probes[0]
	rolled, ok := t.env.Probe(stay.ProbeID).(interface {
		Steps(coldchain.Span) ([]coldchain.Step, []coldchain.Span)
	})
	here := stay.Clip(l.Span)
	if !ok || stay.ByHand || len(t.state.Loggers) > 0 || len(l.iced) > 0 || here.Len() <= 0 {
		return nil, []coldchain.Span{l.Span}
	}
	steps, rest := rolled.Steps(here)
	if before := (coldchain.Span{From: l.From, To: here.From}); before.Len() > 0 {
		rest = append([]coldchain.Span{before}, rest...)
	}
	if after := (coldchain.Span{From: here.To, To: l.To}); after.Len() > 0 {
		rest = append(rest, after)
	}
	return steps, rest
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
		if !x.At.Before(span.From) && x.At.Before(span.To) {
			in = append(in, x)
		}
	}
	return in
}

// layers are what the body knows of itself, by how well its surroundings are known.
func (b body) layers() []coldchain.Layer {
	return b.of(coldchain.Logged, coldchain.Spot, coldchain.InIce, coldchain.Assumed)
}

func (b body) of(kinds ...coldchain.Kind) []coldchain.Layer {
	var layers []coldchain.Layer
	for _, kind := range kinds {
		if spans := b.known[kind]; len(spans) > 0 {
			layers = append(layers, coldchain.Layer{Kind: kind, Source: coldchain.Within{Source: b.line, Spans: spans}})
		}
	}
	return layers
}

// thermalNote says how the fish follows the air where it lies.
func (t assessor) thermalNote() string {
	n := len(t.fish)
	if n == 0 {
		return ""
	}
	last := t.fish[n-1]
	if last.freezing || t.state.Thawing() {
		return "Its temperature is forecast by the heat model in the air that is known."
	}
	return fmt.Sprintf("In %s the fish follows the air with a time constant of %s (heat model, one fish alone); the "+
		"safety clocks take the air as it is.", last.placed, hoursText(last.tau))
}

func hoursText(d time.Duration) string {
	if d < time.Hour {
		return fmt.Sprintf("%.0f min", d.Minutes())
	}
	return fmt.Sprintf("%.1f h", d.Hours())
}
