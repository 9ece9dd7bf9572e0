package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/haccp"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Missing is something that an inspector would ask for and that the records of a span do not have.
type Missing struct {
	At   time.Time
	What string // in words
	Of   string // of which lot, place, probe or supplier
	Mend string // how it is put right, as far as it can be
	To   string // the page on which, below that of the kitchen
}

// Within which time these are missing (house).
const (
	inspectedLate = 12 * time.Hour      // a lot that nobody inspected
	gapShown      = 4 * time.Hour       // a place whose temperature nobody knows
	endsSoon      = 30 * 24 * time.Hour // a declaration that runs out
)

// Missing lists what is missing in the records of a span, the latest first.
func (k *Kitchen) Missing(ctx context.Context, span coldchain.Span) ([]Missing, error) {
	var list []Missing
	for _, find := range []func(context.Context, coldchain.Span) ([]Missing, error){k.missingOfLots, k.missingActions, k.missingChecks,
		k.missingTemperatures, k.missingPapers, k.missingPlan} {
		found, err := find(ctx, span)
		if err != nil {
			return nil, err
		}
		list = append(list, found...)
	}
	slices.SortStableFunc(list, func(a, b Missing) int { return b.At.Compare(a.At) })
	return list, nil
}

func (k *Kitchen) missingOfLots(ctx context.Context, span coldchain.Span) (list []Missing, err error) {
	for x, err := range k.RecordLots(ctx, span) {
		if err != nil {
			return nil, err
		}
		r, of, to := x.Received, x.Species().Name+" "+x.Received.Code, "/lots/"+x.ID.String()
		inSpan := span.Has(x.ReceivedAt) && x.ParentCode == ""
		if inSpan && r.CoreC == nil && !r.OwnCatch && !r.Here && len(x.CoreReadings) == 0 {
			list = append(list, Missing{x.ReceivedAt, "received without a core temperature", of, "say how it was known to be cold, or measure it",
				to})
		}
		if inSpan && len(x.Inspections) == 0 && !r.Here && x.Status != lot.Cancelled && x.Status != lot.WasRefused &&
			k.Now().Sub(x.ReceivedAt) > inspectedLate {
			mend := "inspect it"
			if x.Status != lot.OnHand {
				mend = "nothing any more: it has left"
			}
			list = append(list, Missing{x.ReceivedAt, "not inspected", of, mend, to})
		}
		for _, e := range x.Exits {
			if e.EndUse == lot.NotCounted && span.Has(e.At) {
				list = append(list, Missing{e.At, fmt.Sprintf("%.2f kg not accounted for", e.Kg), of,
					"take it off as what it became, once that is known", to})
			}
		}
	}
	return list, nil
}

func (k *Kitchen) missingActions(ctx context.Context, span coldchain.Span) (list []Missing, err error) {
	deviations, err := k.Deviations(ctx, span)
	if err != nil {
		return nil, err
	}
	for _, d := range deviations {
		switch {
		case len(d.Done) == 0 && !d.Lasts:
			list = append(list, Missing{d.At, "deviation without a corrective action: " + d.What, d.Of, "write down what was done", d.To})
		case len(d.Done) > 0 && d.Read == nil && k.Now().Sub(d.At) > readWithin:
			list = append(list, Missing{d.At, "deviation that no second person has read: " + d.What, d.Of, "read it and sign",
				"/records/inspector/deviations"})
		}
	}
	return list, nil
}

func (k *Kitchen) missingPlan(ctx context.Context, _ coldchain.Span) ([]Missing, error) {
	plan, err := k.SafetyPlan(ctx)
	if err != nil {
		return nil, err
	}
	switch {
	case plan.Version == 0:
		return []Missing{{k.Now(), "no signed safety plan", "", "read it and sign it", "/records/inspector/plan"}}, nil
	case haccp.Outdated(plan.Lines, ActorFrom(ctx).Profile()):
		return []Missing{{k.Now(), "the safety plan was signed with other limits", "", "read it again and sign it", "/records/inspector/plan"}},
			nil
	}
	return nil, nil
}

func (k *Kitchen) missingChecks(ctx context.Context, span coldchain.Span) (list []Missing, err error) {
	a := ActorFrom(ctx)
	done, err := k.DB.PlacesChecks(ctx, store.PlacesChecksParams{SiteID: a.Site.ID, Since: span.From.Add(-24 * time.Hour)})
	if err != nil {
		return nil, fmt.Errorf("loading the checks: %w", err)
	}
	if len(done) == 0 || len(a.Site.CheckHours) == 0 { // before its first one a kitchen missed none
		return nil, nil
	}
	until := k.Now().Add(-readEarly)
	for _, h := range hoursOfChecks(a.Site.CheckHours, coldchain.Span{From: span.From, To: earlier(span.To, until)}, a.Zone(), done) {
		if h.Done == nil && h.At.After(done[0].At) {
			list = append(list, Missing{h.At, h.Kind.Name() + " not signed", "", "sign the next one", "/cold/check"})
		}
	}
	return list, nil
}

func (k *Kitchen) missingTemperatures(ctx context.Context, span coldchain.Span) (list []Missing, err error) {
	probes, err := k.Probes(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range probes {
		if p.Overdue(k.Now()) && p.Here() != nil {
			list = append(list, Missing{p.DueAt, "not checked", p.Name, "check it in ice or boiling water", fmt.Sprintf("/cold/probes/%d", p.ID)})
		}
	}
	places, err := k.Places(ctx)
	if err != nil {
		return nil, err
	}
	span.To = earlier(span.To, k.Now())
	for _, x := range places {
		if !x.Cold() || len(x.Probes) == 0 || x.Holds == lot.HoldsNone {
			continue
		}
		trace, err := k.PlaceTrace(ctx, x.ID, span)
		if err != nil {
			return nil, err
		}
		for _, gap := range trace.Gaps {
			if gap.Len() >= gapShown && gap.From.After(span.From) {
				list = append(list, Missing{gap.From, "no temperature for " + hoursOrDays(gap.Len()), x.Name,
					"import a logger's file, or type the readings of the clipboard", fmt.Sprintf("/cold/places/%d", x.ID)})
			}
		}
	}
	return list, nil
}

// hoursOrDays is a time in words, as people say it.
func hoursOrDays(d time.Duration) string {
	if d < 48*time.Hour {
		return fmt.Sprintf("%.0f h", d.Hours())
	}
	return fmt.Sprintf("%.0f days", d.Hours()/24)
}

func (k *Kitchen) missingPapers(ctx context.Context, _ coldchain.Span) (list []Missing, err error) {
	entries, err := k.Declarations(ctx)
	if err != nil {
		return nil, err
	}
	now := k.Now()
	for _, e := range entries {
		ends := e.ValidTo
		newer := slices.ContainsFunc(entries, func(o DeclarationEntry) bool {
			return o.StruckAt == nil && o.SupplierID == e.SupplierID && o.LettersRow.Species == e.LettersRow.Species && o.Kind == e.Kind &&
				o.ValidTo.After(ends)
		})
		if e.StruckAt != nil || newer || ends.IsZero() || ends.Sub(now) > endsSoon {
			continue
		}
		what := "runs out " + ends.Format("2 Jan")
		if ends.Before(now) {
			what = "ran out " + ends.Format("2 Jan")
		}
		list = append(list, Missing{ends, "declaration " + what, e.Supplier + ", " + e.Species.Name, "ask for the new one", "/declarations"})
	}
	return list, nil
}
