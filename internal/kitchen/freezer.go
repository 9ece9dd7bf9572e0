package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
	"leancatch/internal/store"
)

// FrozenStatus is what the frozen clocks say of a lot, as the board keeps it.
type FrozenStatus struct {
	Stage      assess.Stage   `json:"stage"`
	BatchID    uuid.UUID      `json:"batch_id,omitzero"` // it was frozen here with it
	Since      time.Time      `json:"since"`             // in the freezer, or out of it
	Fat        string         `json:"fat"`
	Share      float64        `json:"share"` // of the frozen life
	LeftMonths *float64       `json:"left_months,omitempty"`
	BestBefore *time.Time     `json:"best_before,omitempty"`
	WarmDays   float64        `json:"warm_days,omitempty"`
	WarmCost   float64        `json:"warm_cost,omitempty"`
	Parasites  ParasiteStatus `json:"raw"`
	ReadyAt    *time.Time     `json:"ready_at,omitempty"` // free of ice
	KeepTo     *time.Time     `json:"keep_to,omitempty"`  // once thawed
	PackFaults string         `json:"pack_faults,omitempty"`
	RawReady   bool           `json:"raw_ready,omitempty"` // for raw service once it is thawed
	MM         float64        `json:"mm"`                  // as it was frozen, or guessed
	Shape      heat.Shape     `json:"shape"`
	OneFace    bool           `json:"one_face,omitempty"`
}

// InFreezer reports whether it freezes or lies frozen.
func (f FrozenStatus) InFreezer() bool {
	return f.Stage == assess.StageFreezing || f.Stage == assess.StageFrozen
}

// Piece is one piece of it.
func (f FrozenStatus) Piece() piece.Piece {
	return piece.Piece{Shape: f.Shape, ThicknessMM: f.MM, OneFace: f.OneFace}
}

// ParasiteStatus is the parasite clock of it.
type ParasiteStatus struct {
	Met       bool       `json:"met"`
	Text      string     `json:"said"`
	Route     string     `json:"route"`
	Hours     float64    `json:"hours"`                     // that the route asks
	Since     *time.Time `json:"since,omitempty"`           // of the stretch that runs, or met it
	MetAt     *time.Time `json:"met_at,omitempty"`          //
	Remaining float64    `json:"remaining_hours,omitempty"` // as the projection was made
	Predicted bool       `json:"predicted,omitempty"`
	Margin    float64    `json:"margin_hours,omitempty"`
	Breaks    int        `json:"breaks,omitempty"`
	BrokenAt  *time.Time `json:"broken_at,omitempty"`
	BrokenC   float64    `json:"broken_celsius,omitempty"`
	Exempt    bool       `json:"exempt,omitempty"` // needs no freezing, or rests on a letter
}

// Share is how much of the route is done.
func (r ParasiteStatus) Share() float64 {
	if r.Met {
		return 1
	}
	return math.Max(0, 1-r.Remaining/r.Hours)
}

// frozenStatusOf reads the frozen clocks of an assessment; nil for fish that never was
// frozen, nor cooked.
func frozenStatusOf(s *lot.State, a assess.Assessment, uses []assess.Use) *FrozenStatus {
	f := FrozenStatus{Stage: a.Stage()}
	switch f.Stage {
	case "":
		return nil
	case assess.StageCooked:
		f.Since, f.KeepTo = a.Cooling.CookedAt, &a.Cooling.UseBy
		return &f
	}
	last := s.FrozenStays[len(s.FrozenStays)-1]
	switch f.Stage {
	case assess.StageThawing:
		f.Since = last.To
	case assess.StageThawed:
		f.Since = last.ThawedAt
	default:
		f.Since = last.From
	}
	f.Fat = string(s.FatClass())
	body := s.Piece()
	if last.Froze != nil {
		f.BatchID, body = last.Froze.BatchID, last.Froze.Piece()
	}
	f.Shape, f.MM, f.OneFace = body.Shape, body.ThicknessMM, body.OneFace
	f.RawReady = len(assess.AgainstRawThawed(uses)) == 0
	optional := func(t time.Time) *time.Time {
		if t.IsZero() {
			return nil
		}
		return &t
	}
	if l := a.FrozenLife; l != nil {
		f.Share, f.WarmDays, f.WarmCost, f.BestBefore = l.Share, l.WarmDays, l.WarmCost, optional(l.BestBefore)
		if !math.IsNaN(l.LeftMonths) {
			f.LeftMonths = &l.LeftMonths
		}
	}
	f.ReadyAt, f.KeepTo = optional(a.ThawReady), optional(a.KeepTo)
	p := a.Parasites
	f.Parasites = ParasiteStatus{Met: p.Met, Text: p.Text(), Route: p.Route.Name(), Hours: p.Route.Hours,
		Since: optional(p.Since), MetAt: optional(p.MetAt), Remaining: p.Remaining.Hours(),
		Predicted: p.Predicted, Margin: p.Margin.Hours(), Breaks: len(p.Broken),
		Exempt: p.Exempt != "" || p.Declaration != nil}
	if n := len(p.Broken); n > 0 {
		f.Parasites.BrokenAt, f.Parasites.BrokenC = &p.Broken[n-1].At, p.Broken[n-1].Celsius
	}
	if i, ok := s.Inspection(); ok && !i.At.Before(last.From) && len(i.Proposed.Reasons) > 0 &&
		!i.Proposed.Decision.Accepted() {
		f.PackFaults = i.Proposed.Reasons[0]
	}
	return &f
}

// FreezeBatch is lots to be frozen at once.
type FreezeBatch struct {
	Events map[uuid.UUID]uuid.UUID // of each lot, from the client
	At     time.Time
	Froze  lot.Froze // BatchID from the client; H, BatchKg and PowerW are filled in here
}

// Freeze puts lots into a freezer as one batch, all or none. Its errors are on
// the fields of lot.Froze, and lots.
func (k *Kitchen) Freeze(ctx context.Context, b FreezeBatch) error {
	if len(b.Events) == 0 {
		return invalid.Errors{{Field: "lots", Message: "choose at least one lot"}}
	}
	return k.change(ctx, func(c *change) error {
		place, err := lockPlace(ctx, c.Tx, c.a.Site.ID, b.Froze.PlaceID)
		if err != nil {
			return err
		}
		writes := make([]Write, 0, len(b.Events))
		for id, event := range b.Events {
			writes = append(writes, Write{EventID: event, LotID: id, HappenedAt: b.At})
		}
		lots, err := c.open(ctx, writes...)
		if err != nil {
			return err
		}
		froze := b.Froze.Into(placeOf(place), weightOf(c.states()))
		for i, l := range lots {
			if l == nil {
				continue // sent twice
			}
			writes[i].Payload = froze
			if err := c.append(ctx, l, writes[i]); err != nil {
				return lotError(l.state, err)
			}
		}
		return nil
	})
}

// weightOf is the weight of lots together, kg.
func weightOf(states []*lot.State) float64 {
	kg := 0.0
	for _, s := range states {
		kg += s.WeightKg
	}
	return kg
}

// lotError says which of several lots an error is about.
func lotError(s *lot.State, err error) error {
	if bad, ok := err.(invalid.Errors); ok && bad.On("lot") != "" {
		return invalid.Errors{{Field: "lots", Message: s.Received.Code + ": " + bad.On("lot")}}
	}
	return err
}

// FreezerPlace is a freezer with how it cools.
type FreezerPlace struct {
	PlaceView
	Method freezing.Method
	AirC   float64 // the mean of its last day, or its set temperature
}

// Freezers lists the freezers of the kitchen.
func (k *Kitchen) Freezers(ctx context.Context) ([]FreezerPlace, error) {
	places, err := k.Places(ctx)
	if err != nil {
		return nil, err
	}
	var list []FreezerPlace
	for _, p := range places {
		if !p.Freezer() {
			continue
		}
		f := FreezerPlace{PlaceView: p, AirC: p.SetC}
		f.Method, _ = freezing.GetMethod(p.Cooling)
		if f.Method.ID == "" {
			f.Method, _ = freezing.GetMethod("fan")
		}
		if mean, ok := meanOf(p.Trace); ok {
			f.AirC = mean
		}
		list = append(list, f)
	}
	return list, nil
}

// checkSpeed checks the air speed of a place, m/s.
func checkSpeed(speedMS *float64, bad *invalid.Errors) {
	if speedMS != nil && !(*speedMS > 0 && *speedMS <= heat.MostMS) {
		bad.Add("air_speed", "must be above 0 and at most %.0f m/s", heat.MostMS)
	}
}

// SetFreezer says how a freezer cools, and how fast its air moves, m/s. Its errors are on cooling,
// air_speed and power_w.
func (k *Kitchen) SetFreezer(ctx context.Context, id int64, cooling string, speedMS, powerW *float64) error {
	var bad invalid.Errors
	checkSpeed(speedMS, &bad)
	if _, ok := freezing.GetMethod(cooling); !ok {
		bad.Add("cooling", "choose how it cools")
	}
	if powerW != nil && !(*powerW > 0 && *powerW < 1e6) {
		bad.Add("power_w", "must be above 0")
	}
	return k.changePlace(ctx, access.Equip, id, bad, func(tx *store.Tx, a Actor, _ store.Place) error {
		if err := tx.SetFreezer(ctx, store.SetFreezerParams{SiteID: a.Site.ID, ID: id, Cooling: cooling,
			AirSpeedMs: speedMS, PowerW: powerW}); err != nil {
			return err
		}
		return k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool { return b.PlaceID == id })
	})
}

// Freezable is a lot that might be frozen, with the temperature and the
// thickness of a piece.
type Freezable struct {
	Row
	NowC float64
	MM   float64
	Fit  bool
	Why  string // where it is not fit
}

// Freezable lists the lots on hand that are not frozen and were not.
func (k *Kitchen) Freezable(ctx context.Context) ([]Freezable, error) {
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return nil, err
	}
	var out []Freezable
	for _, r := range rows {
		if r.FrozenStatus != nil {
			continue
		}
		f := Freezable{Row: r, NowC: r.NowC, MM: r.Piece().ThicknessMM}
		if use := assess.UseFor(r.Uses, lot.GateFreeze); use.OK {
			f.Fit = true
		} else if len(use.Reasons) > 0 {
			f.Why = use.Reasons[0]
		}
		out = append(out, f)
	}
	slices.SortStableFunc(out, func(a, b Freezable) int {
		if a.Fit != b.Fit {
			return map[bool]int{true: -1, false: 1}[a.Fit]
		}
		return cmp.Compare(a.Species.Name, b.Species.Name)
	})
	return out, nil
}

// ForecastFreezing is a batch as it would freeze from a time on. Errors are on lots, and of
// what cannot be forecast on thickness_mm.
func (k *Kitchen) ForecastFreezing(ctx context.Context, lots []uuid.UUID, f lot.Froze, at time.Time) (Batch, error) {
	site := ActorFrom(ctx).Site
	if len(lots) == 0 {
		return Batch{}, invalid.Errors{{Field: "lots", Message: "choose at least one lot"}}
	}
	states, err := k.states(ctx, k.DB.Queries, site, lots...)
	if err != nil {
		return Batch{}, err
	}
	l, err := k.layoutOf(ctx, k.DB.Queries, site)
	if err != nil {
		return Batch{}, err
	}
	b := Batch{At: at, Froze: f.Into(l.places[f.PlaceID], weightOf(states))}
	if b.Predicted, err = freezing.Predict(b.Froze.Batch(heat.Of(slowest(states).Species()))); err != nil {
		return b, invalid.Errors{{Field: "thickness_mm", Message: err.Error()}}
	}
	b.Now = b.Predicted
	return b, nil
}

// slowest is the lot whose flesh holds most heat as it freezes: the one with
// most water.
func slowest(states []*lot.State) *lot.State {
	return slices.MaxFunc(states, func(a, b *lot.State) int {
		return cmp.Compare(a.Species().Composition.Water, b.Species().Composition.Water)
	})
}

// Batch is what was frozen at once, with what became of it.
type Batch struct {
	ID        uuid.UUID
	At        time.Time
	Froze     lot.Froze
	Place     lot.Place
	Rows      []Row
	Predicted freezing.Forecast   // as it was forecast
	Now       freezing.Forecast   // in the air that was measured, with the coefficient that was found
	Core      []coldchain.Reading // measured
	Air       []TracePoint
	FoundH    float64 // 0 where nothing was measured that tells it
	OffK      float64
	Ended     time.Time // when the first of it was pulled; zero while all is frozen
}

// Batch returns a batch of this kitchen.
func (k *Kitchen) Batch(ctx context.Context, id uuid.UUID) (Batch, error) {
	a := ActorFrom(ctx)
	lots, err := k.DB.LotsOfBatch(ctx, store.LotsOfBatchParams{SiteID: a.Site.ID, BatchID: id.String()})
	if err != nil {
		return Batch{}, err
	}
	if len(lots) == 0 {
		return Batch{}, ErrNotFound
	}
	states, err := k.states(ctx, k.DB.Queries, a.Site, lots...)
	if err != nil {
		return Batch{}, err
	}
	w, err := k.environmentFor(ctx, k.DB.Queries, a.Site, states)
	if err != nil {
		return Batch{}, err
	}
	b := Batch{ID: id}
	for _, s := range states {
		row, err := k.Row(ctx, s.ID)
		if err != nil {
			return b, err
		}
		stay, ok := s.InBatch(id)
		if !ok { // voided
			continue
		}
		b.Rows = append(b.Rows, row)
		b.At, b.Froze, b.Place = stay.From, *stay.Froze, w.Places[stay.Froze.PlaceID]
		if !stay.To.IsZero() && (b.Ended.IsZero() || stay.To.Before(b.Ended)) {
			b.Ended = stay.To
		}
		for _, x := range s.CoreReadings {
			if !x.At.Before(stay.From) && (stay.To.IsZero() || !x.At.After(stay.To)) {
				b.Core = append(b.Core, x)
			}
		}
	}
	if len(b.Rows) == 0 {
		return b, ErrNotFound
	}
	slices.SortFunc(b.Core, func(x, y coldchain.Reading) int { return x.At.Compare(y.At) })
	b.Core = slices.Compact(b.Core)
	return b, k.follow(ctx, &b, slowest(states), w)
}

// batchShown is how much of a freezing is drawn.
const batchShown = 3 * 24 * time.Hour

// follow lays what was measured over what was forecast.
func (k *Kitchen) follow(ctx context.Context, b *Batch, s *lot.State, w *environment) error {
	food := heat.Of(s.Species())
	var err error
	if b.Predicted, err = freezing.Predict(b.Froze.Batch(food)); err != nil {
		return err
	}
	until := k.Now()
	if !b.Ended.IsZero() {
		until = b.Ended
	}
	until = earlier(until, b.At.Add(batchShown))
	span := coldchain.Span{From: b.At, To: until}
	batch := b.Froze.Batch(food)
	if medium, air := airAlong(b.Place, w, span, b.Froze.AirC); len(air) > 0 {
		batch.Medium, b.Air = medium, air
	}
	p, err := batch.Process()
	if err != nil {
		return err
	}
	if h, off, ok := freezing.Fit(p, b.Core, b.At); ok {
		batch.H, b.FoundH, b.OffK = h, h, off
	}
	b.Now, err = freezing.Predict(batch)
	return err
}

// airAlong is the air of a place over a span by the hour: as it was measured,
// and at celsius where it was not and from its end on.
func airAlong(place lot.Place, w *environment, span coldchain.Span, celsius float64) ([]heat.At, []TracePoint) {
	var medium []heat.At
	var air []TracePoint
	for _, stay := range place.Probes {
		rolled := w.rolled(stay.ProbeID)
		if rolled == nil {
			continue
		}
		air = hourPoints(rolled, stay.Clip(span))
		break
	}
	for _, point := range air {
		now := heat.At{Since: max(0, point.At.Sub(span.From)), Celsius: point.Mean}
		if n := len(medium); n > 0 && now.Since == 0 { // the hour that the batch came in the middle of
			medium[n-1] = now
			continue
		}
		medium = append(medium, now)
	}
	if n := len(medium); n > 0 {
		last := medium[n-1]
		end := max(span.Len(), last.Since)
		medium = append(medium, heat.At{Since: end, Celsius: last.Celsius}, heat.At{Since: end, Celsius: celsius})
	}
	return medium, air
}

func earlier(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

// FreezerView is what the freezer's screen shows.
type FreezerView struct {
	Freezers []FreezerPlace
	Batches  []Batch // freezing now
	Clocks   []Row   // with a parasite clock that runs or was met
	Stored   []Row   // all that is frozen, first expired first
}

// Freezer lists what is frozen, and how far its clocks are.
func (k *Kitchen) Freezer(ctx context.Context) (FreezerView, error) {
	var v FreezerView
	var err error
	if v.Freezers, err = k.Freezers(ctx); err != nil {
		return v, err
	}
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return v, err
	}
	var batches []uuid.UUID
	for _, r := range rows {
		if r.FrozenStatus == nil || r.FrozenStatus.Stage != assess.StageFreezing && r.FrozenStatus.Stage != assess.StageFrozen {
			continue
		}
		v.Stored = append(v.Stored, r)
		v.Clocks = append(v.Clocks, r)
		if id := r.FrozenStatus.BatchID; r.FrozenStatus.Stage == assess.StageFreezing && !slices.Contains(batches, id) {
			batches = append(batches, id)
		}
	}
	slices.SortStableFunc(v.Stored, func(a, b Row) int { return bestBefore(a).Compare(bestBefore(b)) })
	slices.SortStableFunc(v.Clocks, func(a, b Row) int {
		return cmp.Compare(b.FrozenStatus.Parasites.Share(), a.FrozenStatus.Parasites.Share())
	})
	for _, id := range batches {
		b, err := k.Batch(ctx, id)
		if err != nil {
			return v, fmt.Errorf("batch %s: %w", id, err)
		}
		v.Batches = append(v.Batches, b)
	}
	slices.SortFunc(v.Batches, func(a, b Batch) int { return b.At.Compare(a.At) })
	return v, nil
}

// bestBefore is what sorts frozen lots: what has none known comes first.
func bestBefore(r Row) time.Time {
	if r.FrozenStatus == nil || r.FrozenStatus.BestBefore == nil {
		return time.Time{}
	}
	return *r.FrozenStatus.BestBefore
}
