// Package kitchen holds the use cases: one function for each thing that a
// person or a device does. It owns the transactions: each state change is one,
// with its events, its projection and its notification.
//
// Who acts, and where, travels in the context:
//
//	ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: person})
//	err := k.Append(ctx, kitchen.Write{LotID: id, Payload: lot.Moved{PlaceID: 3}, …})
package kitchen

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// Kitchen is the application without its faces.
type Kitchen struct {
	DB  *store.DB
	Log *slog.Logger
	Now func() time.Time // the clock; tests and the demo set their own
}

// New makes a Kitchen on the system's clock.
func New(db *store.DB, log *slog.Logger) *Kitchen {
	return &Kitchen{DB: db, Log: log, Now: func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }}
}

// Actor is who acts, and in which kitchen.
type Actor struct {
	Site   store.Site
	Person store.Person
	// ProbeID is the only probe whose readings the actor may send, and all that
	// it may do; 0 for people and for programs that may do more.
	ProbeID int64
}

// Zone is the site's time zone.
func (a Actor) Zone() *time.Location {
	zone, err := time.LoadLocation(a.Site.TimeZone)
	if err != nil {
		return time.UTC
	}
	return zone
}

// Profile is the rule profile in force at the site.
func (a Actor) Profile() safety.Profile {
	p, ok := safety.GetProfile(a.Site.Profile)
	if !ok {
		p, _ = safety.GetProfile(safety.DefaultProfile)
	}
	return p
}

// Temps and Masses are the scales that the person reads and types.
func (a Actor) Temps() unit.TempScale  { return unit.TempScale(a.Person.TempScale) }
func (a Actor) Masses() unit.MassScale { return unit.MassScale(a.Person.MassScale) } // Masses: see Temps.

// IsManager reports whether the person may override a hard stop.
func (a Actor) IsManager() bool { return a.Person.Role == "manager" || a.Person.Role == "owner" }

type actorKey struct{}

// WithActor returns a context in which the actor acts.
func WithActor(ctx context.Context, a Actor) context.Context {
	return context.WithValue(ctx, actorKey{}, a)
}

// ActorFrom returns who acts in the context; the zero Actor where nobody does.
func ActorFrom(ctx context.Context) Actor {
	a, _ := ctx.Value(actorKey{}).(Actor)
	return a
}

// Errors that callers tell apart. Bad input is an invalid.Errors.
var (
	ErrNotFound = store.ErrNotFound
	ErrNoActor  = errors.New("nobody is on shift")
)

// Changed says that somebody else acted on the lot in the meantime.
type Changed struct {
	Seq    int     // the lot's sequence number now
	Events []Entry // what happened since
}

// Error implements error.
func (c *Changed) Error() string {
	return fmt.Sprintf("%d new events on this lot since you opened it", len(c.Events))
}

// Entry is an event with the name of who wrote it.
type Entry struct {
	lot.Event
	Payload lot.Payload
	Person  string
}
