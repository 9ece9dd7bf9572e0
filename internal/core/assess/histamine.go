package assess

import (
	"fmt"
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
	} else if sent := s.Received.DispatchedAt; sent != nil {
		from = sent
	}
	if from == nil {
		return nil
	}
	cuts := []time.Time{*from}
	if test := metTest(s); test != nil && test.At.After(*from) {
		cuts = append(cuts, test.At)
	}
	if pulled := longFrozen(s); pulled.After(*from) {
		cuts = append(cuts, pulled)
	}
	for _, p := range s.Packs {
		if p.From.After(*from) {
			cuts = append(cuts, p.From)
		}
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
	cleared := safety.HistamineClearance{Explained: len(s.GapExplanations) > 0 || slices.ContainsFunc(t.env.Declarations,
		func(l Declaration) bool { return l.Kind == DeclaredHarvest && l.covers(s, t.env.Profile.Parasite) })}
	if t.dealt() {
		facts.Dealt, facts.Held = true, t.dealersFish()
	}
	test := metTest(s)
	cleared.Tested = test != nil
	var gaps []coldchain.Span
	cuts := append(histamineCuts(s), t.at)
	for i := 0; i+1 < len(cuts); i++ {
		span := coldchain.Span{From: cuts[i], To: cuts[i+1]}
		if span.Len() <= 0 {
			continue
		}
		e, missing := t.counted(span)
		gaps = append(gaps, missing...)
		long := longFrozen(s)
		stretch := safety.StretchOf(e, coldchain.Total(missing).Hours(), !long.IsZero() && !span.From.Before(long))
		stretch.NoOxygen = t.reducedAt(span.From)
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

// dealersFish says why a former of a dealer is held, whatever the line says since its dispatch; "" for
// nothing.
func (t assessor) dealersFish() string {
	s := t.state
	r := s.Received
	iced := r.Ice == wellIced && !r.Frozen
	explained := slices.ContainsFunc(s.GapExplanations, func(x lot.GapExplanation) bool { return !x.Until.Before(s.ReceivedAt) })
	switch {
	case r.LabelDate.Known() && s.ReceivedAt.Sub(*r.LabelDate.At).Hours()/24 > s.Species().ShelfLife.Lo && !r.Frozen:
		return fmt.Sprintf("its label is more than %.0f days old", s.Species().ShelfLife.Lo)
	case iced || explained:
		return ""
	case r.DispatchedAt == nil && !journeyRecorded(s):
		return "how it came here is not known: no hour of dispatch, and not in ice"
	case len(s.CoreReadings) == 0 && !r.Frozen:
		return "its core temperature was not measured"
	}
	return ""
}

// counted is what the line did over a span, without the cooling in the ice: that is free for as long
// as the landing table lets any core be. Whether the fish lay in ice then must be known all the same.
func (t assessor) counted(span coldchain.Span) (coldchain.Exposure, []coldchain.Span) {
	e, unknown := t.line.Over(span)
	free := t.freeCooling().Clip(span)
	if free.Len() <= 0 {
		return e, unknown
	}
	e = coldchain.Exposure{}
	for _, s := range t.line {
		outside := []coldchain.Span{s.Clip(span)}
		if s.Grade == GradeIced || s.Grade == GradeUnknown {
			outside = []coldchain.Span{s.Clip(coldchain.Span{From: span.From, To: free.From}), s.Clip(coldchain.Span{From: free.To, To: span.To})}
		}
		for _, part := range outside {
			if part.Len() > 0 && (s.Grade != GradeUnknown || s.Counts) {
				e = e.Add(s.Exposure(part))
			}
		}
	}
	return e, unknown
}

// freeCooling is the time in which fish that was put into ice may cool, whatever its core: until that
// is measured, and then as that says.
func (t assessor) freeCooling() coldchain.Span {
	chilled := chilledAt(t.state)
	death, ok := t.state.Death()
	if chilled == nil || !ok {
		return coldchain.Span{}
	}
	free := coldchain.Span{From: *chilled, To: laterOf(*chilled, death.At.Add(safety.FreeCooling))}
	for _, x := range t.state.CoreReadings {
		if x.At.After(free.From) && x.At.Before(free.To) {
			free.To = x.At
		}
	}
	return free
}

// reducedAt reports whether the fish lay in a pack without oxygen at a time.
func (t assessor) reducedAt(at time.Time) bool {
	return slices.ContainsFunc(t.state.Packs, func(p lot.PackStay) bool {
		return p.Reduced() && !at.Before(p.From) && (p.To.IsZero() || at.Before(p.To))
	})
}
