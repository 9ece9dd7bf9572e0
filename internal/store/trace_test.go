package store_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// What a lot was and became, over 1,000 histories of lots that were cut, split and put together at random, also back with what they came
// of, is what walking the links finds, link by link.
func TestLineageAgainstBruteForce(t *testing.T) {
	t.Parallel()
	ctx := store.Everywhere(context.Background())
	db := storetest.New(t)
	site := probe(t, db).SiteID
	var docket uuid.UUID
	err := db.Pool.QueryRow(ctx, `with s as (insert into supplier (site_id, name) values ($1, 'S') returning id),
		p as (insert into person (site_id, name, role) values ($1, 'P', 'crew') returning id)
		insert into docket (site_id, id, supplier_id, reference, arrived_at, recorded_at, person_id)
		select $1, gen_random_uuid(), s.id, '', now(), now(), p.id from s, p returning id`, site).Scan(&docket)
	if err != nil {
		t.Fatal(err)
	}
	rng := rand.New(rand.NewPCG(11, 7))
	var lots, links [][]any
	type history struct {
		ids   []uuid.UUID
		links [][2]int // from and to
	}
	histories := make([]history, 1000)
	for h := range histories {
		x := &histories[h]
		for i := range 2 + rng.IntN(9) {
			id := uuid.New()
			x.ids = append(x.ids, id)
			lots = append(lots, []any{site, id, fmt.Sprintf("L-%d-%d", h, i), docket, 1, []byte{}})
			if parent := rng.IntN(i+1) - 1; parent >= 0 {
				x.links = append(x.links, [2]int{parent, i})
			}
		}
		for i := range x.ids {
			if with := rng.IntN(len(x.ids)); rng.IntN(3) == 0 && with != i && !slices.Contains(x.links, [2]int{i, with}) {
				x.links = append(x.links, [2]int{i, with})
			}
		}
		for _, l := range x.links {
			links = append(links, []any{site, x.ids[l[0]], x.ids[l[1]], time.Now(), l[0] > l[1]})
		}
	}
	copyTo := func(table string, columns []string, rows [][]any) {
		if _, err := db.Pool.CopyFrom(ctx, pgx.Identifier{table}, columns, pgx.CopyFromRows(rows)); err != nil {
			t.Fatal(err)
		}
	}
	copyTo("lot", []string{"site_id", "id", "code", "docket_id", "head_seq", "head_hash"}, lots)
	copyTo("lot_link", []string{"site_id", "from_lot", "to_lot", "at", "together"}, links)
	for h, x := range histories {
		reach := func(start, from, to int) []uuid.UUID { // from and to: which end of a link is left, and which entered
			seen, waiting := []int{start}, []int{start}
			for len(waiting) > 0 {
				at := waiting[0]
				waiting = waiting[1:]
				for _, l := range x.links {
					if l[from] == at && !slices.Contains(seen, l[to]) {
						seen, waiting = append(seen, l[to]), append(waiting, l[to])
					}
				}
			}
			ids := make([]uuid.UUID, len(seen))
			for i, n := range seen {
				ids[i] = x.ids[n]
			}
			return sorted(ids)
		}
		start := rng.IntN(len(x.ids))
		of := []uuid.UUID{x.ids[start]}
		after, err := db.LotsAfter(ctx, store.LotsAfterParams{SiteID: site, Lots: of})
		if err != nil {
			t.Fatal(err)
		}
		before, err := db.LotsBefore(ctx, store.LotsBeforeParams{SiteID: site, Lots: of})
		if err != nil {
			t.Fatal(err)
		}
		if !slices.Equal(sorted(after), reach(start, 0, 1)) || !slices.Equal(sorted(before), reach(start, 1, 0)) {
			t.Fatalf("history %d: lot %d of %v became %v and was %v", h, start, x.links, after, before)
		}
		links, err := db.LotLinks(ctx, store.LotLinksParams{SiteID: site, Lots: x.ids})
		if err != nil || len(links) != len(x.links) {
			t.Fatalf("history %d: %d links of %d, %v", h, len(links), len(x.links), err)
		}
	}
}

func sorted(ids []uuid.UUID) []uuid.UUID {
	slices.SortFunc(ids, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	return ids
}
