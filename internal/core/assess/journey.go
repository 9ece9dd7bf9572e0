package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
)

// frozenStayAt is the frozen stay at a time, or the thaw that began last
// before it; nil where the lot was fresh.
func frozenStayAt(s *lot.State, t time.Time) (stay *lot.FrozenStay, thawing bool) {
	for i := len(s.FrozenStays) - 1; i >= 0; i-- {
		if f := &s.FrozenStays[i]; !t.Before(f.From) {
			return f, !f.To.IsZero() && !t.Before(f.To)
		}
	}
	return nil, false
}

// thawedParts is a span without the times in which the lot lay frozen: nothing
// grows in them.
func thawedParts(s *lot.State, span coldchain.Span) []coldchain.Span {
	var parts []coldchain.Span
	for _, stay := range s.FrozenStays {
		if stay.From.After(span.From) {
			parts = append(parts, coldchain.Span{From: span.From, To: stay.From}.Clip(span))
		}
		if span.From = laterOf(span.From, stay.To); stay.To.IsZero() {
			span.From = span.To
		}
	}
	parts = append(parts, span)
	return slices.DeleteFunc(parts, func(p coldchain.Span) bool { return p.Len() <= 0 })
}

// leg is a part of the lot's journey: the transport, or a stay, cut where the fish
// was put into ice.
type leg struct {
	coldchain.Span
	placeID int64
	name    string
	assumed float64 // °C, where nothing was measured
	probes  []lot.ProbeStay
	air     bool             // that they measure
	h       float64          // surface coefficient of that air, W/(m²·K)
	water   *float64         // that it thaws in, °C; nil for none
	iced    []coldchain.Span // it lay in ice that somebody saw
	// the ice of its receipt still lasts: enough for the histamine clock, the quality clock assumes the place
	seen []coldchain.Span
}

// longestIcedJourney is the longest way on which ice that was seen at both ends counts
// as ice all along (house).
const longestIcedJourney = 72 * time.Hour

// iceSeen is how long the ice that was seen around a lot at its receipt counts
// for the histamine clock, where it stays as it came (house).
var iceSeen = map[string]time.Duration{wellIced: 2 * time.Hour, "some_ice": 30 * time.Minute}

// wellIced is fish that lay in ice all around at its receipt.
const wellIced = "well_iced"

// Fish whose core was hardFrozenC or colder at its receipt is cold for
// hardFrozenFor yet, wherever it stands (house).
const (
	hardFrozenC   = -10.0
	hardFrozenFor = time.Hour
)

// frozenTransportC is assumed on the way to us of frozen fish, °C (house: what
// frozen fish is sold at).
const frozenTransportC = -18.0

// eachLeg visits the legs of a span, in order.
func (t assessor) eachLeg(span coldchain.Span, visit func(leg)) {
	s := t.state
	ambient := s.Harvest.AmbientC()
	chilled := chilledAt(s)
	add := func(l leg) {
		if l.Span = l.Clip(span); l.Len() > 0 {
			visit(l)
		}
	}
	// warm visits the part of a leg that lies before the ice and returns the rest.
	warm := func(l leg, name string) leg {
		if chilled == nil && !s.Waiting() || ambient == nil && chilled == nil {
			return l
		}
		before := l
		before.name = name
		if ambient != nil {
			before.assumed = *ambient
		}
		if chilled != nil && chilled.Before(before.To) {
			before.To = *chilled
		}
		add(before)
		l.From = before.To
		return l
	}
	way := leg{Span: coldchain.Span{From: span.From, To: s.ReceivedAt}, name: "On the way", assumed: t.env.TransportC,
		h: lot.FanAirH}
	if s.Received.Frozen {
		way.assumed = frozenTransportC
	}
	if way.Len() > 0 {
		way = warm(way, "Before ice")
		if chilled != nil {
			way.name = "In ice, on the way"
			if iceSeen[s.Received.Ice] > 0 && s.ReceivedAt.Sub(*chilled) <= longestIcedJourney {
				way.iced = []coldchain.Span{way.Span}
			}
		}
		add(way)
	}
	for i, stay := range s.Stays {
		to := stay.To
		if to.IsZero() {
			to = span.To
		}
		place := t.env.Places[stay.PlaceID]
		l := leg{Span: coldchain.Span{From: stay.From, To: to}, placeID: stay.PlaceID, name: place.Name,
			assumed: place.SetC + AssumedMargin, probes: place.Probes, air: place.Air, h: place.AirH(),
			iced: place.Ice.Iced}
		seen := iceSeen[s.Received.Ice]
		if s.Received.Frozen && s.Received.CoreC != nil && *s.Received.CoreC <= hardFrozenC {
			seen = hardFrozenFor
		}
		if i == 0 && seen > 0 && len(l.iced) == 0 {
			l.seen = []coldchain.Span{{From: s.ReceivedAt, To: s.ReceivedAt.Add(seen)}}
		}
		if s.Received.OwnCatch {
			l = warm(l, place.Name)
		}
		for _, part := range pulls(s, l) {
			add(part)
		}
	}
}

// pulls cuts a leg where the way of thawing was changed, and puts into water
// what thaws in it.
func pulls(s *lot.State, l leg) []leg {
	var parts []leg
	for _, f := range s.FrozenStays {
		if f.PullAt.After(l.From) && f.PullAt.Before(l.To) {
			before := l
			before.To, l.From = f.PullAt, f.PullAt
			parts = append(parts, before)
		}
		if f.Pull != nil && f.Pull.Method == thawing.Water && l.From.Equal(f.PullAt) {
			l.water, l.h = &f.Pull.MediumC, f.Pull.H
		}
	}
	return append(parts, l)
}

// stretches lists the temperature of each leg of a span.
func (t assessor) stretches(span coldchain.Span) []Stretch {
	var out []Stretch
	t.eachLeg(span, func(l leg) {
		layers := t.surroundings(l)
		if b := t.bodyIn(l.Span); b != nil {
			layers = slices.Concat(t.withLot(l), b.layers(), layers)
		}
		parts, _ := coldchain.FromLayers(l.Span, layers...)
		out = append(out, Stretch{Span: l.Span, PlaceID: l.placeID, Name: l.name, Assumed: l.assumed, Parts: parts})
	})
	return out
}

// surroundings are the layers that answer for a leg: what measures by itself,
// what people measured, the ice, an assumption. Ice that somebody saw holds
// whatever the air around it does.
func (t assessor) surroundings(l leg) []coldchain.Layer {
	if l.water != nil { // whatever the air around it does
		return []coldchain.Layer{{Kind: coldchain.Spot, Source: coldchain.Steady(*l.water)}}
	}
	spots := []coldchain.Layer{t.cores()}
	assumed := []coldchain.Layer{{Kind: coldchain.Assumed, Source: coldchain.Steady(l.assumed)}}
	if l.air {
		return slices.Concat(t.withLot(l), ice(l.iced), t.inPlace(l), spots, assumed)
	}
	return slices.Concat(t.withLot(l), t.inPlace(l), spots, ice(l.iced), assumed)
}

// bodyIn is the fish that follows the air over a span; nil where it does not.
func (t assessor) bodyIn(span coldchain.Span) *body {
	for i, b := range t.fish {
		if !span.From.Before(b.From) && !span.To.After(b.To) {
			return &t.fish[i]
		}
	}
	return nil
}

// withLot are the layers of the loggers that lay with the lot.
func (t assessor) withLot(l leg) []coldchain.Layer {
	var layers []coldchain.Layer
	for _, stay := range t.state.Loggers {
		if src := t.env.Probe(stay.ProbeID); src != nil {
			layers = append(layers, coldchain.Layer{Kind: coldchain.Logged,
				Source: coldchain.Within{Source: src, Spans: []coldchain.Span{stay.Span}}})
		}
	}
	return layers
}

// inPlace are the layers of the probes of the place, while they were there.
func (t assessor) inPlace(l leg) []coldchain.Layer {
	var layers []coldchain.Layer
	for _, stay := range l.probes {
		src := t.env.Probe(stay.ProbeID)
		if src == nil || stay.Clip(l.Span).Len() <= 0 {
			continue
		}
		kind := coldchain.Logged
		if stay.ByHand {
			kind = coldchain.Spot
		}
		layers = append(layers, coldchain.Layer{Kind: kind,
			Source: coldchain.Within{Source: src, Spans: []coldchain.Span{stay.Span}}})
	}
	return layers
}

// ice is the layer of the ice that the fish lay in: 0 °C.
func ice(spans []coldchain.Span) []coldchain.Layer {
	if len(spans) == 0 {
		return nil
	}
	return []coldchain.Layer{{Kind: coldchain.InIce,
		Source: coldchain.Within{Source: coldchain.Steady(0), Spans: spans}}}
}
