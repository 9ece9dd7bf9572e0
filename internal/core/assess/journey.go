package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
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
// was put into ice, cut or pulled.
type leg struct {
	coldchain.Span
	placeID int64
	name    string
	assumed float64 // °C, where nothing was measured
	ambient bool    // which is how warm water and air were, by the harvest record
	probes  []lot.ProbeStay
	air     bool             // that they measure
	piece   piece.Piece      // what a piece of the lot was then
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
var iceSeen = map[string]time.Duration{"some_ice": 30 * time.Minute}

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

// carried is where a lot lies between the two ends of a move: in a place that is nowhere, and not cooled.
const carried = -1

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
	first := s.PieceAt(span.From)
	// warm visits the part of a leg that lies before the ice and returns the rest.
	warm := func(l leg, name string) leg {
		if chilled == nil && !s.Waiting() || ambient == nil && chilled == nil {
			return l
		}
		before := l
		before.name = name
		if ambient != nil {
			before.assumed, before.ambient = *ambient, true
		}
		if chilled != nil && chilled.Before(before.To) {
			before.To = *chilled
		}
		add(before)
		l.From = before.To
		return l
	}
	way := leg{Span: coldchain.Span{From: span.From, To: s.ReceivedAt}, name: "On the way", assumed: t.env.TransportC,
		piece: first, h: surfaceH(first, lot.FanAir, chilledC)}
	if s.Received.Frozen {
		way.assumed = frozenTransportC
	}
	if way.Len() > 0 {
		way = warm(way, "Before ice")
		if chilled != nil {
			way.name = "In ice, on the way"
			if (s.Received.Ice == wellIced || iceSeen[s.Received.Ice] > 0) && s.ReceivedAt.Sub(*chilled) <= longestIcedJourney {
				way.iced = []coldchain.Span{way.Span}
			}
		}
		add(way)
	}
	for i, stay := range s.Stays {
		if i > 0 && s.Stays[i-1].To.Before(stay.From) {
			add(leg{Span: coldchain.Span{From: s.Stays[i-1].To, To: stay.From}, placeID: carried, name: "Between two places",
				assumed: ExposedC(lot.Place{}), piece: s.PieceAt(stay.From), h: surfaceH(s.PieceAt(stay.From), lot.FanAir, chilledC)})
		}
		to := stay.To
		if to.IsZero() {
			to = span.To
		}
		place := t.env.Places[stay.PlaceID]
		l := leg{Span: coldchain.Span{From: stay.From, To: to}, placeID: stay.PlaceID, name: place.Name,
			assumed: place.SetC + AssumedMargin, probes: place.Probes, air: place.Air, piece: s.PieceAt(stay.From),
			iced: place.Ice.Iced}
		l.h = surfaceH(l.piece, place.Boundary(), place.SetC)
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
		for _, whole := range cuts(s, l, place) {
			for _, part := range pulls(s, whole) {
				add(part)
			}
		}
	}
}

// cuts cuts a leg in a place where a knife made other pieces of the fish.
func cuts(s *lot.State, l leg, place lot.Place) []leg {
	var parts []leg
	for _, at := range s.CutTimes() {
		if at.After(l.From) && at.Before(l.To) {
			before := l
			before.To, l.From = at, at
			parts = append(parts, before)
			l.piece = s.PieceAt(at)
			l.h = surfaceH(l.piece, place.Boundary(), place.SetC)
		}
	}
	return append(parts, l)
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

// stretches lists the temperature of each leg of a span: what the line did there, by how well that is
// known.
func (t assessor) stretches(span coldchain.Span) []Stretch {
	var out []Stretch
	t.eachLeg(span, func(l leg) {
		out = append(out, Stretch{Span: l.Span, PlaceID: l.placeID, Name: l.name, Assumed: l.assumed, Parts: t.line.parts(l.Span)})
	})
	return out
}

// bodyIn is the fish through a leg in which it was frozen or thawed; nil for others.
func (t assessor) bodyIn(span coldchain.Span) *body {
	for i, b := range t.fish {
		if !span.From.Before(b.From) && !span.To.After(b.To) {
			return &t.fish[i]
		}
	}
	return nil
}

// kindOf is how well a stretch of the line is known, as the quality clock counts it.
func (s Segment) kindOf() coldchain.Kind {
	switch s.Grade {
	case GradeLogged:
		return coldchain.Logged
	case GradeIced:
		return coldchain.InIce
	case GradeMaximum, GradeChecked, GradeBridged, GradeExplained:
		return coldchain.Spot
	case GradeExposed:
		if s.Source != sourceRoom {
			return coldchain.Logged
		}
	}
	return coldchain.Assumed
}

// parts are what a span of the line did, by kind.
func (l Line) parts(span coldchain.Span) []coldchain.Part {
	var parts []coldchain.Part
	for _, s := range l {
		part := s.Clip(span)
		if part.Len() <= 0 {
			continue
		}
		i := slices.IndexFunc(parts, func(p coldchain.Part) bool { return p.Kind == s.kindOf() })
		if i < 0 {
			i = len(parts)
			parts = append(parts, coldchain.Part{Kind: s.kindOf()})
		}
		parts[i].Exposure = parts[i].Exposure.Add(s.Exposure(part))
		parts[i].Spans = coldchain.Join(parts[i].Spans, part)
	}
	return parts
}
