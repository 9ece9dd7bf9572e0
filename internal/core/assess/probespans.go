package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// ProbeSpan is a span of a probe's history that Assess will integrate.
type ProbeSpan struct {
	ProbeID int64
	coldchain.Span
}

// CutsAt are the times at which an assessment as of a time cuts what probes measured, besides
// those that follow from the lot's events.
func CutsAt(at time.Time) []time.Time { return []time.Time{at.Add(-moment), at} }

// ProbeSpans lists what Assess needs to know of which probe, so that it can be loaded
// beforehand: the stays and logger stays, cut where Assess cuts them as of now, and at
// other times at which something will be asked: for an assessment at a time, its CutsAt.
func ProbeSpans(s *lot.State, places map[int64]lot.Place, now time.Time, also ...time.Time) []ProbeSpan {
	if s.Status != lot.OnHand {
		now = s.EndedAt
	}
	cuts := append(histamineCuts(s), CutsAt(now)...)
	cuts = append(append(append(cuts, also...), s.CutTimes()...), s.Start(), s.ReceivedAt)
	if chilled := chilledAt(s); chilled != nil {
		cuts = append(cuts, *chilled)
	}
	if sent := s.Received.DispatchedAt; sent != nil {
		cuts = append(cuts, *sent)
	}
	for _, x := range s.CoreReadings {
		cuts = append(cuts, x.At)
	}
	fish := s.Species()
	for _, profile := range safety.Profiles() {
		limit, back := profile.ChilledLimit(fish), inHours(profile.Grades.CheckedHours)
		for _, x := range s.CoreReadings {
			if x.Celsius > limit { // a warm core counts back so far
				cuts = append(cuts, x.At.Add(-back))
			}
		}
	}
	for _, i := range s.Inspections {
		cuts = append(cuts, i.At)
		if i.SeenAt != nil {
			cuts = append(cuts, *i.SeenAt)
		}
	}
	for _, p := range s.Packs {
		cuts = append(cuts, p.From)
	}
	for _, l := range s.Loggers {
		cuts = append(cuts, l.From, l.To)
	}
	for _, stay := range s.Stays {
		cuts = append(cuts, stay.From)
		for _, seen := range slices.Concat(places[stay.PlaceID].Ice.Sightings(), places[stay.PlaceID].Seen) {
			cuts = append(cuts, seen.At)
		}
		for _, probe := range places[stay.PlaceID].Probes {
			cuts = append(cuts, probe.From, probe.To)
		}
	}
	slices.SortFunc(cuts, time.Time.Compare)
	cuts = slices.CompactFunc(cuts, time.Time.Equal)

	var asks []ProbeSpan
	add := func(probe int64, span coldchain.Span) {
		for i := 1; i < len(cuts); i++ {
			if part := (coldchain.Span{From: cuts[i-1], To: cuts[i]}).Clip(span); part.Len() > 0 {
				asks = append(asks, ProbeSpan{probe, part})
			}
		}
	}
	for _, stay := range s.Stays {
		to := stay.To
		if to.IsZero() {
			to = now
		}
		for _, probe := range places[stay.PlaceID].Probes {
			add(probe.ProbeID, probe.Clip(coldchain.Span{From: stay.From, To: to}))
		}
	}
	for _, l := range s.Loggers {
		add(l.ProbeID, l.Span)
	}
	for _, other := range s.Others {
		asks = append(asks, ProbeSpans(other, places, now, also...)...)
	}
	return asks
}
