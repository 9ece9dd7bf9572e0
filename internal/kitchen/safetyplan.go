package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/haccp"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// SafetyPlan is a version of the plan by which a kitchen keeps fish safe. Version 0 is what it begins with: nobody has signed it.
type SafetyPlan struct {
	Version int
	At      time.Time
	Person  string
	Rules   string // in force when it was signed, in words
	Note    string // what is new in it
	Lines   []haccp.Line
}

// Line is that with an id; zero for none.
func (p SafetyPlan) Line(id string) haccp.Line {
	if i := slices.IndexFunc(p.Lines, func(l haccp.Line) bool { return l.ID == id }); i >= 0 {
		return p.Lines[i]
	}
	return haccp.Line{}
}

func safetyPlanOf(version int64, at time.Time, person, rules, note string, lines []byte) (SafetyPlan, error) {
	p := SafetyPlan{Version: int(version), At: at, Person: person, Rules: rules, Note: note}
	if err := json.Unmarshal(lines, &p.Lines); err != nil {
		return p, fmt.Errorf("version %d of the plan: %w", version, err)
	}
	return p, nil
}

// SafetyPlan is the one in force.
func (k *Kitchen) SafetyPlan(ctx context.Context) (SafetyPlan, error) {
	a := ActorFrom(ctx)
	rows, err := k.DB.PlanInForce(ctx, a.Site.ID)
	if err != nil {
		return SafetyPlan{}, fmt.Errorf("loading the plan: %w", err)
	}
	for _, r := range rows {
		return safetyPlanOf(r.Version, r.At, r.Person, r.Rules, r.Note, r.Lines)
	}
	return SafetyPlan{Rules: a.Profile().Name, Lines: haccp.Usual(a.Profile())}, nil
}

// SafetyPlans are all versions, the last first.
func (k *Kitchen) SafetyPlans(ctx context.Context) ([]SafetyPlan, error) {
	rows, err := k.DB.PlanVersions(ctx, ActorFrom(ctx).Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading the versions of the plan: %w", err)
	}
	list := make([]SafetyPlan, len(rows))
	for i, r := range rows {
		if list[i], err = safetyPlanOf(r.Version, r.At, r.Person, r.Rules, r.Note, r.Lines); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// NewSafetyPlan is a version that is to be signed.
type NewSafetyPlan struct {
	After int // the version that it was made from
	Note  string
	Lines []haccp.Line // the limits of the rules are set anew
}

// SignSafetyPlan makes it the one in force. Errors are on note and lines, and as haccp.Check says.
func (k *Kitchen) SignSafetyPlan(ctx context.Context, n NewSafetyPlan) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	if n.Note = strings.TrimSpace(n.Note); n.Note == "" {
		bad.Add("note", "say what is new")
	} else if invalid.TooLong(n.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
	lines := slices.Clone(n.Lines)
	for i := range lines {
		lines[i].Limit = lines[i].LimitBy(a.Profile(), unit.CelsiusScale)
	}
	haccp.Check(lines, &bad)
	if err := bad.Err(); err != nil {
		return err
	}
	data, err := json.Marshal(lines)
	if err != nil {
		return fmt.Errorf("writing the plan: %w", err)
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActSettings, fmt.Sprintf("safety plan, version %d: %s", n.After+1, n.Note)); err != nil {
			return err
		}
		last, err := tx.PlanInForce(ctx, a.Site.ID) // one writer at a time: the audit is locked
		if err != nil {
			return fmt.Errorf("loading the plan: %w", err)
		}
		version := 0
		if len(last) > 0 {
			version = int(last[0].Version)
		}
		if version != n.After {
			bad.Add("note", "somebody signed version %d meanwhile: read it first", version)
			return bad
		}
		if err := tx.AddPlan(ctx, store.AddPlanParams{SiteID: a.Site.ID, Version: int64(version + 1), At: k.Now(), PersonID: a.Person.ID,
			Rules: a.Profile().Name, Note: n.Note, Lines: data}); err != nil {
			return fmt.Errorf("keeping the plan: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
