package assess

import (
	"fmt"
	"math"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// Cooling is how cooked fish cools, by the rule of the profile.
type Cooling struct {
	safety.CoolingRules
	CookedAt        time.Time
	FirstBy, ThenBy time.Time // the core is at FirstC and at ThenC by then
	FirstAt, ThenAt time.Time // measured so; zero while it was not
	UseBy           time.Time // its date mark
}

// cooling reads it off the cores that were measured since.
func cooling(s *lot.State, rules safety.CoolingRules) *Cooling {
	c := &Cooling{CoolingRules: rules, CookedAt: s.Cooked.At}
	c.FirstBy = c.CookedAt.Add(inHours(rules.FirstHours))
	c.ThenBy = c.FirstBy.Add(inHours(rules.ThenHours))
	c.UseBy = c.CookedAt.Add(inHours(24 * float64(rules.KeepDays-1))) // the day it is made is the first
	for _, x := range s.Cooled {
		if c.FirstAt.IsZero() && x.Celsius <= rules.FirstC {
			c.FirstAt = x.At
		}
		if c.ThenAt.IsZero() && x.Celsius <= rules.ThenC {
			c.ThenAt = x.At
		}
	}
	return c
}

// late says which steps of the cooling were not measured in time: what nobody measured was
// not cold.
func (c Cooling) late(at time.Time) []string {
	var late []string
	step := func(by, found time.Time, celsius, hours float64) {
		if found.After(by) || found.IsZero() && at.After(by) {
			late = append(late, fmt.Sprintf(
				"cooked, and not measured at %.0f °C or below within %.0f h: discard it", celsius, hours))
		}
	}
	step(c.FirstBy, c.FirstAt, c.FirstC, c.FirstHours)
	step(c.ThenBy, c.ThenAt, c.ThenC, c.FirstHours+c.ThenHours)
	return late
}

// kept says where it was found warm again, or is beyond its date mark.
func (c Cooling) kept(at time.Time, cores []coldchain.Reading) []string {
	var stops []string
	for _, x := range cores {
		if !c.ThenAt.IsZero() && x.At.After(c.ThenAt) && x.Celsius > c.ThenC {
			stops = append(stops, fmt.Sprintf("cooked and chilled, then %.1f °C: discard it", x.Celsius))
			break
		}
	}
	if at.After(c.UseBy) {
		stops = append(stops, fmt.Sprintf("cooked, and kept beyond its %d days: discard it", c.KeepDays))
	}
	return stops
}

// cool turns the assessment of a lot at the time it was cooked into that of now.
// Its life left is counted in days to its date mark.
func cool(s *lot.State, a Assessment, profile safety.Profile, at time.Time) Assessment {
	c := cooling(s, profile.Cooling)
	a.At, a.Cooling, a.KeepTo, a.ThawReady, a.OutOfCold, a.Rigor = at, c, c.UseBy, time.Time{}, nil, nil
	a.Spent = ""
	a.RealDays = math.Max(0, c.UseBy.Sub(at).Hours()/24)
	a.Left, a.Rate, a.Basis = freshness.Age{Days: a.RealDays}, 1, freshness.BasisCooked
	a.NowC, a.NowKind = s.Cooked.Data.CoreC, coldchain.Spot
	if n := len(s.Cooled); n > 0 {
		a.NowC = s.Cooled[n-1].Celsius
	}
	if s.ParCooked != nil {
		a.Notes = append(a.Notes, "Par-cooked: cook it through before it is served.")
	}
	a.Notes = append(a.Notes, "Cooked: the clocks of raw fish stand as they were; it cools, and its date mark runs.")
	return a
}
