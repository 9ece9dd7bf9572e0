// Package store keeps everything in PostgreSQL. Queries are SQL in queries/,
// turned into Go by sqlc (the *.sql.go files; make generate); what needs COPY
// or more than one statement is written here. It knows no HTTP and no rules.
//
//	db, err := store.Open(ctx, url)
//	err = db.Write(ctx, func(tx *store.Tx) error { … }) // one transaction
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

// ErrNotFound says that there is no such row.
var ErrNotFound = pgx.ErrNoRows

// DB is two pools of connections: Pool, which sees everything, and the fenced
// one, which sees the site of the context. Its Queries run each on their own,
// outside a transaction.
type DB struct {
	*Queries
	Pool  *pgxpool.Pool
	lanes lanes
	hours hourCache
}

// Tx is one transaction.
type Tx struct {
	*Queries
	pgx.Tx
}

// defaultConns bounds the connections of each pool of one process, unless the
// URL says otherwise with pool_max_conns.
const defaultConns = 16

// Open connects to the database at a postgres:// URL and checks that it answers.
func Open(ctx context.Context, url string) (*DB, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("reading the database's URL: %w", err)
	}
	if !strings.Contains(url, "pool_max_conns") {
		config.MaxConns = defaultConns
	}
	config.ConnConfig.Tracer = counter{}
	pool, err := pgxpool.NewWithConfig(ctx, config.Copy())
	if err != nil {
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	fence(config)
	fenced, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	l := lanes{pool, fenced}
	db := &DB{Queries: New(l), Pool: pool, lanes: l}
	if err := pool.Ping(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	return db, nil
}

// Close closes all connections.
func (db *DB) Close() {
	db.lanes.fenced.Close()
	db.Pool.Close()
}

// writeTries is how often a transaction is tried that PostgreSQL ended because
// two waited for each other.
const writeTries = 4

// Write runs do in one transaction and commits where it returns nil. Where
// PostgreSQL breaks a deadlock at its cost, do runs again from the beginning.
func (db *DB) Write(ctx context.Context, do func(*Tx) error) error {
	for try := 1; ; try++ {
		err := pgx.BeginFunc(ctx, db.lanes.of(ctx), func(tx pgx.Tx) error { return do(&Tx{New(tx), tx}) })
		var pg *pgconn.PgError
		if try == writeTries || !errors.As(err, &pg) || pg.Code != "40P01" {
			return err
		}
	}
}

// Topic says what a notification is about.
type Topic string

// The topics, each a channel of NOTIFY; the payload is the site's id.
const (
	TopicChanged  Topic = "leancatch_changed"  // what people see has changed
	TopicReadings Topic = "leancatch_readings" // readings came in; lots may be stale
)

// Changed counts and announces a change of what people see at a site. It is
// the last thing that a transaction does: writers of one site wait for each
// other here.
func (tx *Tx) Changed(ctx context.Context, site int64) error {
	if err := tx.BumpVersion(ctx, site); err != nil {
		return err
	}
	return tx.notify(ctx, TopicChanged, site)
}

// notify reaches all processes when the transaction commits.
func (tx *Tx) notify(ctx context.Context, topic Topic, site int64) error {
	_, err := tx.Exec(ctx, "select pg_notify($1, $2::text)", string(topic), strconv.FormatInt(site, 10))
	return err
}

// Listen calls heard for each notification until the context ends or the
// connection breaks. It calls ready once it listens.
func (db *DB) Listen(ctx context.Context, ready func(), heard func(topic Topic, site int64)) error {
	conn, err := db.Pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("listening: %w", err)
	}
	raw := conn.Hijack() // a listening connection never goes back to the pool
	defer raw.Close(context.WithoutCancel(ctx))
	for _, topic := range []Topic{TopicChanged, TopicReadings} {
		if _, err := raw.Exec(ctx, "listen "+string(topic)); err != nil {
			return fmt.Errorf("listening: %w", err)
		}
	}
	ready()
	for {
		n, err := raw.WaitForNotification(ctx)
		if err != nil {
			return fmt.Errorf("listening: %w", err)
		}
		if site, err := strconv.ParseInt(n.Payload, 10, 64); err == nil {
			heard(Topic(n.Channel), site)
		}
	}
}

//go:embed migrations/*.sql
var migrations embed.FS

// Migrate brings the schema up to date. Several processes may call it at once.
func (db *DB) Migrate(ctx context.Context) error {
	provider, err := db.provider()
	if err != nil {
		return err
	}
	defer provider.Close()
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	if err := db.rollUpStale(ctx); err != nil {
		return fmt.Errorf("rolling up the hours again: %w", err)
	}
	return nil
}

// Unmigrate takes the schema back to a version; 0 is none. What only later versions
// hold is lost.
func (db *DB) Unmigrate(ctx context.Context, version int64) error {
	provider, err := db.provider()
	if err != nil {
		return err
	}
	defer provider.Close()
	if _, err := provider.DownTo(ctx, version); err != nil {
		return fmt.Errorf("taking the schema back: %w", err)
	}
	return nil
}

// Migrated returns an error unless the database answers and its schema is up to date.
func (db *DB) Migrated(ctx context.Context) error {
	provider, err := db.provider()
	if err != nil {
		return err
	}
	defer provider.Close()
	pending, err := provider.HasPending(ctx)
	if err != nil {
		return fmt.Errorf("reading the schema's version: %w", err)
	}
	if pending {
		return errors.New("the schema is not up to date")
	}
	return nil
}

func (db *DB) provider() (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectPostgres, stdlib.OpenDBFromPool(db.Pool), files,
		goose.WithSessionLocker(locker))
}

// IsDuplicate reports whether the error is a violated unique constraint.
func IsDuplicate(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

// IsUnstorable reports whether a value was sent that no column can hold: text that
// is no UTF-8 or has a NUL, or a number out of range.
func IsUnstorable(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && slices.Contains([]string{"22021", "22P05", "22P02", "22003", "22008"}, pg.Code)
}

// IsMissing reports whether a row names another one that is not there.
func IsMissing(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23503"
}
