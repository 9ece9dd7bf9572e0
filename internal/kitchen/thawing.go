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
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/store"
)

// SaveThaw stores a plan for an order as it is proposed now, with the steps of
// each lot. Sent twice it is stored once. Its errors are on the fields of the
// order.
func (k *Kitchen) SaveThaw(ctx context.Context, id uuid.UUID, o ThawOrder) error {
	return k.changeThaws(ctx, func(tx *store.Tx, a Actor) error {
		if _, err := tx.ThawByID(ctx, store.ThawByIDParams{SiteID: a.Site.ID, ID: id}); err == nil {
			return nil
		}
		p, err := k.proposeThaw(ctx, tx.Queries, a, o)
		if err != nil {
			return err
		}
		if len(p.Picks) == 0 {
			return invalid.Errors{{Field: "what", Message: "nothing of it may be pulled"}}
		}
		if why := p.Refused(); why != "" {
			return invalid.Errors{{Field: "method", Message: why}}
		}
		err = tx.AddThaw(ctx, store.AddThawParams{SiteID: a.Site.ID, ID: id, ServeAt: o.ServeAt,
			EndUse: string(o.EndUse), Species: o.SpeciesID, Form: o.Form, Portions: int64(o.Portions),
			PortionKg: o.PortionKg,
			CreatedAt: k.Now(), PersonID: a.Person.ID})
		if err != nil {
			return err
		}
		for i, pick := range p.Picks {
			c := pick.Choices[pick.Chosen]
			line := store.ThawLine{SiteID: a.Site.ID, PlanID: id, N: int64(i + 1), LotID: pick.LotID,
				Pieces: int64(pick.Pieces), Kg: pick.Kg, Method: c.Method.ID, MediumC: c.MediumC, StartC: pick.NowC,
				Shape: string(pick.Request.Piece.Shape), Mm: pick.Request.Piece.ThicknessMM,
				OneFace: pick.Request.Piece.OneFace, Sealed: pick.Request.VacuumPacked}
			if !c.InTime {
				now := k.Now()
				line.FromAt = &now
			}
			if err := k.putThawLine(ctx, tx, line, c.Steps); err != nil {
				return err
			}
		}
		return nil
	})
}

// changeThaws changes something of thaws in one transaction.
func (k *Kitchen) changeThaws(ctx context.Context, change func(*store.Tx, Actor) error) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := change(tx, a); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// putThawLine stores a line, and the steps that are left to do.
func (k *Kitchen) putThawLine(ctx context.Context, tx *store.Tx, l store.ThawLine, steps []thawing.Step) error {
	if err := tx.PutThawLine(ctx, store.PutThawLineParams(l)); err != nil {
		return err
	}
	if err := tx.DropThawSteps(ctx, store.DropThawStepsParams{SiteID: l.SiteID, PlanID: l.PlanID, N: l.N}); err != nil {
		return err
	}
	for _, s := range steps {
		if err := tx.AddThawStep(ctx, store.AddThawStepParams{SiteID: l.SiteID, PlanID: l.PlanID, N: l.N, Step: s.ID,
			At: s.At, Doing: s.Do, Why: s.Why, Core: s.Core}); err != nil {
			return err
		}
	}
	return nil
}

// ThawStepDone says that a step was done.
type ThawStepDone struct {
	PlanID  uuid.UUID
	N, Seq  int64
	EventID uuid.UUID // for what the step writes into its lot
	At      time.Time
	CoreC   *float64 // where the step asks for one
	DripKg  float64
	GlazeKg float64
	PlaceID int64   // where it is pulled to; 0 for what suits the method
	Exit    string  // used, cooked or discarded, of the last step
	LeftKg  float64 // that is cooked or discarded; 0 for all of it
	Note    string
}

// CompleteThawStep notes that a step was done, with what follows for its lot: pulling
// takes the pieces out of the freezer, a core free of ice makes it thawed, the
// exit ends it. A core below freezing replans the rest. Its errors are on the
// fields core, drip, place, exit and step.
func (k *Kitchen) CompleteThawStep(ctx context.Context, in ThawStepDone) error {
	return k.changeThaws(ctx, func(tx *store.Tx, a Actor) error {
		if _, err := tx.LockThaw(ctx, store.LockThawParams{SiteID: a.Site.ID, ID: in.PlanID}); err != nil {
			return err
		}
		t, err := k.thaw(ctx, tx.Queries, a, in.PlanID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(t.Lines, func(l ThawLine) bool { return l.N == in.N })
		if i < 0 {
			return ErrNotFound
		}
		l := &t.Lines[i]
		j := slices.IndexFunc(l.Steps, func(s ThawStep) bool { return s.Seq == in.Seq })
		if j < 0 {
			return invalid.Errors{{Field: "step", Message: "the plan has changed: see what is new"}}
		}
		step := l.Steps[j]
		if step.DoneAt != nil {
			return nil // sent twice
		}
		if step.Core && in.CoreC == nil {
			return invalid.Errors{{Field: "core_celsius", Message: "measure the core"}}
		}
		n, err := tx.DoThawStep(ctx, store.DoThawStepParams{SiteID: a.Site.ID, PlanID: in.PlanID, N: in.N,
			Seq: in.Seq, DoneAt: &in.At, PersonID: &a.Person.ID, CoreC: in.CoreC})
		if err != nil || n == 0 {
			return err
		}
		return k.doStep(ctx, tx, a, t, l, step.Step, in)
	})
}

// doStep does what a step means for its lot.
func (k *Kitchen) doStep(ctx context.Context, tx *store.Tx, a Actor, t Thaw, l *ThawLine, step string,
	in ThawStepDone) error {
	switch step {
	case "open":
		l.Sealed = false
		return tx.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine))
	case "pull":
		return k.pull(ctx, tx, a, t, l, in)
	case "core":
		return k.checkThawed(ctx, tx, a, t, l, in)
	case "cook":
		if limit := a.Profile().Parasite.CookC; *in.CoreC < limit {
			return invalid.Errors{{Field: "core_celsius", Message: fmt.Sprintf("%.1f °C: cook on to %.0f °C for %s (%s)",
				*in.CoreC, limit, a.Profile().Parasite.CookFor, a.Profile().Name)}}
		}
	case "exit":
		return k.exitThaw(ctx, tx, a, t, l, in)
	}
	return nil
}

// thawPlace is where fish thaws by a method: a place asked for, else the first
// of the kind that suits.
func (k *Kitchen) thawPlace(ctx context.Context, tx *store.Tx, a Actor, method string, asked int64) (int64, error) {
	rows, err := tx.Places(ctx, a.Site.ID)
	if err != nil {
		return 0, err
	}
	kinds := []string{"thaw_shelf", "walk_in", "drawer"}
	if method != thawing.Fridge {
		kinds = []string{"bench", "thaw_shelf", "dock"}
	}
	for _, r := range rows {
		if r.ID == asked && !placeOf(r).Freezer() {
			return r.ID, nil
		}
	}
	for _, kind := range kinds {
		for _, r := range rows {
			if r.Kind == kind {
				return r.ID, nil
			}
		}
	}
	return 0, invalid.Errors{{Field: "place_id", Message: "there is no place for it: add a thaw shelf, or a bench"}}
}

// pull takes the pieces of a line out of the freezer: where they are not all of
// their lot, as a part of it.
func (k *Kitchen) pull(ctx context.Context, tx *store.Tx, a Actor, t Thaw, l *ThawLine, in ThawStepDone) error {
	if l.Sealed {
		return invalid.Errors{{Field: "step", Message: "open the vacuum pack first, and tick that"}}
	}
	ids := []uuid.UUID{l.LotID}
	if whole := l.Row.Count; l.Pieces < whole {
		each := l.Row.WeightKg / float64(whole)
		parting := NewSplit{EventID: NewID(), LotID: l.LotID, HappenedAt: in.At,
			Parts: []lot.SplitLot{{Count: int(l.Pieces), WeightKg: each * float64(l.Pieces)},
				{Count: int(whole - l.Pieces), WeightKg: each * float64(whole-l.Pieces)}}}
		var err error
		if ids, err = k.split(ctx, tx, a, parting); err != nil {
			return err
		}
		l.LotID = ids[1]
	}
	place, err := k.thawPlace(ctx, tx, a, l.Method, in.PlaceID)
	if err != nil {
		return err
	}
	r := l.request(a, t.ThawsRow, t.Species)
	r.From, r.VacuumPacked = in.At, false
	plan, err := thawing.NewPlan(r)
	if err != nil {
		return err
	}
	opened := l.Row.Pack == string(lot.PackVacuum)
	if err := k.appendTo(ctx, tx, a, l.LotID, in.EventID, in.At, pulledBy(l, t, plan, r, place, opened)); err != nil {
		return err
	}
	l.PulledAt, l.FromAt = &in.At, &in.At
	if err := k.putThawLine(ctx, tx, l.ThawLine, without(plan.Steps, "open", "pull")); err != nil {
		return err
	}
	if len(ids) > 1 { // what else was planned of the lot goes on with its rest
		if err := tx.ThawLinesFollow(ctx, store.ThawLinesFollowParams{SiteID: a.Site.ID, FromLot: ids[0],
			ToLot: ids[2]}); err != nil {
			return err
		}
	}
	return k.refresh(ctx, tx, a.Site, ids...)
}

// pulledBy is the event of a pull by a plan.
func pulledBy(l *ThawLine, t Thaw, plan thawing.Plan, r thawing.Request, place int64, opened bool) lot.Pulled {
	p := lot.Pulled{PlanID: t.ID, PlaceID: place, Method: l.Method, EndUse: r.EndUse, Opened: opened,
		MediumC: r.MediumC, H: plan.Method.Coefficient(r.Profile),
		Shape: r.Piece.Shape, MM: r.Piece.ThicknessMM, OneFace: r.Piece.OneFace}
	if plan.IceFree != heat.Never {
		p.IceFree = plan.IceFree.Hours()
		p.Keeps = math.Max(0, plan.KeepTo.Sub(plan.ReadyAt).Hours())
	}
	return p
}

// without leaves out steps that are done.
func without(steps []thawing.Step, done ...string) []thawing.Step {
	return slices.DeleteFunc(slices.Clone(steps), func(s thawing.Step) bool { return slices.Contains(done, s.ID) })
}

// appendTo writes an event at the head of a lot, which it locks.
func (k *Kitchen) appendTo(ctx context.Context, tx *store.Tx, a Actor, lotID, eventID uuid.UUID, at time.Time,
	p lot.Payload) error {
	head, known, err := k.lock(ctx, tx, a, lotID, eventID, 0)
	if err != nil || known {
		return err
	}
	_, err = k.append(ctx, tx, a, head, Write{EventID: eventID, LotID: lotID, HappenedAt: at, Payload: p})
	return err
}

// checkThawed takes a core reading: free of ice the lot is thawed, else the rest
// of its thaw is replanned from there.
func (k *Kitchen) checkThawed(ctx context.Context, tx *store.Tx, a Actor, t Thaw, l *ThawLine, in ThawStepDone) error {
	if l.PulledAt == nil {
		return invalid.Errors{{Field: "step", Message: "it was not pulled yet"}}
	}
	var payload lot.Payload = lot.Thawed{CoreC: *in.CoreC, DripKg: in.DripKg, GlazeKg: in.GlazeKg}
	if *in.CoreC < thawing.WorkableC {
		payload = lot.Temperature{Celsius: *in.CoreC}
		l.StartC, l.FromAt = *in.CoreC, &in.At
		plan, err := thawing.NewPlan(l.request(a, t.ThawsRow, t.Species))
		if err != nil {
			return err
		}
		if err := k.putThawLine(ctx, tx, l.ThawLine, without(plan.Steps, "open", "pull", "run")); err != nil {
			return err
		}
	} else {
		l.ThawedAt, l.Kg = &in.At, l.Kg-in.DripKg-in.GlazeKg
		if err := tx.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine)); err != nil {
			return err
		}
	}
	if err := k.appendTo(ctx, tx, a, l.LotID, in.EventID, in.At, payload); err != nil {
		return err
	}
	return k.refresh(ctx, tx, a.Site, l.LotID)
}

// exitThaw ends a line: all of it was used, or what is left is cooked and
// chilled, or discarded. The last one closes the plan.
func (k *Kitchen) exitThaw(ctx context.Context, tx *store.Tx, a Actor, t Thaw, l *ThawLine, in ThawStepDone) error {
	var payload lot.Payload
	switch in.Exit {
	case "used":
		payload = lot.Left{Note: in.Note}
	case "cooked":
		if in.CoreC == nil {
			return invalid.Errors{{Field: "core_celsius", Message: "measure the core of what was cooked"}}
		}
		payload = lot.Cooked{CoreC: *in.CoreC}
	case "discarded":
		payload = lot.Discarded{Reason: cmp.Or(in.Note, "not used by its hour")}
	default:
		return invalid.Errors{{Field: "exit", Message: "say whether it is finished, cooked and chilled, or discarded"}}
	}
	if l.PulledAt == nil {
		return invalid.Errors{{Field: "step", Message: "it was not pulled yet"}}
	}
	ids, err := k.splitRest(ctx, tx, a, l, in)
	if err != nil {
		return err
	}
	if err := k.appendTo(ctx, tx, a, l.LotID, in.EventID, in.At, payload); err != nil {
		return err
	}
	l.EndedAt = &in.At
	if err := tx.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine)); err != nil {
		return err
	}
	if err := k.closeEnded(ctx, tx, a, t, in.At); err != nil {
		return err
	}
	return k.refresh(ctx, tx, a.Site, ids...)
}

// splitRest splits what is left of a line off its lot and ends the rest as used,
// where it is split off. It returns the lots that changed; the line goes on
// with what is left.
func (k *Kitchen) splitRest(ctx context.Context, tx *store.Tx, a Actor, l *ThawLine, in ThawStepDone) ([]uuid.UUID,
	error) {
	weight, count := l.Row.WeightKg, int(l.Row.Count)
	if in.LeftKg > weight {
		return nil, invalid.Errors{{Field: "left", Message: fmt.Sprintf("is more than the %.2f kg of the lot", weight)}}
	}
	if in.Exit == "used" || in.LeftKg == 0 || in.LeftKg == weight || count == 1 {
		return []uuid.UUID{l.LotID}, nil
	}
	left := min(max(1, int(math.Round(float64(count)*in.LeftKg/weight))), count-1)
	ids, err := k.split(ctx, tx, a, NewSplit{EventID: NewID(), LotID: l.LotID, HappenedAt: in.At,
		Parts: []lot.SplitLot{{Count: count - left, WeightKg: weight - in.LeftKg}, {Count: left, WeightKg: in.LeftKg}}})
	if err != nil {
		return nil, err
	}
	l.LotID = ids[2]
	return ids, k.appendTo(ctx, tx, a, ids[1], NewID(), in.At, lot.Left{Note: in.Note})
}

// closeEnded closes a plan whose lines all have ended.
func (k *Kitchen) closeEnded(ctx context.Context, tx *store.Tx, a Actor, t Thaw, at time.Time) error {
	for _, l := range t.Lines {
		if l.EndedAt == nil {
			return nil
		}
	}
	return tx.CloseThaw(ctx, store.CloseThawParams{SiteID: a.Site.ID, ID: t.ID, ClosedAt: &at})
}

// ThawReplan replans the rest of a line from now on: by another method, or for
// another hour.
type ThawReplan struct {
	PlanID  uuid.UUID
	N       int64
	Method  string     // "" for what the school chooses
	ServeAt *time.Time // nil for the same hour; of all lines
	EventID uuid.UUID
}

// ReplanThaw replans a line. What lies in the fridge half thawed may go on in
// water, where the profile lets it. Its errors are on method and serve_at.
func (k *Kitchen) ReplanThaw(ctx context.Context, in ThawReplan) error {
	return k.changeThaws(ctx, func(tx *store.Tx, a Actor) error {
		if _, err := tx.LockThaw(ctx, store.LockThawParams{SiteID: a.Site.ID, ID: in.PlanID}); err != nil {
			return err
		}
		now := k.Now()
		if in.ServeAt != nil {
			if !in.ServeAt.After(now) || in.ServeAt.After(now.AddDate(0, 0, 14)) {
				return invalid.Errors{{Field: "serve_at", Message: "must lie in the next two weeks"}}
			}
			if err := tx.MoveThaw(ctx, store.MoveThawParams{SiteID: a.Site.ID, ID: in.PlanID,
				ServeAt: *in.ServeAt}); err != nil {
				return err
			}
		}
		t, err := k.thaw(ctx, tx.Queries, a, in.PlanID)
		if err != nil {
			return err
		}
		found := false
		for i := range t.Lines {
			if l := &t.Lines[i]; l.EndedAt == nil && l.ThawedAt == nil && (l.N == in.N || in.ServeAt != nil) {
				found = true
				if err := k.replanLine(ctx, tx, a, t, l, in, now); err != nil {
					return err
				}
			}
		}
		if !found {
			return invalid.Errors{{Field: "method", Message: "there is nothing left to plan"}}
		}
		return nil
	})
}

func (k *Kitchen) replanLine(ctx context.Context, tx *store.Tx, a Actor, t Thaw, l *ThawLine, in ThawReplan,
	now time.Time) error {
	if l.PulledAt != nil {
		if in.Method == "" || in.Method == l.Method { // the same way goes on
			return k.putThawLine(ctx, tx, l.ThawLine, leftOf(l))
		}
		return k.changeMethod(ctx, tx, a, t, l, in, now)
	}
	r := l.request(a, t.ThawsRow, t.Species)
	if in.Method != "" {
		r.Policy.Order = []string{in.Method}
	}
	r.StartC = l.Row.NowC
	choices, best, err := thawing.Choose(r, now)
	if err != nil {
		return err
	}
	if best < 0 { // late: the first that is allowed, from now
		best = slices.IndexFunc(choices, func(c thawing.Choice) bool { return c.Refused == "" })
	}
	if best < 0 {
		return invalid.Errors{{Field: "method", Message: choices[0].Refused}}
	}
	c := choices[best]
	l.Method, l.MediumC, l.StartC, l.FromAt = c.Method.ID, c.MediumC, r.StartC, nil
	if !c.InTime {
		l.FromAt = &now
	}
	done := []string{}
	if !l.Sealed && slices.ContainsFunc(l.Steps, func(s ThawStep) bool { return s.Step == "open" && s.DoneAt != nil }) {
		done = append(done, "open")
	}
	return k.putThawLine(ctx, tx, l.ThawLine, without(c.Steps, done...))
}

// leftOf is what is left to do of a line that was pulled: its plan without what
// was done, of the changes of water as many as were.
func leftOf(l *ThawLine) []thawing.Step {
	done := map[string]int{"open": 1, "pull": 1}
	for _, s := range l.Steps {
		if s.DoneAt != nil {
			done[s.Step]++
		}
	}
	var left []thawing.Step
	for _, s := range l.Plan.Steps {
		if done[s.ID] > 0 {
			done[s.ID]--
			continue
		}
		left = append(left, s)
	}
	return left
}

// changeMethod lets fish that has begun to thaw in the fridge go on in water, or
// from there into the pan.
func (k *Kitchen) changeMethod(ctx context.Context, tx *store.Tx, a Actor, t Thaw, l *ThawLine, in ThawReplan,
	now time.Time) error {
	r := l.request(a, t.ThawsRow, t.Species)
	mean, err := thawing.MeanAfter(r, now.Sub(*l.FromAt))
	if err != nil {
		return err
	}
	r.Method, r.MediumC, r.StartC, r.From = in.Method, a.ThawPolicy().MediumC(in.Method), mean, now
	if in.Method == thawing.Water {
		r.MediumC = math.Min(r.MediumC, a.Profile().Water.MaxC)
	}
	plan, err := thawing.NewPlan(r)
	if err != nil {
		return err
	}
	if plan.Refused != "" {
		return invalid.Errors{{Field: "method", Message: plan.Refused}}
	}
	place, err := k.thawPlace(ctx, tx, a, in.Method, 0)
	if err != nil {
		return err
	}
	l.Method, l.MediumC, l.StartC, l.FromAt = in.Method, r.MediumC, mean, &now
	pulled := pulledBy(l, t, plan, r, place, false)
	pulled.StartC = &mean
	if err := k.appendTo(ctx, tx, a, l.LotID, in.EventID, now, pulled); err != nil {
		return err
	}
	if err := k.putThawLine(ctx, tx, l.ThawLine, plan.Steps); err != nil {
		return err
	}
	return k.refresh(ctx, tx, a.Site, l.LotID)
}

// DropThaw gives up what was not pulled of a plan.
func (k *Kitchen) DropThaw(ctx context.Context, id uuid.UUID) error {
	return k.changeThaws(ctx, func(tx *store.Tx, a Actor) error {
		if _, err := tx.LockThaw(ctx, store.LockThawParams{SiteID: a.Site.ID, ID: id}); err != nil {
			return err
		}
		t, err := k.thaw(ctx, tx.Queries, a, id)
		if err != nil {
			return err
		}
		now := k.Now()
		for i := range t.Lines {
			if l := &t.Lines[i]; l.PulledAt == nil && l.EndedAt == nil {
				l.EndedAt = &now
				if err := k.putThawLine(ctx, tx, l.ThawLine, nil); err != nil {
					return err
				}
			}
		}
		return k.closeEnded(ctx, tx, a, t, now)
	})
}
