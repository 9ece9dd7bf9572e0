package coldchain

import (
	"slices"
	"time"
)

// Record is what one instrument measured.
type Record interface {
	Source
	// Runs lists, in order, the unbroken stretches of the record that touch the span, with the
	// nearest reading on either side of it: no two readings of a run lie further apart than
	// most.
	Runs(span Span, most time.Duration) []Run
}

// Run is an unbroken stretch of a record, from its first reading to its last, which may be the
// same. Source answers for the time between them.
type Run struct {
	First, Last Reading
	Source      Source
}

// Span is the time from the first reading to the last.
func (r Run) Span() Span { return Span{r.First.At, r.Last.At} }

// Runs implements Record.
func (s Series) Runs(span Span, most time.Duration) []Run {
	var runs []Run
	line := Series{Readings: s.Readings, MaxGap: most}
	for _, x := range around(s.Readings, span) {
		runs = join(runs, x, x, most, line)
	}
	return runs
}

// around are the readings of a span with the neighbour on either side.
func around(r []Reading, span Span) []Reading {
	compare := func(x Reading, t time.Time) int { return x.At.Compare(t) }
	from, found := slices.BinarySearchFunc(r, span.From, compare)
	if !found && from > 0 {
		from--
	}
	to, found := slices.BinarySearchFunc(r, span.To, compare)
	if found || to < len(r) {
		to++
	}
	return r[from:to]
}

// join adds what lies between two readings, without a gap, behind the last run: as part of it where
// that is near enough.
func join(runs []Run, first, last Reading, most time.Duration, source Source) []Run {
	if n := len(runs); n > 0 && first.At.Sub(runs[n-1].Last.At) <= most {
		runs[n-1].Last = last
		return runs
	}
	return append(runs, Run{First: first, Last: last, Source: source})
}

// Runs implements Record. It needs the readings of the hours that NeedsReadings lists, for the
// same longest gap; where they are no longer kept, an hour counts from its first reading to its
// last.
func (r *Rolled) Runs(span Span, most time.Duration) []Run {
	var runs []Run
	line := &Rolled{Hours: r.Hours, Raw: r.Raw, MaxGap: most}
	from, to := r.search(span.From.UTC().Truncate(time.Hour)), r.search(span.To)
	for from > 0 {
		if from--; r.Hours[from].Readings > 0 {
			break
		}
	}
	for to < len(r.Hours) {
		if to++; r.Hours[to-1].Readings > 0 {
			break
		}
	}
	for _, h := range r.Hours[from:to] {
		switch raw := r.Raw[h.Start]; {
		case h.Readings == 0:
		case h.Complete() && r.MaxGap <= most, len(raw) == 0:
			runs = join(runs, h.First, h.Last, most, line)
		default:
			for _, x := range raw {
				runs = join(runs, x, x, most, line)
			}
		}
	}
	return runs
}
