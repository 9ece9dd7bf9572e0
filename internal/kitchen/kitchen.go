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
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"leancatch/internal/core/access"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// Kitchen is the application without pages, API or devices.
type Kitchen struct {
	DB  *store.DB
	Log *slog.Logger
	Now func() time.Time // the clock; tests and the demo set their own

	leads       *thawLeads    // how long frozen lots thaw
	plans       *plans        // of services
	projectedAt *atomic.Int64 // when Project last had nothing left to do, Unix time in ns
}

// New makes a Kitchen on the system's clock.
func New(db *store.DB, log *slog.Logger) *Kitchen {
	return &Kitchen{DB: db, Log: log, leads: newThawLeads(), plans: newPlans(), projectedAt: &atomic.Int64{},
		Now: func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }}
}

// projectionLate is after how long without a projection a process is not ready.
const projectionLate = 3 * time.Minute

// Ready returns an error unless the database answers and is as it must be, and what people see has been
// brought up to date.
func (k *Kitchen) Ready(ctx context.Context) error {
	if faults := k.DB.Health(ctx, store.FullDisk); len(faults) > 0 {
		return errors.New(strings.Join(faults, "; "))
	}
	if v, err := k.Vitals(ctx); err != nil || v.ProjectionAge > projectionLate {
		return errors.Join(err, fmt.Errorf("what people see was not brought up to date for %s", v.ProjectionAge.Round(time.Second)))
	}
	return nil
}

// Answers returns an error unless the database answers and its schema is up to date.
func (k *Kitchen) Answers(ctx context.Context) error { return k.DB.Migrated(ctx) }

// Vitals are figures of the whole installation, for who watches over it.
type Vitals struct {
	store.VitalsRow
	// ProjectionAge is for how long what people see has not been brought up to date by this process;
	// 0 where it does not project.
	ProjectionAge time.Duration
}

// Vitals reads them.
func (k *Kitchen) Vitals(ctx context.Context) (v Vitals, err error) {
	v.VitalsRow, err = k.DB.Vitals(store.Everywhere(ctx))
	if at := k.projectedAt.Load(); at != 0 {
		v.ProjectionAge = time.Since(time.Unix(0, at))
	}
	return v, err
}

// Pools are the connections to the database by what they are for.
func (k *Kitchen) Pools() map[string]*pgxpool.Stat { return k.DB.Pools() }

// Health tells what is not as it must be; nothing where all is well.
func (k *Kitchen) Health(ctx context.Context) []string { return k.DB.Health(ctx, store.LowDisk) }

// Listen calls changed for each change at a site that some process announces, until
// the context ends or the connection breaks; readings says that temperatures came in
// and nothing else changed. It calls work where that leaves work for Project. It calls
// ready once it listens.
func (k *Kitchen) Listen(ctx context.Context, ready func(), changed func(site int64, readings bool), work func()) error {
	return k.DB.Listen(ctx, ready, func(topic store.Topic, site int64) {
		if topic != store.TopicChanged {
			work()
		}
		if topic != store.TopicBetween {
			changed(site, topic == store.TopicReadings)
		}
	})
}

// Actor is who acts, and in which kitchen.
type Actor struct {
	Site   Site
	Person Person
	// Approver is the manager who approved this one act; nil for most.
	Approver *Person
	// ByDeputy says that the approver is the deputy of the shift.
	ByDeputy bool
	// Asks says that what only a manager may write waits for one, with the lot on hold.
	Asks bool
	// Visit is how the person is signed in; the zero Visit for programs.
	SignIn SignIn
	// Token bounds what a program may do; nil for people.
	Token *Token
	// Version is the kitchen's count of changes when the request began: what is shown is at least as new.
	Version int64
}

// May reports whether the actor has a right: by the role, within the token's
// scopes, and what managers may, also by a manager's approval.
func (a Actor) May(right access.Right) bool {
	switch {
	case a.Token != nil && !a.Token.allows(right):
		return false
	case right == access.Manage && a.Approver != nil && access.Role(a.Approver.Role).May(right):
		return access.Role(a.Person.Role).May(access.Write) // who writes nothing writes nothing by another's word
	}
	return access.Role(a.Person.Role).May(right)
}

// need returns an error unless the actor has the right.
func (a Actor) need(right access.Right) error {
	switch {
	case a.Person.ID == 0:
		return ErrNoActor
	case a.May(right):
		return nil
	case right == access.Manage:
		return ErrManager
	}
	return ErrRight
}

// Zone is the site's time zone.
func (a Actor) Zone() *time.Location {
	zone, err := time.LoadLocation(a.Site.TimeZone)
	if err != nil {
		return time.UTC
	}
	return zone
}

// Profile is the rules in force at the site.
func (a Actor) Profile() safety.Profile {
	p, ok := safety.GetProfile(a.Site.Profile)
	if !ok {
		p, _ = safety.GetProfile(safety.DefaultProfile)
	}
	return p
}

// Temps and Masses are the scales that the person reads and types.
func (a Actor) Temps() unit.TempScale  { return unit.TempScale(a.Person.TempScale) }
func (a Actor) Masses() unit.MassScale { return unit.MassScale(a.Person.MassScale) }

// IsManager reports whether the actor may write what needs a manager: one acts, or approved it, or the deputy
// of the shift did.
func (a Actor) IsManager() bool {
	return a.May(access.Manage) || a.Approver != nil && a.ByDeputy && a.Token == nil && a.May(access.Write)
}

type actorKey struct{}

// WithActor returns a context in which the actor acts, and the database shows
// their kitchen alone.
func WithActor(ctx context.Context, a Actor) context.Context {
	return store.WithSite(context.WithValue(ctx, actorKey{}, a), a.Site.ID)
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
	ErrManager  = errors.New("only a manager may do this")
	ErrRight    = errors.New("this is not among what you may do here")
)

// IsUnstorable reports whether a value was given that the database cannot hold: text
// that is no UTF-8 or has a NUL, or a number out of range.
func IsUnstorable(err error) bool { return store.IsUnstorable(err) }

// IsAway reports whether the database does not answer, or not in time: the same may be asked again.
func IsAway(err error) bool { return store.IsAway(err) }

// WithOutcome returns a context of a request, of which NothingStored is known.
func WithOutcome(ctx context.Context) context.Context { return store.WithOutcome(ctx) }

// NothingStored reports whether it is known that the request of the context stored nothing.
func NothingStored(ctx context.Context) bool { return store.NothingStored(ctx) }

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
	Payload  lot.Payload   // as it stands
	Was      []lot.Payload // what it said before it was corrected, the oldest first
	Person   string
	Approver string // the manager who approved it; "" for most
}
