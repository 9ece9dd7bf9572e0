package store

import (
	"context"
	"sync"
	"time"

	"leancatch/internal/core/coldchain"
)

// hourCache keeps the rolled-up hours of the probes that were asked for last. An
// entry counts as long as the probe's row carries the number under which it was
// made; any number of processes may keep their own.
type hourCache struct {
	mu      sync.Mutex
	entries map[probeKey]*keptHours
}

type probeKey struct{ site, probe int64 }

// keptHours are the hours around a span. They are shared and never changed.
type keptHours struct {
	touched int64
	span    coldchain.Span
	hours   []coldchain.Hour
	used    time.Time
}

// mostKept bounds how many probes are kept: at two months each some 50 MB.
const mostKept = 128

// ahead is how much of the time to come is explained: nothing can be in it
// before the probe is touched again, and most questions reach up to now.
const ahead = 24 * time.Hour

// around returns the hours of a span with the neighbours that hold readings, and
// perhaps more of them.
func (c *hourCache) around(ctx context.Context, q *Queries, probe Probe, span coldchain.Span) ([]coldchain.Hour,
	error) {
	key := probeKey{probe.SiteID, probe.ID}
	c.mu.Lock()
	kept := c.entries[key]
	if kept != nil && kept.touched == probe.Touched && !span.From.Before(kept.span.From) &&
		!span.To.After(kept.span.To) {
		kept.used = time.Now()
		c.mu.Unlock()
		return kept.hours, nil
	}
	if kept != nil && kept.touched == probe.Touched { // so that two lots of one place do not take turns
		if kept.span.From.Before(span.From) {
			span.From = kept.span.From
		}
		if kept.span.To.After(span.To) {
			span.To = kept.span.To
		}
	}
	c.mu.Unlock()
	span.To = span.To.Add(ahead)
	rows, err := q.HoursAround(ctx, HoursAroundParams{SiteID: probe.SiteID, ProbeID: probe.ID, FromHour: span.From,
		ToHour: span.To})
	if err != nil {
		return nil, err
	}
	kept = &keptHours{touched: probe.Touched, span: span, hours: rows.rolled(), used: time.Now()}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.entries == nil {
		c.entries = map[probeKey]*keptHours{}
	}
	for len(c.entries) >= mostKept {
		var oldest probeKey
		for k, e := range c.entries {
			if o := c.entries[oldest]; o == nil || e.used.Before(o.used) {
				oldest = k
			}
		}
		delete(c.entries, oldest)
	}
	c.entries[key] = kept
	return kept.hours, nil
}
