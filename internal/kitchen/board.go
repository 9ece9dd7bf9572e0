package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
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
	UseBy        time.Time // by when it is served; zero where nothing may be served of it, or its end is not known
	Uses         []assess.Use
	Outlook      []assess.Spell // what it may be served as from its projection on
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

// IsOnHand reports whether the lot is here.
func (r Row) IsOnHand() bool { return r.Status == string(lot.OnHand) }

// OnHold reports whether people or rules hold the lot, which is still here.
func (r Row) OnHold() bool {
	return r.IsOnHand() && (r.Hold != "" || len(r.Stops) > 0)
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
	if err := json.Unmarshal(b.Outlook, &r.Outlook); err != nil {
		return r, fmt.Errorf("outlook of %s: %w", b.Code, err)
	}
	if r.Known() {
		since := 0.0
		if r.IsOnHand() {
			since = now.Sub(b.AsOf).Hours() / 24
		} else {
			now = b.AsOf
		}
		r.LeftNow = max(0, b.LeftDays-*b.Rate*since)
		r.RealDays = r.LeftNow / *b.Rate
		r.Ends = now.Add(time.Duration(r.RealDays * 24 * float64(time.Hour)))
	}
	if a := r.AgeingStatus; a != nil {
		r.endsBy(now, cmp.Or(a.Goal(), a.ServeBy), true)
	}
	if f := r.FrozenStatus; f != nil {
		r.endsBy(now, f.KeepTo, !r.Known())
	}
	r.UseBy = r.useBy(now)
	return r, nil
}

// ServedAt is what the lot may be served as at a time that is still to come, if it is kept as it
// lies.
func (r Row) ServedAt(at time.Time) assess.Spell {
	if len(r.Outlook) == 0 { // a row of an earlier version, soon replaced
		return assess.Spell{Serving: assess.ServeNone, Why: "not assessed yet"}
	}
	return assess.SpellAt(r.Outlook, at)
}

// useBy is the end of its last spell as a dish; where that lies beyond the outlook, of its life.
func (r Row) useBy(now time.Time) time.Time {
	if r.ServedAt(now).Serving == assess.ServeNone {
		return time.Time{}
	}
	if last := r.Outlook[len(r.Outlook)-1]; last.Serving == assess.ServeNone {
		return last.From
	}
	return r.Ends
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

// Board is lots with the places where they lie.
type Board struct {
	Rows   []Row
	Places map[int64]lot.Place
	Mark   int64 // for BoardSince: what is written from here on is news
}

// Board lists the lots on hand, the one to be used first on top: what has no known end comes last.
func (k *Kitchen) Board(ctx context.Context) (Board, error) {
	return k.board(ctx, k.rowsOnHand)
}

// BoardSince lists the lots whose rows were written since a board was read, in the order of their
// codes, with those that have left meanwhile. Some may be as they were.
func (k *Kitchen) BoardSince(ctx context.Context, mark int64) (Board, error) {
	return k.board(ctx, func(ctx context.Context) ([]Row, error) {
		site := ActorFrom(ctx).Site
		list, err := k.DB.BoardSince(ctx, store.BoardSinceParams{SiteID: site.ID, Since: mark})
		if err != nil {
			return nil, err
		}
		return rowsAt(site.Catalogue(), list, k.Now())
	})
}

func (k *Kitchen) board(ctx context.Context, read func(context.Context) ([]Row, error)) (b Board, err error) {
	if b.Mark, err = k.DB.BoardMark(ctx); err != nil { // first: what is written while it is read is read again
		return b, fmt.Errorf("marking the board: %w", err)
	}
	l, err := k.layoutOf(ctx, k.DB.Queries, ActorFrom(ctx).Site)
	if err != nil {
		return b, err
	}
	if b.Rows, err = read(ctx); err != nil {
		return b, fmt.Errorf("loading the board: %w", err)
	}
	b.Places = l.places
	slices.SortStableFunc(b.Rows, usedFirst)
	return b, nil
}

// PlaceLots is a place with the lots that lie in it.
type PlaceLots struct {
	Place lot.Place
	Rows  []Row
}

// ByPlace parts the rows by place: the place whose first lot is used first before the others.
func (b Board) ByPlace() []PlaceLots {
	var list []PlaceLots
	at := map[int64]int{}
	for _, r := range b.Rows {
		i, ok := at[r.PlaceID]
		if !ok {
			i = len(list)
			at[r.PlaceID] = i
			list = append(list, PlaceLots{Place: b.Places[r.PlaceID]})
		}
		list[i].Rows = append(list[i].Rows, r)
	}
	return list
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

// LifeEnds reports whether it is the life of the fish that ends it, and no clock before.
func (r Row) LifeEnds() bool {
	n := len(r.Outlook)
	return n > 0 && (r.Outlook[n-1].Serving != assess.ServeNone || r.Outlook[n-1].Why == assess.LifeOver)
}

// usedFirst orders lots: first expired, first out.
func usedFirst(a, b Row) int {
	endsA, endsB := a.UseFirstBy(), b.UseFirstBy()
	switch {
	case !endsA.IsZero() && !endsB.IsZero():
		return endsA.Compare(endsB)
	case !endsA.IsZero():
		return -1
	case !endsB.IsZero():
		return 1
	}
	return a.ReceivedAt.Compare(b.ReceivedAt)
}

// UseFirstBy is what lots are ordered by, first expired, first out; zero where nothing is known of
// its end.
func (r Row) UseFirstBy() time.Time {
	if r.UseBy.IsZero() {
		return r.Ends
	}
	return r.UseBy
}

// DeliveryNote is a delivery with its lots.
type DeliveryNote struct {
	store.DocketRow
	Rows    []Row
	Against []OrderedLine // its order, line by line; nil where it answers none
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
	if err != nil {
		return DeliveryNote{}, err
	}
	against, err := k.against(ctx, id, rows)
	return DeliveryNote{row, rows, against}, err
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
	Outlook      []assess.Spell     // what it may be served as from now on
	Seen         freshness.Features // how the fish looked that decided its last inspection
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
	if c.Outlook, err = k.outlook(ctx, q, c); err != nil {
		return Card{}, err
	}
	if i, ok := s.Inspection(); ok {
		scheme, err := k.schemeVersion(ctx, q, a.Site, i.Scheme, i.SchemeVersion)
		if err != nil {
			return Card{}, fmt.Errorf("scheme %s, version %d: %w", i.Scheme, i.SchemeVersion, err)
		}
		c.Seen = scheme.Features(i.Fish[max(0, scheme.WorstOf(i.Fish))])
	}
	if c.Entries, err = k.entries(ctx, q, a, events[id]); err != nil {
		return Card{}, err
	}
	correct(c.Entries, s)
	if c.DeliveryNote, err = q.Docket(ctx,
		store.DocketParams{SiteID: a.Site.ID, ID: s.Received.DeliveryID}); err != nil {
		return Card{}, err
	}
	c.Trace, err = k.trace(ctx, q, a.Site.ID, c, w)
	return c, err
}

// outlook is that of the board, so that both say the same; drawn anew where the board does not know the
// last event yet.
func (k *Kitchen) outlook(ctx context.Context, q *store.Queries, c Card) ([]assess.Spell, error) {
	b, err := q.BoardLot(ctx, store.BoardLotParams{SiteID: ActorFrom(ctx).Site.ID, LotID: c.State.ID})
	if errors.Is(err, store.ErrNotFound) || err == nil && (int(b.Seq) != c.State.Seq || b.Status != string(c.State.Status)) {
		return c.Assessment.Outlook(), nil
	} else if err != nil {
		return nil, fmt.Errorf("loading the board's row: %w", err)
	}
	var list []assess.Spell
	if err := json.Unmarshal(b.Outlook, &list); err != nil {
		return nil, fmt.Errorf("outlook of %s: %w", b.Code, err)
	}
	now := c.Assessment.Spell()
	i := len(list)
	for i > 0 && list[i-1].From.After(now.From) {
		i--
	}
	if i == 0 || list[i-1].Serving != now.Serving { // time has passed, or it is of an earlier version
		return c.Assessment.Outlook(), nil
	}
	return append([]assess.Spell{now}, list[i:]...), nil
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
