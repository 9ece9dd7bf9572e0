package kitchen_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

const goodPassword = "seven grey gulls over wet slate"

// crew is a bench whose people have PINs, with a tablet; Mara, the manager, and
// Olga, the owner, have accounts too.
type crew struct {
	*bench
	site   kitchen.Site
	device kitchen.Device
	owner  context.Context
	ids    map[string]int64
}

func newCrew(t *testing.T) *crew {
	b := newBench(t)
	c := &crew{bench: b, site: kitchen.ActorFrom(b.ctx).Site, ids: map[string]int64{}}
	all := store.Everywhere(context.Background())
	_, err := b.DB.AddPerson(all, store.AddPersonParams{SiteID: c.site.ID, Name: "Olga", Role: "owner"})
	b.must(err)
	people, err := b.DB.People(all, c.site.ID)
	b.must(err)
	for _, p := range people {
		c.ids[p.Name] = p.ID
	}
	c.owner = kitchen.WithActor(context.Background(), kitchen.Actor{Site: c.site, Person: kitchen.Person(people[2])})
	for name, pin := range map[string]string{"Mara": "4071", "Bo": "5820", "Olga": "9163"} {
		b.must(b.SetPIN(c.owner, c.ids[name], pin))
	}
	b.must(b.SetLogin(c.owner, c.ids["Mara"], "mara", goodPassword))
	b.must(b.SetLogin(c.owner, c.ids["Olga"], "olga", goodPassword))
	secret, err := b.EnrolDevice(b.manager, "Dock tablet")
	b.must(err)
	c.device, err = b.DeviceOf(context.Background(), secret)
	b.must(err)
	return c
}

func (c *crew) pin(name, pin string) (string, error) {
	return c.SignInWithPIN(context.Background(), c.device, c.ids[name], pin,
		kitchen.Origin{Address: "192.0.2.1", Agent: "test"})
}

func (c *crew) password(user, password string) (string, error) {
	in, err := c.passwordFrom("192.0.2.1", user, password, "")
	return in.Secret, err
}

func (c *crew) passwordFrom(address, user, password, known string) (kitchen.SignedIn, error) {
	return c.SignInWithPassword(context.Background(), user, password, known, kitchen.Origin{Address: address, Agent: "test"})
}

func (c *crew) visitor(secret string) (kitchen.Actor, error) {
	return c.ActorOfSession(context.Background(), secret, c.site.Slug)
}

// The lock-out counts in the database: another process, or the same one started
// again, refuses the right PIN too; it ends by time, and by a manager.
func TestLockOutSurvivesARestart(t *testing.T) {
	c := newCrew(t)
	for n := range access.PersonTries - 1 {
		if _, err := c.pin("Bo", "0000"); !errors.Is(err, kitchen.ErrWrongSecret) {
			t.Fatalf("try %d: %v", n+1, err)
		}
	}
	var locked kitchen.Locked
	if _, err := c.pin("Bo", "0000"); !errors.As(err, &locked) || locked.Until.Sub(c.now) != 15*time.Minute {
		t.Fatalf("the last try: %v", err)
	}
	again := kitchen.New(c.DB, slog.New(slog.DiscardHandler))
	again.Now = c.Now
	if _, err := again.SignInWithPIN(context.Background(), c.device, c.ids["Bo"], "5820",
		kitchen.Origin{}); !errors.As(err, &locked) {
		t.Errorf("the right PIN in a new process: %v", err)
	}
	if _, err := c.pin("Mara", "4071"); err != nil {
		t.Errorf("somebody else: %v", err)
	}
	c.now = c.now.Add(15*time.Minute + time.Second)
	if _, err := c.pin("Bo", "5820"); err != nil {
		t.Errorf("after the lock-out: %v", err)
	}
	for range access.PersonTries {
		c.pin("Bo", "0000")
	}
	c.must(c.Unlock(c.manager, c.ids["Bo"]))
	if _, err := c.pin("Bo", "5820"); err != nil {
		t.Errorf("after a manager unlocked: %v", err)
	}
}

// Who tries one name after the other locks the tablet, for everybody; another
// tablet goes on, and a sign-in that works clears what slips of the hand left.
func TestATabletLocks(t *testing.T) {
	c := newCrew(t)
	slip := func(n int) error {
		_, err := c.SignInWithPIN(context.Background(), c.device, int64(900+n), "0000", kitchen.Origin{})
		return err
	}
	for n := range access.DeviceTries - 1 {
		if err := slip(n); !errors.Is(err, kitchen.ErrWrongSecret) {
			t.Fatalf("try %d: %v", n+1, err)
		}
	}
	if _, err := c.pin("Bo", "5820"); err != nil {
		t.Fatalf("one slip below: %v", err)
	}
	for n := range access.DeviceTries {
		slip(n)
	}
	if _, err := c.pin("Bo", "5820"); !errors.As(err, new(kitchen.Locked)) {
		t.Errorf("the right PIN on a locked tablet: %v", err)
	}
	secret, err := c.EnrolDevice(c.manager, "Bench tablet")
	c.must(err)
	bench, err := c.DeviceOf(context.Background(), secret)
	c.must(err)
	if _, err := c.SignInWithPIN(context.Background(), bench, c.ids["Bo"], "5820", kitchen.Origin{}); err != nil {
		t.Errorf("on another tablet: %v", err)
	}
}

// Tries at the same time count one after the other: none slips past the throttle.
func TestTriesAtOnceAreCounted(t *testing.T) {
	c := newCrew(t)
	var wait sync.WaitGroup
	var mu sync.Mutex
	wrong, locked := 0, 0
	for range 20 {
		wait.Go(func() {
			_, err := c.pin("Bo", "0000")
			mu.Lock()
			defer mu.Unlock()
			if errors.As(err, new(kitchen.Locked)) {
				locked++
			} else if errors.Is(err, kitchen.ErrWrongSecret) {
				wrong++
			}
		})
	}
	wait.Wait()
	if wrong != access.PersonTries-1 || locked != 20-wrong {
		t.Errorf("%d tries were taken, %d locked out", wrong, locked)
	}
}

// Whatever strangers fail at a user name, or from the same address, slows others down at most: the
// browser in which somebody signed in before, and who is signed in, do not notice it.
func TestStrangersKeepNobodyOut(t *testing.T) {
	c := newCrew(t)
	hers, err := c.passwordFrom("192.0.2.1", "mara", goodPassword, "")
	c.must(err)
	actor, err := c.visitor(hers.Secret)
	c.must(err)
	var slowed kitchen.Slowed
	for n := range 100 {
		_, err = c.passwordFrom(fmt.Sprintf("192.0.2.%d", 1+n%8), "mara", "guess", "")
		if err == nil {
			t.Fatal("a guess opened it")
		}
	}
	if !errors.As(err, &slowed) && !errors.As(err, new(kitchen.Locked)) {
		t.Errorf("the hundredth guess: %v", err)
	}
	if _, err := c.passwordFrom("198.51.100.7", "mara", goodPassword, ""); !errors.As(err, &slowed) || slowed.For > access.UserEvery {
		t.Errorf("the right one from elsewhere, at once: %v", err)
	}
	again, err := c.passwordFrom("192.0.2.1", "mara", goodPassword, hers.Known)
	if err != nil || again.Known == hers.Known {
		t.Errorf("in the browser in which she signed in before: %v", err)
	}
	if _, err := c.passwordFrom("192.0.2.1", "mara", goodPassword, hers.Known); err == nil {
		t.Error("what a browser was known by opens twice")
	}
	for n := range access.FreeTries {
		c.passwordFrom("192.0.2.1", fmt.Sprintf("name%d", n), "guess", "")
	}
	if _, err := c.passwordFrom("192.0.2.1", "olga", goodPassword, again.Known); !errors.As(err, &slowed) || slowed.For > access.AddressEvery {
		t.Errorf("another account by the same browser, from the strangers' address: %v", err)
	}
	if again, err = c.passwordFrom("192.0.2.1", "mara", goodPassword, again.Known); err != nil {
		t.Errorf("in the browser in which she signed in before, from the strangers' address: %v", err)
	}
	if _, err := c.Confirm(kitchen.WithActor(context.Background(), actor), actor.Person.ID, goodPassword); err != nil {
		t.Errorf("asked again while she is signed in: %v", err)
	}
	if _, err := c.passwordFrom("198.51.100.7", "olga", goodPassword, ""); err != nil {
		t.Errorf("somebody else from elsewhere: %v", err)
	}
	c.now = c.now.Add(access.UserEvery)
	if _, err := c.passwordFrom("198.51.100.7", "mara", goodPassword, ""); err != nil {
		t.Errorf("after a while, from elsewhere: %v", err)
	}
	c.must(c.UnlockAll(context.Background(), "mara"))
	if _, err := c.passwordFrom("2001:db8::1", "mara", goodPassword, ""); err != nil {
		t.Errorf("unlocked at the server: %v", err)
	}
}

// However often strangers fail, the audit has a row for the first in an hour and one with the count, and
// says no name that nobody has: what is typed there may be a password.
func TestFailuresAreCounted(t *testing.T) {
	c := newCrew(t)
	for n := range 60 {
		c.passwordFrom(fmt.Sprintf("2001:db8:0:%x::1", n), fmt.Sprintf("horse battery %d", n), "guess", "")
		c.passwordFrom(fmt.Sprintf("2001:db8:0:%x::1", n), "mara", "guess", "")
	}
	rows := func() (said []string) {
		failed, err := c.DB.Pool.Query(context.Background(), `select name || ': ' || subject from audit where act = 'sign-in failed'
			union all select key from throttle where key like '%horse%' order by 1`)
		c.must(err)
		for failed.Next() {
			var text string
			c.must(failed.Scan(&text))
			said = append(said, text)
		}
		return said
	}
	if n := len(rows()) - 2*60; n != 2 {
		t.Errorf("%d rows for 120 failures", n)
	}
	c.now = c.now.Add(49 * time.Hour)
	c.must(c.TidySignIns(context.Background()))
	said := rows()
	if len(said) != 4 || !strings.Contains(said[0]+said[1], "a user name that is not known: 59 more times in the hour from") ||
		!strings.Contains(said[2]+said[3], "mara: 59 more times") {
		t.Errorf("the audit says %q", said)
	}
	c.must(c.TidySignIns(context.Background()))
	if len(rows()) != 4 {
		t.Error("it tells twice")
	}
}

// A name that nobody has is answered as a wrong password is, in about the same
// time, and locks itself alone.
func TestUnknownNamesTellNothing(t *testing.T) {
	c := newCrew(t)
	_, unknown := c.password("nobody", goodPassword)
	_, wrong := c.password("mara", "another password altogether")
	if !errors.Is(unknown, kitchen.ErrWrongSecret) || !errors.Is(wrong, kitchen.ErrWrongSecret) ||
		unknown.Error() != wrong.Error() {
		t.Errorf("unknown: %v; wrong: %v", unknown, wrong)
	}
	for range access.PersonTries {
		c.password("nobody", goodPassword)
	}
	if _, err := c.password("mara", goodPassword); err != nil {
		t.Errorf("somebody else's failures lock her: %v", err)
	}
	if _, err := c.password("MARA ", goodPassword); err != nil {
		t.Errorf("the user name in capitals: %v", err)
	}
	if _, err := c.password("x\x00\xff"+strings.Repeat("y", 5000), "z"); !errors.Is(err, kitchen.ErrWrongSecret) {
		t.Errorf("a hostile name: %v", err)
	}
}

func TestSessions(t *testing.T) {
	c := newCrew(t)
	first, err := c.pin("Bo", "5820")
	c.must(err)
	second, err := c.pin("Bo", "5820")
	c.must(err)
	if first == second {
		t.Error("two sign-ins have one secret")
	}
	a, err := c.visitor(first)
	if err != nil || a.Person.Name != "Bo" || !a.SignIn.OnDevice || a.SignIn.Quiet {
		t.Errorf("%+v, %v", a.SignIn, err)
	}
	if _, err := c.ActorOfSession(context.Background(), first, "elsewhere"); !errors.Is(err, kitchen.ErrNoActor) {
		t.Errorf("in a kitchen that is not: %v", err)
	}
	c.now = c.now.Add(11 * time.Minute)
	if a, _ = c.visitor(first); !a.SignIn.Quiet {
		t.Error("eleven quiet minutes on a tablet, and not asked again")
	}
	if _, err := c.Confirm(kitchen.WithActor(context.Background(), a), a.Person.ID, "5820"); err != nil {
		t.Errorf("the PIN given again: %v", err)
	}
	c.must(c.NoteActivity(kitchen.WithActor(context.Background(), a)))
	if a, _ = c.visitor(first); a.SignIn.Quiet {
		t.Error("asked again though the PIN was given")
	}
	own, err := c.password("olga", goodPassword)
	c.must(err)
	c.now = c.now.Add(29 * time.Minute)
	if o, _ := c.visitor(own); o.SignIn.Quiet || o.SignIn.OnDevice {
		t.Errorf("29 minutes on a device of her own: %+v", o.SignIn)
	}

	// What ends sessions: the list, another PIN, a revoked tablet, leaving, time.
	gone := func(what, secret string) {
		t.Helper()
		if _, err := c.visitor(secret); !errors.Is(err, kitchen.ErrNoActor) {
			t.Errorf("%s: %v", what, err)
		}
	}
	c.must(c.RevokeSession(c.manager, a.SignIn.Session))
	gone("after it was revoked", first)
	c.must(c.SetPIN(c.manager, c.ids["Bo"], "7046"))
	gone("after a new PIN", second)
	third, err := c.pin("Bo", "7046")
	c.must(err)
	c.must(c.RevokeDevice(c.manager, c.device.ID))
	gone("on a revoked tablet", third)
	c.now = c.now.Add(12 * time.Hour)
	gone("after twelve hours", own)
	own, err = c.password("mara", goodPassword)
	c.must(err)
	if err := c.RevokeSession(c.ctx, mustVisit(t, c, own)); !errors.Is(err, kitchen.ErrNotFound) {
		t.Errorf("a buyer ended the manager's session: %v", err)
	}
	c.must(c.Leave(c.owner, c.ids["Mara"]))
	gone("after she left", own)
	if _, err := c.password("mara", goodPassword); !errors.Is(err, kitchen.ErrWrongSecret) {
		t.Errorf("somebody who left signs in: %v", err)
	}
	sites, err := c.SitesOf(context.Background(), own)
	if !errors.Is(err, kitchen.ErrNoActor) || len(sites) > 0 {
		t.Errorf("%v, %v", sites, err)
	}
}

func mustVisit(t *testing.T, c *crew, secret string) [16]byte {
	t.Helper()
	a, err := c.visitor(secret)
	if err != nil {
		t.Fatal(err)
	}
	return a.SignIn.Session
}

// Nobody makes others, or themselves, more than they are; an owner remains.
func TestWhoMayChangeWhom(t *testing.T) {
	c := newCrew(t)
	var bad invalid.Errors
	if err := c.SetRole(c.manager, c.ids["Bo"], "manager"); !errors.As(err, &bad) {
		t.Errorf("a manager made a manager: %v", err)
	}
	if err := c.SetRole(c.manager, c.ids["Mara"], "owner"); !errors.As(err, &bad) {
		t.Errorf("a manager made herself owner: %v", err)
	}
	if err := c.SetPIN(c.manager, c.ids["Olga"], "6204"); !errors.Is(err, kitchen.ErrRight) {
		t.Errorf("a manager set the owner's PIN: %v", err)
	}
	if err := c.AddPerson(c.ctx, kitchen.NewPerson{Name: "Eve", Role: "crew"}); !errors.Is(err, kitchen.ErrRight) {
		t.Errorf("a buyer added somebody: %v", err)
	}
	if err := c.SetRole(c.owner, c.ids["Olga"], "crew"); !errors.As(err, &bad) || bad.On("role") == "" {
		t.Errorf("the last owner stepped down: %v", err)
	}
	if err := c.Leave(c.owner, c.ids["Olga"]); !errors.As(err, &bad) {
		t.Errorf("the last owner left: %v", err)
	}
	c.must(c.SetRole(c.owner, c.ids["Mara"], "owner"))
	c.must(c.SetRole(c.owner, c.ids["Olga"], "crew"))
	if err := c.AddPerson(c.manager, kitchen.NewPerson{Name: "Eve", Role: "crew", PIN: "1234", UserName: "E",
		Password: "short"}); !errors.As(err, &bad) || bad.On("pin") == "" || bad.On("user_name") == "" ||
		bad.On("password") == "" {
		t.Errorf("easy secrets: %v", err)
	}
	if err := c.ChangePIN(c.ctx, "0000", "6204"); !errors.Is(err, kitchen.ErrWrongSecret) {
		t.Errorf("a PIN changed without the one before: %v", err)
	}
	if err := c.SetPIN(c.manager, c.ids["Mara"], "6204"); !errors.As(err, &bad) || bad.On("pin") == "" {
		t.Errorf("a manager set her own PIN without the one before: %v", err)
	}
	c.must(c.ChangePIN(c.ctx, "5820", "6204"))
	if _, err := c.pin("Bo", "6204"); err != nil {
		t.Error(err)
	}
}

// One account opens the kitchens of an owner, and no manager of one changes it.
func TestAnOwnerOfSeveralKitchens(t *testing.T) {
	c := newCrew(t)
	olga, err := c.password("olga", goodPassword)
	c.must(err)
	a, err := c.visitor(olga)
	c.must(err)
	other, err := c.OpenKitchen(kitchen.WithActor(context.Background(), a),
		kitchen.Setup{Name: "Other", TimeZone: "UTC", Profile: "eu",
			Places: []kitchen.NewPlace{{Name: "Dock", Kind: "dock", SetC: 4}}})
	c.must(err)
	if there, err := c.ActorOfSession(context.Background(), olga, other.Slug); err != nil ||
		there.Person.Role != "owner" || there.Person.ID == a.Person.ID {
		t.Errorf("%+v, %v", there.Person, err)
	}
	sites, err := c.SitesOf(context.Background(), olga)
	if err != nil || len(sites) != 2 {
		t.Errorf("%v, %v", sites, err)
	}
	var bad invalid.Errors
	c.must(c.SetRole(c.owner, c.ids["Mara"], "owner"))
	mara := kitchen.ActorFrom(c.manager)
	mara.Person.Role = "owner"
	if err := c.SetLogin(kitchen.WithActor(context.Background(), mara), c.ids["Olga"], "",
		"another good password of slate"); !errors.As(err, &bad) || bad.On("password") == "" {
		t.Errorf("a co-owner of one kitchen changed the password that opens two: %v", err)
	}
	pin, err := c.pin("Olga", "9163")
	c.must(err)
	if _, err := c.ActorOfSession(context.Background(), pin, other.Slug); !errors.Is(err, kitchen.ErrNoActor) {
		t.Errorf("a PIN of one kitchen opened another: %v", err)
	}
}

// The audit tells what was done, and its chain that nothing was altered.
func TestTheAuditTellsAndHolds(t *testing.T) {
	c := newCrew(t)
	c.pin("Bo", "0000")
	c.must(c.SetProfile(c.manager, "eu"))
	hot := kitchen.ActorFrom(c.ctx)
	lent, err := c.Approve(kitchen.WithActor(context.Background(), withTablet(hot)), c.ids["Mara"], "4071",
		"releasing a lot")
	c.must(err)
	if !lent.IsManager() || lent.May(access.Staff) {
		t.Error("a lent PIN gives the manager's acts, and no others")
	}
	auditor := lent
	auditor.Person.Role = "auditor"
	if auditor.May(access.Manage) {
		t.Error("an auditor writes by a lent PIN")
	}
	if _, err := c.Approve(kitchen.WithActor(context.Background(), withTablet(hot)), c.ids["Bo"], "5820",
		"releasing a lot"); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("a buyer lent a PIN: %v", err)
	}
	list, err := c.Audit(c.owner, "", 0)
	c.must(err)
	var told []string
	for _, e := range list {
		told = append(told, e.Name+" "+e.Act+" "+e.Subject)
	}
	for _, want := range []string{"Bo sign-in failed Dock tablet", "Mara rules changed rules: eu, was house-strict",
		"Mara lent a PIN to Bo for releasing a lot", "Mara device enrolled Dock tablet",
		"Olga PIN or password set PIN of Bo"} {
		if !strings.Contains(strings.Join(told, "\n"), want) {
			t.Errorf("the audit lacks %q:\n%s", want, strings.Join(told, "\n"))
		}
	}
	if _, err := c.Audit(c.manager, "", 0); !errors.Is(err, kitchen.ErrRight) {
		t.Errorf("a manager read the audit: %v", err)
	}
	n, err := c.CheckAudit(context.Background(), c.site.ID)
	if err != nil || int(n) != len(list) {
		t.Fatalf("%d of %d entries: %v", n, len(list), err)
	}
	for _, sql := range []string{"alter table audit disable trigger append_only",
		"update audit set name = 'Eve' where name = 'Bo' and act = 'sign-in failed'"} {
		_, err := c.DB.Pool.Exec(context.Background(), sql)
		c.must(err)
	}
	if _, err := c.CheckAudit(context.Background(), c.site.ID); err == nil || !strings.Contains(err.Error(),
		"was altered") {
		t.Errorf("an altered entry: %v", err)
	}
	_, err = c.DB.Pool.Exec(context.Background(), "delete from audit where seq = 3")
	c.must(err)
	if _, err := c.CheckAudit(context.Background(), c.site.ID); err == nil || !strings.Contains(err.Error(),
		"entry 3 of the audit is missing") {
		t.Errorf("a missing entry: %v", err)
	}
}

func withTablet(a kitchen.Actor) kitchen.Actor {
	a.SignIn.OnDevice = true
	return a
}
