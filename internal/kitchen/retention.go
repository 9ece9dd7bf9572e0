package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Retained is what may go of one kind of record, and what must stay.
type Retained struct {
	What   string // in words
	Rule   string // for how long it stays
	Before time.Time
	Gone   int // that may go
	Kept   int // that stay
}

// Retention says what may go of the records of a kitchen by the rules in force, and changes nothing.
func (k *Kitchen) Retention(ctx context.Context, site Site) ([]Retained, error) {
	keep, now := Actor{Site: site}.Profile().Keep, k.Now()
	lots, kept, err := k.lotsGone(ctx, site)
	if err != nil {
		return nil, err
	}
	before := keep.SafetyBefore(now)
	n, err := k.DB.RecordsBefore(ctx, store.RecordsBeforeParams{SiteID: site.ID, Before: &before})
	if err != nil {
		return nil, fmt.Errorf("counting old records: %w", err)
	}
	months, err := k.DB.ReadingMonths(ctx, before)
	if err != nil {
		return nil, fmt.Errorf("counting the months of readings: %w", err)
	}
	safetyRule := fmt.Sprintf("%d months", keep.SafetyMonths)
	return []Retained{
		{"Lots with all entries, photos and words of guests", fmt.Sprintf("%d months after the last of all fish that it was or became",
			keep.LotMonths()), keep.LotBefore(now), len(lots), kept},
		{"Alarms and what was done", safetyRule, before, int(n.AlarmsBefore), int(n.Alarms - n.AlarmsBefore)},
		{"Opening and closing checks, clean-downs", safetyRule, before, int(n.ChecksBefore), int(n.Checks - n.ChecksBefore)},
		{"Months of readings; the sums of their hours stay", safetyRule + ", of all kitchens", before, int(months.MonthsBefore),
			int(months.Months - months.MonthsBefore)},
	}, nil
}

// lotsGone are the lots whose records may go, and how many stay: a lot goes with all that it was and became, together, or not at all.
func (k *Kitchen) lotsGone(ctx context.Context, site Site) (gone []uuid.UUID, kept int, err error) {
	before := Actor{Site: site}.Profile().Keep.LotBefore(k.Now())
	lots, err := k.DB.LotsToRetain(ctx, site.ID)
	if err != nil {
		return nil, 0, fmt.Errorf("loading the lots: %w", err)
	}
	links, err := k.DB.AllLinks(ctx, site.ID)
	if err != nil {
		return nil, 0, fmt.Errorf("loading what lots became: %w", err)
	}
	recalled, err := k.DB.LotsRecalledSince(ctx, store.LotsRecalledSinceParams{SiteID: site.ID, Since: before})
	if err != nil {
		return nil, 0, fmt.Errorf("loading the recalls: %w", err)
	}
	kin := map[uuid.UUID]uuid.UUID{} // each to one of its family, whose head leads to itself
	head := func(id uuid.UUID) uuid.UUID {
		for kin[id] != uuid.Nil && kin[id] != id {
			id = kin[id]
		}
		return id
	}
	for _, l := range links {
		kin[head(l.FromLot)] = head(l.ToLot)
	}
	stays := map[uuid.UUID]bool{}
	for _, id := range recalled {
		stays[head(id)] = true
	}
	for _, l := range lots {
		if l.Status == string(lot.OnHand) || !l.Last.Before(before) {
			stays[head(l.LotID)] = true
		}
	}
	for _, l := range lots {
		if stays[head(l.LotID)] {
			kept++
			continue
		}
		gone = append(gone, l.LotID)
	}
	return gone, kept, nil
}

// lotsDropped is how many lots are dropped in one transaction.
const lotsDropped = 500

// Retain drops for ever what may go by the rules, of all kitchens, as Retention says. The readings go by whole months, once no kitchen's
// rules keep them;
// the sums of their hours stay and answer for them. It needs the owner's login.
func (k *Kitchen) Retain(ctx context.Context) error {
	ctx = store.Everywhere(ctx)
	sites, err := k.Sites(ctx)
	if err != nil {
		return err
	}
	owner, months := store.New(k.DB.Pool), 0
	for _, site := range sites {
		keep := Actor{Site: site}.Profile().Keep
		months = max(months, keep.SafetyMonths)
		gone, _, err := k.lotsGone(ctx, site)
		if err != nil {
			return err
		}
		for page := range slices.Chunk(gone, lotsDropped) {
			if err := owner.DropLots(ctx, store.DropLotsParams{Site: site.ID, Gone: page}); err != nil {
				return fmt.Errorf("dropping old lots of %s: %w", site.Name, err)
			}
		}
		if err := owner.DropRecords(ctx, store.DropRecordsParams{Site: site.ID, Before: keep.SafetyBefore(k.Now())}); err != nil {
			return fmt.Errorf("dropping old records of %s: %w", site.Name, err)
		}
	}
	if months > 0 {
		_, err = k.RetainReadings(ctx, months)
	}
	return err
}
