package kitchen

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// InspectionPreview is what a scheme makes of the fish seen so far.
type InspectionPreview struct {
	State       *lot.State
	Schemes     []freshness.Scheme // those that fit the lot, the one offered first
	Scheme      freshness.Scheme   // the one used
	QuickScheme freshness.Scheme   // by which a sample was looked at beside it; none without one
	Reading     *freshness.Reading // nil where no sign is chosen yet
	Verdict     freshness.Verdict
	DeclaredAge *freshness.Age
	Gap         *float64
	Used        freshness.Age
	Basis       freshness.Basis
}

// SeenFish are the fish of a lot as they were looked at.
type SeenFish struct {
	Scheme string // "" for the one offered
	Fish   []freshness.Fish
	Quick  []freshness.Fish // the sample as it was looked at quickly, of which Fish are
}

// PreviewInspection reads fish of a lot that was looked at at a time and proposes a verdict. It stores
// nothing. A scheme that does not fit, or signs that it does not know, are an invalid.Errors.
func (k *Kitchen) PreviewInspection(ctx context.Context, id uuid.UUID, at time.Time, seen SeenFish) (InspectionPreview, error) {
	a := ActorFrom(ctx)
	states, err := k.states(ctx, k.DB.Queries, a.Site, id)
	if err != nil {
		return InspectionPreview{}, err
	}
	w, err := k.environmentFor(ctx, k.DB.Queries, a.Site, states, assess.CutsAt(at)...)
	if err != nil {
		return InspectionPreview{}, err
	}
	return w.previewInspection(ctx, a, states[0], at, seen)
}

// previewInspection is PreviewInspection of a lot that is loaded.
func (w *environment) previewInspection(ctx context.Context, a Actor, s *lot.State, at time.Time, seen SeenFish) (InspectionPreview, error) {
	out, sp := InspectionPreview{State: s}, s.Species()
	all, err := w.k.schemes(ctx, w.q, a.Site.ID, sp)
	if err != nil {
		return out, err
	}
	out.Schemes = assess.FittingSchemes(all, s)
	if out.Scheme, err = assess.ChooseScheme(out.Schemes, seen.Scheme); err != nil {
		return out, err
	}
	judged := assess.Seen{Scheme: out.Scheme, Fish: seen.Fish}
	if len(seen.Quick) > 0 && out.Scheme.ID != quickScheme {
		if out.QuickScheme, err = assess.ChooseScheme(out.Schemes, quickScheme); err != nil {
			return out, err
		}
		judged.QuickScheme, judged.Quick = out.QuickScheme, seen.Quick
	}
	assessed := assess.Assess(s, w.Env, at)
	out.DeclaredAge = assessed.DeclaredAge
	out.Used, out.Basis = freshness.Evidence{DeclaredAge: out.DeclaredAge}.Used()
	for i, f := range seen.Fish {
		if err := out.Scheme.CheckFor(sp, f); err != nil {
			return out, invalid.Errors{{Field: fmt.Sprintf("fish[%d]", i), Message: err.Error()}}
		}
	}
	for i, f := range judged.Quick {
		if err := out.QuickScheme.CheckFor(sp, f); err != nil || len(f.Signs) == 0 {
			return out, invalid.Errors{{Field: fmt.Sprintf("quick[%d]", i), Message: fmt.Sprint(err)}}
		}
	}
	reading, verdict, err := assess.Judge(out.State, a.Profile(), judged, out.State.Count,
		out.DeclaredAge, assessed.Histamine)
	if errors.Is(err, freshness.ErrNoSigns) {
		return out, nil
	} else if err != nil {
		return out, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	out.Reading, out.Verdict = &reading, verdict
	evidence := freshness.Evidence{DeclaredAge: out.DeclaredAge, ReadAge: reading.Age}
	out.Used, out.Basis = evidence.Used()
	if out.DeclaredAge != nil && reading.Age != nil {
		gap := freshness.Gap(*reading.Age, *out.DeclaredAge)
		out.Gap = &gap
	}
	return out, nil
}

// Inspection is what the person saw and decided.
type Inspection struct {
	EventID  uuid.UUID
	LotID    uuid.UUID
	Seen     int
	At       time.Time
	Scheme   string // "" for the one offered
	Fish     []freshness.Fish
	Quick    []freshness.Fish   // see SeenFish
	Decision freshness.Decision // "" to follow the proposal
	Reason   string
}

// Inspect records an inspection with the verdict that the rules proposed at
// this moment. Its errors are those of Append.
func (k *Kitchen) Inspect(ctx context.Context, in Inspection) error {
	return k.change(ctx, func(c *change) error {
		w := Write{EventID: in.EventID, LotID: in.LotID, Seen: in.Seen, HappenedAt: in.At}
		l, err := c.openOne(ctx, w)
		if err != nil || l == nil {
			return err
		}
		if err := c.load(ctx, in.At, l.state); err != nil {
			return err
		}
		preview, err := c.env.previewInspection(ctx, c.a, l.state, in.At, SeenFish{in.Scheme, in.Fish, in.Quick})
		if err != nil {
			return err
		}
		if preview.Reading == nil {
			return invalid.Errors{{Field: "fish", Message: "choose at least one sign"}}
		}
		w.Payload = preview.payload(c.a, in)
		return c.append(ctx, l, w)
	})
}

// payload is the event of an inspection.
func (a InspectionPreview) payload(by Actor, in Inspection) lot.Inspected {
	p := lot.Inspected{Scheme: a.Scheme.ID, SchemeVersion: a.Scheme.Version, Fish: in.Fish, Reading: *a.Reading,
		Proposed: a.Verdict, Decision: in.Decision, Reason: in.Reason, Profile: by.Profile().ID}
	if a.QuickScheme.ID != "" {
		p.Quick = &freshness.QuickSample{Scheme: a.QuickScheme.ID, Version: a.QuickScheme.Version, Fish: in.Quick}
	}
	if p.Decision == "" {
		p.Decision = a.Verdict.Decision
	}
	return p
}
