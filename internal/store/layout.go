package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// Layout is the cold places of a site, its probes, when each lay where, and its suppliers.
type Layout struct {
	Places    []Place
	Probes    []Probe
	Stays     []ProbeStay
	Suppliers []Supplier
}

// Layout reads all four in one round trip: most pages need them.
func (q *Queries) Layout(ctx context.Context, site int64) (l Layout, err error) {
	var batch pgx.Batch
	queue(&batch, &l.Places, places, site)
	queue(&batch, &l.Probes, probes, site)
	queue(&batch, &l.Stays, probeStays, site)
	queue(&batch, &l.Suppliers, suppliers, site)
	sender := q.db.(interface {
		SendBatch(context.Context, *pgx.Batch) pgx.BatchResults
	})
	if err := sender.SendBatch(ctx, &batch).Close(); err != nil {
		return l, fmt.Errorf("loading places and probes: %w", err)
	}
	return l, nil
}

// queue adds a query of sqlc's, whose columns are the fields of T in their order.
func queue[T any](batch *pgx.Batch, into *[]T, sql string, site int64) {
	batch.Queue(sql, site).Query(func(rows pgx.Rows) (err error) {
		*into, err = pgx.CollectRows(rows, pgx.RowToStructByPos[T])
		return err
	})
}
