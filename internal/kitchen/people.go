package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// Person is somebody who works in a kitchen.
type Person struct {
	SiteID    int64
	ID        int64
	Name      string
	Role      string
	TempScale string
	MassScale string
	Senses    string     // the order in which they inspect
	AccountID *int64     // their login by password; nil for none
	LeftAt    *time.Time // nil while they work here
}

func personOf(row store.Person) Person { return Person(row) }

// NewPerson is a person to be added, with what they sign in with: a PIN on the
// shared tablets, a user name and a password on devices of their own, both, or
// nothing yet.
type NewPerson struct {
	Name, Role         string
	PIN                string
	UserName, Password string
	LoginID            *int64 // an account that is there already, instead of a new one
	hashes             hashes // of PIN and Password, once it is sealed
}

// Check returns what is wrong with the person, nil where nothing is. kitchen is
// the name of theirs, which no password may be.
func (n NewPerson) Check(kitchen string) invalid.Errors {
	var bad invalid.Errors
	if name := strings.TrimSpace(n.Name); name == "" || invalid.TooLong(name, 60) {
		bad.Add("name", "give a name of at most 60 characters")
	}
	if !access.Role(n.Role).May(access.Self) {
		bad.Add("role", "choose a role")
	}
	if n.PIN != "" {
		bad = append(bad, access.CheckPIN("pin", n.PIN)...)
	}
	if n.UserName != "" || n.Password != "" {
		bad = append(bad, access.CheckUserName("user_name", n.UserName)...)
		bad = append(bad, access.CheckPassword("password", n.Password, n.Name, n.UserName, kitchen)...)
	}
	return bad
}

// hashes are those of the secrets of a new person.
type hashes struct{ pin, password string }

// sealed is the new person with the hashes of their secrets, before the transaction in which they are
// added.
func (n NewPerson) sealed(ctx context.Context) (NewPerson, error) {
	var err error
	if n.PIN != "" {
		n.hashes.pin, err = slowHash(ctx, n.PIN)
	}
	if err == nil && n.LoginID == nil && n.UserName != "" {
		n.hashes.password, err = slowHash(ctx, n.Password)
	}
	return n, err
}

// addPerson adds a person with what they sign in with. The input is checked and sealed.
func (k *Kitchen) addPerson(ctx context.Context, tx *store.Tx, site Site, n NewPerson) (Person, error) {
	account := n.LoginID
	if account == nil && n.UserName != "" {
		a, err := k.addLogin(ctx, tx, n.UserName, n.hashes.password)
		if err != nil {
			return Person{}, err
		}
		account = &a.ID
	}
	person, err := tx.AddPerson(ctx, store.AddPersonParams{SiteID: site.ID, Name: strings.TrimSpace(n.Name),
		Role: n.Role, AccountID: account})
	if store.IsDuplicate(err) {
		return Person(person), invalid.Errors{{Field: "name", Message: "somebody here has this name"}}
	} else if err != nil {
		return Person(person), fmt.Errorf("adding %s: %w", n.Name, err)
	}
	if n.PIN != "" {
		err = k.putPIN(ctx, tx, Person(person), n.hashes.pin)
	}
	return Person(person), err
}

func (k *Kitchen) addLogin(ctx context.Context, tx *store.Tx, userName, hash string) (store.Account, error) {
	a, err := tx.AddAccount(ctx, store.AddAccountParams{UserName: userName, Password: hash, ChangedAt: k.Now()})
	if store.IsDuplicate(err) {
		return a, invalid.Errors{{Field: "user_name", Message: "is taken: choose another"}}
	}
	return a, err
}

func (k *Kitchen) putPIN(ctx context.Context, tx *store.Tx, p Person, hash string) error {
	return tx.PutPIN(ctx, store.PutPINParams{SiteID: p.SiteID, PersonID: p.ID, Hash: hash, ChangedAt: k.Now()})
}

// AddPerson adds a person to the actor's kitchen.
func (k *Kitchen) AddPerson(ctx context.Context, n NewPerson) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Staff); err != nil {
		return err
	}
	bad := n.Check(a.Site.Name)
	if bad.On("role") == "" && !access.Role(a.Person.Role).MayGrant(access.Role(n.Role)) {
		bad.Add("role", "only an owner makes a %s", n.Role)
	}
	if err := bad.Err(); err != nil {
		return err
	}
	n, err := n.sealed(ctx)
	if err != nil {
		return err
	}
	ctx = store.Everywhere(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		p, err := k.addPerson(ctx, tx, a.Site, n)
		if err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActPersonAdded, p.Name+", "+p.Role)
	})
}

// changePerson changes something of a person of the actor's kitchen: oneself, or
// anybody whose role the actor may give. It writes what the change says into the audit.
func (k *Kitchen) changePerson(ctx context.Context, id int64,
	change func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error)) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Self); err != nil {
		return err
	}
	ctx = store.Everywhere(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockOwners(ctx, a.Site.ID); err != nil {
			return err
		}
		p, err := tx.LockPerson(ctx, store.LockPersonParams{SiteID: a.Site.ID, ID: id})
		if err != nil {
			return err
		}
		if p.ID != a.Person.ID && !access.Role(a.Person.Role).MayGrant(access.Role(p.Role)) {
			return ErrRight
		}
		act, subject, err := change(ctx, tx, Person(p))
		if err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, act, subject)
	})
}

// lastOwner refuses what would leave the kitchen without an owner.
func lastOwner(ctx context.Context, tx *store.Tx, p Person) error {
	owners, err := tx.LockOwners(ctx, p.SiteID)
	if err == nil && len(owners) == 1 && owners[0] == p.ID {
		err = invalid.Errors{{Field: "role", Message: "is the only owner: make another one first"}}
	}
	return err
}

// SetRole gives a person another role.
func (k *Kitchen) SetRole(ctx context.Context, id int64, role string) error {
	a := ActorFrom(ctx)
	return k.changePerson(ctx, id, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		if !access.Role(a.Person.Role).MayGrant(access.Role(role)) {
			return "", "", invalid.Errors{{Field: "role", Message: "is not one that you may give"}}
		}
		if err := lastOwner(ctx, tx, p); err != nil && role != string(access.Owner) {
			return "", "", err
		}
		return ActRole, fmt.Sprintf("%s: %s, was %s", p.Name, role, p.Role),
			tx.SetRole(ctx, store.SetRoleParams{SiteID: p.SiteID, ID: p.ID, Role: role})
	})
}

// Leave ends what a person may do here: their sessions and their PIN. Their
// name stays in the records. Return lets them back.
func (k *Kitchen) Leave(ctx context.Context, id int64) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Staff); err != nil {
		return err
	}
	return k.changePerson(ctx, id, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		now := k.Now()
		if err := lastOwner(ctx, tx, p); err != nil {
			return "", "", err
		}
		if err := tx.DropPIN(ctx, store.DropPINParams{SiteID: p.SiteID, PersonID: p.ID}); err != nil {
			return "", "", err
		}
		if err := k.endSessions(ctx, tx, p, uuid.Nil); err != nil {
			return "", "", err
		}
		return ActLeft, p.Name, tx.SetLeft(ctx, store.SetLeftParams{SiteID: p.SiteID, ID: p.ID, LeftAt: &now})
	})
}

// Return lets a person back who had left; they need a new PIN.
func (k *Kitchen) Return(ctx context.Context, id int64) error {
	if err := ActorFrom(ctx).need(access.Staff); err != nil {
		return err
	}
	return k.changePerson(ctx, id, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		return ActBack, p.Name, tx.SetLeft(ctx, store.SetLeftParams{SiteID: p.SiteID, ID: p.ID})
	})
}

// endSessions ends the sessions of a person but one.
func (k *Kitchen) endSessions(ctx context.Context, tx *store.Tx, p Person, but uuid.UUID) error {
	now := k.Now()
	if err := tx.EndSessionsOfPerson(ctx, store.EndSessionsOfPersonParams{Now: &now, SiteID: &p.SiteID,
		PersonID: &p.ID, But: but}); err != nil {
		return err
	}
	if p.AccountID == nil {
		return nil
	}
	return tx.EndSessionsOfAccount(ctx, store.EndSessionsOfAccountParams{Now: &now, AccountID: *p.AccountID, But: but})
}

// SetPIN gives a person a PIN, unlocks them and ends their sessions on
// tablets. One's own first PIN is given so too; another one by ChangePIN.
func (k *Kitchen) SetPIN(ctx context.Context, id int64, pin string) error {
	if id == ActorFrom(ctx).Person.ID {
		_, err := k.DB.PIN(store.Everywhere(ctx), store.PINParams{SiteID: ActorFrom(ctx).Site.ID, PersonID: id})
		if !errors.Is(err, ErrNotFound) {
			return errors.Join(err, invalid.Errors{{Field: "pin",
				Message: "change your own on your page, by the one before"}})
		}
	}
	return k.setPIN(ctx, id, pin)
}

// ChangePIN changes the actor's own PIN by the one before.
func (k *Kitchen) ChangePIN(ctx context.Context, old, pin string) error {
	a := ActorFrom(ctx)
	a.SignIn.OnDevice = true // it is the PIN that is asked for, wherever they are
	if err := access.CheckPIN("pin", pin).Err(); err != nil {
		return err
	}
	if _, err := k.Confirm(WithActor(ctx, a), a.Person.ID, old); err != nil {
		return err
	}
	return k.setPIN(ctx, a.Person.ID, pin)
}

func (k *Kitchen) setPIN(ctx context.Context, id int64, pin string) error {
	if err := access.CheckPIN("pin", pin).Err(); err != nil {
		return err
	}
	a := ActorFrom(ctx)
	hash, err := slowHash(ctx, pin)
	if err != nil {
		return err
	}
	return k.changePerson(ctx, id, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		if err := tx.DropThrottle(ctx, personGuard(p.SiteID, p.ID).key); err != nil {
			return "", "", err
		}
		if err := k.endSessions(ctx, tx, Person{SiteID: p.SiteID, ID: p.ID}, a.SignIn.Session); err != nil {
			return "", "", err
		}
		return ActSecret, "PIN of " + p.Name, k.putPIN(ctx, tx, p, hash)
	})
}

// SetLogin gives a person a user name and a password, or another password, and
// ends their other sessions. One's own password is changed by ChangePassword.
func (k *Kitchen) SetLogin(ctx context.Context, id int64, userName, password string) error {
	if a := ActorFrom(ctx); id == a.Person.ID && a.Person.AccountID != nil {
		return invalid.Errors{{Field: "password", Message: "change your own on your page, by the one before"}}
	}
	hash, err := slowHash(ctx, password)
	if err != nil {
		return err
	}
	return k.changePerson(ctx, id, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		if p.AccountID != nil {
			sites, err := tx.SitesOfAccount(ctx, *p.AccountID)
			if err == nil && len(sites) > 1 {
				err = invalid.Errors{{Field: "password",
					Message: "opens other kitchens too: only they themselves change it"}}
			}
			if err != nil {
				return "", "", err
			}
			return ActSecret, "password of " + p.Name, k.putPassword(ctx, tx, p, password, hash)
		}
		if err := (NewPerson{Name: p.Name, Role: p.Role, UserName: userName, Password: password}).Check(
			ActorFrom(ctx).Site.Name).Err(); err != nil {
			return "", "", err
		}
		account, err := k.addLogin(ctx, tx, userName, hash)
		if err != nil {
			return "", "", err
		}
		return ActSecret, "user name of " + p.Name,
			tx.SetAccount(ctx, store.SetAccountParams{SiteID: p.SiteID, ID: p.ID, AccountID: &account.ID})
	})
}

// ChangePassword changes the actor's own password by the one before.
func (k *Kitchen) ChangePassword(ctx context.Context, old, password string) error {
	a := ActorFrom(ctx)
	a.SignIn.OnDevice = false
	if _, err := k.Confirm(WithActor(ctx, a), a.Person.ID, old); err != nil {
		return err
	}
	hash, err := slowHash(ctx, password)
	if err != nil {
		return err
	}
	return k.changePerson(ctx, a.Person.ID, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		return ActSecret, "password of " + p.Name, k.putPassword(ctx, tx, p, password, hash)
	})
}

// putPassword sets another password, with its hash, for the login of a person, and lifts what
// locked it; its sessions end but the actor's, and its browsers are known no more.
func (k *Kitchen) putPassword(ctx context.Context, tx *store.Tx, p Person, password, hash string) error {
	account, err := tx.Account(ctx, *p.AccountID)
	if err != nil {
		return err
	}
	if err := access.CheckPassword("password", password, p.Name, account.UserName,
		ActorFrom(ctx).Site.Name).Err(); err != nil {
		return err
	}
	if err := unlock(ctx, tx, p); err != nil {
		return err
	}
	if err := tx.DropKnownBrowsers(ctx, account.ID); err != nil {
		return err
	}
	if err := k.endSessions(ctx, tx, p, ActorFrom(ctx).SignIn.Session); err != nil {
		return err
	}
	return tx.SetPassword(ctx, store.SetPasswordParams{ID: account.ID, Password: hash, ChangedAt: k.Now()})
}

// RestoreOwner makes a person an owner of a kitchen, and lets them in by a user name and a password:
// those of an account that is there, which gets the password, or new ones. It asks for no right: for the
// command at the server, when no owner can get in any more.
func (k *Kitchen) RestoreOwner(ctx context.Context, slug string, n NewPerson) (person Person, err error) {
	ctx = store.Everywhere(ctx)
	site, err := k.DB.SiteBySlug(ctx, slug)
	if err != nil {
		return person, fmt.Errorf("the kitchen %q: %w", slug, err)
	}
	account, err := k.DB.AccountByName(ctx, n.UserName)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return person, err
	}
	isNew := err != nil
	n.Role = string(access.Owner)
	if !isNew {
		if n.Name == "" {
			n.Name = n.UserName
		}
		n.LoginID = &account.ID
	}
	if err := n.Check(site.Name).Err(); err != nil {
		return person, err
	}
	hash, err := slowHash(ctx, n.Password)
	if err != nil {
		return person, err
	}
	n.hashes.password = hash
	return person, k.DB.Write(ctx, func(tx *store.Tx) error {
		people, err := tx.People(ctx, site.ID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(people, func(p store.Person) bool {
			return p.AccountID != nil && !isNew && *p.AccountID == account.ID || p.AccountID == nil && strings.EqualFold(p.Name, n.Name)
		})
		switch {
		case i < 0:
			person, err = k.addPerson(ctx, tx, Site(site), n)
		default:
			person = Person(people[i])
			err = k.makeOwner(ctx, tx, person, n)
		}
		if err == nil && !isNew {
			err = k.putPassword(ctx, tx, Person{SiteID: site.ID, ID: person.ID, Name: person.Name, AccountID: &account.ID}, n.Password, hash)
		}
		if err != nil {
			return err
		}
		return k.audit(ctx, tx, site.ID, Person{}, ActRole, person.Name+" is an owner by the user name "+n.UserName+", at the server")
	})
}

// makeOwner makes somebody who is there an owner, here again, with an account.
func (k *Kitchen) makeOwner(ctx context.Context, tx *store.Tx, p Person, n NewPerson) error {
	if err := tx.SetRole(ctx, store.SetRoleParams{SiteID: p.SiteID, ID: p.ID, Role: n.Role}); err != nil {
		return err
	}
	if err := tx.SetLeft(ctx, store.SetLeftParams{SiteID: p.SiteID, ID: p.ID}); err != nil || p.AccountID != nil {
		return err
	}
	account := n.LoginID
	if account == nil {
		a, err := k.addLogin(ctx, tx, n.UserName, n.hashes.password)
		if err != nil {
			return err
		}
		account = &a.ID
	}
	return tx.SetAccount(ctx, store.SetAccountParams{SiteID: p.SiteID, ID: p.ID, AccountID: account})
}

// ResetPassword sets the password of a login and asks for no right: for the command
// at the server, when nobody else can let an owner in.
func (k *Kitchen) ResetPassword(ctx context.Context, userName, password string) error {
	ctx = store.Everywhere(ctx)
	hash, err := slowHash(ctx, password)
	if err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		account, err := tx.AccountByName(ctx, userName)
		if err != nil {
			return err
		}
		if err := k.putPassword(ctx, tx, Person{Name: userName, AccountID: &account.ID}, password, hash); err != nil {
			return err
		}
		sites, err := tx.SitesOfAccount(ctx, account.ID)
		if err != nil || len(sites) == 0 {
			return err
		}
		return k.audit(ctx, tx, sites[0].ID, Person{}, ActSecret, "password of "+userName+", at the server")
	})
}

// Unlock lets a person try their PIN or password again.
func (k *Kitchen) Unlock(ctx context.Context, id int64) error {
	if err := ActorFrom(ctx).need(access.Staff); err != nil {
		return err
	}
	return k.changePerson(ctx, id, func(ctx context.Context, tx *store.Tx, p Person) (Act, string, error) {
		return ActUnlocked, p.Name, unlock(ctx, tx, p)
	})
}

// Member is a person of the kitchen with what they sign in with.
type Member struct {
	Person
	UserName    string
	HasPIN      bool
	LockedUntil *time.Time
	SeenAt      time.Time // 1970 where they never were here
}

// Seen reports whether they were ever signed in.
func (m Member) Seen() bool { return m.SeenAt.Unix() > 0 }

// Left reports whether they no longer work here.
func (m Member) Left() bool { return m.LeftAt != nil }

// Members lists the people of the actor's kitchen.
func (k *Kitchen) Members(ctx context.Context) ([]Member, error) {
	a, now := ActorFrom(ctx), k.Now()
	rows, err := k.DB.PeopleWithKeys(store.Everywhere(ctx), store.PeopleWithKeysParams{SiteID: a.Site.ID, Now: &now})
	if err != nil {
		return nil, fmt.Errorf("loading people: %w", err)
	}
	list := make([]Member, len(rows))
	for i, r := range rows {
		list[i] = Member{Person(r.Person), r.UserName, r.HasPin, r.LockedUntil, r.SeenAt}
	}
	return list, nil
}

// PINHolders lists who can sign in on a shared tablet of a site, and Managers
// among them who can approve.
func (k *Kitchen) PINHolders(ctx context.Context, site Site) ([]Member, error) {
	all, err := k.Members(WithActor(ctx, Actor{Site: site}))
	var list []Member
	for _, m := range all {
		if m.HasPIN && !m.Left() {
			list = append(list, m)
		}
	}
	return list, err
}

// Approvers lists who can approve an entry where the actor is signed in, by PIN on a shared tablet,
// else by password: the managers, and the deputy of the shift.
func (k *Kitchen) Approvers(ctx context.Context) ([]Member, error) {
	a := ActorFrom(ctx)
	all, err := k.Members(ctx)
	if err != nil {
		return nil, err
	}
	deputy, err := k.DeputyNow(ctx)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return nil, err
	}
	var list []Member
	for _, m := range all {
		may := access.Role(m.Role).May(access.Manage) || m.ID == deputy.ID
		if can := m.UserName != ""; !m.Left() && may && m.ID != a.Person.ID &&
			(can && !a.SignIn.OnDevice || m.HasPIN && a.SignIn.OnDevice) {
			list = append(list, m)
		}
	}
	return list, nil
}

// SetLock sets after how many idle minutes the kitchen's tablets ask for the PIN again.
func (k *Kitchen) SetLock(ctx context.Context, minutes int) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Staff); err != nil {
		return err
	}
	if minutes < 1 || minutes > 120 {
		return invalid.Errors{{Field: "lock_minutes", Message: "is 1 to 120 minutes"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetLock(ctx, store.SetLockParams{ID: a.Site.ID, LockMinutes: int64(minutes)}); err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActRules,
			fmt.Sprintf("tablets ask again after %d quiet minutes", minutes))
	})
}

// Device is a shared tablet of a kitchen.
type Device struct {
	ID   uuid.UUID
	Name string
	Site Site
}

// EnrolDevice makes the browser of the actor a shared tablet and returns the
// secret that it keeps. The actor's session there ends: it is no longer theirs.
func (k *Kitchen) EnrolDevice(ctx context.Context, name string) (string, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Staff); err != nil {
		return "", err
	}
	name = strings.TrimSpace(name)
	if name == "" || invalid.TooLong(name, 60) {
		return "", invalid.Errors{{Field: "device", Message: "give the tablet a name of at most 60 characters"}}
	}
	secret, hash := newSecret("")
	ctx = store.Everywhere(ctx)
	return secret, k.DB.Write(ctx, func(tx *store.Tx) error {
		now := k.Now()
		if err := tx.AddDevice(ctx, store.AddDeviceParams{SiteID: a.Site.ID, ID: NewID(), Name: name, Hash: hash,
			EnrolledAt: now, EnrolledBy: a.Person.ID}); err != nil {
			return fmt.Errorf("enrolling: %w", err)
		}
		if err := tx.EndSession(ctx, store.EndSessionParams{ID: a.SignIn.Session, EndedAt: &now}); err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActEnrolled, name)
	})
}

// DeviceOf returns the shared tablet that keeps a secret. It returns ErrNotFound
// where none does.
func (k *Kitchen) DeviceOf(ctx context.Context, secret string) (Device, error) {
	row, err := k.DB.DeviceByHash(store.Everywhere(ctx), hashOf(secret))
	return Device{row.Device.ID, row.Device.Name, Site(row.Site)}, err
}

// DemoPeople lists the people of a site, to act as one of them in the demo.
func (k *Kitchen) DemoPeople(ctx context.Context, site int64) ([]Person, error) {
	rows, err := k.DB.People(store.WithSite(ctx, site), site)
	return mapped(rows, err, personOf)
}

// DeviceEntry is a shared tablet as the list shows it.
type DeviceEntry struct {
	ID         uuid.UUID
	Name       string
	EnrolledAt time.Time
	EnrolledBy string
}

// Devices lists the shared tablets of the actor's kitchen.
func (k *Kitchen) Devices(ctx context.Context) ([]DeviceEntry, error) {
	rows, err := k.DB.Devices(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, func(r store.DevicesRow) DeviceEntry {
		return DeviceEntry{ID: r.Device.ID, Name: r.Device.Name, EnrolledAt: r.Device.EnrolledAt,
			EnrolledBy: r.EnrolledByName}
	})
}

// RevokeDevice ends a shared tablet with its sessions.
func (k *Kitchen) RevokeDevice(ctx context.Context, id uuid.UUID) error {
	a, now := ActorFrom(ctx), k.Now()
	if err := a.need(access.Staff); err != nil {
		return err
	}
	ctx = store.Everywhere(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		name, err := tx.RevokeDevice(ctx, store.RevokeDeviceParams{SiteID: a.Site.ID, ID: id, RevokedAt: &now})
		if err != nil {
			return err
		}
		if err := tx.EndSessionsOfDevice(ctx, store.EndSessionsOfDeviceParams{SiteID: a.Site.ID, DeviceID: id,
			Now: &now}); err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActRevoked, "tablet "+name)
	})
}

// SessionEntry is somebody who is signed in, as the list shows it.
type SessionEntry struct {
	ID        uuid.UUID
	Agent     string // of the browser
	StartedAt time.Time
	SeenAt    time.Time
	EndsAt    time.Time
	PersonID  int64
	Name      string
	Device    string // the shared tablet; "" for a device of their own
}

// Sessions lists who is signed in at the actor's kitchen: all for those with the
// right over people, else one's own.
func (k *Kitchen) Sessions(ctx context.Context) ([]SessionEntry, error) {
	a := ActorFrom(ctx)
	if !a.May(access.Staff) {
		return k.OwnSessions(ctx)
	}
	return k.sessions(ctx, a.Site.ID)
}

func (k *Kitchen) sessions(ctx context.Context, site int64) ([]SessionEntry, error) {
	rows, err := k.DB.Sessions(store.Everywhere(ctx), store.SessionsParams{SiteID: site, Now: k.Now()})
	return mapped(rows, err, func(r store.SessionsRow) SessionEntry { return SessionEntry(r) })
}

// OwnSessions lists where the actor is signed in.
func (k *Kitchen) OwnSessions(ctx context.Context) ([]SessionEntry, error) {
	a := ActorFrom(ctx)
	list, err := k.sessions(ctx, a.Site.ID)
	return slices.DeleteFunc(list, func(r SessionEntry) bool { return r.PersonID != a.Person.ID }), err
}

// RevokeSession ends a session that the actor's list shows.
func (k *Kitchen) RevokeSession(ctx context.Context, id uuid.UUID) error {
	a, now := ActorFrom(ctx), k.Now()
	list, err := k.Sessions(ctx)
	if err != nil {
		return err
	}
	for _, s := range list {
		if s.ID != id {
			continue
		}
		ctx = store.Everywhere(ctx)
		return k.DB.Write(ctx, func(tx *store.Tx) error {
			if err := tx.EndSession(ctx, store.EndSessionParams{ID: id, EndedAt: &now}); err != nil {
				return err
			}
			return k.audit(ctx, tx, a.Site.ID, a.Person, ActRevoked, "session of "+s.Name)
		})
	}
	return ErrNotFound
}

// throttleKept is for how long a throttle is kept after its last failure, with the name in it: as long
// as that counts.
const throttleKept = 48 * time.Hour

// TidySignIns tells the audit of the failures of hours that are over, and deletes sessions, throttles
// and known browsers that have ended.
func (k *Kitchen) TidySignIns(ctx context.Context) error {
	ctx = store.Everywhere(ctx)
	now := k.Now()
	return errors.Join(k.tellFailures(ctx), k.DB.DropOldSessions(ctx, now.Add(-sessionKept)),
		k.DB.DropOldThrottles(ctx, now.Add(-throttleKept)), k.DB.DropOldKnownBrowsers(ctx, now.Add(-BrowserKept)))
}
