package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
)

// Due is something to do for a lot, a place or a probe.
type Due struct {
	assess.Action
	Code    string
	LotID   uuid.UUID // zero for a place or a probe
	PlaceID int64     // of the place, or where the lot lies
	ProbeID int64
	PlanID  uuid.UUID // of a thaw, of which it is a step
	Check   bool      // it is a check of all cold places
	To      string    // the page on which it is done, below that of the kitchen; "" where the rest says it
	Service uuid.UUID // of which it is a step
	// Approval says that something about the lot waits for a manager.
	Approval bool
	At       string    // where the lot lies
	From     string    // who delivered it
	NoteID   uuid.UUID // of the delivery
	Name     string    // of the species, the place or the probe
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
				due = append(due, Due{Action: d, Code: r.Code, LotID: r.LotID, Name: sp.Name, PlaceID: r.PlaceID,
					At: r.Place, From: r.Supplier, NoteID: r.DocketID})
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
	places, err := k.placesCheckDue(ctx, until)
	if err != nil {
		return nil, err
	}
	thaws, err := k.thawDue(ctx, until)
	if err != nil {
		return nil, err
	}
	requests, err := k.requestsDue(ctx)
	if err != nil {
		return nil, err
	}
	services, err := k.serviceDue(ctx, until)
	if err != nil {
		return nil, err
	}
	transfers, err := k.transfersDue(ctx)
	if err != nil {
		return nil, err
	}
	deviations, err := k.deviationsDue(ctx, until)
	if err != nil {
		return nil, err
	}
	due = slices.Concat(due, ice, checks, places, thaws, requests, services, transfers, deviations)
	slices.SortStableFunc(due, func(a, b Due) int { return a.Due.Compare(b.Due) })
	return due, nil
}

// DueGroup is what is done in one go, to the lots of one delivery or of one place; or a thaw with its steps, what
// a service asks for, or the round of an ageing cabinet.
type DueGroup struct {
	Items []Due // the soonest first; never none
}

// First is the soonest of it.
func (g DueGroup) First() Due { return g.Items[0] }

// Lots is how many lots it is for.
func (g DueGroup) Lots() int {
	seen := map[uuid.UUID]bool{}
	for _, d := range g.Items {
		seen[d.LotID] = true
	}
	return len(seen)
}

// Steps are what is done, in order.
func (g DueGroup) Steps() (steps []string) {
	for _, d := range g.Items {
		if !slices.Contains(steps, d.Do) {
			steps = append(steps, d.Do)
		}
	}
	return steps
}

// Codes are those of its lots.
func (g DueGroup) Codes() (codes []string) {
	for _, d := range g.Items {
		if !slices.Contains(codes, d.Code) {
			codes = append(codes, d.Code)
		}
	}
	return codes
}

// Alone reports whether it is a single thing.
func (g DueGroup) Alone() bool { return len(g.Items) == 1 }

// ByDelivery reports whether its lots came together, and are gone through so: else they lie together.
func (g DueGroup) ByDelivery() bool { return g.First().Path == "inspect" }

// GatherDue gathers what is done in one go, in the order of the soonest of each.
func GatherDue(list []Due) []DueGroup {
	type together struct {
		do    string
		place int64
		of    uuid.UUID // the delivery, or the plan
	}
	var groups []DueGroup
	at := map[together]int{}
	for _, d := range list {
		if d.LotID == uuid.Nil && d.PlanID == uuid.Nil && d.Service == uuid.Nil { // of a place, or a probe
			groups = append(groups, DueGroup{[]Due{d}})
			continue
		}
		key := together{do: d.Do, place: d.PlaceID}
		switch {
		case d.PlanID != uuid.Nil: // step by step
			key = together{of: d.PlanID}
		case d.Service != uuid.Nil:
			key = together{of: d.Service}
		case d.Daily():
			key = together{do: d.Path, place: d.PlaceID}
		case d.Path == "inspect":
			key = together{do: d.Do, of: d.NoteID}
		}
		i, ok := at[key]
		if !ok {
			i = len(groups)
			at[key] = i
			groups = append(groups, DueGroup{})
		}
		groups[i].Items = append(groups[i].Items, d)
	}
	return groups
}
