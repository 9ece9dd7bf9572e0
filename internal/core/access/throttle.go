package access

import "time"

// Throttle is the tries that failed for one person, device, user name or address.
// The zero value is none.
type Throttle struct {
	Failures int // since the last success or lock-out
	Lockouts int // in a row
	FailedAt time.Time
	Until    time.Time // locked until then
}

// How many tries may fail before a lock-out, by what is tried. A device is that of
// several people.
const (
	PersonTries  = 5 // of a person's PIN, and of a user name from one address
	BrowserTries = 10
	DeviceTries  = 20
)

// What anybody can fail for everybody is never locked, only slowed down: after FreeTries that
// failed, one try each while. An address may be that of a proxy, or of all people of a house; a user
// name is tried from anywhere, at most 90 times an hour [OWASP-ASVS, 2.2.1].
const (
	FreeTries    = 20
	AddressEvery = 10 * time.Second
	UserEvery    = 40 * time.Second
)

// The first lock-out is short, each further one twice as long. What failed a day
// ago counts no more. At five tries a lock-out, a thief who never stops has fewer
// than fifty in the first day and five a day from then on: of the 10,000 PINs of
// four digits one in two hundred, below the bound of [OWASP-ASVS, 2.2.1] (no
// more than 100 an hour).
const (
	firstLockout   = 15 * time.Minute
	longestLockout = 24 * time.Hour
	forgotten      = 24 * time.Hour
)

// Locked reports whether tries are refused now, whatever they are.
func (t Throttle) Locked(now time.Time) bool { return now.Before(t.Until) }

// Wait is how long the next try waits where tries are slowed down to one each while.
func (t Throttle) Wait(now time.Time, every time.Duration) time.Duration {
	if t.Failures < FreeTries || now.Sub(t.FailedAt) >= forgotten {
		return 0
	}
	return max(0, t.FailedAt.Add(every).Sub(now))
}

// Slowed is the throttle after one more failure that locks nothing.
func (t Throttle) Slowed(now time.Time) Throttle {
	if now.Sub(t.FailedAt) >= forgotten {
		t = Throttle{}
	}
	t.Failures++
	t.FailedAt = now
	return t
}

// Failed is the throttle after one more failure; tries are how many may fail.
func (t Throttle) Failed(now time.Time, tries int) Throttle {
	if now.Sub(later(t.FailedAt, t.Until)) >= forgotten {
		t = Throttle{}
	}
	t.Failures++
	t.FailedAt = now
	if t.Failures >= tries {
		t.Failures = 0
		t.Lockouts++
		t.Until = now.Add(lockout(t.Lockouts))
	}
	return t
}

// lockout is how long the nth lock-out in a row lasts.
func lockout(n int) time.Duration {
	d := firstLockout
	for range n - 1 {
		if d *= 2; d >= longestLockout {
			return longestLockout
		}
	}
	return d
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}
