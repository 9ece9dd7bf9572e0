// Package assess says what the record of a lot means at a moment: the temperature along
// its journey, ages, life left, safety clocks, what it is fit for and what is due. It
// evaluates a [lot.State] in an [Env], which holds what lies outside the lot's own events:
// the places, what probes measured, the rules in force.
//
//	s, err := lot.Fold(events)
//	a := assess.Assess(s, env)
package assess

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// Env is the surroundings in which a lot is assessed: what lies outside its own events.
type Env struct {
	Now          time.Time
	Profile      safety.Profile
	Catalogue    species.Catalogue
	Zone         *time.Location // of the kitchen; nil for UTC
	Places       map[int64]lot.Place
	Probe        func(probe int64) coldchain.Record // nil for a probe without readings
	Distrusted   map[int64][]coldchain.Span         // when a probe's readings are no proof of cold, in order
	TransportC   float64                            // assumed between the date on the label and the receipt, °C
	Declarations []Declaration                      // the suppliers' papers
	Dealers      map[int64]time.Time                // the suppliers whose fish came through a first receiver's gate, until when
	Cabinets     map[int64]Cabinet                  // the ageing cabinets, by place
	AgeingPlan   *ageing.Plan                       // the kitchen's written plan; nil for none on file
	Plan         []Planned                          // where the lot will lie beyond Now, in order; empty: it stays
	ParCook      bool                               // the kitchen's procedure for par-cooking is signed
	Bare         bool                               // nobody knows how large the fish is: no heat model follows it
}

// House assumptions for the quality clock.
const (
	// AssumedMargin is added to a place's set temperature where nothing was
	// measured, K.
	AssumedMargin = 2.0
	// DefaultTransportC is assumed on the way to us where nothing was measured, °C.
	DefaultTransportC = 2.0
	// CoreReadingGap is the longest time between two spot readings over which a
	// line is drawn.
	CoreReadingGap = 4 * time.Hour
)

// Stretch is a part of the lot's journey: the transport to us, or a stay.
type Stretch struct {
	coldchain.Span
	PlaceID int64  // 0 for the transport
	Name    string //
	Assumed float64
	Parts   []coldchain.Part
}

// Assessment is what the clock says of a lot at one moment. Ages and lives are in
// fresh days.
type Assessment struct {
	At        time.Time
	From      time.Time // start of the cold line: the date on the label, or the receipt
	Stretches []Stretch
	Line      Line // the warmest part of the fish, for the safety clocks
	Model     coldchain.Model
	Frozen    bool

	DeclaredAge *freshness.Age // by the papers, now
	ReadAge     *freshness.Age // by the last inspection, carried on to now
	Gap         *float64       // what the fish says against what the papers say, at the inspection
	GapDays     *float64       // the same in fresh days: what the fish says less what the papers say
	Used        freshness.Age  // fresh days spent, now; nothing where Basis is BasisNone
	Basis       freshness.Basis
	Left        freshness.Age      // life left
	Shelf       float64            // the life that its species surely has: the lower end of its range
	Evidence    freshness.Evidence // the ages as of now: what raw service is held against

	MeasureAgain time.Time // by when fish that came too warm is iced and measured again; zero for other fish

	NowC     float64        // temperature where it lies now
	NowKind  coldchain.Kind //
	Rate     float64        // fresh days per day at NowC; 0 where frozen, NaN where there is no rule
	RealDays float64        // Left at NowC, days; NaN where unknown

	Hours     map[coldchain.Kind]float64 // since From
	OwnCurves [][]coldchain.Reading      // its own temperature where it follows measured air, a line each

	Histamine  *safety.Budget    // of a histamine former
	Gaps       []coldchain.Span  // that its clock has no record of, nor an explanation
	Oxygen     *safety.Oxygen    // of a reduced-oxygen pack, chilled; its gaps are in Gaps
	Parasites  ParasiteClearance // for raw service
	FrozenLife *FrozenLife       // of fish that is or was frozen
	ThawReady  time.Time         // free of ice, found or forecast; zero for what was not thawed
	KeepTo     time.Time         // what was thawed, and other seafood, is used by then; zero for other fish
	OutOfCold  *OutOfCold        // nil where it never was
	Ageing     *AgeingAssessment // of fish that hangs, or hung
	Cooling    *Cooling          // of fish that was cooked: the rest is as it was then
	Rigor      *Rigor            // where the time of death was written down
	Bleeding   *Bleeding         // where anything of the harvest was

	Clocks []Reading // all of them, those that are off too
	Spent  string    // why its life is over; "" while it is not
	Stops  []string  // why it may not even be cooked: what its clocks say, and that its life is over
	Notes  []string  // what was assumed, in words

	state  *lot.State
	env    Env
	own    *Assessment  // what it says alone, where other lots were put together with it
	others []Assessment // of those
}

// Known reports whether the assessment knows a life left.
func (a Assessment) Known() bool { return a.Basis != freshness.BasisNone && !a.Frozen }

// Profile is the rules by which the lot is judged.
func (a Assessment) Profile() safety.Profile { return a.env.Profile }

// Ends is when the life ends at the present temperature, or the time for which
// it keeps thawed, whichever comes first; zero where neither is known.
func (a Assessment) Ends() time.Time {
	if math.IsNaN(a.RealDays) {
		return a.KeepTo
	}
	ends := a.At.Add(time.Duration(a.RealDays * 24 * float64(time.Hour)))
	if !a.KeepTo.IsZero() && a.KeepTo.Before(ends) {
		return a.KeepTo
	}
	return ends
}

// Assess assesses a lot at a moment, with all that is on record. A lot that is gone is
// assessed as it was when it left. What the probes measured must be loaded: see
// [ProbeSpans].
//
// The temperature line runs from the date on the label (or the receipt, where the papers
// say nothing) to now: see [Line]. Where nothing is known the quality clock assumes TransportC on
// the way, the set temperature + AssumedMargin in a place. Where the air is measured, the fish
// follows it by the heat model, from each core reading on.
//
// The age used is settled at the last inspection (freshness.Evidence.Used) and
// goes on from there with the fresh days since.
func Assess(s *lot.State, env Env, at time.Time) Assessment {
	return newAssessor(s, env, at).assessAt(at).together(s, func(other *lot.State) Assessment {
		return Assess(other, env, whileHere(s, at))
	})
}

// assessAt assesses the lot at a time up to which its line is drawn, or at its end where that is
// sooner.
func (t assessor) assessAt(at time.Time) Assessment {
	s := t.state
	at = whileHere(s, at)
	t.at = whileRaw(s, at)
	t.aged = t.ageing()
	a := t.assess()
	if s.Cooked != nil && !at.Before(s.Cooked.At) {
		a, t.at = cool(s, a, t.env.Profile, at), at
		a.Line = append(a.Line, t.cooked()...)
	}
	a.MeasureAgain = t.measureAgainBy()
	a.Clocks = t.readClocks(&a)
	for _, r := range a.Clocks {
		if slices.Contains(r.Guards, lot.GateCook) && !(r.ID == ClockDecision && s.Hold != "") { // a hold is said apart
			a.Stops = append(a.Stops, r.Why)
		}
	}
	if a.Spent != "" && !a.passedLook() {
		a.Stops = append(a.Stops, a.Spent)
	}
	return a
}

// whileHere is a time, or when the lot ended where that is sooner; whileRaw when it was cooked.
func whileHere(s *lot.State, at time.Time) time.Time {
	if s.Status != lot.OnHand {
		return earlierOf(at, s.EndedAt)
	}
	return at
}

func whileRaw(s *lot.State, at time.Time) time.Time {
	if s.Cooked != nil {
		return earlierOf(at, s.HeatedAt)
	}
	return at
}

// assess assesses the lot as raw fish.
func (t assessor) assess() Assessment {
	s, env, at := t.state, t.env, t.at
	sp := s.Species()
	a := Assessment{state: s, env: env, At: at, From: s.Start(), Model: sp.Model(), Frozen: s.Frozen(), Shelf: sp.ShelfLife.Lo,
		Hours: map[coldchain.Kind]float64{}, RealDays: math.NaN()}
	a.Stretches = t.stretches(coldchain.Span{From: a.From, To: at})

	whole := sum(a.Stretches)
	if len(s.FrozenStays) > 0 {
		whole = t.exposure(coldchain.Span{From: a.From, To: at})
	}
	for _, st := range a.Stretches {
		for _, p := range st.Parts {
			a.Hours[p.Kind] += p.Exposure.Covered.Hours()
		}
	}
	t.now(&a)
	a.Line = t.line
	a.Histamine, a.Gaps = t.histamine()
	var packGaps []coldchain.Span
	if a.Oxygen, packGaps = t.oxygen(); a.Oxygen != nil && len(a.Gaps) == 0 {
		a.Gaps = packGaps
	}
	a.Bleeding = BleedingOf(s)
	a.Parasites = t.parasites()
	a.FrozenLife = t.frozenLife(a.NowC)
	t.thawDeadline(&a)
	a.OutOfCold = t.outOfCold()
	if a.FrozenLife != nil && a.FrozenLife.Holds() && a.Frozen {
		a.Spent = fmt.Sprintf("%.1f h above %.0f °C though frozen: no frozen life is known there",
			a.FrozenLife.Warm.Hours(), frozen.WarmestC)
	}
	a.OwnCurves = t.curves
	t.settle(&a, whole)
	if a.Frozen {
		a.RealDays = math.NaN()
		a.Notes = append(a.Notes, "Frozen: freshness is paused while frozen, its frozen life runs.")
		return a
	}
	if a.Ageing = t.aged; a.Ageing != nil {
		a.KeepTo = a.Ageing.ServeBy
	}
	a.Rigor = t.rigor(a)
	if beyond := whole.BeyondRule(); beyond > 0 {
		a.Notes = append(a.Notes, fmt.Sprintf("%.1f h above %.0f °C: the rate of spoilage is extrapolated.", beyond.Hours(),
			coldchain.HighestRated))
	}
	if below := a.belowLowest(whole); below > 0 && s.Thaw() == nil { // ice melts through it
		a.Notes = append(a.Notes, fmt.Sprintf("%.1f h below −3 °C though not frozen: counted at the rate of −3 °C.",
			below))
	}
	if note := t.thermalNote(); note != "" {
		a.Notes = append(a.Notes, note)
	}
	if h := a.Hours[coldchain.Assumed]; h > 0.05 {
		before := ""
		if s.Harvest.AmbientC() != nil {
			before = "as warm as water and air before the ice, "
		}
		a.Notes = append(a.Notes, fmt.Sprintf(
			"%.0f h without a reading: assumed %s%.0f °C on the way and the set temperature + %.0f °C here.", h,
			before, env.TransportC, AssumedMargin))
	}
	return a
}

// looksFor is how long a look that passes stands for fish whose life is over (house).
const looksFor = 24 * time.Hour

// passedLook reports whether an inspection accepted the lot not long ago.
func (a Assessment) passedLook() bool {
	i, ok := a.state.Inspection()
	return ok && i.Decision.Accepted() && !i.At.After(a.At) && a.At.Sub(i.At) < looksFor
}

func (a Assessment) belowLowest(e coldchain.Exposure) float64 {
	return e.Covered.Hours() - e.HoursAbove(coldchain.LowestRated)
}

// settle fills in the ages and the life left.
func (t assessor) settle(a *Assessment, whole coldchain.Exposure) {
	if !t.state.Species().Fish() { // nothing is read nor inferred: a person said by when
		if by := t.state.Received.UseBy; by != nil && (a.KeepTo.IsZero() || by.Before(a.KeepTo)) {
			a.KeepTo = *by
		}
		return
	}
	a.DeclaredAge = t.declaredAge(a.Stretches, whole, a.Model)
	shelf := t.state.Species().ShelfLife
	evidence, since := freshness.Evidence{DeclaredAge: a.DeclaredAge}, 0.0
	explained := false
	if inspection, ok := t.state.Inspection(); ok && !inspection.At.After(a.At) {
		read := t.ageReadAt(inspection, a.Model)
		until := coldchain.Span{From: a.From, To: inspection.At}
		before, then := t.stretches(until), t.exposure(until)
		since = whole.IceDays(a.Model) - then.IceDays(a.Model)
		evidence = freshness.Evidence{ReadAge: read, DeclaredAge: t.declaredAge(before, then, a.Model)}
		if evidence.DeclaredAge != nil && read != nil {
			gap, days := freshness.Gap(*read, *evidence.DeclaredAge), read.Days-evidence.DeclaredAge.Days
			a.Gap, a.GapDays = &gap, &days
		}
		a.ReadAge, explained = read.After(since), inspection.ByManager && strings.TrimSpace(inspection.Reason) != ""
	}
	a.Used, a.Basis = evidence.Used()
	a.Used.Days += since
	a.Evidence = freshness.Evidence{ReadAge: a.ReadAge, DeclaredAge: evidence.DeclaredAge.After(since), Explained: explained}
	if a.Basis == freshness.BasisNone {
		return
	}
	left := evidence.Left(shelf)
	a.Left = freshness.Age{Days: math.Max(0, left.Days-since), SD: left.SD}
	a.RealDays = a.Left.Days / a.Rate
	switch {
	case a.Left.Days > 0:
	case t.driedSkin(): // its own clock goes on
		a.RealDays = math.NaN()
		a.Notes = append(a.Notes,
			"Its life as wet fish is over: aged fish is judged by its daily check, and served by its day.")
	default:
		a.RealDays = 0
		a.Spent = fmt.Sprintf("none of its %.0f fresh days left", a.Shelf)
	}
}

// ageReadAt is the age that an inspection read, at its time; nil where its scheme
// tells none. What was seen on a market has aged on the way here.
func (t assessor) ageReadAt(i lot.Inspection, m coldchain.Model) *freshness.Age {
	if i.Reading.Age == nil || i.SeenAt == nil || !i.SeenAt.Before(i.At) {
		return i.Reading.Age
	}
	return i.Reading.Age.After(t.exposure(coldchain.Span{From: *i.SeenAt, To: i.At}).IceDays(m))
}

// declaredAge is the age by the papers: the fresh days along the stretches, plus what
// lies before such a date; nil where the papers say nothing.
func (t assessor) declaredAge(stretches []Stretch, e coldchain.Exposure, m coldchain.Model) *freshness.Age {
	o, ok := t.state.Origin()
	if !ok || t.state.Received.Frozen || !t.state.Species().Fish() { // nobody says how old it was when it was frozen
		return nil
	}
	return &freshness.Age{Days: o.DaysBefore + e.IceDays(m), SD: math.Hypot(o.SD, temperatureSD(stretches))}
}

// DeclaredAgeAt is the age by the papers at a time, and the share of the hours until
// then that was measured and not assumed; nil where the papers say nothing.
func DeclaredAgeAt(s *lot.State, env Env, at time.Time) (*freshness.Age, float64) {
	t := newAssessor(s, env, at)
	stretches := t.stretches(coldchain.Span{From: s.Start(), To: at})
	var measured, hours float64
	for _, st := range stretches {
		for _, p := range st.Parts {
			hours += p.Exposure.Covered.Hours()
			if p.Kind != coldchain.Assumed {
				measured += p.Exposure.Covered.Hours()
			}
		}
	}
	if hours > 0 {
		measured /= hours
	}
	return t.declaredAge(stretches, t.exposure(coldchain.Span{From: s.Start(), To: at}), s.Species().Model()), measured
}

// temperatureSD is the mean of the kinds' standard deviations, weighted by the
// time each kind explained, days.
func temperatureSD(stretches []Stretch) float64 {
	weights := map[coldchain.Kind]float64{coldchain.Logged: freshness.LoggedTempSD,
		coldchain.Spot: freshness.SpotTempSD, coldchain.InIce: freshness.SpotTempSD,
		coldchain.Assumed: freshness.AssumedTempSD}
	var total, weighted float64
	for _, st := range stretches {
		for _, p := range st.Parts {
			total += p.Exposure.Covered.Hours()
			weighted += weights[p.Kind] * p.Exposure.Covered.Hours()
		}
	}
	if total == 0 {
		return freshness.AssumedTempSD
	}
	return weighted / total
}

func sum(stretches []Stretch) coldchain.Exposure {
	var e coldchain.Exposure
	for _, st := range stretches {
		e = e.Add(coldchain.Sum(st.Parts))
	}
	return e
}

// assessor holds what all parts of one assessment share.
type assessor struct {
	state  *lot.State
	env    Env
	at     time.Time
	line   Line                  // the warmest part of the fish, without a hole
	fish   []body                // it through freezing and thawing
	curves [][]coldchain.Reading // it where it follows measured air, a line each
	aged   *AgeingAssessment     // its last hanging; nil where it never hung
}

func newAssessor(s *lot.State, env Env, at time.Time) assessor {
	t := assessor{state: s, env: env, at: whileRaw(s, whileHere(s, at))}
	t.follow(lineFrom(s))
	return t
}

// moment is the time over which the temperature now is averaged.
const moment = time.Millisecond

// now fills in the temperature at the end of the line and its rate.
func (t assessor) now(a *Assessment) {
	for _, st := range t.stretches(coldchain.Span{From: a.At.Add(-moment), To: a.At}) {
		for _, p := range st.Parts {
			a.NowC, a.NowKind = p.Exposure.Mean(), p.Kind
		}
	}
	if a.Frozen {
		return
	}
	rate, err := a.Model.Rate(a.NowC)
	if err != nil {
		rate = math.NaN()
	}
	a.Rate = rate
}
