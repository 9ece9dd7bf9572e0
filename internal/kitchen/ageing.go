package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/ageing"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/intake"
	"leancatch/internal/store"
)

// AgeingStatus is what is known of a fish that hangs, or hung, as the board keeps it.
type AgeingStatus struct {
	PlaceID   int64          `json:"place_id"`
	Hook      int            `json:"hook"`
	Policy    string         `json:"school"`
	Hanging   string         `json:"hanging"`
	From      time.Time      `json:"from"`
	DownAt    *time.Time     `json:"down_at,omitempty"` // nil while it hangs
	StartKg   float64        `json:"start_kg"`
	LastKg    float64        `json:"last_kg"`
	LastAt    time.Time      `json:"last_at"` // the last weigh-in that counts
	Loss      float64        `json:"loss"`    // as the projection was made
	Predicted float64        `json:"foretold"`
	Target    float64        `json:"target"`
	TargetAt  *time.Time     `json:"target_at,omitempty"`
	TargetLo  *time.Time     `json:"target_lo,omitempty"`
	TargetHi  *time.Time     `json:"target_hi,omitempty"`
	SkinAt    *time.Time     `json:"skin_at,omitempty"`
	ServeBy   *time.Time     `json:"serve_by,omitempty"`
	Excursion string         `json:"excursion,omitempty"`
	CostNow   float64        `json:"cost_now,omitempty"` // of a kilogram of usable flesh
	CostThen  float64        `json:"cost_then,omitempty"`
	Raw       bool           `json:"raw,omitempty"`
	Result    *ageing.Result `json:"learnt"` // of one that was taken down
}

// Ahead is how far the loss is ahead of what was forecast when the fish was hung,
// as a share of it; below 0 it is behind.
func (a AgeingStatus) Ahead() float64 {
	if a.Predicted <= 0 {
		return 0
	}
	return a.Loss/a.Predicted - 1
}

// Goal is when a fish that hangs is at its target; nil for one that was taken down.
func (a AgeingStatus) Goal() *time.Time {
	if a.DownAt != nil {
		return nil
	}
	return a.TargetAt
}

// ageingStatusOf reads the ageing of an assessment; nil for fish that never hung.
func ageingStatusOf(s *lot.State, a assess.Assessment) *AgeingStatus {
	told := a.Ageing
	if told == nil {
		return nil
	}
	moment := func(t time.Time) *time.Time {
		if t.IsZero() {
			return nil
		}
		return &t
	}
	stay := told.Stay
	out := &AgeingStatus{PlaceID: stay.PlaceID, Hook: stay.Hook, Policy: stay.Policy, Hanging: stay.Hanging,
		From: stay.From, DownAt: moment(stay.To), StartKg: stay.Kg,
		LastKg: told.Fit.Last.Kg, LastAt: told.Fit.Last.At, Loss: told.Loss.Mid,
		Predicted: told.PredictedLoss(told.Days), Target: stay.Target, TargetAt: moment(told.Target.Mid),
		TargetLo: moment(told.Target.Lo), TargetHi: moment(told.Target.Hi), SkinAt: moment(told.Skin.Mid),
		ServeBy: moment(told.ServeBy), Raw: stay.Raw}
	if told.Ended() {
		out.Excursion = told.Excursions[0].Text()
	}
	if stay.CentsPerKg > 0 {
		out.CostNow, out.CostThen = told.CostNow(), told.CostThen()
	}
	if learnt, ok := told.Result(s); ok {
		out.Result = &learnt
	}
	return out
}

// cabinet loads the air of an ageing cabinet over a span, and its fitted coefficients.
func (k *Kitchen) cabinet(ctx context.Context, q *store.Queries, site Site, l layout, placeID int64,
	span coldchain.Span) (assess.Cabinet, error) {
	c := assess.Cabinet{}
	i := slices.IndexFunc(l.rows, func(p store.Place) bool { return p.ID == placeID })
	if i < 0 {
		return c, nil
	}
	row := l.rows[i]
	c.Set, c.Scale = ageing.Air{Celsius: row.SetC, RH: row.SetRh}, ageing.Scale{StepKg: row.ScaleKg}
	warmth, err := k.airHours(ctx, q, l, l.places[placeID], span)
	if err != nil {
		return c, err
	}
	moisture, err := q.HumidityHours(ctx, store.HumidityHoursParams{SiteID: site.ID, PlaceID: placeID,
		FromAt: span.From, ToAt: span.To})
	if err != nil {
		return c, fmt.Errorf("loading the humidity of place %d: %w", placeID, err)
	}
	hours := map[time.Time]ageing.Air{}
	warm, wet := false, false
	for _, t := range warmth {
		at := t.At.Truncate(time.Hour)
		hours[at] = ageing.Air{At: at, Celsius: t.Mean, RH: row.SetRh}
		c.Recorded, warm = true, warm || t.Max > ageing.WarmC
	}
	for _, m := range moisture {
		at := m.Hour.UTC().Truncate(time.Hour)
		air, ok := hours[at]
		if !ok {
			air = ageing.Air{At: at, Celsius: row.SetC}
		}
		air.RH = m.Rh
		hours[at], wet = air, wet || m.Most > ageing.WetRH
	}
	for _, air := range hours {
		c.Air = append(c.Air, air)
	}
	slices.SortFunc(c.Air, func(a, b ageing.Air) int { return a.At.Compare(b.At) })
	if c.Excursions, err = k.excursions(ctx, q, site, l.places[placeID], span, warm, wet); err != nil {
		return c, err
	}
	fish, err := q.AgedFish(ctx, store.AgedFishParams{SiteID: site.ID, Places: []int64{placeID}})
	if err != nil {
		return c, fmt.Errorf("loading what place %d taught: %w", placeID, err)
	}
	for _, f := range fish {
		var aged AgeingStatus
		if err := json.Unmarshal(f.Aged, &aged); err != nil {
			return c, err
		}
		if aged.Result != nil {
			c.Finished = append(c.Finished,
				assess.FinishedFish{LotID: f.LotID, DownAt: *aged.DownAt, Result: *aged.Result})
		}
	}
	return c, nil
}

// airHours are the hours of a place's air as its probes measured it.
func (k *Kitchen) airHours(ctx context.Context, q *store.Queries, l layout, place lot.Place,
	span coldchain.Span) ([]TracePoint, error) {
	for _, stay := range place.Probes {
		part := stay.Clip(span)
		i := slices.IndexFunc(l.probes, func(p store.Probe) bool { return p.ID == stay.ProbeID })
		if part.Len() <= 0 || i < 0 || stay.ByHand {
			continue
		}
		rolled, err := k.DB.Rolled(ctx, q, l.probes[i], []coldchain.Span{part})
		if err != nil {
			return nil, fmt.Errorf("loading the air of place %d: %w", place.ID, err)
		}
		if points := hourPoints(rolled, part); len(points) > 0 {
			return points, nil
		}
	}
	return nil, nil
}

// excursions finds the stretches in which an ageing cabinet was too warm or too moist; the
// readings are loaded where some hour was.
func (k *Kitchen) excursions(ctx context.Context, q *store.Queries, site Site, place lot.Place, span coldchain.Span,
	warm, wet bool) ([]ageing.Excursion, error) {
	var list []ageing.Excursion
	if warm {
		for _, stay := range place.Probes {
			part := stay.Clip(span)
			if part.Len() <= 0 {
				continue
			}
			rows, err := q.ReadingsBetween(ctx, store.ReadingsBetweenParams{SiteID: site.ID, ProbeID: stay.ProbeID,
				FromAt: part.From, ToAt: part.To})
			if err != nil {
				return nil, err
			}
			readings := make([]ageing.Reading, len(rows))
			for i, r := range rows {
				readings[i] = ageing.Reading{At: r.At, Value: r.Celsius}
			}
			list = append(list, ageing.Excursions(readings, false)...)
		}
	}
	if wet {
		rows, err := q.HumidityBetween(ctx, store.HumidityBetweenParams{SiteID: site.ID, PlaceID: place.ID,
			FromAt: span.From, ToAt: span.To})
		if err != nil {
			return nil, err
		}
		readings := make([]ageing.Reading, len(rows))
		for i, r := range rows {
			readings[i] = ageing.Reading{At: r.At, Value: r.Rh}
		}
		list = append(list, ageing.Excursions(readings, true)...)
	}
	slices.SortFunc(list, func(a, b ageing.Excursion) int { return a.From.Compare(b.From) })
	return list, nil
}

// NewHanging is a fish to be hung. Where its lot has more, one is split off.
type NewHanging struct {
	EventID uuid.UUID
	LotID   uuid.UUID
	At      time.Time
	Hung    lot.Hung
}

// StartAgeing hangs one fish and returns its lot: a part where the lot had more than one.
// Its errors are on gate, opened and the fields of lot.Hung.
func (k *Kitchen) StartAgeing(ctx context.Context, in NewHanging) (uuid.UUID, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return uuid.Nil, err
	}
	hung := in.LotID
	err := k.change(ctx, func(c *change) error {
		stored, err := c.EventsByID(ctx, store.EventsByIDParams{SiteID: a.Site.ID, Ids: []uuid.UUID{in.EventID}})
		if err != nil {
			return err
		}
		if len(stored) > 0 { // sent twice
			hung = stored[0].LotID
			return nil
		}
		w := Write{EventID: in.EventID, LotID: in.LotID, HappenedAt: in.At, Payload: in.Hung}
		l, err := c.openOne(ctx, w)
		if err != nil {
			return err
		}
		if s := l.state; s.Count > 1 {
			if !(in.Hung.Kg > 0 && in.Hung.Kg < s.WeightKg) {
				return invalid.Errors{{Field: "kg",
					Message: fmt.Sprintf("must be above 0 and below the %.2f kg of all %d", s.WeightKg, s.Count)}}
			}
			parts, err := c.split(ctx, l, NewSplit{EventID: NewID(), HappenedAt: in.At,
				Parts: []lot.SplitLot{{Count: 1, WeightKg: in.Hung.Kg},
					{Count: s.Count - 1, WeightKg: s.WeightKg - in.Hung.Kg}}})
			if err != nil {
				return err
			}
			l = parts[0]
		}
		hung = l.head.ID
		return c.append(ctx, l, w)
	})
	return hung, err
}

// hooks are the hooks of the ageing cabinets on which other lots than one hang, with their codes.
func (k *Kitchen) hooks(ctx context.Context, q *store.Queries, site int64, but uuid.UUID) (map[lot.Hook]string,
	error) {
	onHand, err := q.BoardOnHand(ctx, site)
	if err != nil {
		return nil, err
	}
	taken := map[lot.Hook]string{}
	for _, b := range onHand {
		var other *AgeingStatus
		if err := json.Unmarshal(b.Aged, &other); err != nil {
			return nil, err
		}
		if other != nil && other.DownAt == nil && b.LotID != but {
			taken[lot.Hook{PlaceID: other.PlaceID, N: other.Hook}] = b.Code
		}
	}
	return taken, nil
}

// AgeingCabinet is an ageing cabinet with what hangs in it.
type AgeingCabinet struct {
	PlaceView
	SetRH, ScaleKg float64
	Now            ageing.Air // mean of its last day
	Warmth         []TracePoint
	Moisture       []TracePoint // shares
	Fish           []Row        // that hang, by their hooks
	Down           []Row        // taken down, the last first
	Hygrometer     bool
}

// Free is the first hook on which nothing hangs.
func (c AgeingCabinet) Free() int {
	hook := 1
	for slices.ContainsFunc(c.Fish, func(r Row) bool { return r.AgeingStatus.Hook == hook }) {
		hook++
	}
	return hook
}

// cabinetShown is how far back an ageing cabinet's traces are drawn.
const cabinetShown = 7 * 24 * time.Hour

// AgeingCabinets lists the cabinets with what hangs in them.
func (k *Kitchen) AgeingCabinets(ctx context.Context) ([]AgeingCabinet, error) {
	a := ActorFrom(ctx)
	places, err := k.Places(ctx)
	if err != nil {
		return nil, err
	}
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return nil, err
	}
	now := k.Now()
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return nil, err
	}
	var out []AgeingCabinet
	for _, p := range places {
		if !p.AgeingCabinet() {
			continue
		}
		c := AgeingCabinet{PlaceView: p}
		span := coldchain.Span{From: now.Add(-cabinetShown), To: now}
		air, err := k.cabinet(ctx, k.DB.Queries, a.Site, l, p.ID, span)
		if err != nil {
			return nil, err
		}
		c.SetRH, c.ScaleKg, c.Now = air.Set.RH, air.Scale.StepKg, air.Mean(now.Add(-24*time.Hour), now)
		if c.Warmth, err = k.airHours(ctx, k.DB.Queries, l, l.places[p.ID], span); err != nil {
			return nil, err
		}
		moisture, err := k.DB.HumidityHours(ctx,
			store.HumidityHoursParams{SiteID: a.Site.ID, PlaceID: p.ID, FromAt: span.From, ToAt: span.To})
		if err != nil {
			return nil, err
		}
		for i, m := range moisture {
			c.Moisture = append(c.Moisture, TracePoint{At: m.Hour.Add(30 * time.Minute), Mean: m.Rh, Min: m.Rh,
				Max: m.Most, Break: i == 0 || m.Hour.Sub(moisture[i-1].Hour) > time.Hour})
		}
		c.Hygrometer = len(moisture) > 0
		for _, r := range rows {
			switch {
			case r.AgeingStatus == nil || r.AgeingStatus.PlaceID != p.ID:
			case r.AgeingStatus.DownAt == nil:
				c.Fish = append(c.Fish, r)
			default:
				c.Down = append(c.Down, r)
			}
		}
		slices.SortFunc(c.Fish, func(a, b Row) int { return cmp.Compare(a.AgeingStatus.Hook, b.AgeingStatus.Hook) })
		slices.SortFunc(c.Down, func(a, b Row) int { return b.AgeingStatus.DownAt.Compare(*a.AgeingStatus.DownAt) })
		out = append(out, c)
	}
	return out, nil
}

// AgeingFish is a fish that hangs, or hung, with what its curve is drawn from.
type AgeingFish struct {
	Card
	Ageing assess.AgeingAssessment
	Air    assess.Cabinet
}

// AgeingFish returns one; ErrNotFound where it never hung.
func (k *Kitchen) AgeingFish(ctx context.Context, id uuid.UUID) (AgeingFish, error) {
	card, err := k.Card(ctx, id)
	if err != nil {
		return AgeingFish{}, err
	}
	if card.Assessment.Ageing == nil {
		return AgeingFish{}, fmt.Errorf("lot %s never hung: %w", id, ErrNotFound)
	}
	told := *card.Assessment.Ageing
	return AgeingFish{card, told, card.Cabinets[told.Stay.PlaceID]}, nil
}

// EntryChecks are the answers of the gate for a fish that is to be hung so at a time.
func (k *Kitchen) EntryChecks(ctx context.Context, id uuid.UUID, p lot.Hung, at time.Time) (*lot.State,
	[]ageing.Check, error) {
	a := ActorFrom(ctx)
	states, err := k.states(ctx, k.DB.Queries, a.Site, id)
	if err != nil {
		return nil, nil, err
	}
	w, err := k.environmentFor(ctx, k.DB.Queries, a.Site, states, assess.CutsAt(at)...)
	if err != nil {
		return nil, nil, err
	}
	if err := w.loadGate(ctx, p.PlaceID, at); err != nil {
		return nil, nil, err
	}
	return states[0], assess.Assess(states[0], w.Env, at).EntryChecks(p), nil
}

// SetCabinet says what an ageing cabinet is set to, how fast its air moves, m/s, and how exact its
// scale is. Its errors are on set, rh, air_speed and step.
func (k *Kitchen) SetCabinet(ctx context.Context, id int64, setC, rh float64, speedMS *float64, stepKg float64) error {
	var bad invalid.Errors
	checkSpeed(speedMS, &bad)
	if !(setC >= -2 && setC <= 10) {
		bad.Add("set", "must be between -2 and 10 °C")
	}
	if !(rh >= 0.3 && rh <= 1) {
		bad.Add("rh", "must be between 30 and 100 %%")
	}
	if !(stepKg > 0 && stepKg <= 0.1) {
		bad.Add("step", "must be above 0 and at most 100 g")
	}
	return k.changePlace(ctx, access.Equip, id, bad, func(tx *store.Tx, a Actor, _ store.Place) error {
		if err := tx.SetAgeingCabinet(ctx, store.SetAgeingCabinetParams{SiteID: a.Site.ID, ID: id, SetC: setC, SetRh: rh,
			AirSpeedMs: speedMS, ScaleKg: stepKg}); err != nil {
			return err
		}
		return k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool { return b.PlaceID == id })
	})
}

// ageingPlan is the plan in force; nil for none on file.
func (k *Kitchen) ageingPlan(ctx context.Context, q *store.Queries, site Site) (*ageing.Plan, error) {
	rows, err := q.AgeingPlans(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	for _, r := range rows { // the newest first
		if r.StruckAt == nil {
			return &ageing.Plan{Reference: r.Reference, MaxDays: r.MaxDays, MaxC: r.MaxC, Raw: r.Raw,
				Formers: r.Formers}, nil
		}
	}
	return nil, nil
}

// AgeingPlan is a written plan of ageing on file.
type AgeingPlan struct {
	SiteID    int64
	ID        uuid.UUID
	Reference string // its number, and who signed it
	MaxDays   float64
	MaxC      float64 // °C
	Raw       bool    // long-aged fish may be served raw
	Formers   bool    // histamine formers may be long-aged
	At        time.Time
	PersonID  int64
	StruckAt  *time.Time // nil while it is in force
	StruckBy  *int64
	Person    string
}

// AgeingPlans lists the plans on file, the newest first: the first that stands is
// in force.
func (k *Kitchen) AgeingPlans(ctx context.Context) ([]AgeingPlan, error) {
	rows, err := k.DB.AgeingPlans(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, func(r store.AgeingPlansRow) AgeingPlan { return AgeingPlan(r) })
}

// NewAgeingPlan is a written plan to be put on file.
type NewAgeingPlan struct {
	ID uuid.UUID
	ageing.Plan
}

// AddAgeingPlan puts a plan on file; only a manager may. Its errors are on reference,
// days and celsius.
func (k *Kitchen) AddAgeingPlan(ctx context.Context, n NewAgeingPlan) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	if n.Reference = strings.TrimSpace(n.Reference); n.Reference == "" || invalid.TooLong(n.Reference, 120) {
		bad.Add("reference", "give its number, and who signed it")
	}
	if !(n.MaxDays > 0 && n.MaxDays <= ageing.MostDays) {
		bad.Add("days", "must be above 0 and at most %d", ageing.MostDays)
	}
	if !(n.MaxC >= -2 && n.MaxC <= ageing.WarmC) {
		bad.Add("celsius", "must be between -2 and %.0f °C", ageing.WarmC)
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.AddAgeingPlan(ctx, store.AddAgeingPlanParams{SiteID: a.Site.ID, ID: n.ID, Reference: n.Reference,
			MaxDays: n.MaxDays, MaxC: n.MaxC, Raw: n.Raw, Formers: n.Formers, At: k.Now(), PersonID: a.Person.ID})
		if err != nil {
			return err
		}
		return k.plansChanged(ctx, tx, a)
	})
}

// CancelAgeingPlan cancels a plan; only a manager may.
func (k *Kitchen) CancelAgeingPlan(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		plans, err := tx.AgeingPlans(ctx, a.Site.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(plans, func(p store.AgeingPlansRow) bool { return p.ID == id }) {
			return ErrNotFound
		}
		now := k.Now()
		if _, err := tx.StrikeAgeingPlan(ctx, store.StrikeAgeingPlanParams{SiteID: a.Site.ID, ID: id, StruckAt: &now,
			StruckBy: &a.Person.ID}); err != nil {
			return err
		}
		return k.plansChanged(ctx, tx, a)
	})
}

// plansChanged assesses the lots again that hang or hung.
func (k *Kitchen) plansChanged(ctx context.Context, tx *store.Tx, a Actor) error {
	if err := k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool {
		return string(b.Aged) != "null"
	}); err != nil {
		return err
	}
	return tx.Changed(ctx, a.Site.ID)
}

// putHumidity stores what hygrometers sent and assesses the fish again that hang in
// their places.
func (k *Kitchen) putHumidity(ctx context.Context, tx *store.Tx, a Actor, p store.Probe, list []intake.Measurement,
	out *Intake) error {
	params := store.PutHumidityParams{SiteID: p.SiteID, ProbeID: p.ID}
	for _, m := range list {
		share, _ := m.Share() // checked
		params.Ats, params.Rhs = append(params.Ats, m.At.Truncate(time.Microsecond)), append(params.Rhs, share)
	}
	stored, err := tx.PutHumidity(ctx, params)
	if err != nil {
		return err
	}
	out.Stored += stored
	out.Duplicate += int64(len(list)) - stored
	if stored == 0 {
		return nil
	}
	l, err := k.layoutOf(ctx, tx.Queries, a.Site)
	if err != nil {
		return err
	}
	in := map[int64]bool{}
	for _, stay := range l.stays {
		in[stay.PlaceID] = in[stay.PlaceID] || stay.ProbeID == p.ID
	}
	return k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool {
		return in[b.PlaceID] && string(b.Aged) != "null"
	})
}

// AgeingCandidates lists the lots on hand that do not hang and never did, those that may
// age first.
func (k *Kitchen) AgeingCandidates(ctx context.Context) ([]Row, error) {
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(r Row) bool {
		return r.AgeingStatus != nil || r.FrozenStatus != nil && r.FrozenStatus.Stage != assess.StageThawed
	})
	slices.SortStableFunc(rows, func(a, b Row) int {
		fitA, fitB := assess.UseFor(a.Uses, lot.GateDryAge).OK, assess.UseFor(b.Uses, lot.GateDryAge).OK
		switch {
		case fitA && !fitB:
			return -1
		case fitB && !fitA:
			return 1
		}
		return strings.Compare(a.Species.Name, b.Species.Name)
	})
	return rows, nil
}
