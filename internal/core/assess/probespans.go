package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
)

// ProbeSpan is a span of a probe's history that Assess will integrate.
type ProbeSpan struct {
	ProbeID int64
	coldchain.Span
}

// ProbeSpans lists what Assess needs to know of which probe, so that it can be loaded
// beforehand: the stays and logger stays, cut where Assess cuts them as of now, and at
// other times at which the lot is assessed or asked about.
func ProbeSpans(s *lot.State, places map[int64]lot.Place, now time.Time, also ...time.Time) []ProbeSpan {
	if s.Status != lot.OnHand {
		now = s.EndedAt
	}
	cuts := histamineCuts(s)
	for _, at := range also {
		cuts = append(cuts, at.Add(-moment), at)
	}
	cuts = append(cuts, s.Start(), s.ReceivedAt, now.Add(-moment), now)
	if chilled := chilledAt(s); chilled != nil {
		cuts = append(cuts, *chilled)
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
		for _, probe := range places[stay.PlaceID].Probes {
			cuts = append(cuts, probe.From, probe.To)
		}
	}
	slices.SortFunc(cuts, time.Time.Compare)

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
	return asks
}
