package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// journeyRecorded reports whether a logger came with the lot that covers its journey,
// but for what a clock that is not quite right may leave.
func journeyRecorded(s *lot.State) bool {
	const slack = 30 * time.Minute
	from := s.Start()
	if !from.Before(s.ReceivedAt) {
		return false
	}
	return slices.ContainsFunc(s.Loggers, func(l lot.LoggerStay) bool {
		return !l.From.After(from.Add(slack)) && !l.To.Before(s.ReceivedAt.Add(-slack))
	})
}

// oxygen reads the clock of the lot's reduced-oxygen packs, in the freezer too and those that were
// opened: what grew is there; nil where it has none and had none.
func (t assessor) oxygen() (*safety.Oxygen, []coldchain.Span) {
	s := t.state
	var facts safety.OxygenFacts
	var gaps []coldchain.Span
	spans := t.withoutOxygen()
	if len(spans) == 0 {
		return nil, nil
	}
	for _, span := range spans {
		if span.From.Equal(s.ReceivedAt) && !s.Received.Frozen { // it came so
			facts.Arrived, facts.CoreC = true, s.Received.CoreC
			facts.Recorded = s.Received.Indicator || journeyRecorded(s) || t.coldWay()
			if journeyRecorded(s) {
				span.From = s.Start()
			}
		}
		e, missing := t.line.proven(span)
		facts.Exposure = facts.Exposure.Add(e)
		facts.Days += e.HoursAbove(coldchain.LowestRated) / 24
		gaps = append(gaps, missing...)
	}
	facts.Unknown = coldchain.Total(gaps).Hours()
	facts.Former, facts.MostDays = s.Species().HistamineRules(), t.env.Profile.ReducedOxygenDays
	o := safety.ReducedOxygen(facts)
	return &o, gaps
}

// coldWay reports whether what was seen at its receipt stands for a record of the way: melting ice
// all round, or a short way and a cold core.
func (t assessor) coldWay() bool {
	r := t.state.Received
	short := r.DispatchedAt != nil && t.state.ReceivedAt.Sub(*r.DispatchedAt) <= shortestWay
	return r.Ice == wellIced || short && r.CoreC != nil && *r.CoreC <= safety.OxygenC
}

// withoutOxygen are the times until now in which the lot was packed without oxygen: cling film of the
// kitchen too, from its first wrap, once it was on for longer than it counts as air, or was warmer.
func (t assessor) withoutOxygen() []coldchain.Span {
	var reduced, cling []coldchain.Span
	for _, p := range t.state.Packs {
		span := coldchain.Span{From: p.From, To: p.To}
		if span.To.IsZero() || span.To.After(t.at) {
			span.To = t.at
		}
		switch {
		case span.Len() < 0:
		case p.Reduced():
			reduced = append(reduced, span)
		case p.Pack == lot.PackCling:
			cling = append(cling, span)
		}
	}
	for _, span := range cling {
		if e, _ := t.line.Over(span); coldchain.Total(cling) > safety.ClingCountsAsAir || e.HoursAbove(safety.ClingC) > 0 {
			return append(cling, reduced...)
		}
	}
	return reduced
}
