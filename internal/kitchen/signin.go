package kitchen

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"

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
	hash, err := k.pinHash(ctx, site, personID)
	if err != nil {
		return "", err
	}
	if err := k.try(ctx, attempt{Site: site, Whose: person.Name, Where: device.Name, Secret: pin, Hash: hash},
		personGuard(site, personID), deviceGuard(device.ID)); err != nil {
		return "", err
	}
	return k.startSession(ctx, store.AddSessionParams{SiteID: &site, PersonID: &personID, DeviceID: &device.ID,
		Agent: from.Agent}, site, Person(person), device.Name)
}

// pinHash is the hash of a person's PIN, "" where they have none.
func (k *Kitchen) pinHash(ctx context.Context, site, person int64) (string, error) {
	row, err := k.DB.PIN(ctx, store.PINParams{SiteID: site, PersonID: person})
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return row.Hash, err
}

// SignedIn is what came of signing in with a password.
type SignedIn struct {
	Secret string // of the session
	Known  string // by which this browser is known the next time
	Site   Site   // the first of the account's kitchens
}

// BrowserKept is how long a browser is known in which somebody signed in.
const BrowserKept = 180 * 24 * time.Hour

// SignInWithPassword signs an account in. It returns ErrWrongSecret, Locked or Slowed where the
// password does not open it. A browser in which the same account signed in before has a limit of its
// own: whatever strangers fail at the user name, or from the same address, does not keep it out.
func (k *Kitchen) SignInWithPassword(ctx context.Context, userName, password, known string, from Origin) (SignedIn, error) {
	ctx = store.Everywhere(ctx)
	userName = printable(strings.ToLower(strings.TrimSpace(userName)))
	account, err := k.DB.AccountByName(ctx, userName)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return SignedIn{}, err
	}
	sites, err := k.DB.SitesOfAccount(ctx, account.ID)
	if err != nil {
		return SignedIn{}, err
	}
	try := attempt{Site: noSite, Where: "from " + from.Address, Secret: password}
	if len(sites) > 0 {
		try.Site, try.Whose, try.Hash = sites[0].ID, userName, account.Password
	}
	limits := []guard{userAtGuard(userName, from.Address), userGuard(userName), addressGuard(from.Address)}
	browser, err := k.DB.KnownBrowser(ctx, store.KnownBrowserParams{Hash: hashOf(known), AccountID: account.ID,
		Since: k.Now().Add(-BrowserKept)})
	switch {
	case err == nil:
		limits = []guard{browserGuard(browser)}
	case !errors.Is(err, ErrNotFound):
		return SignedIn{}, err
	}
	if err := k.try(ctx, try, limits...); err != nil {
		return SignedIn{Site: firstOf(sites)}, err
	}
	out := SignedIn{Site: firstOf(sites)}
	if out.Secret, err = k.startSession(ctx, store.AddSessionParams{AccountID: &account.ID, Agent: from.Agent}, try.Site,
		Person{Name: userName}, "own device"); err != nil {
		return SignedIn{}, err
	}
	var hash []byte
	out.Known, hash = newSecret("")
	return out, k.DB.PutKnownBrowser(ctx, store.PutKnownBrowserParams{ID: NewID(), Hash: hash, AccountID: account.ID,
		SeenAt: k.Now(), Was: hashOf(known)})
}

func firstOf(sites []store.Site) Site {
	if len(sites) == 0 {
		return Site{}
	}
	return Site(sites[0])
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
	return Actor{Site: Site(row.Site), Person: Person(row.Person), SignIn: v, Version: row.Version}, nil
}

// FirstManager is who is signed in at a kitchen of the demo where nobody is.
func (k *Kitchen) FirstManager(ctx context.Context, slug string) (Actor, error) {
	ctx = store.Everywhere(ctx)
	site, err := k.DB.SiteBySlug(ctx, slug)
	if err != nil {
		return Actor{}, err
	}
	version, err := k.DB.Version(ctx, site.ID)
	if err != nil {
		return Actor{}, err
	}
	people, err := k.DB.People(ctx, site.ID)
	for _, p := range people {
		if p.Role == string(access.Manager) && p.LeftAt == nil {
			return Actor{Site: Site(site), Person: Person(p), Version: version}, nil
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
	hash, limit := "", personGuard(a.Site.ID, personID)
	switch {
	case a.SignIn.OnDevice:
		hash, err = k.pinHash(all, a.Site.ID, personID)
	case person.AccountID != nil && person.LeftAt == nil:
		limit = sessionGuard(a.SignIn.Session) // what strangers failed at the user name counts elsewhere
		var account store.Account
		account, err = k.DB.Account(all, *person.AccountID)
		hash = account.Password
	}
	if err != nil {
		return Person(person), err
	}
	return Person(person), k.try(ctx, attempt{Site: a.Site.ID, Whose: person.Name, Where: "asked of " + a.Person.Name,
		Secret: secret, Hash: hash}, limit)
}

// Approve checks the secret of a manager, or of the deputy of the shift, who approves one action of
// the actor, and returns the actor with it.
func (k *Kitchen) Approve(ctx context.Context, managerID int64, secret, act string) (Actor, error) {
	a := ActorFrom(ctx)
	manager, err := k.Confirm(ctx, managerID, secret)
	if err != nil {
		return a, err
	}
	if !access.Role(manager.Role).May(access.Manage) {
		if a.ByDeputy, err = k.isDeputy(ctx, managerID); err != nil {
			return a, err
		}
		if !a.ByDeputy || managerID == a.Person.ID {
			return a, ErrManager
		}
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
	if err := k.SetupOpen(ctx, secret); err != nil { // before anything is hashed for a stranger
		return site, err
	}
	if s, err = s.sealed(ctx); err != nil {
		return site, err
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
