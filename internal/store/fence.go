package store

import (
	"context"
	"errors"
	"fmt"
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

// The roles under which the application works: within the fence of one site, and outside it. Neither
// owns anything; the login that serves needs no right but to take them
// (migrations/00020_serving_login.sql).
const (
	fencedRole = "leancatch_app"
	openRole   = "leancatch_all"
)

// as lets the connections of a pool work under a role, within the limits of time. They are set once
// connected, not on connecting: a pooler in between need not know them.
func as(config *pgxpool.Config, role string) {
	config.AfterConnect = func(ctx context.Context, conn *pgx.Conn) error {
		_, err := conn.PgConn().Exec(ctx, fmt.Sprintf("set role %s; set statement_timeout = %d; set lock_timeout = %d; "+
			"set idle_in_transaction_session_timeout = %d", role, statementTime.Milliseconds(), lockTime.Milliseconds(),
			3*statementTime.Milliseconds())).ReadAll()
		var pg *pgconn.PgError
		if errors.As(err, &pg) && pg.Code == "22023" {
			return ErrSchema
		}
		return err
	}
}

// fence lets the connections of a pool see the site of the context alone. A
// connection keeps its site, so that a server of one kitchen sets it once.
func fence(config *pgxpool.Config) {
	as(config, fencedRole)
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

// acquire takes a connection out of its pool, or says that none came free in time.
func (l lanes) acquire(ctx context.Context) (*pgxpool.Conn, error) {
	pool := l.fenced
	if siteOf(ctx) == everywhere {
		pool = l.open
	}
	wait, cancel := context.WithTimeout(ctx, acquireTime)
	defer cancel()
	conn, err := pool.Acquire(wait)
	if err != nil && ctx.Err() == nil && errors.Is(err, context.DeadlineExceeded) {
		err = fmt.Errorf("no connection came free within %s: %w", acquireTime, errors.Join(errAway, err))
	}
	return conn, err
}

func (l lanes) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	conn, err := l.acquire(ctx)
	if err != nil {
		return pgconn.CommandTag{}, err
	}
	defer conn.Release()
	return conn.Exec(ctx, sql, args...)
}

func (l lanes) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	conn, err := l.acquire(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := conn.Query(ctx, sql, args...)
	if err != nil {
		conn.Release()
		return rows, err
	}
	return &heldRows{rows, conn}, nil
}

func (l lanes) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	conn, err := l.acquire(ctx)
	if err != nil {
		return noRow{err}
	}
	return heldRow{conn.QueryRow(ctx, sql, args...), conn}
}

// SendBatch implements what Layout asks for.
func (l lanes) SendBatch(ctx context.Context, batch *pgx.Batch) pgx.BatchResults {
	conn, err := l.acquire(ctx)
	if err != nil {
		return noBatch{err: err}
	}
	return heldBatch{conn.SendBatch(ctx, batch), conn}
}

// heldBatch gives its connection back when it is closed.
type heldBatch struct {
	pgx.BatchResults
	conn *pgxpool.Conn
}

func (b heldBatch) Close() error {
	defer b.conn.Release()
	return b.BatchResults.Close()
}

// noBatch is a batch that could not be sent: it can only be closed.
type noBatch struct {
	pgx.BatchResults
	err error
}

func (b noBatch) Close() error { return b.err }

// heldRows gives its connection back when it is closed, which it is at its end.
type heldRows struct {
	pgx.Rows
	conn *pgxpool.Conn
}

func (r *heldRows) Next() bool {
	more := r.Rows.Next()
	if !more {
		r.Close()
	}
	return more
}

func (r *heldRows) Close() {
	r.Rows.Close()
	if r.conn != nil {
		r.conn.Release()
		r.conn = nil
	}
}

// heldRow gives its connection back when it is read.
type heldRow struct {
	pgx.Row
	conn *pgxpool.Conn
}

func (r heldRow) Scan(dest ...any) error {
	defer r.conn.Release()
	return r.Row.Scan(dest...)
}

// noRow is a row that cannot be read.
type noRow struct{ err error }

func (r noRow) Scan(...any) error { return r.err }
