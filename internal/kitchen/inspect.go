package kitchen

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Assessment is what the scheme makes of the signs chosen so far.
type Assessment struct {
	State   *lot.State
	Scheme  freshness.Scheme
	Reading *freshness.Reading // nil where no sign is chosen yet
	Verdict freshness.Verdict
	Claimed *freshness.Age
	Gap     *float64
	Used    freshness.Age
	Basis   freshness.Basis
}

// Assess reads a fish of a lot and proposes a verdict. It stores nothing. A lot
// that no scheme fits is an invalid.Errors.
func (k *Kitchen) Assess(ctx context.Context, id uuid.UUID, fish []freshness.Signs) (Assessment, error) {
	return k.assess(ctx, k.DB.Queries, id, fish)
}

func (k *Kitchen) assess(ctx context.Context, q *store.Queries, id uuid.UUID, fish []freshness.Signs) (Assessment, error) {
	a := ActorFrom(ctx)
	states, err := k.states(ctx, q, a.Site.ID, id)
	if err != nil {
		return Assessment{}, err
	}
	out := Assessment{State: states[0]}
	var ok bool
	if out.Scheme, ok = lot.SchemeFor(out.State); !ok {
		return out, invalid.Errors{{Field: "lot", Message: "no scheme fits this form of fish yet: hold it or refuse it by eye on its card"}}
	}
	w, err := k.worldFor(ctx, q, a.Site, out.State)
	if err != nil {
		return out, err
	}
	out.Claimed = lot.Tell(out.State, w.Env).Claimed
	out.Used, out.Basis = freshness.Evidence{Claimed: out.Claimed}.Used()

	reading, err := out.Scheme.Read(out.State.Species().ShelfLife, fish)
	if errors.Is(err, freshness.ErrNoSigns) {
		return out, nil
	} else if err != nil {
		return out, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	out.Reading = &reading
	evidence := freshness.Evidence{Claimed: out.Claimed, Read: &reading.Age}
	out.Used, out.Basis = evidence.Used()
	if out.Claimed != nil {
		gap := freshness.Gap(reading.Age, *out.Claimed)
		out.Gap = &gap
	}
	out.Verdict = freshness.Judge(freshness.Facts{Scheme: out.Scheme, Species: out.State.Species(), Profile: a.Profile(), Frozen: out.State.Received.Frozen,
		CoreC: out.State.Received.CoreC, Fish: fish, Reading: reading, Claimed: out.Claimed})
	return out, nil
}

// Inspection is what the person saw and decided.
type Inspection struct {
	EventID  uuid.UUID
	LotID    uuid.UUID
	Seen     int
	At       time.Time
	Fish     []freshness.Signs
	Decision freshness.Decision // "" to follow the proposal
	Reason   string
}

// Inspect records an inspection with the verdict that the rules proposed at
// this moment. Its errors are those of Append.
func (k *Kitchen) Inspect(ctx context.Context, in Inspection) error {
	assessed, err := k.Assess(ctx, in.LotID, in.Fish)
	if err != nil {
		return err
	}
	if assessed.Reading == nil {
		return invalid.Errors{{Field: "fish", Message: "choose at least one sign"}}
	}
	a := ActorFrom(ctx)
	payload := lot.Inspected{Scheme: assessed.Scheme.ID, SchemeVersion: assessed.Scheme.Version, Fish: in.Fish, Reading: *assessed.Reading,
		Proposed: assessed.Verdict, Decision: in.Decision, Reason: in.Reason, Profile: a.Profile().ID, ByManager: a.IsManager()}
	if payload.Decision == "" {
		payload.Decision = assessed.Verdict.Decision
	}
	return k.Append(ctx, Write{EventID: in.EventID, LotID: in.LotID, Seen: in.Seen, HappenedAt: in.At, Payload: payload})
}
