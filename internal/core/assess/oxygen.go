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

// oxygen reads the clock of the lot's reduced-oxygen packs, those that were
// opened too: what grew is there; nil where it has none and had none.
func (t assessor) oxygen() (*safety.Oxygen, []coldchain.Span) {
	s := t.state
	var facts safety.OxygenFacts
	var gaps []coldchain.Span
	any := false
	for i, p := range s.Packs {
		if !p.Reduced() {
			continue
		}
		span := coldchain.Span{From: p.From, To: p.To}
		if span.To.IsZero() || span.To.After(t.at) {
			span.To = t.at
		}
		if i == 0 && p.From.Equal(s.ReceivedAt) && !s.Received.Frozen { // it came so
			facts.Arrived, facts.CoreC = true, s.Received.CoreC
			facts.Recorded = s.Received.Indicator || journeyRecorded(s)
			if journeyRecorded(s) {
				span.From = s.Start()
			}
		}
		for _, chilled := range thawedParts(s, span) {
			any = true
			e, missing := t.line.proven(chilled)
			facts.Exposure = facts.Exposure.Add(e)
			facts.Days += chilled.Len().Hours() / 24
			gaps = append(gaps, missing...)
		}
	}
	if !any {
		return nil, nil
	}
	facts.Unknown = coldchain.Total(gaps).Hours()
	facts.Former = s.Species().HistamineRules()
	o := safety.ReducedOxygen(facts)
	return &o, gaps
}
