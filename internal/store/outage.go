package store

import (
	"context"
	"errors"
	"io"
	"net"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// How long a statement may take, wait for a lock, and for a free connection, while the application
// serves. Migrations and maintenance have no such limits.
const (
	statementTime = 10 * time.Second
	lockTime      = 10 * time.Second
	acquireTime   = 10 * time.Second
	commitTime    = 10 * time.Second
)

// errAway marks that the database does not answer.
var errAway = errors.New("the database does not answer")

// ErrSchema says that the schema is older than the program.
var ErrSchema = errors.New("the schema is not up to date: run leancatch migrate with the owner's login")

// Unclear says that a transaction was to be committed and the answer never came: it is stored, or not.
type Unclear struct{ Err error }

// Error implements error.
func (u *Unclear) Error() string {
	return "perhaps stored: the answer to a commit never came: " + u.Err.Error()
}

// Unwrap implements errors.
func (u *Unclear) Unwrap() error { return u.Err }

// awayCodes are errors of a server that cannot do its work now, and perhaps in a moment can.
// Source: PostgreSQL's manual, appendix A.
var awayCodes = []string{
	"53100", "53200", "53300", "53400", // disk, memory, connections, configuration
	"55P03",                   // a lock did not come free in time
	"57014",                   // a statement took too long
	"57P01", "57P02", "57P03", // shutting down, crashed, starting up
	"25006", // read only: a standby
}

// IsAway reports whether the error means that the database does not answer, or not in time: the same
// may be asked again.
func IsAway(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return slices.Contains(awayCodes, pg.Code) || strings.HasPrefix(pg.Code, "08") || strings.HasPrefix(pg.Code, "58")
	}
	var connecting *pgconn.ConnectError
	var network net.Error
	return errors.Is(err, errAway) || errors.As(err, &connecting) || errors.As(err, &network) || pgconn.Timeout(err) ||
		errors.Is(err, net.ErrClosed) || err != nil && strings.Contains(err.Error(), "conn closed") ||
		errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) // cut off in the middle of something
}

// Outcome is what a request left in the database so far.
type Outcome struct {
	committed atomic.Int64
	unclear   atomic.Bool
}

type outcomeKey struct{}

// WithOutcome returns a context whose transactions note what became of them.
func WithOutcome(ctx context.Context) context.Context {
	return context.WithValue(ctx, outcomeKey{}, &Outcome{})
}

// NothingStored reports whether it is known that no transaction of the context was committed.
func NothingStored(ctx context.Context) bool {
	o, ok := ctx.Value(outcomeKey{}).(*Outcome)
	return ok && o.committed.Load() == 0 && !o.unclear.Load()
}

// rollback ends a transaction that was not committed, also where its context has ended.
func rollback(ctx context.Context, tx pgx.Tx) {
	within, cancel := context.WithTimeout(context.WithoutCancel(ctx), commitTime)
	defer cancel()
	tx.Rollback(within) // an error means that the connection is gone, and the transaction with it
}

// commit ends a transaction, and says how.
func commit(ctx context.Context, tx pgx.Tx) error {
	o, _ := ctx.Value(outcomeKey{}).(*Outcome)
	within, cancel := context.WithTimeout(context.WithoutCancel(ctx), commitTime)
	defer cancel()
	err := tx.Commit(within)
	var pg *pgconn.PgError
	switch {
	case err == nil:
		if o != nil {
			o.committed.Add(1)
		}
		return nil
	case errors.As(err, &pg) && !IsAway(err), errors.Is(err, pgx.ErrTxCommitRollback):
		return err // the server says that it is not
	}
	if o != nil {
		o.unclear.Store(true)
	}
	return &Unclear{err}
}
