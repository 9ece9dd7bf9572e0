package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// PlaceTrace is what was measured in a place over a span.
type PlaceTrace struct {
	Span     coldchain.Span
	Hourly   bool // the points are hours, not readings
	Lines    []ProbeLine
	Exposure coldchain.Exposure // of what lay in it, as far as it was measured
	Gaps     []coldchain.Span   // of which nothing is known
	Rules    alarm.Rules        // what its alarms go by
	Alarms   []AlarmEntry       // in the span, of the last 30 days
	layers   []coldchain.Layer  // the best first
}

// ProbeLine is what one probe measured.
type ProbeLine struct {
	Probe  store.Probe
	Hand   bool // people read it: its points are readings, however long the span
	Points []TracePoint
}

// longestTrace bounds a span that is asked for.
const longestTrace = 3 * 366 * 24 * time.Hour

// PlaceTrace returns what the probes of a place measured while they were there:
// readings of a short span, hours of a long one.
func (k *Kitchen) PlaceTrace(ctx context.Context, placeID int64, span coldchain.Span) (PlaceTrace, error) {
	a, q := ActorFrom(ctx), k.DB.Queries
	out := PlaceTrace{Span: span, Hourly: span.Len() > rawTrace}
	if span.Len() <= 0 || span.Len() > longestTrace {
		return out, invalid.Errors{{Field: "to", Message: "must lie after the beginning, at most three years"}}
	}
	l, err := k.layoutOf(ctx, q, a.Site)
	if err != nil {
		return out, err
	}
	place, ok := l.places[placeID]
	if !ok {
		return out, ErrNotFound
	}
	for _, stay := range place.Probes {
		part := stay.Clip(span)
		if part.Len() <= 0 {
			continue
		}
		p, err := q.Probe(ctx, store.ProbeParams{SiteID: a.Site.ID, ID: stay.ProbeID})
		if err != nil {
			return out, err
		}
		rolled, err := k.DB.Rolled(ctx, q, p, []coldchain.Span{part})
		if err != nil {
			return out, err
		}
		if !stay.Maximum { // that is how warm it was some time before
			layer := coldchain.Layer{Kind: coldchain.Logged, Source: coldchain.Within{Source: rolled, Spans: []coldchain.Span{part}}}
			if stay.ByHand {
				layer.Kind = coldchain.Spot
			}
			out.layers = append(out.layers, layer)
		}
		line := ProbeLine{Probe: p, Hand: stay.ByHand}
		if !out.Hourly || line.Hand {
			if line.Points, err = k.readings(ctx, q, a.Site.ID, p.ID, part); err != nil {
				return out, err
			}
		}
		if len(line.Points) == 0 { // long, or so old that only the hours are kept
			line.Points = hourPoints(rolled, part)
		}
		out.Lines = append(out.Lines, line)
	}
	parts, gaps := coldchain.FromLayers(span, out.layers...)
	out.Exposure, out.Gaps = coldchain.Sum(parts), gaps
	inUse, err := q.PlacesInUse(ctx, a.Site.ID)
	if err != nil {
		return out, err
	}
	out.Rules = place.Rules(a.Profile(), contents(useOf(inUse, placeID)), 0)
	past, err := k.alarmsOf(ctx, placeID)
	for _, x := range past {
		if x.Since.Before(span.To) && x.Until(k.Now()).After(span.From) {
			out.Alarms = append(out.Alarms, x)
		}
	}
	return out, err
}

// alarmsOf lists the alarms of a place of the last 30 days.
func (k *Kitchen) alarmsOf(ctx context.Context, placeID int64) ([]AlarmEntry, error) {
	all, err := k.Alarms(ctx, k.Now().Add(-alarmsShown))
	return slices.DeleteFunc(all, func(a AlarmEntry) bool { return a.PlaceID != placeID }), err
}

// PlacePage is a place with all that is kept of it.
type PlacePage struct {
	PlaceView
	Places []PlaceView // all of them
	Rows   []Row       // lots in it, the one that ends first on top
	Probes []ProbeView // that measure or measured it
	Past   []AlarmEntry
}

// alarmsShown is how far back a place shows its alarms.
const alarmsShown = 30 * 24 * time.Hour

// Place returns a place.
func (k *Kitchen) Place(ctx context.Context, id int64) (PlacePage, error) {
	var out PlacePage
	var err error
	if out.Places, err = k.Places(ctx); err != nil {
		return out, err
	}
	found := false
	for _, p := range out.Places {
		if p.ID == id {
			out.PlaceView, found = p, true
		}
	}
	if !found {
		return out, ErrNotFound
	}
	board, err := k.Board(ctx)
	if err != nil {
		return out, err
	}
	out.Rows = slices.DeleteFunc(board.Rows, func(r Row) bool { return r.PlaceID != id })
	probes, err := k.Probes(ctx)
	if err != nil {
		return out, err
	}
	for _, p := range probes {
		for _, stay := range p.Stays {
			if stay.PlaceID == id {
				out.Probes = append(out.Probes, p)
				break
			}
		}
	}
	out.Past, err = k.alarmsOf(ctx, id)
	return out, err
}

// ProbeView is a probe with where it is and how its checks stand.
type ProbeView struct {
	store.Probe
	Stays []ProbeStayView   // the newest first
	Check *store.ProbeCheck // the last; nil for none
	DueAt time.Time         // of the next check
	Value *DeviceValue
}

// ProbeStayView is a stay with the name of its place.
type ProbeStayView struct {
	store.ProbeStay
	Place string
}

// Lasts reports whether the probe is still there.
func (s ProbeStayView) Lasts() bool { return s.ToAt.Year() > 9000 }

// Here is where the probe measures now; nil for nowhere.
func (p ProbeView) Here() *ProbeStayView {
	if len(p.Stays) > 0 && p.Stays[0].Lasts() {
		return &p.Stays[0]
	}
	return nil
}

// Probes lists the probes of the kitchen.
func (k *Kitchen) Probes(ctx context.Context) ([]ProbeView, error) {
	a, q := ActorFrom(ctx), k.DB.Queries
	l, err := k.layoutOf(ctx, q, a.Site)
	if err != nil {
		return nil, err
	}
	checks, err := q.LastChecks(ctx, a.Site.ID)
	if err != nil {
		return nil, err
	}
	values, err := q.DeviceValues(ctx, store.DeviceValuesParams{SiteID: a.Site.ID, Since: k.Now().Add(-24 * time.Hour)})
	if err != nil {
		return nil, err
	}
	var list []ProbeView
	for _, p := range l.probes {
		if p.Elsewhere {
			continue
		}
		v := ProbeView{Probe: p}
		for _, s := range l.stays {
			if s.ProbeID == p.ID {
				v.Stays = append([]ProbeStayView{{s, l.places[s.PlaceID].Name}}, v.Stays...)
			}
		}
		for j, c := range checks {
			if c.ProbeID == p.ID {
				v.Check, v.DueAt = &checks[j], c.At.AddDate(0, 0, int(a.Site.CheckDays))
			}
		}
		for _, x := range values {
			if x.ID == p.ID {
				value := DeviceValue(x)
				v.Value = &value
			}
		}
		list = append(list, v)
	}
	return list, nil
}

// Checked reports whether a kind of probe is checked at all: a clipboard and a
// file are not.
func (p ProbeView) Checked() bool { return p.Kind == Fixed || p.Kind == Thermometer }

// Overdue reports whether its check is due.
func (p ProbeView) Overdue(now time.Time) bool {
	return p.Checked() && (p.Check == nil || now.After(p.DueAt))
}

// ProbePage is a probe with all that is kept of it.
type ProbePage struct {
	ProbeView
	Doubts []coldchain.Span // in which it is distrusted, by its checks
	Lots   []Row            // whose record it is in these times, the last to come on top
	Checks []store.ProbeChecksRow
	Notes  []store.ProbeNotesRow
	Others []ProbeView
	Places []lot.Place
}

// ProbePage returns the page of a probe.
func (k *Kitchen) ProbePage(ctx context.Context, id int64) (ProbePage, error) {
	a, q := ActorFrom(ctx), k.DB.Queries
	var out ProbePage
	list, err := k.Probes(ctx)
	if err != nil {
		return out, err
	}
	found := false
	for _, p := range list {
		if p.ID == id {
			out.ProbeView, found = p, true
		} else if p.Kind != Thermometer && p.Kind != Scale {
			out.Others = append(out.Others, p)
		}
	}
	if !found {
		return out, ErrNotFound
	}
	checks, err := q.ProbeChecks(ctx, a.Site.ID)
	if err != nil {
		return out, err
	}
	for _, c := range checks {
		if c.ProbeID == id {
			out.Checks = append(out.Checks, c)
		}
	}
	if out.Notes, err = q.ProbeNotes(ctx, store.ProbeNotesParams{SiteID: a.Site.ID, ProbeID: id}); err != nil {
		return out, err
	}
	rows, err := q.Places(ctx, a.Site.ID)
	if err != nil {
		return out, err
	}
	for _, r := range rows {
		out.Places = append(out.Places, placeOf(r))
	}
	tested, err := q.Checks(ctx, a.Site.ID)
	if err != nil {
		return out, err
	}
	of := store.BoardOfProbeParams{SiteID: a.Site.ID, ProbeID: id}
	out.Doubts = doubtsOf(tested)[id]
	for _, span := range out.Doubts {
		of.Froms, of.Tos = append(of.Froms, span.From), append(of.Tos, span.To)
	}
	lots, err := q.BoardOfProbe(ctx, of)
	if err != nil {
		return out, fmt.Errorf("loading the lots of probe %d: %w", id, err)
	}
	out.Lots, err = rowsAt(a.Site.Catalogue(), lots, k.Now())
	return out, err
}

// DeviceValue is a value that a thermometer or a weighing scale sent.
type DeviceValue struct {
	ID    int64 // of the device
	Name  string
	Kind  string
	At    time.Time
	Value float64 // °C or kg
}

// LastValue is the last value that a device of a kind sent, not older than some
// time; ErrNotFound where there is none.
func (k *Kitchen) LastValue(ctx context.Context, kind string, within time.Duration) (DeviceValue, error) {
	rows, err := k.DB.DeviceValues(ctx, store.DeviceValuesParams{SiteID: ActorFrom(ctx).Site.ID,
		Since: k.Now().Add(-within)})
	if err != nil {
		return DeviceValue{}, err
	}
	for _, r := range rows {
		if r.Kind == kind {
			return DeviceValue(r), nil
		}
	}
	return DeviceValue{}, ErrNotFound
}

// checksDue lists the probes whose check is due by a time.
func (k *Kitchen) checksDue(ctx context.Context, until time.Time) ([]Due, error) {
	list, err := k.Probes(ctx)
	if err != nil {
		return nil, err
	}
	var due []Due
	for _, p := range list {
		if p.Checked() && p.Check != nil && !p.DueAt.After(until) {
			due = append(due, Due{Action: assess.Action{Do: "Check probe", Why: "in ice or boiling water", Due: p.DueAt},
				ProbeID: p.ID, Name: p.Name})
		}
	}
	return due, nil
}
