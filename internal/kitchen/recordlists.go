package kitchen

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"slices"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/probe"
	"leancatch/internal/store"
)

// The records of a kitchen besides those of its lots, by when they were made.

// ProbeChecked is a check of a thermometer.
type ProbeChecked struct {
	At           time.Time
	Probe        string
	In           probe.Method
	ReadC, TrueC float64
	OffK         float64
	Passed       bool
	Note         string
	Person       string
}

// ProbesChecked are those of a span.
func (k *Kitchen) ProbesChecked(ctx context.Context, span coldchain.Span) ([]ProbeChecked, error) {
	rows, err := k.DB.ProbeChecksBetween(ctx, store.ProbeChecksBetweenParams{SiteID: ActorFrom(ctx).Site.ID, FromAt: span.From, ToAt: span.To})
	return mapped(rows, err, func(r store.ProbeChecksBetweenRow) ProbeChecked {
		return ProbeChecked{r.At, r.Probe, probe.Method(r.Method), r.ReadC, r.TrueC, r.OffsetC, r.Passed, r.Note, r.Person}
	})
}

// Signed is that somebody did something at a time.
type Signed struct {
	At     time.Time
	Person string
	What   string
}

// CleanDowns are those of the bench in a span.
func (k *Kitchen) CleanDowns(ctx context.Context, span coldchain.Span) ([]Signed, error) {
	rows, err := k.DB.CleanDownsBetween(ctx, store.CleanDownsBetweenParams{SiteID: ActorFrom(ctx).Site.ID, FromAt: span.From, ToAt: span.To})
	return mapped(rows, err, func(r store.CleanDownsBetweenRow) Signed {
		return Signed{r.At, r.Person, "boards and knives cleaned down"}
	})
}

// PlacesChecked are the checks at opening and closing in a span.
func (k *Kitchen) PlacesChecked(ctx context.Context, span coldchain.Span) ([]Signed, error) {
	rows, err := k.DB.PlacesChecksBetween(ctx, store.PlacesChecksBetweenParams{SiteID: ActorFrom(ctx).Site.ID, FromAt: span.From,
		ToAt: span.To})
	return mapped(rows, err, func(r store.PlacesChecksBetweenRow) Signed { return Signed{r.At, r.Person, CheckKind(r.Kind).Name()} })
}

// Trainings are who was shown a cutting card, or does it alone, up to a time.
func (k *Kitchen) Trainings(ctx context.Context, until time.Time) ([]Signed, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.TrainingUntil(ctx, store.TrainingUntilParams{SiteID: site.ID, ToAt: until})
	return mapped(rows, err, func(r store.TrainingUntilRow) Signed {
		title := r.Card
		if c, ok := cutting.GetCard(r.Card); ok {
			sp, _ := site.Catalogue().Get(c.Species[0])
			title = sp.Name + ": " + lot.FormName(c.Cut)
		}
		what := title + ": does it alone"
		if r.ShownBy != "" {
			what = title + ": shown by " + r.ShownBy
		}
		return Signed{r.At, r.Person, what}
	})
}

// ChainHead is the last entry of a chain.
type ChainHead struct {
	Of string // code of the lot, or the audit
	Head
}

// ChainHeads are those of the lots to which something happened in a span, and that of the audit.
func (k *Kitchen) ChainHeads(ctx context.Context, span coldchain.Span) ([]ChainHead, error) {
	site := ActorFrom(ctx).Site.ID
	audit, err := k.DB.AuditHead(ctx, site)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return nil, fmt.Errorf("the end of the audit: %w", err)
	}
	rows, err := k.DB.HeadsBetween(ctx, store.HeadsBetweenParams{SiteID: site, FromAt: span.From, ToAt: span.To})
	if err != nil {
		return nil, fmt.Errorf("the ends of the chains: %w", err)
	}
	list := []ChainHead{{"the audit", Head{audit.Seq, audit.Hash}}}
	for _, r := range rows {
		list = append(list, ChainHead{r.Code, Head{r.HeadSeq, r.HeadHash}})
	}
	return list, nil
}

// AssessedLot is a lot with what its record says, now or as it was when it left.
type AssessedLot struct {
	RecordLot
	assess.Assessment
	env assess.Env
}

// AssessedLots yields those of RecordLots that are asked for, each as it was at a time.
func (k *Kitchen) AssessedLots(ctx context.Context, span coldchain.Span, wanted func(RecordLot) bool,
	at func(RecordLot) time.Time) iter.Seq2[AssessedLot, error] {
	return func(yield func(AssessedLot, error) bool) {
		for page, err := range pagesOf(k.RecordLots(ctx, span), wanted) {
			var env *environment
			if err == nil {
				var cuts []time.Time
				for _, x := range page {
					cuts = append(cuts, assess.CutsAt(at(x))...)
				}
				env, err = k.environmentFor(ctx, k.DB.Queries, ActorFrom(ctx).Site, statesOf(page), cuts...)
			}
			if err != nil {
				yield(AssessedLot{}, err)
				return
			}
			for _, x := range page {
				if !yield(AssessedLot{x, assess.Assess(x.State, env.Env, at(x)), env.Env}, nil) {
					return
				}
			}
		}
	}
}

func statesOf(lots []RecordLot) []*lot.State {
	states := make([]*lot.State, len(lots))
	for i, x := range lots {
		states[i] = x.State
	}
	return states
}

// pagesOf gathers lots that are wanted, so many at a time.
func pagesOf(lots iter.Seq2[RecordLot, error], wanted func(RecordLot) bool) iter.Seq2[[]RecordLot, error] {
	return func(yield func([]RecordLot, error) bool) {
		var page []RecordLot
		for x, err := range lots {
			if err != nil {
				yield(nil, err)
				return
			}
			if !wanted(x) {
				continue
			}
			if page = append(page, x); len(page) == recordPage {
				if !yield(page, nil) {
					return
				}
				page = nil
			}
		}
		if len(page) > 0 {
			yield(page, nil)
		}
	}
}

// ParasiteRecords yields the lots that were frozen, or served raw in a span, with how their parasites were dealt with.
func (k *Kitchen) ParasiteRecords(ctx context.Context, span coldchain.Span) iter.Seq2[AssessedLot, error] {
	now := k.Now()
	return k.AssessedLots(ctx, span, func(x RecordLot) bool {
		return len(x.FrozenStays) > 0 || slices.ContainsFunc(x.Exits, func(e lot.Exit) bool {
			return e.EndUse == lot.UsedRaw && span.Has(e.At)
		})
	}, func(RecordLot) time.Time { return now })
}
