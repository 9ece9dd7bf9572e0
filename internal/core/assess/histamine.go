package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// chilledAt is when the fish was put into ice; nil where nobody wrote it down.
// Fish that died in ice was chilled as it died.
func chilledAt(s *lot.State) *time.Time {
	iced := s.Harvest.Iced
	if iced == nil {
		return nil
	}
	at := iced.At
	if death, ok := s.Death(); ok && at.Before(death.At) {
		at = death.At
	}
	return &at
}

// histamineCuts are the times at which the clock is read in pieces: from where
// hours above 4.4 °C count, over the explanations and the tests that were met, in
// order. They count from when the fish had cooled in its ice; where nobody
// recorded that, from its receipt; of our own catch, from the first cold core.
// There are none where the clock does not run yet.
func histamineCuts(s *lot.State) []time.Time {
	var from *time.Time
	if chilled := chilledAt(s); chilled != nil {
		cooled := *chilled
		if death, ok := s.Death(); ok {
			cooled = safety.CooledAt(death.At, *chilled, s.CoreReadings)
		}
		from = &cooled
	} else if from = &s.ReceivedAt; s.Received.OwnCatch {
		from = s.ColdSince()
	}
	if from == nil {
		return nil
	}
	cuts := []time.Time{*from}
	for _, a := range s.GapExplanations {
		if a.Until.After(*from) {
			cuts = append(cuts, a.Until)
		}
	}
	if test := metTest(s); test != nil && test.At.After(*from) {
		cuts = append(cuts, test.At)
	}
	if pulled := longFrozen(s); pulled.After(*from) {
		cuts = append(cuts, pulled)
	}
	slices.SortFunc(cuts, time.Time.Compare)
	return slices.Compact(cuts)
}

// longFrozen is when the lot was first pulled after an extended frozen storage;
// zero where it never was.
func longFrozen(s *lot.State) time.Time {
	for _, stay := range s.FrozenStays {
		if !stay.To.IsZero() && stay.To.Sub(stay.From).Hours() >= safety.ExtendedFrozenWeeks*7*24 {
			return stay.To
		}
	}
	return time.Time{}
}

// metTest is the last test that met its plan.
func metTest(s *lot.State) *lot.TestMade {
	for i := len(s.Tests) - 1; i >= 0; i-- {
		if s.Tests[i].Met {
			return &s.Tests[i]
		}
	}
	return nil
}

// histamine reads the clock of a former and returns the stretches that nobody
// recorded nor explained; nil for other species.
func (t assessor) histamine() (*safety.Budget, []coldchain.Span) {
	s := t.state
	if !s.Species().HistamineRules() {
		return nil, nil
	}
	facts := safety.HistamineFacts{Chilled: chilledAt(s), ChilledBy: s.ColdSince(), Waiting: s.Waiting(),
		Gutted: s.Harvest.GuttedFirst(), AmbientC: s.Harvest.AmbientC(), Until: t.at}
	if death, ok := s.Death(); ok {
		facts.Death = &death.At
	}
	cleared := safety.HistamineClearance{Explained: len(s.GapExplanations) > 0}
	test := metTest(s)
	cleared.Tested = test != nil
	var gaps []coldchain.Span
	cuts := append(histamineCuts(s), t.at)
	for i := 0; i+1 < len(cuts); i++ {
		span := coldchain.Span{From: cuts[i], To: cuts[i+1]}
		if span.Len() <= 0 {
			continue
		}
		e, missing := t.worst(span, safety.ChilledC)
		account := explanationOf(s, span)
		if account == nil {
			gaps = append(gaps, missing...)
		} else {
			missing = nil
		}
		long := longFrozen(s)
		stretch := safety.StretchOf(e, coldchain.Total(missing).Hours(), !long.IsZero() && !span.From.Before(long))
		if account != nil && account.Until.Equal(span.To) {
			stretch.Hours += account.WarmHours
			stretch.Warm = stretch.Warm || account.WarmestC != nil && *account.WarmestC > safety.HalvingC &&
				account.WarmHours > 0
		}
		facts.After = append(facts.After, stretch)
		if test != nil && !span.To.After(test.At) {
			cleared.Before = len(facts.After)
		}
	}
	facts.Cleared = &cleared
	b := safety.Histamine(facts)
	for _, made := range s.Tests {
		if !made.Met {
			failed := []string{"its histamine test failed: " + made.Finding + "; discard it"}
			b.State, b.Chilled.State = safety.StateStop, safety.StateStop
			b.Reasons, b.Chilled.Reasons = append(failed, b.Reasons...), append(failed, b.Chilled.Reasons...)
		}
	}
	return &b, gaps
}

// explanationOf returns the explanation of a span between two cuts.
func explanationOf(s *lot.State, span coldchain.Span) *lot.GapExplanation {
	for i, a := range s.GapExplanations {
		if !span.To.After(a.Until) {
			return &s.GapExplanations[i]
		}
	}
	return nil
}

// cores are the core readings of the lot as they were measured by hand.
func (t assessor) cores() coldchain.Layer {
	return coldchain.Layer{Kind: coldchain.Spot,
		Source: coldchain.Series{Readings: t.state.CoreReadings, MaxGap: CoreReadingGap}}
}

// worst is what the records say of a span of a clock that stops: of each
// stretch, where core readings, probes and the fish that follows the air
// disagree, the one with more hours above the limit counts; of what no record covers it returns the spans.
// The air is taken as it is: this clock does not average.
func (t assessor) worst(span coldchain.Span, limit float64) (coldchain.Exposure, []coldchain.Span) {
	var sum coldchain.Exposure
	var gaps []coldchain.Span
	t.eachLeg(span, func(leg leg) {
		spots := []coldchain.Layer{t.cores()}
		logged, iced := slices.Concat(t.withLot(leg), t.inPlace(leg)), slices.Concat(ice(leg.iced), ice(leg.seen))
		best := func(layers ...[]coldchain.Layer) (coldchain.Exposure, []coldchain.Span) {
			parts, missing := coldchain.FromLayers(leg.Span, slices.Concat(layers...)...)
			return coldchain.Sum(parts), missing
		}
		e, missing := best(logged, spots, iced)
		others := [][]coldchain.Layer{spots}
		if b := t.bodyIn(leg.Span); b != nil {
			others = append(others, b.recorded())
		}
		for _, first := range others {
			if other, _ := best(first, logged, spots, iced); other.HoursAbove(limit) > e.HoursAbove(limit) {
				e = other
			}
		}
		sum = sum.Add(e)
		gaps = append(gaps, missing...)
	})
	return sum, gaps
}
