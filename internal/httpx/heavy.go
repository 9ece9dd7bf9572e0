package httpx

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"time"

	"golang.org/x/sync/semaphore"
)

// Heavy lets a few long computations run at once, each for a while: half of the machine's cores stay
// free for everything else.
type Heavy struct {
	turns      *semaphore.Weighted
	wait, time time.Duration
}

// How long a computation waits for its turn, and how long it may take.
const (
	heavyWait = 5 * time.Second
	heavyTime = 10 * time.Second
)

// Errors of Heavy.Do.
var (
	ErrBusy    = errors.New("too much is being computed just now: try again in a moment")
	ErrTooLong = fmt.Errorf("this takes more than %.0f s to compute: send less", heavyTime.Seconds())
)

// NewHeavy makes it for this machine.
func NewHeavy() *Heavy {
	return &Heavy{semaphore.NewWeighted(int64(max(1, runtime.NumCPU()/2))), heavyWait, heavyTime}
}

// Do computes when it is its turn. The computation ends with its context, which ends with ctx or when
// its time is over. Do returns ErrBusy where the turn did not come, ErrTooLong where the time ran
// out, the error of ctx where that ended, else what compute returned.
func (h *Heavy) Do(ctx context.Context, compute func(context.Context) error) error {
	wait, cancel := context.WithTimeout(ctx, h.wait)
	defer cancel()
	if err := h.turns.Acquire(wait, 1); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return ErrBusy
	}
	defer h.turns.Release(1)
	within, cancel := context.WithTimeout(ctx, h.time)
	defer cancel()
	err := compute(within)
	if ctx.Err() == nil && errors.Is(err, context.DeadlineExceeded) {
		return ErrTooLong
	}
	return err
}
