package kitchen

import (
	"context"
	"sync"
	"time"
)

// plans keeps the plan of each kitchen's services until something changes there, or the minute is over: the alarm line, what is due and
// the pages of the services ask for the same one.
type plans struct {
	mu   sync.Mutex
	kept map[int64]*plan
}

// plan is that of one kitchen; who asks while it is made waits for it.
type plan struct {
	mu      sync.Mutex
	version int64
	minute  time.Time
	list    []PlannedService
}

func newPlans() *plans { return &plans{kept: map[int64]*plan{}} }

func (p *plans) of(site int64) *plan {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.kept[site] == nil {
		p.kept[site] = &plan{}
	}
	return p.kept[site]
}

// Planned returns the open services with what their dishes have and lack: what is reserved, what is free first expired, first out,
// and what is missing. Its slices are not to be changed.
func (k *Kitchen) Planned(ctx context.Context) ([]PlannedService, error) {
	version, err := k.Version(ctx) // before anything is read: what is kept is at least as new
	if err != nil {
		return nil, err
	}
	p, minute := k.plans.of(ActorFrom(ctx).Site.ID), k.Now().Truncate(time.Minute)
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.version >= version && p.minute.Equal(minute) {
		return p.list, nil
	}
	list, err := k.planServices(ctx)
	if err == nil {
		p.version, p.minute, p.list = version, minute, list
	}
	return list, err
}
