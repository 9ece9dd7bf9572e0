package safety

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/species"
)

// ParasiteRules are what a profile asks of fish that is served raw or
// undercooked.
type ParasiteRules struct {
	Source refs.Cited `json:"source"`
	Routes []Route    `json:"routes"` // the plainest first
	// Exempt are scientific names that need no freezing.
	Exempt []string `json:"exempt,omitempty"`
	// Letter is what a supplier must have on file for farmed fish to need none;
	// "" where no letter helps.
	Letter string `json:"letter"`
	// CookC for CookFor kills parasites too.
	CookC   float64 `json:"cook_c"`
	CookFor string  `json:"cook_for"`
}

// Route is a way through the cold that kills parasites: one unbroken stretch of
// Hours with the core at or below HoldC, counted from where the core was at or
// below FirstC.
type Route struct {
	ID     string  `json:"id"`
	FirstC float64 `json:"first_c"`
	HoldC  float64 `json:"hold_c"`
	Hours  float64 `json:"hours"`
}

// MetBy reports whether so many hours with the core at or below a temperature, °C, meet one of the
// routes.
func (p ParasiteRules) MetBy(celsius, hours float64) bool {
	return slices.ContainsFunc(p.Routes, func(r Route) bool {
		return celsius <= min(r.FirstC, r.HoldC) && hours >= r.Hours
	})
}

// Name is the route in words.
func (r Route) Name() string {
	hours := fmt.Sprintf("%.0f h", r.Hours)
	if r.Hours >= 48 && int(r.Hours)%24 == 0 {
		hours = fmt.Sprintf("%.0f days", r.Hours/24)
	}
	minus := func(text string) string { return strings.ReplaceAll(text, "-", "−") }
	if r.FirstC != r.HoldC {
		return minus(fmt.Sprintf("solid at %.0f °C, then %s at %.0f °C or below", r.FirstC, hours, r.HoldC))
	}
	return minus(fmt.Sprintf("%s at %.0f °C or below", hours, r.HoldC))
}

// thickParasiteMM is the thickness from which guidance warns that freezing may
// not suffice [FDA-hazards, chapter 5].
const thickParasiteMM = 150.0

// checkedRouteHours is the shortest route for which readings by hand answer (house).
const checkedRouteHours = 168.0

// RawAdvisory stands wherever fish is certified for raw service.
const RawAdvisory = "Raw service needs the menu's consumer advisory. Acid, salt at table strength, cold smoke and chopping leave fish raw."

// LetterKeptFor is how long after the fish was served or sold records and
// letters are kept [FoodCode, 3-402.12].
const LetterKeptFor = 90 * 24 * time.Hour

// ParasiteFacts is what is known of the fish.
type ParasiteFacts struct {
	Species species.Species
	// Core are temperatures of the core, °C, in the order of time: stretches in
	// which it runs straight between two. Between the stretches nothing is known.
	Core        [][]coldchain.Reading
	Checked     [][]coldchain.Reading // the same with what people checked twice a day: for the longest route alone
	ThicknessMM float64               // 0 where nobody said
	Letter      bool                  // a letter that the profile accepts is on file
}

// Parasite says whether fish may be served raw as far as parasites go.
type Parasite struct {
	Met    bool
	Exempt string // why no freezing is needed; "" where it is
	Route  Route  // the one that was met, else the one that is nearest
	// Checked says that it was met by what people checked twice a day, and not by a record alone.
	Checked bool
	// Since is where the stretch began that met the route, or that runs; zero
	// where none runs.
	Since     time.Time
	MetAt     time.Time     // zero where it is not met, or not needed
	Remaining time.Duration // 0 where it is met; all of it where no stretch runs
	Broken    []Break       // of the stretch on the way there
	Cautions  []string
}

// Break is an end of a stretch before it was long enough.
type Break struct {
	At      time.Time
	Celsius float64 // the warmest until the next stretch began
	Gap     bool    // there was no record
}

// Parasites reads the clock off the core's temperatures. The clock of a route
// starts when the core is there, which is stricter than counting from the
// freezer; one reading above, or a time without a record, starts it again. What
// was met once stays met. The rules are those of the profile [FoodCode,
// 3-402.11] [EU853, annex III section VIII].
func (p Profile) Parasites(f ParasiteFacts) Parasite {
	rules := p.Parasite
	out := Parasite{Route: rules.Routes[0], Remaining: inHours(rules.Routes[0].Hours)}
	if f.ThicknessMM > thickParasiteMM {
		out.Cautions = append(out.Cautions,
			fmt.Sprintf("thicker than %.0f mm: guidance warns that freezing may not kill all parasites",
				thickParasiteMM))
	}
	switch {
	case slices.Contains(rules.Exempt, f.Species.Scientific):
		out.Met, out.Remaining, out.Exempt = true, 0, f.Species.Name+" needs no freezing by name, rules "+p.Name
	case f.Letter && rules.Letter != "":
		out.Met, out.Remaining, out.Exempt = true, 0, "declaration on file: "+rules.Letter
	}
	if out.Met {
		return out
	}
	runs := make([]run, len(rules.Routes))
	for i, route := range rules.Routes {
		runs[i] = route.follow(f.Core)
		checked := !runs[i].met && route.Hours >= checkedRouteHours && len(f.Checked) > 0
		if checked {
			runs[i] = route.follow(f.Checked)
		}
		if r := runs[i]; r.met && (!out.Met || r.metAt.Before(out.MetAt)) {
			out.Met, out.Route, out.Since, out.MetAt, out.Remaining, out.Broken, out.Checked = true, route, r.since, r.metAt, 0,
				r.broken, checked
		}
	}
	if out.Met {
		return out
	}
	out.Broken = runs[0].broken
	for i, r := range runs {
		if left := inHours(rules.Routes[i].Hours) - r.ran; r.running && (out.Since.IsZero() || left < out.Remaining) {
			out.Route, out.Since, out.Remaining, out.Broken = rules.Routes[i], r.since, left, r.broken
		}
	}
	return out
}

// Linked cuts readings in the order of time into stretches in which no two
// neighbours lie further apart than maxGap.
func Linked(readings []coldchain.Reading, maxGap time.Duration) [][]coldchain.Reading {
	var list [][]coldchain.Reading
	begin := 0
	for i := range readings {
		if i+1 == len(readings) || readings[i+1].At.Sub(readings[i].At) > maxGap {
			list = append(list, readings[begin:i+1])
			begin = i + 1
		}
	}
	return list
}

func inHours(h float64) time.Duration { return time.Duration(h * float64(time.Hour)) }

// run is how far a core came along a route.
type run struct {
	met, running bool
	since, metAt time.Time
	ran          time.Duration
	broken       []Break
}

// follow walks along the core's temperatures.
func (r Route) follow(core [][]coldchain.Reading) run {
	var out run
	end := func(at time.Time, celsius float64, gap bool) {
		if out.running {
			out.broken = append(out.broken, Break{at, celsius, gap})
		}
		out.running, out.ran = false, 0
	}
	var last coldchain.Reading
	for _, stretch := range core {
		if len(stretch) > 0 {
			end(last.At, last.Celsius, true)
			last = stretch[len(stretch)-1]
		}
		for i, x := range stretch {
			before := x
			if i > 0 {
				before = stretch[i-1]
			}
			if x.Celsius > r.HoldC {
				end(meets(before, x, r.HoldC), x.Celsius, false)
				if n := len(out.broken); n > 0 {
					out.broken[n-1].Celsius = max(out.broken[n-1].Celsius, x.Celsius)
				}
				continue
			}
			if !out.running && x.Celsius <= r.FirstC {
				out.running, out.since = true, meets(before, x, r.FirstC)
			}
			if !out.running {
				continue
			}
			if out.ran = x.At.Sub(out.since); out.ran >= inHours(r.Hours) {
				out.met, out.metAt = true, out.since.Add(inHours(r.Hours))
				return out
			}
		}
	}
	return out
}

// meets is when the line from a to b is at the level; the nearer end where it
// does not cross it.
func meets(a, b coldchain.Reading, level float64) time.Time {
	if a.Celsius == b.Celsius {
		return a.At
	}
	share := min(1, max(0, (a.Celsius-level)/(a.Celsius-b.Celsius)))
	return a.At.Add(time.Duration(share * float64(b.At.Sub(a.At))))
}
