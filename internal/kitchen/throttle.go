package kitchen

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/store"
)

// Locked says that tries are refused after too many failures.
type Locked struct{ Until time.Time }

// Error implements error.
func (l Locked) Error() string {
	return "locked after too many failures; a manager can unlock it, or wait"
}

// Slowed says that the next try is taken in a while.
type Slowed struct{ For time.Duration }

// Error implements error.
func (s Slowed) Error() string {
	return fmt.Sprintf("too many tries failed: the next one is taken in %.0f s", s.For.Seconds())
}

// guard is one throttle that a try has to pass: it locks after some tries that failed, or, where it
// has an interval, slows tries down to one each.
type guard struct {
	key   string
	tries int
	every time.Duration
}

func personGuard(site, person int64) guard {
	return guard{key: fmt.Sprintf("person %d %d", site, person), tries: access.PersonTries}
}

func deviceGuard(id uuid.UUID) guard {
	return guard{key: "device " + id.String(), tries: access.DeviceTries}
}

func sessionGuard(id uuid.UUID) guard {
	return guard{key: "session " + id.String(), tries: access.PersonTries}
}

func browserGuard(id uuid.UUID) guard {
	return guard{key: "browser " + id.String(), tries: access.BrowserTries}
}

func userAtGuard(name, address string) guard {
	return guard{key: "user " + name + " at " + network(address), tries: access.PersonTries}
}

func userGuard(name string) guard { return guard{key: "user " + name, every: access.UserEvery} }

func addressGuard(address string) guard {
	return guard{key: "address " + network(address), every: access.AddressEvery}
}

// network is what one sender has of addresses: one of IPv4, 2⁶⁴ of IPv6.
func network(address string) string {
	ip, err := netip.ParseAddr(address)
	if err != nil || ip.Unmap().Is4() {
		return address
	}
	prefix, err := ip.WithZone("").Prefix(64)
	if err != nil {
		return address
	}
	return prefix.String()
}

// attempt is a try of a secret. Whose it was said to be, and where it was tried, goes into the audit
// of a site; Whose is "" where there is nobody of that name: what was typed may be a password.
type attempt struct {
	Site         int64
	Whose, Where string
	Secret, Hash string // Hash is "" where there is none to compare with
}

// try checks a secret. It returns ErrWrongSecret, Locked or Slowed, which are kept. A try counts as
// failed until its secret is found right: tries at the same time get no more chances, and none holds
// a connection to the database while its secret is hashed.
func (k *Kitchen) try(ctx context.Context, t attempt, guards ...guard) error {
	ctx = store.Everywhere(ctx)
	slices.SortFunc(guards, func(a, b guard) int { return cmp.Compare(a.key, b.key) })
	now := k.Now()
	var was, counted []access.Throttle
	var refused error
	if err := k.DB.Write(ctx, func(tx *store.Tx) (err error) {
		if was, counted, refused, err = countTry(ctx, tx, now, guards); err != nil || refused == nil {
			return err
		}
		return k.noteFailure(ctx, tx, now, t)
	}); err != nil {
		return err
	}
	if refused != nil {
		return refused
	}
	ok, err := matches(ctx, t.Secret, t.Hash)
	if err != nil {
		return err
	}
	answer := ErrWrongSecret
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		if ok {
			return forgiveTry(ctx, tx, now, guards, was)
		}
		for i, g := range guards {
			if !counted[i].Locked(now) {
				continue
			}
			answer = Locked{counted[i].Until}
			kind, _, _ := strings.Cut(g.key, " ")
			if err := k.audit(ctx, tx, t.Site, Person{Name: t.whose()}, ActLockedOut, kind+" "+t.Where+", until "+
				counted[i].Until.Format(time.RFC3339)); err != nil {
				return err
			}
		}
		return k.noteFailure(ctx, tx, now, t)
	})
	switch {
	case err != nil:
		return err
	case !ok:
		return answer
	}
	return nil
}

// countTry counts a try as failed at each of its guards, unless one refuses it.
func countTry(ctx context.Context, tx *store.Tx, now time.Time, guards []guard) (was, counted []access.Throttle, refused, err error) {
	for _, g := range guards {
		row, err := tx.LockThrottle(ctx, store.LockThrottleParams{Key: g.key, FailedAt: now})
		if err != nil {
			return nil, nil, nil, fmt.Errorf("throttling: %w", err)
		}
		th := access.Throttle{Failures: int(row.Failures), Lockouts: int(row.Lockouts), FailedAt: row.FailedAt}
		if row.LockedUntil != nil {
			th.Until = *row.LockedUntil
		}
		was = append(was, th)
		switch wait := th.Wait(now, g.every); {
		case g.every == 0 && th.Locked(now):
			return nil, nil, Locked{th.Until}, nil
		case g.every > 0 && wait > 0:
			refused = Slowed{wait} // unless a lock says more
		}
	}
	if refused != nil {
		return nil, nil, refused, nil
	}
	for i, g := range guards {
		if th := was[i]; g.every > 0 {
			counted = append(counted, th.Slowed(now))
		} else {
			counted = append(counted, th.Failed(now, g.tries))
		}
		if err := setThrottle(ctx, tx, g.key, counted[i]); err != nil {
			return nil, nil, nil, err
		}
	}
	return was, counted, nil, nil
}

// forgiveTry takes a counted try back: it was right. What one person or browser failed before is
// forgotten; what is everybody's stays as it was.
func forgiveTry(ctx context.Context, tx *store.Tx, now time.Time, guards []guard, was []access.Throttle) error {
	for i, g := range guards {
		var err error
		if g.every > 0 {
			err = tx.ForgiveThrottle(ctx, store.ForgiveThrottleParams{Key: g.key, Now: now, Was: was[i].FailedAt})
		} else {
			err = tx.DropThrottle(ctx, g.key)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func setThrottle(ctx context.Context, tx *store.Tx, key string, t access.Throttle) error {
	set := store.SetThrottleParams{Key: key, Failures: int64(t.Failures), Lockouts: int64(t.Lockouts), FailedAt: t.FailedAt}
	if !t.Until.IsZero() {
		set.LockedUntil = &t.Until
	}
	return tx.SetThrottle(ctx, set)
}

// noteFailure writes the first try that failed in an hour into the audit, and counts the others.
func (k *Kitchen) noteFailure(ctx context.Context, tx *store.Tx, now time.Time, t attempt) error {
	tries, err := tx.CountFailure(ctx, store.CountFailureParams{SiteID: t.Site, Name: t.whose(),
		Hour: now.UTC().Truncate(time.Hour), LastWhere: t.Where})
	if err != nil || tries > 1 {
		return err
	}
	return k.audit(ctx, tx, t.Site, Person{Name: t.whose()}, ActFailed, t.Where)
}

// whose is the name for the audit.
func (t attempt) whose() string { return cmp.Or(t.Whose, "a user name that is not known") }

// tellFailures writes how many more tries failed in hours that are over into the audit.
func (k *Kitchen) tellFailures(ctx context.Context) error {
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		counts, err := tx.TakeFailures(ctx, k.Now().UTC().Truncate(time.Hour))
		if err != nil {
			return err
		}
		for _, c := range counts {
			if c.Tries < 2 {
				continue
			}
			if err := k.audit(ctx, tx, c.SiteID, Person{Name: c.Name}, ActFailed, fmt.Sprintf("%d more times in the hour from %s, the last one %s",
				c.Tries-1, c.Hour.UTC().Format("2006-01-02 15:04 UTC"), c.LastWhere)); err != nil {
				return err
			}
		}
		return nil
	})
}

// unlock lifts all that locks or slows a person of a site, with or without an account.
func unlock(ctx context.Context, tx *store.Tx, p Person) error {
	q := store.DropThrottlesOfParams{Person: personGuard(p.SiteID, p.ID).key, SiteID: p.SiteID, PersonID: p.ID}
	if p.AccountID != nil {
		account, err := tx.Account(ctx, *p.AccountID)
		if err != nil {
			return err
		}
		q.AccountID, q.UserKey = account.ID, userGuard(account.UserName).key
	}
	return tx.DropThrottlesOf(ctx, q)
}

// UnlockAll lifts every lock and every slowing down of an installation, or those of one user name: for
// the command at the server. It asks for no right.
func (k *Kitchen) UnlockAll(ctx context.Context, userName string) error {
	ctx = store.Everywhere(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if userName == "" {
			if err := tx.DropThrottles(ctx); err != nil {
				return err
			}
			return k.audit(ctx, tx, noSite, Person{}, ActUnlocked, "everything, at the server")
		}
		account, err := tx.AccountByName(ctx, userName)
		if err != nil {
			return err
		}
		sites, err := tx.SitesOfAccount(ctx, account.ID)
		if err != nil {
			return err
		}
		if err := unlock(ctx, tx, Person{AccountID: &account.ID}); err != nil || len(sites) == 0 {
			return err
		}
		return k.audit(ctx, tx, sites[0].ID, Person{}, ActUnlocked, userName+", at the server")
	})
}

// ErrBusy says that too much is asked at once; the same may be asked again.
var ErrBusy = errors.New("too many people sign in just now: try again in a moment")
