package store

import (
	"context"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
)

type counterKey struct{}

// WithCounter returns a context whose statements are counted in n: each query, each
// statement of a batch, each COPY, and the begin and end of each transaction.
func WithCounter(ctx context.Context, n *atomic.Int64) context.Context {
	return context.WithValue(ctx, counterKey{}, n)
}

// counter is a tracer of pgx that counts statements for WithCounter.
type counter struct{}

func (counter) add(ctx context.Context) context.Context {
	if n, ok := ctx.Value(counterKey{}).(*atomic.Int64); ok {
		n.Add(1)
	}
	return ctx
}

func (c counter) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return c.add(ctx)
}

func (counter) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

func (counter) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return ctx
}

func (c counter) TraceBatchQuery(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchQueryData) {
	c.add(ctx)
}

func (counter) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}

func (c counter) TraceCopyFromStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceCopyFromStartData) context.Context {
	return c.add(ctx)
}

func (counter) TraceCopyFromEnd(context.Context, *pgx.Conn, pgx.TraceCopyFromEndData) {}
