package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// Row is a lot on the board: its projection, as of now.
type Row struct {
	store.LotBoard
	Species      species.Species
	LeftNow      float64 // fresh days left now
	RealDays     float64 // the same at the temperature where it lies, days
	Ends         time.Time
	Uses         []assess.Use
	Due          []assess.Action
	FrozenStatus *FrozenStatus // nil for fish that never was frozen
	AgeingStatus *AgeingStatus // nil for fish that never hung
}

// Known reports whether a life left is known.
func (r Row) Known() bool { return r.Basis != "" && !r.Frozen && r.Rate != nil }

// Piece is one fish, or fillet, of the lot.
func (r Row) Piece() piece.Piece {
	return piece.Of(r.Species, r.Form, r.WeightKg/float64(max(r.Count, 1)))
}

// StatusName is the status in words.
func (r Row) StatusName() string { return lot.Status(r.Status).Name() }

// OnHold reports whether people or rules hold the lot, which is still here.
func (r Row) OnHold() bool {
	return r.Status == string(lot.OnHand) && (r.Hold != "" || len(r.Stops) > 0)
}

// rowAt lets the time since the projection pass at its last rate.
func rowAt(c species.Catalogue, b store.LotBoard, now time.Time) (Row, error) {
	sp, _ := c.Get(b.Species)
	r := Row{LotBoard: b, Species: sp}
	if err := json.Unmarshal(b.Uses, &r.Uses); err != nil {
		return r, fmt.Errorf("uses of %s: %w", b.Code, err)
	}
	if err := json.Unmarshal(b.Due, &r.Due); err != nil {
		return r, fmt.Errorf("actions of %s: %w", b.Code, err)
	}
	if err := json.Unmarshal(b.Frost, &r.FrozenStatus); err != nil {
		return r, fmt.Errorf("frost of %s: %w", b.Code, err)
	}
	if err := json.Unmarshal(b.Aged, &r.AgeingStatus); err != nil {
		return r, fmt.Errorf("ageing of %s: %w", b.Code, err)
	}
	if r.Known() {
		since := 0.0
		if b.Status == string(lot.OnHand) {
			since = now.Sub(b.AsOf).Hours() / 24
		} else {
			now = b.AsOf
		}
		r.LeftNow = max(0, b.LeftDays-*b.Rate*since)
		r.RealDays = r.LeftNow / *b.Rate
		r.Ends = now.Add(time.Duration(r.RealDays * 24 * float64(time.Hour)))
	}
	if a := r.AgeingStatus; a != nil {
		r.endsBy(now, cmp.Or(a.goal(), a.ServeBy), true)
	}
	if f := r.FrozenStatus; f != nil {
		r.endsBy(now, f.KeepTo, !r.Known())
	}
	return r, nil
}

// endsBy lets the row end by a rule's time, where that comes first or is all that
// counts.
func (r *Row) endsBy(now time.Time, at *time.Time, alone bool) {
	if at != nil && (alone || at.Before(r.Ends)) {
		r.Ends, r.RealDays = *at, max(0, at.Sub(now).Hours()/24)
	}
}

func rowsAt(c species.Catalogue, list []store.LotBoard, now time.Time) ([]Row, error) {
	rows := make([]Row, len(list))
	for i, b := range list {
		var err error
		if rows[i], err = rowAt(c, b, now); err != nil {
			return nil, err
		}
	}
	return rows, nil
}

// rowsOnHand lists the lots on hand by code.
func (k *Kitchen) rowsOnHand(ctx context.Context) ([]Row, error) {
	site := ActorFrom(ctx).Site
	list, err := k.DB.BoardOnHand(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	return rowsAt(site.Catalogue(), list, k.Now())
}

// PlaceLots is a place with the lots that lie in it.
type PlaceLots struct {
	Place lot.Place
	Rows  []Row
}

// Board lists the lots on hand by place: in each place the one that ends first
// on top, and the place whose first lot ends first before the others. What has
// no known end comes last.
func (k *Kitchen) Board(ctx context.Context) ([]PlaceLots, error) {
	a := ActorFrom(ctx)
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return nil, err
	}
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return nil, fmt.Errorf("loading the board: %w", err)
	}
	slices.SortStableFunc(rows, endsFirst)
	var shelves []PlaceLots
	at := map[int64]int{}
	for _, r := range rows {
		i, ok := at[r.PlaceID]
		if !ok {
			i = len(shelves)
			at[r.PlaceID] = i
			shelves = append(shelves, PlaceLots{Place: l.places[r.PlaceID]})
		}
		shelves[i].Rows = append(shelves[i].Rows, r)
	}
	return shelves, nil
}

// Row returns the projection of one lot.
func (k *Kitchen) Row(ctx context.Context, id uuid.UUID) (Row, error) {
	a := ActorFrom(ctx)
	b, err := k.DB.BoardLot(ctx, store.BoardLotParams{SiteID: a.Site.ID, LotID: id})
	if err != nil {
		return Row{}, err
	}
	return rowAt(a.Site.Catalogue(), b, k.Now())
}

func endsFirst(a, b Row) int {
	switch {
	case !a.Ends.IsZero() && !b.Ends.IsZero():
		return a.Ends.Compare(b.Ends)
	case !a.Ends.IsZero():
		return -1
	case !b.Ends.IsZero():
		return 1
	}
	return a.ReceivedAt.Compare(b.ReceivedAt)
}

// DeliveryNote is a delivery with its lots.
type DeliveryNote struct {
	store.DocketRow
	Rows []Row
}

// DeliveryNote returns a delivery.
func (k *Kitchen) DeliveryNote(ctx context.Context, id uuid.UUID) (DeliveryNote, error) {
	a := ActorFrom(ctx)
	row, err := k.DB.Docket(ctx, store.DocketParams{SiteID: a.Site.ID, ID: id})
	if err != nil {
		return DeliveryNote{}, err
	}
	list, err := k.DB.BoardOfDocket(ctx, store.BoardOfDocketParams{SiteID: a.Site.ID, DocketID: id})
	if err != nil {
		return DeliveryNote{}, err
	}
	rows, err := rowsAt(a.Site.Catalogue(), list, k.Now())
	return DeliveryNote{row, rows}, err
}

// Deliveries is what the dock shows: the recent deliveries and the lots to inspect.
type Deliveries struct {
	Notes []store.DocketsSinceRow
	Queue []Row
}

// Deliveries lists the deliveries since a time and the lots that wait for an inspection.
func (k *Kitchen) Deliveries(ctx context.Context, since time.Time) (Deliveries, error) {
	a := ActorFrom(ctx)
	dockets, err := k.DB.DocketsSince(ctx, store.DocketsSinceParams{SiteID: a.Site.ID, ArrivedAt: since})
	if err != nil {
		return Deliveries{}, err
	}
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return Deliveries{}, err
	}
	rows = slices.DeleteFunc(rows, func(r Row) bool {
		return !slices.ContainsFunc(r.Due, func(d assess.Action) bool { return d.Path == "inspect" })
	})
	slices.SortFunc(rows, func(a, b Row) int { return a.ReceivedAt.Compare(b.ReceivedAt) })
	return Deliveries{dockets, rows}, nil
}

// Due is something to do for a lot, a place or a probe.
type Due struct {
	assess.Action
	Code    string
	LotID   uuid.UUID // zero for a place or a probe
	PlaceID int64
	ProbeID int64
	PlanID  uuid.UUID // of a thaw, of which it is a step
	Name    string    // of the species, the place or the probe
}

// DueBy lists what is due on the site until a time, soonest first.
func (k *Kitchen) DueBy(ctx context.Context, until time.Time) ([]Due, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.DueOnHand(ctx, site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading what is due: %w", err)
	}
	var due []Due
	for _, r := range rows {
		var actions []assess.Action
		if err := json.Unmarshal(r.Due, &actions); err != nil {
			return nil, fmt.Errorf("actions of %s: %w", r.Code, err)
		}
		sp, _ := site.Catalogue().Get(r.Species)
		for _, d := range actions {
			if !d.Due.After(until) {
				due = append(due, Due{Action: d, Code: r.Code, LotID: r.LotID, Name: sp.Name})
			}
		}
	}
	ice, err := k.iceDue(ctx, until)
	if err != nil {
		return nil, err
	}
	checks, err := k.checksDue(ctx, until)
	if err != nil {
		return nil, err
	}
	readings, err := k.readingsDue(ctx, until)
	if err != nil {
		return nil, err
	}
	thaws, err := k.thawDue(ctx, until)
	if err != nil {
		return nil, err
	}
	due = slices.Concat(due, ice, checks, readings, thaws)
	slices.SortStableFunc(due, func(a, b Due) int { return a.Due.Compare(b.Due) })
	return due, nil
}

// Version counts the changes of what people see at the site.
func (k *Kitchen) Version(ctx context.Context) (int64, error) {
	return k.DB.Version(ctx, ActorFrom(ctx).Site.ID)
}

// LotQuery asks for lots by code, species or supplier ("" for all).
type LotQuery struct {
	Text   string
	OnHand bool
	Limit  int
	After  LotPlace // the last lot of the page before; zero for the first page
}

// LotPlace is where a lot stands in the order of LotPage: the newest first.
type LotPlace struct {
	ReceivedAt time.Time
	Code       string
}

// LotPage is a page of lots, the newest first, and how many there are in all.
type LotPage struct {
	Lots  []Row
	Total int
	Next  *LotPlace // after which the next page begins; nil on the last
}

// FindLots returns a page of lots.
func (k *Kitchen) FindLots(ctx context.Context, q LotQuery) (page LotPage, err error) {
	a := ActorFrom(ctx)
	ids := []string{}
	if q.Text != "" {
		for _, sp := range a.Site.Catalogue().Search(q.Text, 20) {
			ids = append(ids, sp.ID)
		}
	}
	total, err := k.DB.BoardCount(ctx, store.BoardCountParams{SiteID: a.Site.ID, Query: q.Text, Species: ids, OnHand: q.OnHand})
	if err != nil {
		return page, fmt.Errorf("counting lots: %w", err)
	}
	list, err := k.DB.BoardFind(ctx, store.BoardFindParams{SiteID: a.Site.ID, Query: q.Text, Species: ids, OnHand: q.OnHand,
		AfterAt: q.After.ReceivedAt, AfterCode: q.After.Code, Most: int64(q.Limit) + 1})
	if err != nil {
		return page, fmt.Errorf("finding lots: %w", err)
	}
	page.Total = int(total)
	if len(list) > q.Limit {
		list = list[:q.Limit]
		last := list[q.Limit-1]
		page.Next = &LotPlace{last.ReceivedAt, last.Code}
	}
	page.Lots, err = rowsAt(a.Site.Catalogue(), list, k.Now())
	return page, err
}

// mostFound is how many lots are found at once.
const mostFound = 200

// Find is the first page of FindLots.
func (k *Kitchen) Find(ctx context.Context, text string, onHand bool) ([]Row, error) {
	page, err := k.FindLots(ctx, LotQuery{Text: text, OnHand: onHand, Limit: mostFound})
	return page.Lots, err
}

// Card is all that is known of one lot.
type Card struct {
	State        *lot.State
	Assessment   assess.Assessment
	Uses         []assess.Use
	Due          []assess.Action
	Entries      []Entry
	Places       map[int64]lot.Place
	Cabinets     map[int64]assess.Cabinet // ageing cabinets in which it hangs, or hung
	DeliveryNote store.DocketRow
	Trace        []TracePoint
	Cautions     []string // cautions for a lot as it lies and is packed
}

// TracePoint is a point of the temperature trace. A point with Break begins a
// new line: there is a gap before it.
type TracePoint struct {
	At             time.Time
	Mean, Min, Max float64
	Break          bool
}

// rawTrace is the length of a cold line up to which its trace shows each
// reading; a longer one shows hours.
const rawTrace = 36 * time.Hour

// Card returns the card of a lot.
func (k *Kitchen) Card(ctx context.Context, id uuid.UUID) (Card, error) {
	a := ActorFrom(ctx)
	q := k.DB.Queries
	events, err := k.events(ctx, q, a.Site.ID, id)
	if err != nil {
		return Card{}, err
	}
	if len(events[id]) == 0 {
		return Card{}, fmt.Errorf("lot %s: %w", id, ErrNotFound)
	}
	s, err := lot.Fold(a.Site.Catalogue(), events[id])
	if err != nil {
		return Card{}, err
	}
	w, err := k.environmentFor(ctx, q, a.Site, []*lot.State{s})
	if err != nil {
		return Card{}, err
	}
	c := Card{State: s, Assessment: assess.Assess(s, w.Env, w.Now), Places: w.Places, Cabinets: w.Cabinets}
	c.Cautions = assess.StorageCautions(s, w.Env)
	c.Uses, c.Due = assess.Fitness(s, c.Assessment), assess.DueActions(s, c.Assessment, w.Env)
	if c.Entries, err = k.entries(ctx, q, a, events[id]); err != nil {
		return Card{}, err
	}
	for i, e := range c.Entries {
		for _, x := range s.Corrections[e.ID] {
			c.Entries[i].Was = append(c.Entries[i].Was, x.Was)
		}
		if _, stands := s.About(e.Event); len(c.Entries[i].Was) > 0 && stands != nil {
			c.Entries[i].Payload = stands
		}
	}
	if c.DeliveryNote, err = q.Docket(ctx,
		store.DocketParams{SiteID: a.Site.ID, ID: s.Received.DeliveryID}); err != nil {
		return Card{}, err
	}
	c.Trace, err = k.trace(ctx, q, a.Site.ID, c, w)
	return c, err
}

// trace collects what loggers measured along the cold line.
func (k *Kitchen) trace(ctx context.Context, q *store.Queries, site int64, c Card, w *environment) ([]TracePoint,
	error) {
	var points []TracePoint
	raw := c.Assessment.At.Sub(c.Assessment.From) <= rawTrace
	for _, source := range tracedSpans(c, w.Places) {
		rolled := w.rolled(source.ProbeID)
		if rolled == nil {
			continue
		}
		if !raw {
			points = append(points, hourPoints(rolled, source.Span)...)
			continue
		}
		rows, err := q.ReadingsBetween(ctx, store.ReadingsBetweenParams{SiteID: site, ProbeID: source.ProbeID,
			FromAt: source.From, ToAt: source.To})
		if err != nil {
			return nil, err
		}
		for i, r := range rows {
			gap := i == 0 || r.At.Sub(rows[i-1].At) > rolled.MaxGap
			points = append(points, TracePoint{At: r.At, Mean: r.Celsius, Min: r.Celsius, Max: r.Celsius, Break: gap})
		}
	}
	return points, nil
}

// tracedSpans lists which probe is drawn when: the loggers that lay with the
// lot, and the first probe that measured each place.
func tracedSpans(c Card, places map[int64]lot.Place) []assess.ProbeSpan {
	var spans []assess.ProbeSpan
	for _, l := range c.State.Loggers {
		spans = append(spans, assess.ProbeSpan(l))
	}
	for _, stay := range c.State.Stays {
		to := stay.To
		if to.IsZero() {
			to = c.Assessment.At
		}
		here := coldchain.Span{From: stay.From, To: to}
		for _, probe := range places[stay.PlaceID].Probes {
			if span := probe.Clip(here); span.Len() > 0 && !probe.ByHand {
				spans = append(spans, assess.ProbeSpan{ProbeID: probe.ProbeID, Span: span})
				break
			}
		}
	}
	return spans
}

func hourPoints(rolled *coldchain.Rolled, span coldchain.Span) []TracePoint {
	var points []TracePoint
	for _, h := range rolled.Hours {
		end := h.Start.Add(time.Hour)
		if h.Exposure.Covered == 0 || !h.Start.Before(span.To) || !end.After(span.From) {
			continue
		}
		at := h.Start.Add(30 * time.Minute)
		gap := len(points) == 0 || at.Sub(points[len(points)-1].At) > time.Hour
		points = append(points, TracePoint{At: at, Mean: h.Exposure.Mean(), Min: h.Exposure.Min, Max: h.Exposure.Max,
			Break: gap})
	}
	return points
}
