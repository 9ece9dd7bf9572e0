package kitchen

import (
	"context"
	"fmt"
	"iter"
	"slices"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// RecordLot is a lot with all that was written of it.
type RecordLot struct {
	*lot.State
	Entries   []Entry // as they stand after corrections
	Supplier  string
	Reference string // of the delivery
	Places    map[int64]lot.Place
}

// recordPage is how many lots are in memory at a time.
const recordPage = 100

// RecordLots yields the lots to which something happened in a span, in the order in which they were made, however many there are.
func (k *Kitchen) RecordLots(ctx context.Context, span coldchain.Span) iter.Seq2[RecordLot, error] {
	return func(yield func(RecordLot, error) bool) {
		ids, err := k.DB.LotsTouched(ctx, store.LotsTouchedParams{SiteID: ActorFrom(ctx).Site.ID, FromAt: span.From, ToAt: span.To})
		if err != nil {
			yield(RecordLot{}, fmt.Errorf("which lots something happened to: %w", err))
			return
		}
		said, err := k.whoAndWhere(ctx)
		if err != nil {
			yield(RecordLot{}, err)
			return
		}
		for page := range slices.Chunk(ids, recordPage) {
			list, err := k.recordLots(ctx, said, page)
			if err != nil {
				yield(RecordLot{}, err)
				return
			}
			for _, x := range list {
				if !yield(x, nil) {
					return
				}
			}
		}
	}
}

// RecordLot is one of them.
func (k *Kitchen) RecordLot(ctx context.Context, id uuid.UUID) (RecordLot, error) {
	said, err := k.whoAndWhere(ctx)
	if err != nil {
		return RecordLot{}, err
	}
	list, err := k.recordLots(ctx, said, []uuid.UUID{id})
	if err != nil {
		return RecordLot{}, err
	}
	return list[0], nil
}

// whoAndWhere are the people and the places that entries name.
type whoAndWhere struct {
	names  map[int64]string
	places map[int64]lot.Place
}

func (k *Kitchen) whoAndWhere(ctx context.Context) (said whoAndWhere, err error) {
	site := ActorFrom(ctx).Site
	if said.names, err = peopleNames(ctx, k.DB.Queries, site.ID); err != nil {
		return said, err
	}
	l, err := k.layoutOf(ctx, k.DB.Queries, site)
	said.places = l.places
	return said, err
}

func (k *Kitchen) recordLots(ctx context.Context, said whoAndWhere, ids []uuid.UUID) ([]RecordLot, error) {
	site, q := ActorFrom(ctx).Site, k.DB.Queries
	events, err := k.events(ctx, q, site.ID, ids...)
	if err != nil {
		return nil, err
	}
	deliveries, err := q.DeliveriesOfLots(ctx, store.DeliveriesOfLotsParams{SiteID: site.ID, Lots: ids})
	if err != nil {
		return nil, fmt.Errorf("the deliveries of lots: %w", err)
	}
	list := make([]RecordLot, len(ids))
	for i, id := range ids {
		x := &list[i]
		if len(events[id]) == 0 {
			return nil, fmt.Errorf("lot %s: %w", id, ErrNotFound)
		}
		if x.State, err = lot.Fold(site.Catalogue(), events[id]); err != nil {
			return nil, err
		}
		if x.Entries, err = entriesBy(said.names, events[id]); err != nil {
			return nil, err
		}
		x.Places = said.places
		correct(x.Entries, x.State)
		if n := slices.IndexFunc(deliveries, func(d store.DeliveriesOfLotsRow) bool { return d.LotID == id }); n >= 0 {
			x.Supplier, x.Reference = deliveries[n].Supplier, deliveries[n].Reference
		}
	}
	return list, nil
}
