package probe_test

import (
	"slices"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/probe"
)

// A probe is distrusted back to its last good check, and on until it is good again.
func TestDistrusted(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 3, 1+n, 9, 0, 0, 0, time.UTC) }
	forever := day(1000)
	ice := func(n int, read float64) probe.Check { return probe.Check{At: day(n), Method: probe.Ice, ReadC: read} }
	since := func(a, b time.Time) coldchain.Span { return coldchain.Span{From: a, To: b} }
	for _, c := range []struct {
		what   string
		checks []probe.Check
		want   []coldchain.Span
	}{
		{"never checked", nil, nil},
		{"good each time", []probe.Check{ice(0, 0.2), ice(30, -0.3)}, nil},
		{"exactly the tolerance", []probe.Check{ice(0, 0), ice(30, -0.5)}, nil},
		{"reads too cold", []probe.Check{ice(0, 0), ice(30, -0.6)}, []coldchain.Span{since(day(0), day(30))}},
		{"reads too warm", []probe.Check{ice(0, 0), ice(30, 1.5)}, nil},
		{"as far off as was known", []probe.Check{ice(0, -1.5), ice(30, -1.6)}, []coldchain.Span{since(time.Time{}, day(0))}},
		{"broken, never mended", []probe.Check{ice(0, 0), ice(30, 4)}, []coldchain.Span{since(day(0), forever)}},
		{"broken, then good", []probe.Check{ice(40, 0.1), ice(0, 0), ice(30, -4)}, []coldchain.Span{since(day(0), day(30)), since(day(30), day(40))}},
		{"its first check fails", []probe.Check{ice(30, -4), ice(31, 0)}, []coldchain.Span{since(time.Time{}, day(31))}},
		{"boiling, 0.9 K too cold", []probe.Check{{At: day(0), Method: probe.Boiling, ReadC: 99.1, TrueC: 100}}, nil},
	} {
		got := probe.Distrusted(c.checks, forever)
		in := func(list []coldchain.Span, at time.Time) bool {
			return slices.ContainsFunc(list, func(s coldchain.Span) bool { return !at.Before(s.From) && at.Before(s.To) })
		}
		for n := -5; n < 60; n++ {
			if at := day(n).Add(time.Hour); in(got, at) != in(c.want, at) {
				t.Errorf("%s: distrusted on day %d: %v, want %v", c.what, n, in(got, at), in(c.want, at))
				break
			}
		}
	}
}
