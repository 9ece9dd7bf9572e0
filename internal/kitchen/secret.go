package kitchen

import (
	"cmp"
	"context"
	"runtime"
	"time"

	"github.com/alexedwards/argon2id"
	"golang.org/x/sync/semaphore"
)

// hashing are the parameters of argon2id. Source: [OWASP-passwords]: 19 MiB, two passes, one lane.
var hashing = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// How many secrets are hashed at once, and how long one waits for its turn: each takes 19 MiB and
// some 30 ms of a core. What people set who are signed in has turns of its own.
var (
	tried = semaphore.NewWeighted(int64(max(1, runtime.NumCPU()/2)))
	set   = semaphore.NewWeighted(1)
)

const hashWait = 5 * time.Second

// inTurn runs do when it is its turn, or returns ErrBusy.
func inTurn(ctx context.Context, turns *semaphore.Weighted, do func()) error {
	wait, cancel := context.WithTimeout(ctx, hashWait)
	defer cancel()
	if err := turns.Acquire(wait, 1); err != nil {
		return cmp.Or(ctx.Err(), ErrBusy)
	}
	defer turns.Release(1)
	do()
	return nil
}

// slowHash hashes a secret that somebody sets. It must not be called within a transaction.
func slowHash(ctx context.Context, secret string) (hash string, err error) {
	if busy := inTurn(ctx, set, func() { hash, err = argon2id.CreateHash(secret, hashing) }); busy != nil {
		return "", busy
	}
	return hash, err
}

// noHash is compared where there is no hash, so that an unknown name takes as
// long as a wrong secret.
const noHash = "$argon2id$v=19$m=19456,t=2,p=1$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// matches compares a secret that somebody tries. It must not be called within a transaction.
func matches(ctx context.Context, secret, hash string) (ok bool, err error) {
	if busy := inTurn(ctx, tried, func() {
		ok, err = argon2id.ComparePasswordAndHash(secret, cmp.Or(hash, noHash))
	}); busy != nil {
		return false, busy
	}
	return ok && hash != "", err
}
