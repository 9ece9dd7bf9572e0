package main

import (
	"fmt"
	"slices"
	"time"

	"leancatch/internal/kitchen"
)

// lotsPast is how many lots there were before those on hand, pastEach how many a delivery brought, recallTries how often each recall is
// asked.
const (
	lotsPast    = 100_000
	pastEach    = 20
	recallTries = 15
)

// recalls times what a recall touches among the lots of years: copies of one lot, each delivered, moved twice and used up.
func (b *bench) recalls() error {
	of := b.cods[0]
	conn, err := b.k.DB.Pool.Acquire(b.ctx) // of one session, for its temporary table
	if err != nil {
		return err
	}
	defer conn.Release()
	var place int64
	err = conn.QueryRow(b.ctx, "select (data ->> 'place_id')::bigint from lot_event where lot_id = $1 and seq = 1", of).Scan(&place)
	if err != nil {
		return err
	}
	for _, sql := range []string{
		fmt.Sprintf("create temp table past on commit preserve rows as select i, gen_random_uuid() as id, make_interval(mins => i * 10 + 3000) as ago from generate_series(1, %d) i", lotsPast),
		`insert into lot select l.site_id, p.id, 'P-' || p.i, l.docket_id, l.head_seq, l.head_hash from lot l, past p where l.id = '` + of.String() + `'`,
		fmt.Sprintf(`insert into lot_event (site_id, lot_id, seq, id, kind, happened_at, recorded_at, person_id, data, prev_hash, hash)
			select e.site_id, p.id, e.seq, gen_random_uuid(), e.kind, e.happened_at - p.ago, e.recorded_at - p.ago, e.person_id,
			jsonb_set(e.data::jsonb, '{supplier_lot}', to_jsonb('S-' || p.i / %d))::json, e.prev_hash, e.hash
			from lot_event e, past p where e.lot_id = '%s' and e.seq = 1`, pastEach, of),
		`insert into lot_event (site_id, lot_id, seq, id, kind, happened_at, recorded_at, person_id, data, prev_hash, hash)
			select e.site_id, e.lot_id, 2, gen_random_uuid(), 'taken', e.happened_at + '2 days', e.recorded_at + '2 days', e.person_id,
			'{"end_use":"cooked","all":true}', e.prev_hash, e.hash from lot_event e join past p on p.id = e.lot_id`,
		`update lot set head_seq = 2 where id in (select id from past)`,
		fmt.Sprintf(`insert into lot_board select (jsonb_populate_record(b, jsonb_build_object('lot_id', p.id, 'code', 'P-' || p.i, 'status', 'used up',
			'received_at', b.received_at - p.ago, 'supplier_lot', 's-' || p.i / %d))).* from lot_board b, past p where b.lot_id = '%s'`, pastEach, of),
		`insert into lot_stay select s.site_id, p.id, s.place_id, s.from_at - p.ago, s.from_at - p.ago + '2 days' from lot_stay s, past p where s.lot_id = '` + of.String() + `'`,
		"vacuum (analyze) lot_event, lot_board, lot_stay",
	} {
		if _, err := conn.Exec(b.ctx, sql); err != nil {
			return fmt.Errorf("%.60s: %w", sql, err)
		}
	}
	now := b.k.Now()
	for _, x := range []struct {
		name string
		by   kitchen.RecallBy
	}{
		{"a supplier's lot", kitchen.RecallBy{SupplierLot: fmt.Sprintf("s-%d", lotsPast/pastEach/2)}},
		{"a species of two days", kitchen.RecallBy{SpeciesID: "cod", From: now.AddDate(-1, 0, 0), To: now.AddDate(-1, 0, 2)}},
		{"a place of a night", kitchen.RecallBy{PlaceID: place, From: now.AddDate(-1, 0, 0), To: now.AddDate(-1, 0, 0).Add(8 * time.Hour)}},
	} {
		var took []time.Duration
		n := 0
		for range recallTries {
			start := time.Now()
			touched, err := b.k.Touched(b.ctx, x.by)
			if err != nil {
				return fmt.Errorf("%s: %w", x.name, err)
			}
			took, n = append(took, time.Since(start)), len(touched.Lots)
		}
		slices.Sort(took)
		fmt.Printf("| a recall by %s among %d lots: %d touched, median (p95) | %.1f ms (%.1f ms) | ≤ 500 ms |\n", x.name, lotsPast, n,
			ms(took[len(took)/2]), ms(took[len(took)*95/100]))
	}
	return nil
}
