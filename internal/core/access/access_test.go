package access

import (
	"testing"
	"time"
)

func TestRights(t *testing.T) {
	cases := []struct {
		role Role
		can  []Right
		not  []Right
	}{
		{Owner, []Right{Self, Read, Write, Buy, Equip, Manage, Staff, Audit, Own}, nil},
		{Manager, []Right{Read, Write, Equip, Manage, Staff}, []Right{Audit, Own}},
		{Buyer, []Right{Read, Write, Buy, Equip}, []Right{Manage, Staff, Audit}},
		{Crew, []Right{Read, Write}, []Right{Buy, Equip, Manage, Staff}},
		{Auditor, []Right{Self, Read, Audit}, []Right{Write, Buy, Equip, Manage, Staff, Own}}, // writes nothing
		{"captain", []Right{Anyone}, []Right{Self, Read}},
	}
	for _, c := range cases {
		for _, right := range c.can {
			if !c.role.May(right) {
				t.Errorf("%s may not %s", c.role, right)
			}
		}
		for _, right := range c.not {
			if c.role.May(right) {
				t.Errorf("%s may %s", c.role, right)
			}
		}
	}
	if Manager.MayGrant(Owner) || Manager.MayGrant(Manager) || !Manager.MayGrant(Crew) || !Owner.MayGrant(Manager) ||
		Crew.MayGrant(Crew) || Owner.MayGrant("captain") {
		t.Error("somebody may make others more than they are")
	}
}

func TestPIN(t *testing.T) {
	for pin, good := range map[string]bool{"4071": true, "20486": true, "90210417": true, "1122": true,
		"407": false, "407124863": false, "40a1": false, "0000": false, "1234": false, "98765": false, "": false,
		"٤٠٧١": false} {
		if bad := CheckPIN("pin", pin); (len(bad) == 0) != good {
			t.Errorf("%q: %v", pin, bad)
		}
	}
}

func TestPassword(t *testing.T) {
	cases := []struct {
		password string
		good     bool
	}{
		{"seven grey gulls over wet slate", true},
		{"kV9#tq2!mZxw", true},
		{"короткий пароль из слов", true},  // any script counts
		{"passwordpassword", false},        // common, doubled
		{"123456789012", false},            // a row
		{"qwertyuiop12", false},            // a row of keys
		{"harbourharbour", false},          // the kitchen's name
		{"leancatch2026", false},           // ours
		{"gulls slate", false},             // 11 characters
		{string(make([]byte, 200)), false}, // too long
	}
	for _, c := range cases {
		if bad := CheckPassword("password", c.password, "Harbour", "Ansa"); (len(bad) == 0) != c.good {
			t.Errorf("%q: %v", c.password, bad)
		}
	}
}

// A thief who tries a PIN whenever a try is taken: how many tries a day.
func TestThrottleBoundsGuesses(t *testing.T) {
	now := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	var th Throttle
	perDay := map[int]int{}
	hour := map[int]int{}
	for at := now; at.Before(now.AddDate(0, 0, 30)); at = at.Add(time.Second) {
		if th.Locked(at) {
			continue
		}
		th = th.Failed(at, PersonTries)
		perDay[int(at.Sub(now).Hours()/24)]++
		hour[int(at.Sub(now).Hours())]++
	}
	for day, n := range perDay {
		if most := map[bool]int{true: 50, false: 5}[day == 0]; n > most {
			t.Errorf("day %d: %d tries, more than %d", day, n, most)
		}
	}
	for h, n := range hour {
		if n > 100 { // ASVS 2.2.1
			t.Errorf("hour %d: %d tries", h, n)
		}
	}
}

func TestThrottle(t *testing.T) {
	now := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	var th Throttle
	for range PersonTries - 1 {
		th = th.Failed(now, PersonTries)
	}
	if th.Locked(now) {
		t.Error("locked one try too soon")
	}
	if th = th.Failed(now, PersonTries); !th.Locked(now.Add(14*time.Minute)) || th.Locked(now.Add(15*time.Minute)) {
		t.Errorf("the first lock-out: %+v", th)
	}
	now = now.Add(16 * time.Minute)
	for range PersonTries {
		th = th.Failed(now, PersonTries)
	}
	if th.Until.Sub(now) != 30*time.Minute {
		t.Errorf("the second lock-out lasts %v", th.Until.Sub(now))
	}
	if th = th.Failed(now.Add(48*time.Hour), PersonTries); th.Lockouts != 0 || th.Failures != 1 {
		t.Errorf("old failures still count: %+v", th)
	}
}
