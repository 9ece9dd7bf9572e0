package kitchen

import (
	"context"
	"encoding/json"
	"fmt"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// complete reads and proposes again, by the scheme that it was made with, where an inspection is
// corrected. What cannot be read is left to lot.Admit, which says so.
func (c *change) complete(ctx context.Context, s *lot.State, x lot.Corrected) (lot.Corrected, error) {
	before, at, payload := s.Subject(lot.Event{}, x)
	inspected, ok := payload.(lot.Inspected)
	if before == nil || !ok {
		return x, nil
	}
	err := c.load(ctx, at.HappenedAt, before)
	if err != nil {
		return x, err
	}
	if inspected, err = c.rejudge(ctx, before, at, inspected); err != nil {
		return x, err
	}
	x.Data, err = json.Marshal(inspected)
	return x, err
}

// rejudge reads the fish of an inspection again and proposes a verdict, as of when it was
// made. Errors are on the fields of the correction's data.
func (c *change) rejudge(ctx context.Context, before *lot.State, at lot.Event, p lot.Inspected) (lot.Inspected, error) {
	scheme, err := c.k.schemeVersion(ctx, c.Queries, c.a.Site, p.Scheme, p.SchemeVersion)
	if err != nil {
		return p, invalid.Errors{{Field: "data.scheme", Message: "is not known"}}
	}
	for i, f := range p.Fish {
		if err := scheme.CheckFor(before.Species(), f); err != nil {
			return p, invalid.Errors{{Field: fmt.Sprintf("data.fish[%d]", i), Message: err.Error()}}
		}
	}
	assessed := assess.Assess(before, c.env.Env, at.HappenedAt)
	p.SchemeVersion = scheme.Version
	seen := assess.Seen{Scheme: scheme, Fish: p.Fish}
	if q := p.Quick; q != nil {
		if seen.QuickScheme, err = c.k.schemeVersion(ctx, c.Queries, c.a.Site, q.Scheme, q.Version); err != nil {
			return p, invalid.Errors{{Field: "data.quick_sample", Message: "is not known"}}
		}
		seen.Quick = q.Fish
	}
	p.Reading, p.Proposed, err = assess.Judge(before, c.a.Profile(), seen, before.Count, assessed.DeclaredAge, assessed.Histamine)
	if err != nil {
		return p, invalid.Errors{{Field: "data.fish", Message: err.Error()}}
	}
	if p.Decision == "" {
		p.Decision = p.Proposed.Decision
	}
	if !p.Overrides() {
		p.Reason = ""
	}
	p.Profile = c.a.Profile().ID
	return p, nil
}
