package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// environment is what lots are assessed in. It loads what their clocks draw on when it is
// told which lots, each probe and each cabinet once for all of them.
type environment struct {
	assess.Env
	k       *Kitchen
	q       *store.Queries
	site    Site
	layout  layout
	sources map[int64]*loadedProbe
	aired   map[int64]coldchain.Span // of which time each cabinet is there
	ageing  bool                     // the plan of ageing is there
}

// newEnvironment loads what holds for all lots of a site.
func (k *Kitchen) newEnvironment(ctx context.Context, q *store.Queries, site Site) (*environment, error) {
	w := &environment{k: k, q: q, site: site, sources: map[int64]*loadedProbe{}, aired: map[int64]coldchain.Span{}}
	w.Env = assess.Env{Now: k.Now(), Profile: Actor{Site: site}.Profile(), Catalogue: site.Catalogue(), Zone: Actor{Site: site}.Zone(),
		ParCook:    site.ParCookBy != "",
		TransportC: site.TransportC, Cabinets: map[int64]assess.Cabinet{},
		Probe: func(id int64) coldchain.Record {
			if rolled := w.rolled(id); rolled != nil {
				return rolled
			}
			return nil
		}}
	if err := w.loadPlaces(ctx); err != nil {
		return nil, err
	}
	var err error
	w.Declarations, err = k.declarations(ctx, q, site)
	return w, err
}

// loadPlaces loads the places with their probes and their ice.
func (w *environment) loadPlaces(ctx context.Context) error {
	var err error
	w.layout, err = w.k.layoutOf(ctx, w.q, w.site)
	w.Places, w.Dealers, w.Distrusted = w.layout.places, w.layout.dealers, w.layout.doubts
	return err
}

// environmentFor is the environment of lots that are assessed now, and asked about at other
// times: for an assessment at a time, its assess.CutsAt.
func (k *Kitchen) environmentFor(ctx context.Context, q *store.Queries, site Site, states []*lot.State,
	cuts ...time.Time) (*environment, error) {
	w, err := k.newEnvironment(ctx, q, site)
	if err != nil {
		return nil, err
	}
	return w, w.load(ctx, states, cuts...)
}

// load loads what the clocks of lots draw on, now and cut at other times, unless it is there.
func (w *environment) load(ctx context.Context, states []*lot.State, cuts ...time.Time) error {
	wanted := map[int64]bool{}
	hung := map[int64]coldchain.Span{}
	cuts = slices.Clone(cuts)
	for _, spans := range w.Distrusted {
		for _, span := range spans {
			cuts = append(cuts, span.From, span.To)
		}
	}
	for _, s := range states {
		for _, ask := range assess.ProbeSpans(s, w.Places, w.Now, cuts...) {
			p := w.sources[ask.ProbeID]
			if p == nil {
				p = &loadedProbe{asked: map[coldchain.Span]bool{}}
				w.sources[ask.ProbeID] = p
			}
			if !p.answers(ask.Span) {
				p.spans, p.asked[ask.Span] = append(p.spans, ask.Span), true
				wanted[ask.ProbeID] = true
			}
		}
		for _, stay := range s.Hangings {
			span := coldchain.Span{From: stay.From.Add(-24 * time.Hour), To: w.Now}
			if have, ok := hung[stay.PlaceID]; ok && have.From.Before(span.From) {
				span = have
			}
			hung[stay.PlaceID] = span
		}
	}
	for _, probe := range w.layout.probes {
		if !wanted[probe.ID] {
			continue
		}
		if err := w.sources[probe.ID].load(ctx, w, probe); err != nil {
			return err
		}
	}
	for id, span := range hung {
		if err := w.loadCabinet(ctx, id, span); err != nil {
			return err
		}
	}
	return nil
}

// loadedProbe is what a probe measured, as far as it was asked for.
type loadedProbe struct {
	*coldchain.Rolled
	spans []coldchain.Span        // that were asked for
	asked map[coldchain.Span]bool // the same
	whole coldchain.Span          // around all of them: its hours are there
	raw   map[time.Time]bool      // the hours whose readings are there; nil until it is asked
}

// answers reports whether what is loaded answers for a span: its hours, and the readings
// of those of which it asks for a part.
func (p *loadedProbe) answers(span coldchain.Span) bool {
	if p.Rolled == nil {
		return p.asked[span]
	}
	if p.raw == nil {
		p.index()
	}
	return !p.whole.From.After(span.From) && !p.whole.To.Before(span.To) &&
		!slices.ContainsFunc(p.NeedsReadings(span), func(start time.Time) bool { return !p.raw[start] })
}

// load loads what was asked for.
func (p *loadedProbe) load(ctx context.Context, w *environment, probe store.Probe) error {
	var err error
	if p.Rolled, err = w.k.DB.Rolled(ctx, w.q, probe, p.spans); err != nil {
		return fmt.Errorf("loading the readings of probe %d: %w", probe.ID, err)
	}
	p.raw = nil
	return nil
}

// index notes what is there.
func (p *loadedProbe) index() {
	p.whole, p.raw = p.spans[0], map[time.Time]bool{}
	for _, span := range p.spans {
		if span.From.Before(p.whole.From) {
			p.whole.From = span.From
		}
		if span.To.After(p.whole.To) {
			p.whole.To = span.To
		}
		for _, start := range p.NeedsReadings(span) {
			p.raw[start] = true
		}
	}
}

// rolled is what is loaded of a probe; nil where nothing is.
func (w *environment) rolled(id int64) *coldchain.Rolled {
	if p := w.sources[id]; p != nil {
		return p.Rolled
	}
	return nil
}

// loadGate loads what the gate of dry ageing asks of a cabinet, of the day before a time.
func (w *environment) loadGate(ctx context.Context, placeID int64, at time.Time) error {
	return w.loadCabinet(ctx, placeID, coldchain.Span{From: at.Add(-24 * time.Hour), To: at})
}

// loadCabinet loads an ageing cabinet over a time, and the plan of ageing.
func (w *environment) loadCabinet(ctx context.Context, placeID int64, span coldchain.Span) error {
	var err error
	if !w.ageing {
		if w.AgeingPlan, err = w.k.ageingPlan(ctx, w.q, w.site); err != nil {
			return err
		}
		w.ageing = true
	}
	if have, ok := w.aired[placeID]; ok {
		if !have.From.After(span.From) && !have.To.Before(span.To) {
			return nil
		}
		if have.From.Before(span.From) {
			span.From = have.From
		}
		if have.To.After(span.To) {
			span.To = have.To
		}
	}
	w.aired[placeID] = span
	w.Cabinets[placeID], err = w.k.cabinet(ctx, w.q, w.site, w.layout, placeID, span)
	return err
}
