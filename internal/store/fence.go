package store

import (
	"context"
	"errors"
	"strconv"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

// The fence is the second lock between kitchens: PostgreSQL's row-level security
// (migrations/00013_fence.sql). Which site is in force comes from the context;
// without one, queries see nothing.
//
//	ctx = store.WithSite(ctx, site.ID) // rows of this site alone
//	ctx = store.Everywhere(ctx)        // signing in, background work, commands
type siteKey struct{}

// everywhere stands for all sites.
const everywhere = int64(-1)

// WithSite returns a context in which the database shows one site alone.
func WithSite(ctx context.Context, site int64) context.Context {
	return context.WithValue(ctx, siteKey{}, site)
}

// Everywhere returns a context without the fence: for what concerns no site, or
// all of them.
func Everywhere(ctx context.Context) context.Context {
	return context.WithValue(ctx, siteKey{}, everywhere)
}

func siteOf(ctx context.Context) int64 {
	site, _ := ctx.Value(siteKey{}).(int64)
	return site
}

// fencedRole is the role under which a site is served.
const fencedRole = "leancatch_app"

// fence lets the connections of a pool see the site of the context alone. A
// connection keeps its site, so that a server of one kitchen sets it once.
func fence(config *pgxpool.Config) {
	config.AfterConnect = func(ctx context.Context, conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, "set role "+fencedRole)
		var pg *pgconn.PgError
		if errors.As(err, &pg) && pg.Code == "22023" {
			return errors.New("the schema is not up to date: run leancatch migrate")
		}
		return err
	}
	config.PrepareConn = func(ctx context.Context, conn *pgx.Conn) (bool, error) {
		kept, site := conn.PgConn().CustomData(), siteOf(ctx)
		if kept["site"] == site {
			return true, nil
		}
		text := ""
		if site > 0 {
			text = strconv.FormatInt(site, 10)
		}
		kept["site"] = nil
		if _, err := conn.Exec(ctx, "select set_config('leancatch.site', $1, false)", text); err != nil {
			return false, err
		}
		kept["site"] = site
		return true, nil
	}
}

// lanes sends each query to the connections that its context asks for.
type lanes struct{ open, fenced *pgxpool.Pool }

func (l lanes) of(ctx context.Context) *pgxpool.Pool {
	if siteOf(ctx) == everywhere {
		return l.open
	}
	return l.fenced
}

func (l lanes) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	return l.of(ctx).Exec(ctx, sql, args...)
}

func (l lanes) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	return l.of(ctx).Query(ctx, sql, args...)
}

func (l lanes) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	return l.of(ctx).QueryRow(ctx, sql, args...)
}

func (l lanes) SendBatch(ctx context.Context, batch *pgx.Batch) pgx.BatchResults {
	return l.of(ctx).SendBatch(ctx, batch)
}

// unfenced does what row-level security cannot do, as COPY cannot, outside the
// fence. What it writes must carry the site of a row that was read inside.
func (tx *Tx) unfenced(ctx context.Context, do func() error) error {
	if siteOf(ctx) == everywhere {
		return do()
	}
	if _, err := tx.Exec(ctx, "set local role none"); err != nil {
		return err
	}
	if err := do(); err != nil {
		return err // the transaction ends, and the role with it
	}
	_, err := tx.Exec(ctx, "set local role "+fencedRole)
	return err
}
