package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Layout is the cold places of a site, its probes, when each lay where, its suppliers, the checks of
// its probes, and what was written down of its ice.
type Layout struct {
	Places    []Place
	Probes    []Probe
	Stays     []ProbeStay
	Suppliers []Supplier
	Checks    []ChecksRow
	Ice       []IceLogRow
}

// Layout reads all of it in one round trip: most pages need them. The ice is that since a time.
func (q *Queries) Layout(ctx context.Context, site int64, since time.Time) (l Layout, err error) {
	var batch pgx.Batch
	queue(&batch, &l.Places, allPlaces, site)
	queue(&batch, &l.Probes, allProbes, site)
	queue(&batch, &l.Stays, probeStays, site)
	queue(&batch, &l.Suppliers, suppliers, site)
	queue(&batch, &l.Checks, checks, site)
	queue(&batch, &l.Ice, iceLog, site, since)
	sender := q.db.(interface {
		SendBatch(context.Context, *pgx.Batch) pgx.BatchResults
	})
	if err := sender.SendBatch(ctx, &batch).Close(); err != nil {
		return l, fmt.Errorf("loading places and probes: %w", err)
	}
	return l, nil
}

// queue adds a query of sqlc's, whose columns are the fields of T in their order.
func queue[T any](batch *pgx.Batch, into *[]T, sql string, args ...any) {
	batch.Queue(sql, args...).Query(func(rows pgx.Rows) (err error) {
		*into, err = pgx.CollectRows(rows, pgx.RowToStructByPos[T])
		return err
	})
}
