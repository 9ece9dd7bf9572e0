package kitchen

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// How long somebody stays signed in. Source: [OWASP-ASVS, 3.3.2] (level 2: 12
// hours, or 30 minutes without a touch). A kitchen sets its own for its tablets.
const (
	SessionLife = 12 * time.Hour
	ownLock     = 30 * time.Minute
	sessionKept = 30 * 24 * time.Hour // after its end, for the list
	seenEvery   = 30 * time.Second    // how exactly the last touch is known
)

// ErrWrongSecret says that name and secret do not belong together; which of the two is
// wrong is not said.
var ErrWrongSecret = errors.New("that is not right")

// Locked says that tries are refused after too many failures.
type Locked struct{ Until time.Time }

// Error implements error.
func (l Locked) Error() string {
	return "locked after too many failures; a manager can unlock it, or wait"
}

// SignIn is how a person is signed in.
type SignIn struct {
	Session  uuid.UUID // zero where nobody is: a program, the demo
	OnDevice bool      // a shared tablet: secrets are PINs
	LoginID  *int64    // the account, where it has one
	Quiet    bool      // nothing was touched for long: the secret is asked again
	seenAt   time.Time
}

// None reports whether nobody signed in.
func (v SignIn) None() bool { return v.Session == uuid.Nil }

// Origin is where a try to sign in comes from.
type Origin struct{ Address, Agent string }

// newSecret makes a token of 192 random bits and its hash; so many need no slow one.
func newSecret(prefix string) (text string, hash []byte) {
	var secret [24]byte
	rand.Read(secret[:])
	text = prefix + hex.EncodeToString(secret[:])
	return text, hashOf(text)
}

func hashOf(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// hashing are the parameters of argon2id. Source: [OWASP-passwords]: 19 MiB, two passes, one lane.
var hashing = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// hashers bounds how many secrets are hashed at once: each takes 19 MiB.
var hashers = make(chan struct{}, 4)

func slowHash(secret string) (string, error) {
	hashers <- struct{}{}
	defer func() { <-hashers }()
	return argon2id.CreateHash(secret, hashing)
}

// noHash is compared where there is no hash, so that an unknown name takes as
// long as a wrong secret.
const noHash = "$argon2id$v=19$m=19456,t=2,p=1$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

func matches(secret, hash string) (bool, error) {
	hashers <- struct{}{}
	defer func() { <-hashers }()
	return argon2id.ComparePasswordAndHash(secret, cmp.Or(hash, noHash))
}

// guard is one throttle that a try has to pass.
type guard struct {
	key    string
	tries  int
	shared bool // of many people: a success clears it only for a device
}

func personGuard(site, person int64) guard {
	return guard{key: fmt.Sprintf("person %d %d", site, person), tries: access.PersonTries}
}

func deviceGuard(id uuid.UUID) guard {
	return guard{key: "device " + id.String(), tries: access.DeviceTries}
}

func userGuard(name string) guard { return guard{key: "user " + name, tries: access.PersonTries} }

func addressGuard(address string) guard {
	return guard{key: "address " + address, tries: access.AddressTries, shared: true}
}

// try checks a secret in one transaction that holds its throttles, so that tries
// come one after the other. It returns ErrWrongSecret or Locked, which are kept. Whose
// the secret was said to be, and where it was tried, goes into the audit of a site.
func (k *Kitchen) try(ctx context.Context, site int64, whose, where string, check func(*store.Tx) (bool, error),
	guards ...guard) error {
	ctx = store.Everywhere(ctx)
	slices.SortFunc(guards, func(a, b guard) int { return cmp.Compare(a.key, b.key) })
	var answer error
	err := k.DB.Write(ctx, func(tx *store.Tx) error {
		answer = nil
		now := k.Now()
		states := make([]access.Throttle, len(guards))
		for i, g := range guards {
			row, err := tx.LockThrottle(ctx, store.LockThrottleParams{Key: g.key, FailedAt: now})
			if err != nil {
				return fmt.Errorf("throttling: %w", err)
			}
			states[i] = access.Throttle{Failures: int(row.Failures), Lockouts: int(row.Lockouts),
				FailedAt: row.FailedAt}
			if row.LockedUntil != nil {
				states[i].Until = *row.LockedUntil
			}
			if states[i].Locked(now) {
				answer = Locked{states[i].Until}
			}
		}
		if answer != nil {
			return k.audit(ctx, tx, site, Person{Name: whose}, ActFailed, where+", while locked")
		}
		ok, err := check(tx)
		if err != nil {
			return err
		}
		for i, g := range guards {
			if ok && g.shared {
				continue
			}
			was := states[i]
			if states[i] = (access.Throttle{FailedAt: now}); !ok {
				states[i] = was.Failed(now, g.tries)
			}
			set := store.SetThrottleParams{Key: g.key, Failures: int64(states[i].Failures),
				Lockouts: int64(states[i].Lockouts), FailedAt: states[i].FailedAt}
			if !states[i].Until.IsZero() {
				set.LockedUntil = &states[i].Until
			}
			if err := tx.SetThrottle(ctx, set); err != nil {
				return err
			}
			if states[i].Locked(now) {
				answer = Locked{states[i].Until}
				kind, _, _ := strings.Cut(g.key, " ")
				if err := k.audit(ctx, tx, site, Person{Name: whose}, ActLockedOut, kind+", until "+
					states[i].Until.Format(time.RFC3339)); err != nil {
					return err
				}
			}
		}
		if ok {
			return nil
		}
		if answer == nil {
			answer = ErrWrongSecret
		}
		return k.audit(ctx, tx, site, Person{Name: whose}, ActFailed, where)
	})
	return errors.Join(err, answer)
}

// SignInWithPIN signs a person in on a shared tablet and returns the secret of
// the session. It returns ErrWrongSecret or Locked where the PIN does not open it.
func (k *Kitchen) SignInWithPIN(ctx context.Context, device Device, personID int64, pin string, from Origin) (string,
	error) {
	ctx = store.Everywhere(ctx)
	site := device.Site.ID
	person, err := k.DB.Person(ctx, store.PersonParams{SiteID: site, ID: personID})
	if err != nil && !errors.Is(err, ErrNotFound) {
		return "", err
	}
	if err := k.try(ctx, site, person.Name, device.Name, k.checkPIN(ctx, site, personID, pin),
		personGuard(site, personID), deviceGuard(device.ID)); err != nil {
		return "", err
	}
	return k.startSession(ctx, store.AddSessionParams{SiteID: &site, PersonID: &personID, DeviceID: &device.ID,
		Agent: from.Agent}, site, Person(person), device.Name)
}

func (k *Kitchen) checkPIN(ctx context.Context, site, person int64, pin string) func(*store.Tx) (bool, error) {
	return func(tx *store.Tx) (bool, error) {
		row, err := tx.PIN(ctx, store.PINParams{SiteID: site, PersonID: person})
		if err != nil && !errors.Is(err, ErrNotFound) {
			return false, err
		}
		ok, err := matches(pin, row.Hash)
		return ok && row.Hash != "", err
	}
}

// SignInWithPassword signs an account in and returns the secret of the session
// and the first of its kitchens. It returns ErrWrongSecret or Locked where the password
// does not open it.
func (k *Kitchen) SignInWithPassword(ctx context.Context, userName, password string, from Origin) (secret string,
	site Site, err error) {
	ctx = store.Everywhere(ctx)
	userName = printable(strings.ToLower(strings.TrimSpace(userName)))
	account, err := k.DB.AccountByName(ctx, userName)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return "", site, err
	}
	sites, err := k.DB.SitesOfAccount(ctx, account.ID)
	if err != nil {
		return "", site, err
	}
	at := noSite // the audit that tells of it
	if len(sites) > 0 {
		at = sites[0].ID
	}
	check := func(*store.Tx) (bool, error) {
		ok, err := matches(password, account.Password)
		return ok && account.ID != 0 && len(sites) > 0, err
	}
	if err := k.try(ctx, at, userName, "from "+from.Address, check, userGuard(userName),
		addressGuard(from.Address)); err != nil {
		return "", site, err
	}
	secret, err = k.startSession(ctx, store.AddSessionParams{AccountID: &account.ID, Agent: from.Agent}, at,
		Person{Name: userName}, "own device")
	return secret, Site(sites[0]), err
}

// printable bounds a name that somebody typed for the audit and the throttle.
func printable(name string) string {
	clean := strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r == 0xfffd {
			return -1
		}
		return r
	}, name)
	return strings.ToValidUTF8(clean[:min(len(clean), 60)], "")
}

// startSession writes a session and returns its secret.
func (k *Kitchen) startSession(ctx context.Context, s store.AddSessionParams, site int64, person Person,
	where string) (string, error) {
	secret, hash := newSecret("")
	s.ID, s.Hash, s.StartedAt = NewID(), hash, k.Now()
	s.EndsAt = s.StartedAt.Add(SessionLife)
	s.Agent = printable(s.Agent)
	return secret, k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.AddSession(ctx, s); err != nil {
			return fmt.Errorf("signing in: %w", err)
		}
		return k.audit(ctx, tx, site, person, ActSignedIn, where)
	})
}

// Impersonate signs a person of the demo in without a secret.
func (k *Kitchen) Impersonate(ctx context.Context, site Site, personID int64, from Origin) (string, error) {
	ctx = store.Everywhere(ctx)
	person, err := k.DB.Person(ctx, store.PersonParams{SiteID: site.ID, ID: personID})
	if err != nil {
		return "", err
	}
	s := store.AddSessionParams{SiteID: &site.ID, PersonID: &personID, Agent: from.Agent}
	if person.AccountID != nil {
		s = store.AddSessionParams{AccountID: person.AccountID, Agent: from.Agent}
	}
	return k.startSession(ctx, s, site.ID, Person(person), "the demo")
}

// ActorOfSession returns who a session's secret stands for in a kitchen, by the name in
// its address. It returns ErrNoActor where it opens nothing there.
func (k *Kitchen) ActorOfSession(ctx context.Context, secret, slug string) (Actor, error) {
	now := k.Now()
	row, err := k.DB.Visit(store.Everywhere(ctx), store.VisitParams{Hash: hashOf(secret), Slug: slug, Now: now})
	if errors.Is(err, ErrNotFound) {
		return Actor{}, ErrNoActor
	} else if err != nil {
		return Actor{}, err
	}
	v := SignIn{Session: row.Session.ID, OnDevice: row.Session.DeviceID != nil, LoginID: row.Session.AccountID,
		seenAt: row.Session.SeenAt}
	lock := ownLock
	if v.OnDevice {
		lock = time.Duration(row.Site.LockMinutes) * time.Minute
	}
	v.Quiet = now.Sub(v.seenAt) > lock
	return Actor{Site: Site(row.Site), Person: Person(row.Person), SignIn: v}, nil
}

// FirstManager is who is signed in at a kitchen of the demo where nobody is.
func (k *Kitchen) FirstManager(ctx context.Context, slug string) (Actor, error) {
	ctx = store.Everywhere(ctx)
	site, err := k.DB.SiteBySlug(ctx, slug)
	if err != nil {
		return Actor{}, err
	}
	people, err := k.DB.People(ctx, site.ID)
	for _, p := range people {
		if p.Role == string(access.Manager) && p.LeftAt == nil {
			return Actor{Site: Site(site), Person: Person(p)}, nil
		}
	}
	return Actor{}, errors.Join(err, ErrNoActor)
}

// SitesOf lists the kitchens that a session's secret opens. It returns ErrNoActor
// where it opens none.
func (k *Kitchen) SitesOf(ctx context.Context, secret string) ([]Site, error) {
	ctx = store.Everywhere(ctx)
	s, err := k.DB.SessionByHash(ctx, store.SessionByHashParams{Hash: hashOf(secret), Now: k.Now()})
	switch {
	case errors.Is(err, ErrNotFound):
		return nil, ErrNoActor
	case err != nil:
		return nil, err
	case s.AccountID != nil:
		rows, err := k.DB.SitesOfAccount(ctx, *s.AccountID)
		return mapped(rows, err, siteOf)
	}
	site, err := k.DB.SiteByID(ctx, *s.SiteID)
	return []Site{Site(site)}, err
}

// NoteActivity notes that the person did something: the minutes of idleness start again.
func (k *Kitchen) NoteActivity(ctx context.Context) error {
	v := ActorFrom(ctx).SignIn
	now := k.Now()
	if v.Session == uuid.Nil || now.Sub(v.seenAt) < seenEvery {
		return nil
	}
	return k.DB.SeeSession(store.Everywhere(ctx), store.SeeSessionParams{ID: v.Session, SeenAt: now})
}

// EndSessionOf ends the session that a secret opens, if any.
func (k *Kitchen) EndSessionOf(ctx context.Context, secret string) error {
	if secret == "" {
		return nil
	}
	now := k.Now()
	return k.DB.EndSessionByHash(store.Everywhere(ctx),
		store.EndSessionByHashParams{Hash: hashOf(secret), EndedAt: &now})
}

// SignOut ends the actor's session.
func (k *Kitchen) SignOut(ctx context.Context) error {
	a := ActorFrom(ctx)
	if a.SignIn.Session == uuid.Nil {
		return nil
	}
	ctx = store.Everywhere(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		now := k.Now()
		if err := tx.EndSession(ctx, store.EndSessionParams{ID: a.SignIn.Session, EndedAt: &now}); err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActSignedOut, "")
	})
}

// Confirm checks the secret of a person of the kitchen: the PIN on a shared
// tablet, else the password of their account. It returns who they are, ErrWrongSecret
// or Locked.
func (k *Kitchen) Confirm(ctx context.Context, personID int64, secret string) (Person, error) {
	a := ActorFrom(ctx)
	all := store.Everywhere(ctx)
	person, err := k.DB.Person(all, store.PersonParams{SiteID: a.Site.ID, ID: personID})
	if err != nil {
		return Person(person), err
	}
	check, guards := k.checkPIN(all, a.Site.ID, personID, secret), []guard{personGuard(a.Site.ID, personID)}
	if !a.SignIn.OnDevice {
		var account store.Account
		if person.AccountID != nil {
			if account, err = k.DB.Account(all, *person.AccountID); err != nil {
				return Person(person), err
			}
			guards[0] = userGuard(account.UserName)
		}
		check = func(*store.Tx) (bool, error) {
			ok, err := matches(secret, account.Password)
			return ok && account.ID != 0 && person.LeftAt == nil, err
		}
	}
	return Person(person), k.try(ctx, a.Site.ID, person.Name, "asked of "+a.Person.Name, check, guards...)
}

// Approve checks the secret of a manager who approves one action of the
// actor, and returns the actor with it.
func (k *Kitchen) Approve(ctx context.Context, managerID int64, secret, act string) (Actor, error) {
	a := ActorFrom(ctx)
	manager, err := k.Confirm(ctx, managerID, secret)
	if err != nil {
		return a, err
	}
	if !access.Role(manager.Role).May(access.Manage) {
		return a, ErrManager
	}
	a.Approver = &manager
	return a, k.DB.Write(ctx, func(tx *store.Tx) error {
		return k.audit(ctx, tx, a.Site.ID, manager, ActApproved, "to "+a.Person.Name+" for "+act)
	})
}

// SetupLink makes the one-time secret that opens a new installation; "" where
// there is a kitchen already. A secret made before opens nothing any more.
func (k *Kitchen) SetupLink(ctx context.Context) (string, error) {
	ctx = store.Everywhere(ctx)
	sites, err := k.Sites(ctx)
	if err != nil || len(sites) > 0 {
		return "", err
	}
	secret, hash := newSecret("")
	return secret, k.DB.PutSetupLink(ctx, store.PutSetupLinkParams{Hash: hash, EndsAt: k.Now().Add(setupLife)})
}

// setupLife is how long the set-up link opens.
const setupLife = 24 * time.Hour

// SetupOpen returns ErrNotFound unless the secret opens a new installation.
func (k *Kitchen) SetupOpen(ctx context.Context, secret string) error {
	ctx = store.Everywhere(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error { return k.setupOpen(ctx, tx, secret) })
}

func (k *Kitchen) setupOpen(ctx context.Context, tx *store.Tx, secret string) error {
	link, err := tx.LockSetupLink(ctx)
	if err != nil {
		return err
	}
	if string(link.Hash) != string(hashOf(secret)) || k.Now().After(link.EndsAt) {
		return ErrNotFound
	}
	return nil
}

// Install opens a new installation with its first kitchen, by the secret of the
// set-up link, which then opens nothing any more.
func (k *Kitchen) Install(ctx context.Context, secret string, s Setup) (site Site, err error) {
	if err := s.Check().Err(); err != nil {
		return site, err
	}
	if len(s.People) == 0 || s.People[0].UserName == "" {
		return site, invalid.Errors{{Field: "user_name", Message: "give the owner a user name"}}
	}
	ctx = store.Everywhere(ctx)
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := k.setupOpen(ctx, tx, secret); err != nil {
			return err
		}
		if err := tx.DropSetupLink(ctx); err != nil {
			return err
		}
		site, err = k.addSite(ctx, tx, s)
		return err
	})
	return site, err
}
