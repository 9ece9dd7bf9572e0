package kitchen

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/store"
)

// SaveThaw stores a plan for an order as it is proposed now, with the steps of
// each lot. Sent twice it is stored once. Its errors are on the fields of the
// order.
func (k *Kitchen) SaveThaw(ctx context.Context, id uuid.UUID, o ThawOrder) error {
	return k.change(ctx, func(c *change) error {
		if _, err := c.ThawByID(ctx, store.ThawByIDParams{SiteID: c.a.Site.ID, ID: id}); err == nil {
			return nil
		}
		p, err := k.proposeThaw(ctx, c.Queries, c.a, o)
		if err != nil {
			return err
		}
		if len(p.Picks) == 0 {
			return invalid.Errors{{Field: "what", Message: "nothing of it may be pulled"}}
		}
		if why := p.Refused(); why != "" {
			return invalid.Errors{{Field: "method", Message: why}}
		}
		err = c.AddThaw(ctx, store.AddThawParams{SiteID: c.a.Site.ID, ID: id, ServeAt: o.ServeAt,
			EndUse: string(o.EndUse), Species: o.SpeciesID, Form: o.Form, Portions: int64(o.Portions),
			PortionKg: o.PortionKg,
			CreatedAt: k.Now(), PersonID: c.a.Person.ID})
		if err != nil {
			return err
		}
		for i, pick := range p.Picks {
			choice := pick.Choices[pick.Chosen]
			line := store.ThawLine{SiteID: c.a.Site.ID, PlanID: id, N: int64(i + 1), LotID: pick.LotID,
				Pieces: int64(pick.Pieces), Kg: pick.Kg, Method: choice.Method.ID, MediumC: choice.MediumC, StartC: pick.NowC,
				Shape: string(pick.Request.Piece.Shape), Mm: pick.Request.Piece.ThicknessMM,
				OneFace: pick.Request.Piece.OneFace, Sealed: pick.Request.VacuumPacked}
			if !choice.InTime {
				now := k.Now()
				line.FromAt = &now
			}
			if err := c.putThawLine(ctx, line, choice.Steps); err != nil {
				return err
			}
		}
		return nil
	})
}

// putThawLine stores a line, and the steps that are left to do.
func (c *change) putThawLine(ctx context.Context, l store.ThawLine, steps []thawing.Step) error {
	if err := c.PutThawLine(ctx, store.PutThawLineParams(l)); err != nil {
		return err
	}
	if err := c.DropThawSteps(ctx, store.DropThawStepsParams{SiteID: l.SiteID, PlanID: l.PlanID, N: l.N}); err != nil {
		return err
	}
	for _, s := range steps {
		if err := c.AddThawStep(ctx, store.AddThawStepParams{SiteID: l.SiteID, PlanID: l.PlanID, N: l.N, Step: s.ID,
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
	return k.change(ctx, func(c *change) error {
		if _, err := c.LockThaw(ctx, store.LockThawParams{SiteID: c.a.Site.ID, ID: in.PlanID}); err != nil {
			return err
		}
		t, err := k.thaw(ctx, c.Queries, c.a, in.PlanID)
		if err != nil {
			return err
		}
		l, step := t.step(in.N, in.Seq)
		if step == nil {
			return invalid.Errors{{Field: "step", Message: "the plan has changed: see what is new"}}
		}
		if step.DoneAt != nil {
			return nil // sent twice
		}
		if step.Core && in.CoreC == nil {
			return invalid.Errors{{Field: "core_celsius", Message: "measure the core temperature"}}
		}
		n, err := c.DoThawStep(ctx, store.DoThawStepParams{SiteID: c.a.Site.ID, PlanID: in.PlanID, N: in.N,
			Seq: in.Seq, DoneAt: &in.At, PersonID: &c.a.Person.ID, CoreC: in.CoreC, EventID: eventOf(step.Step, in)})
		if err != nil || n == 0 {
			return err
		}
		return c.doStep(ctx, t, l, step.Step, in)
	})
}

// eventOf is the event that a step writes into its lot; nil for a step that writes none.
func eventOf(step string, in ThawStepDone) *uuid.UUID {
	if step == "pull" || step == "core" || step == "exit" {
		return &in.EventID
	}
	return nil
}

// thawStepFollows puts the step of a thaw right whose event was corrected, cancelled, or
// stands again: p is what it says now, nil for nothing.
func (c *change) thawStepFollows(ctx context.Context, s *lot.State, e lot.Event, p lot.Payload) error {
	site := c.a.Site.ID
	step, err := c.ThawStepOfEvent(ctx, store.ThawStepOfEventParams{SiteID: site, EventID: &e.ID})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	} else if err != nil {
		return err
	}
	set := store.SetThawStepParams{SiteID: site, PlanID: step.PlanID, N: step.N, Seq: step.Seq}
	if p != nil {
		set.DoneAt = &e.HappenedAt
	}
	switch x := p.(type) {
	case lot.Temperature:
		set.CoreC = &x.Celsius
	case lot.Thawed:
		set.CoreC = &x.CoreC
	case lot.Cooked:
		set.CoreC = &x.CoreC
	}
	if err := c.SetThawStep(ctx, set); err != nil {
		return err
	}
	t, err := c.k.thaw(ctx, c.Queries, c.a, step.PlanID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(t.Lines, func(l ThawLine) bool { return l.N == step.N })
	l := &t.Lines[i].ThawLine
	switch step.Step {
	case "pull":
		l.PulledAt = set.DoneAt
	case "core":
		l.ThawedAt, l.Kg = nil, s.WeightKg
		if _, thawed := p.(lot.Thawed); thawed {
			l.ThawedAt = set.DoneAt
		}
	case "exit":
		l.EndedAt = set.DoneAt
		if err := c.CloseThaw(ctx, store.CloseThawParams{SiteID: site, ID: t.ID}); err != nil {
			return err
		}
		if err := c.closeEnded(ctx, t, c.k.Now()); err != nil {
			return err
		}
	}
	return c.PutThawLine(ctx, store.PutThawLineParams(*l))
}

// ThawStepCorrection says of a step without an event of its own what was really done.
type ThawStepCorrection struct {
	ID     uuid.UUID // from the client: sent twice, it is one
	PlanID uuid.UUID
	N, Seq int64
	CoreC  *float64 // of a step that asks for one, °C
	Undone bool     // it was not done after all
	Reason string
}

// CorrectThawStep puts a step right that was noted as done. A step that wrote into its
// lot is corrected there. Its errors are on the fields core_celsius, reason and step.
func (k *Kitchen) CorrectThawStep(ctx context.Context, in ThawStepCorrection) error {
	return k.change(ctx, func(c *change) error {
		site := c.a.Site.ID
		if _, err := c.LockThaw(ctx, store.LockThawParams{SiteID: site, ID: in.PlanID}); err != nil {
			return err
		}
		t, err := k.thaw(ctx, c.Queries, c.a, in.PlanID)
		if err != nil {
			return err
		}
		l, step := t.step(in.N, in.Seq)
		if step == nil || step.DoneAt == nil || step.EventID != nil {
			return invalid.Errors{{Field: "step", Message: "the plan has changed: see what is new"}}
		}
		var bad invalid.Errors
		if in.Reason = strings.TrimSpace(in.Reason); in.Reason == "" {
			bad.Add("reason", "is missing")
		}
		set := store.SetThawStepParams{SiteID: site, PlanID: in.PlanID, N: in.N, Seq: in.Seq, DoneAt: step.DoneAt, CoreC: in.CoreC}
		switch {
		case in.Undone:
			set.DoneAt, set.CoreC = nil, nil
			if step.Step == "open" && l.PulledAt != nil {
				bad.Add("step", "it was pulled since, and a pack is opened before that: cancel the pull first")
			}
		case !step.Core:
			bad.Add("step", "there is nothing to correct but that it was not done")
		case in.CoreC == nil:
			bad.Add("core_celsius", "is missing")
		default:
			bad = append(bad, c.checkStepCore(step.Step, *in.CoreC)...)
		}
		if err := bad.Err(); err != nil {
			return err
		}
		n, err := c.AddThawStepCorrection(ctx, store.AddThawStepCorrectionParams{SiteID: site, ID: in.ID, PlanID: in.PlanID, N: in.N,
			Step: step.Step, Doing: step.Doing, WasAt: *step.DoneAt, WasC: step.CoreC, CoreC: set.CoreC, Undone: in.Undone,
			Reason: in.Reason, PersonID: c.a.Person.ID, CorrectedAt: k.Now()})
		if err != nil || n == 0 {
			return err
		}
		if in.Undone && step.Step == "open" {
			l.Sealed = true
			if err := c.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine)); err != nil {
				return err
			}
		}
		return c.SetThawStep(ctx, set)
	})
}

// checkStepCore checks the core temperature of a step.
func (c *change) checkStepCore(step string, celsius float64) (bad invalid.Errors) {
	rule := c.a.Profile().Parasite
	if step == "cook" && celsius < rule.CookC {
		bad.Add("core_celsius", "%.1f °C: cook on to %.0f °C for %s (%s)", celsius, rule.CookC, rule.CookFor, c.a.Profile().Name)
	}
	return bad
}

// step finds a step of a thaw; nil where the plan has none such.
func (t Thaw) step(n, seq int64) (*ThawLine, *ThawStep) {
	for i := range t.Lines {
		for j := range t.Lines[i].Steps {
			if s := &t.Lines[i].Steps[j]; s.N == n && s.Seq == seq {
				return &t.Lines[i], s
			}
		}
	}
	return nil, nil
}

// doStep does what a step means for its lot.
func (c *change) doStep(ctx context.Context, t Thaw, l *ThawLine, step string,
	in ThawStepDone) error {
	switch step {
	case "open":
		l.Sealed = false
		return c.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine))
	case "pull":
		return c.pull(ctx, t, l, in)
	case "core":
		return c.checkThawed(ctx, t, l, in)
	case "cook":
		return c.checkStepCore(step, *in.CoreC).Err()
	case "exit":
		return c.exitThaw(ctx, t, l, in)
	}
	return nil
}

// thawPlace is where fish thaws by a method: a place asked for, else the first
// of the kind that suits.
func (c *change) thawPlace(ctx context.Context, method string, asked int64) (int64, error) {
	if err := c.load(ctx, c.k.Now()); err != nil {
		return 0, err
	}
	rows := c.env.layout.rows
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
func (c *change) pull(ctx context.Context, t Thaw, l *ThawLine, in ThawStepDone) error {
	if l.Sealed {
		return invalid.Errors{{Field: "step", Message: "open the pack first, and tick that"}}
	}
	w := Write{EventID: in.EventID, LotID: l.LotID, HappenedAt: in.At}
	pulled, err := c.openOne(ctx, w)
	if err != nil || pulled == nil {
		return err
	}
	var rest uuid.UUID
	if whole := l.Row.Count; l.Pieces < whole {
		each := l.Row.WeightKg / float64(whole)
		parts, err := c.split(ctx, pulled, NewSplit{EventID: NewID(), HappenedAt: in.At,
			Parts: []lot.SplitLot{{Count: int(l.Pieces), WeightKg: each * float64(l.Pieces)},
				{Count: int(whole - l.Pieces), WeightKg: each * float64(whole-l.Pieces)}}})
		if err != nil {
			return err
		}
		pulled, rest, l.LotID = parts[0], parts[1].head.ID, parts[0].head.ID
	}
	place, err := c.thawPlace(ctx, l.Method, in.PlaceID)
	if err != nil {
		return err
	}
	r := l.request(c.a, t.ThawsRow, t.Species)
	r.From, r.VacuumPacked = in.At, false
	plan, err := thawing.NewPlan(r)
	if err != nil {
		return err
	}
	w.Payload = pulledBy(l, t, r, place, lot.Pack(l.Row.Pack).Wraps())
	if err := c.append(ctx, pulled, w); err != nil {
		return err
	}
	l.PulledAt, l.FromAt = &in.At, &in.At
	if err := c.putThawLine(ctx, l.ThawLine, without(plan.Steps, "open", "pull")); err != nil {
		return err
	}
	if rest == uuid.Nil {
		return nil
	}
	// what else was planned of the lot goes on with its rest
	return c.ThawLinesFollow(ctx, store.ThawLinesFollowParams{SiteID: c.a.Site.ID, FromLot: w.LotID, ToLot: rest})
}

// pulledBy is the event of a pull by a plan.
func pulledBy(l *ThawLine, t Thaw, r thawing.Request, place int64, opened bool) lot.Pulled {
	return lot.Pulled{PlanID: t.ID, PlaceID: place, Method: l.Method, EndUse: r.EndUse, Opened: opened, MediumC: r.MediumC,
		Shape: r.Piece.Shape, MM: r.Piece.ThicknessMM, OneFace: r.Piece.OneFace}
}

// without leaves out steps that are done.
func without(steps []thawing.Step, done ...string) []thawing.Step {
	return slices.DeleteFunc(slices.Clone(steps), func(s thawing.Step) bool { return slices.Contains(done, s.ID) })
}

// checkThawed takes a core reading: free of ice the lot is thawed, else the rest
// of its thaw is replanned from there.
func (c *change) checkThawed(ctx context.Context, t Thaw, l *ThawLine, in ThawStepDone) error {
	if l.PulledAt == nil {
		return invalid.Errors{{Field: "step", Message: "it was not pulled yet"}}
	}
	var payload lot.Payload = lot.Thawed{CoreC: *in.CoreC, DripKg: in.DripKg, GlazeKg: in.GlazeKg}
	if *in.CoreC < thawing.WorkableC {
		payload = lot.Temperature{Celsius: *in.CoreC}
		l.StartC, l.FromAt = *in.CoreC, &in.At
		plan, err := thawing.NewPlan(l.request(c.a, t.ThawsRow, t.Species))
		if err != nil {
			return err
		}
		if err := c.putThawLine(ctx, l.ThawLine, without(plan.Steps, "open", "pull", "run")); err != nil {
			return err
		}
	} else {
		l.ThawedAt, l.Kg = &in.At, l.Kg-in.DripKg-in.GlazeKg
		if err := c.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine)); err != nil {
			return err
		}
	}
	return c.write(ctx, Write{EventID: in.EventID, LotID: l.LotID, HappenedAt: in.At, Payload: payload})
}

// exitThaw ends a line: all of it was used, or what is left is cooked and
// chilled, or discarded. The last one closes the plan.
func (c *change) exitThaw(ctx context.Context, t Thaw, l *ThawLine, in ThawStepDone) error {
	var payload lot.Payload
	switch in.Exit {
	case "used":
		payload = lot.Left{EndUse: t.usedAs(), Note: in.Note}
	case "cooked":
		if in.CoreC == nil {
			return invalid.Errors{{Field: "core_celsius", Message: "measure the core temperature of what was cooked"}}
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
	w := Write{EventID: in.EventID, LotID: l.LotID, HappenedAt: in.At, Payload: payload}
	left, err := c.openOne(ctx, w)
	if err != nil {
		return err
	}
	if left != nil {
		if err := c.takeUsed(ctx, left, t, in); err != nil {
			return err
		}
		if err := c.append(ctx, left, w); err != nil {
			return err
		}
	}
	l.EndedAt = &in.At
	if err := c.PutThawLine(ctx, store.PutThawLineParams(l.ThawLine)); err != nil {
		return err
	}
	return c.closeEnded(ctx, t, in.At)
}

// usedAs is the end use of what is thawed.
func (t Thaw) usedAs() lot.EndUse {
	if t.EndUse == string(thawing.Raw) {
		return lot.UsedRaw
	}
	return lot.UsedCooked
}

// takeUsed takes what was used off the lot, where a part of it is left.
func (c *change) takeUsed(ctx context.Context, line *changedLot, t Thaw, in ThawStepDone) error {
	weight := line.state.WeightKg
	if in.LeftKg > weight {
		return invalid.Errors{{Field: "left", Message: fmt.Sprintf("is more than the %.2f kg of the lot", weight)}}
	}
	if in.Exit == "used" || in.LeftKg == 0 || in.LeftKg == weight {
		return nil
	}
	return c.append(ctx, line, Write{EventID: NewID(), HappenedAt: in.At,
		Payload: lot.Taken{EndUse: t.usedAs(), WeightKg: weight - in.LeftKg, Note: in.Note}})
}

// closeEnded closes a plan whose lines all have ended.
func (c *change) closeEnded(ctx context.Context, t Thaw, at time.Time) error {
	for _, l := range t.Lines {
		if l.EndedAt == nil {
			return nil
		}
	}
	return c.CloseThaw(ctx, store.CloseThawParams{SiteID: c.a.Site.ID, ID: t.ID, ClosedAt: &at})
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
	return k.change(ctx, func(c *change) error {
		if _, err := c.LockThaw(ctx, store.LockThawParams{SiteID: c.a.Site.ID, ID: in.PlanID}); err != nil {
			return err
		}
		now := k.Now()
		if in.ServeAt != nil {
			if !in.ServeAt.After(now) || in.ServeAt.After(now.AddDate(0, 0, 14)) {
				return invalid.Errors{{Field: "serve_at", Message: "must lie in the next two weeks"}}
			}
			if err := c.MoveThaw(ctx, store.MoveThawParams{SiteID: c.a.Site.ID, ID: in.PlanID,
				ServeAt: *in.ServeAt}); err != nil {
				return err
			}
		}
		t, err := k.thaw(ctx, c.Queries, c.a, in.PlanID)
		if err != nil {
			return err
		}
		found := false
		for i := range t.Lines {
			if l := &t.Lines[i]; l.EndedAt == nil && l.ThawedAt == nil && (l.N == in.N || in.ServeAt != nil) {
				found = true
				if err := c.replanLine(ctx, t, l, in, now); err != nil {
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

func (c *change) replanLine(ctx context.Context, t Thaw, l *ThawLine, in ThawReplan,
	now time.Time) error {
	if l.PulledAt != nil {
		if in.Method == "" || in.Method == l.Method { // the same way goes on
			return c.putThawLine(ctx, l.ThawLine, leftOf(l))
		}
		return c.changeMethod(ctx, t, l, in, now)
	}
	r := l.request(c.a, t.ThawsRow, t.Species)
	if in.Method != "" {
		r.Policy.Order = []string{in.Method}
	}
	r.StartC = l.Row.NowC
	choices, best, err := thawing.Choose(r, now)
	if err != nil {
		return err
	}
	if best < 0 { // late: the first that is allowed, from now
		best = slices.IndexFunc(choices, func(x thawing.Choice) bool { return x.Refused == "" })
	}
	if best < 0 {
		return invalid.Errors{{Field: "method", Message: choices[0].Refused}}
	}
	choice := choices[best]
	l.Method, l.MediumC, l.StartC, l.FromAt = choice.Method.ID, choice.MediumC, r.StartC, nil
	if !choice.InTime {
		l.FromAt = &now
	}
	done := []string{}
	if !l.Sealed && slices.ContainsFunc(l.Steps, func(s ThawStep) bool { return s.Step == "open" && s.DoneAt != nil }) {
		done = append(done, "open")
	}
	return c.putThawLine(ctx, l.ThawLine, without(choice.Steps, done...))
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
func (c *change) changeMethod(ctx context.Context, t Thaw, l *ThawLine, in ThawReplan,
	now time.Time) error {
	r := l.request(c.a, t.ThawsRow, t.Species)
	mean, err := thawing.MeanAfter(r, now.Sub(*l.FromAt))
	if err != nil {
		return err
	}
	r.Method, r.MediumC, r.StartC, r.From = in.Method, c.a.ThawPolicy().MediumC(in.Method), mean, now
	if in.Method == thawing.Water {
		r.MediumC = math.Min(r.MediumC, c.a.Profile().Water.MaxC)
	}
	plan, err := thawing.NewPlan(r)
	if err != nil {
		return err
	}
	if plan.Refused != "" {
		return invalid.Errors{{Field: "method", Message: plan.Refused}}
	}
	place, err := c.thawPlace(ctx, in.Method, 0)
	if err != nil {
		return err
	}
	l.Method, l.MediumC, l.StartC, l.FromAt = in.Method, r.MediumC, mean, &now
	pulled := pulledBy(l, t, r, place, false)
	pulled.StartC = &mean
	if err := c.write(ctx, Write{EventID: in.EventID, LotID: l.LotID, HappenedAt: now, Payload: pulled}); err != nil {
		return err
	}
	return c.putThawLine(ctx, l.ThawLine, plan.Steps)
}

// DropThaw gives up what was not pulled of a plan.
func (k *Kitchen) DropThaw(ctx context.Context, id uuid.UUID) error {
	return k.change(ctx, func(c *change) error {
		if _, err := c.LockThaw(ctx, store.LockThawParams{SiteID: c.a.Site.ID, ID: id}); err != nil {
			return err
		}
		t, err := k.thaw(ctx, c.Queries, c.a, id)
		if err != nil {
			return err
		}
		now := k.Now()
		for i := range t.Lines {
			if l := &t.Lines[i]; l.PulledAt == nil && l.EndedAt == nil {
				l.EndedAt = &now
				if err := c.putThawLine(ctx, l.ThawLine, nil); err != nil {
					return err
				}
			}
		}
		return c.closeEnded(ctx, t, now)
	})
}
