package assess

import (
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

// Cabinet is an ageing cabinet with its air, as far as its fish want it.
type Cabinet struct {
	ageing.Climate
	Excursions []ageing.Excursion
	Recorded   bool // a probe sends its temperature
	Finished   []FinishedFish
	Scale      ageing.Scale
}

// FinishedFish is what a fish that was taken down says of its cabinet.
type FinishedFish struct {
	LotID  uuid.UUID
	DownAt time.Time
	ageing.Result
}

// finishedBefore is what the other lots said that were taken down before a time; all of
// them for the zero time.
func (c Cabinet) finishedBefore(lot uuid.UUID, before time.Time) []ageing.Result {
	var list []ageing.Result
	for _, l := range c.Finished {
		if l.LotID != lot && (before.IsZero() || l.DownAt.Before(before)) {
			list = append(list, l.Result)
		}
	}
	return list
}

// AgeingAssessment is what is known of a fish that hangs, or hung.
type AgeingAssessment struct {
	Stay        *lot.Hanging
	Policy      ageing.Policy
	Fit         ageing.Fit
	First       ageing.Prior // what was held of it when it was hung
	SameSpecies int          // fish of its species that the forecast rests on
	Days        float64
	Loss        ageing.Band // now, or when it was taken down
	Skin        ageing.Moment
	Target      ageing.Moment
	Air         ageing.Air // mean of the last day
	Excursions  []ageing.Excursion
	Usable      float64 // share of the weight now that ends as flesh
	UsableThen  float64 // at the target
	Plan        *ageing.Plan
	ServeBy     time.Time // the last of the days of its policy, or of the plan
}

// Ended reports whether a rule ends the ageing.
func (a AgeingAssessment) Ended() bool { return len(a.Excursions) > 0 }

// PredictedLoss is the loss that was forecast for now when the fish was hung: by the
// cabinet's other fish until then, in the air that it is set to.
func (a AgeingAssessment) PredictedLoss(days float64) float64 {
	return a.First.Loss(days * a.Fit.Climate.Set.Pace())
}

// Lost is the loss by the scale alone.
func (a AgeingAssessment) Lost() float64 { return 1 - a.Fit.Last.Kg/a.Stay.Kg }

// CostNow is what a kilogram of usable flesh costs now, in whole units of money; 0
// where nobody said what the fish cost.
func (a AgeingAssessment) CostNow() float64 {
	return ageing.CostPerKg(float64(a.Stay.CentsPerKg)/100, a.Loss.Mid, a.Usable)
}

// CostThen is the same at the target.
func (a AgeingAssessment) CostThen() float64 {
	return ageing.CostPerKg(float64(a.Stay.CentsPerKg)/100, a.Stay.Target, a.UsableThen)
}

// ageing assesses the last hanging of the fish; nil where it never hung.
func (t assessor) ageing() *AgeingAssessment {
	s := t.state
	if len(s.Hangings) == 0 {
		return nil
	}
	a := &AgeingAssessment{Stay: &s.Hangings[len(s.Hangings)-1], Plan: t.env.AgeingPlan}
	stay := a.Stay
	until := stay.To
	if until.IsZero() || until.After(t.at) {
		until = t.at
	}
	cabinet := t.env.Cabinets[stay.PlaceID]
	a.Policy, _ = ageing.GetPolicy(stay.Policy)
	learnt := cabinet.finishedBefore(s.ID, time.Time{})
	prior, likes := ageing.PriorFrom(stay.Kg, s.Received.SpeciesID, learnt)
	a.SameSpecies = likes
	a.First, _ = ageing.PriorFrom(stay.Kg, s.Received.SpeciesID, cabinet.finishedBefore(s.ID, stay.From))
	var err error
	if a.Fit, err = ageing.NewFit(stay.WeighIns(), cabinet.Climate, prior, cabinet.Scale); err != nil {
		return nil // checked when they were written
	}
	a.Days = until.Sub(stay.From).Hours() / 24
	a.Loss = a.Fit.Forecast(until)[0].Band
	a.Skin, a.Target = a.Fit.Reaches(a.Policy.Skin), a.Fit.Reaches(stay.Target)
	a.Air = cabinet.Mean(until.Add(-24*time.Hour), until)
	for _, x := range cabinet.Excursions {
		if x.To.After(stay.From) && x.From.Before(until) {
			a.Excursions = append(a.Excursions, x)
		}
	}
	yield := 0.0
	if basis, ok := species.BasisOf(s.Form); ok {
		yield = s.Species().Fillets(basis, false).Mid()
	}
	a.Usable = ageing.Usable(a.Loss.Mid, yield, s.Received.SpeciesID, learnt)
	a.UsableThen = ageing.Usable(stay.Target, yield, s.Received.SpeciesID, learnt)
	days := a.Policy.Days.Hi
	if p := a.Plan; p != nil {
		days = p.MaxDays
	}
	a.ServeBy = stay.From.Add(inHours(24 * days))
	return a
}

// ByPlan reports whether the plan on file lets the fish be served raw: within its
// days and temperature.
func (a AgeingAssessment) ByPlan() bool {
	p := a.Plan
	return p != nil && p.Raw && a.Stay.Raw && a.Days <= p.MaxDays && a.Air.Celsius <= p.MaxC && !a.Ended()
}

// Result is what a fish that was taken down says of its cabinet; false where it
// says nothing.
func (a AgeingAssessment) Result(s *lot.State) (ageing.Result, bool) {
	log, sd, ok := a.Fit.Pace()
	if a.Stay.Down == nil || !ok {
		return ageing.Result{}, false
	}
	return ageing.Result{SpeciesID: s.Received.SpeciesID, LogPace: log, SD: sd, CrustKg: a.Stay.Down.CrustKg,
		UsableKg: a.Stay.Down.UsableKg, DownKg: a.Stay.Down.Kg}, true
}

// EntryChecks are the checks of the gate of dry ageing for a fish of the lot that is to be
// hung so; the air of the cabinet is that of the day before.
func (a Assessment) EntryChecks(p lot.Hung) []ageing.Check {
	return ageing.EntryChecks(a.ageingFacts(a.env.Cabinets[p.PlaceID], p))
}

func (a Assessment) ageingFacts(cabinet Cabinet, p lot.Hung) ageing.Facts {
	s := a.state
	_, inspected := s.Inspection()
	f := ageing.Facts{Species: s.Species(), Form: agedAs(s), Kg: p.Kg, ThicknessMM: s.Piece().ThicknessMM,
		Age: a.Evidence, Inspected: inspected,
		Frozen: s.Frozen(), Thawed: s.Thaw() != nil, Cooked: s.Cooked != nil, Stops: a.Stops, Preps: p.Preps,
		Raw: p.Raw, Plan: a.env.AgeingPlan,
		Air: cabinet.Mean(a.At.Add(-24*time.Hour), a.At), Recorded: cabinet.Recorded}
	f.Policy, _ = ageing.GetPolicy(p.Policy)
	if s.Hold != "" {
		f.Stops = append([]string{"on hold: " + s.Hold}, f.Stops...)
	}
	if a.Parasites.Met {
		f.Cleared = a.Parasites.Text()
	}
	return f
}

// dryAgeReasons says why a lot may not begin to age by any policy, if it is prepared and
// the cabinet is right.
func dryAgeReasons(a Assessment) []string {
	if a.state.Ageing() != nil {
		return []string{"is ageing already"}
	}
	if !a.state.Species().Fish() {
		return []string{"only fin fish is dry-aged"}
	}
	var reasons []string
	right := Cabinet{Climate: ageing.Climate{Set: ageing.Air{Celsius: ageing.BestC, RH: ageing.ReferenceRH}},
		Recorded: true}
	a.env.AgeingPlan, a.Stops = nil, nil // what stops it is said already
	for _, policy := range ageing.Policies() {
		p := lot.Hung{Policy: policy.ID, Kg: a.state.WeightKg / float64(max(1, a.state.Count))}
		for _, prep := range ageing.Preps() {
			p.Preps = append(p.Preps, prep.ID)
		}
		soft, hard := ageing.ClosedChecks(ageing.EntryChecks(a.ageingFacts(right, p)))
		closed := append(hard, soft...)
		if len(closed) == 0 {
			return nil
		}
		if reasons == nil {
			for _, c := range closed {
				reasons = append(reasons, strings.ToLower(c.Name)+": "+c.Reason)
			}
		}
	}
	return reasons
}

// When a hanging fish is weighed and looked at (common practice, no source).
const ageEvery = 24 * time.Hour

// ageingDue lists what is due for a fish that hangs.
func ageingDue(s *lot.State, a Assessment, add func(do, why, path string, at time.Time)) {
	stay, told := s.Ageing(), a.Ageing
	if stay == nil || told == nil {
		return
	}
	last := stay.From
	for _, w := range stay.Weighs {
		last = laterOf(last, w.At)
	}
	add(doWeigh, "ageing", "ageing", last.Add(ageEvery))
	last = stay.From
	for _, l := range stay.DailyChecks {
		last = laterOf(last, l.At)
	}
	add(doLook, "ageing", "ageing", last.Add(ageEvery))
	switch {
	case told.Ended():
		add("Take out", told.Excursions[0].Text(), "ageing", told.Excursions[0].To)
	case !told.Target.Mid.IsZero():
		add("Take out", fmt.Sprintf("its target of %.0f %%", 100*stay.Target), "ageing", told.Target.Mid)
	}
}

// agedRawReasons says why a fish that aged is not for raw service, beside its age; and
// whether the plan stands for the age that it used up.
func agedRawReasons(a Assessment) (reasons []reason, byPlan bool) {
	aged := a.Ageing
	if aged == nil {
		return nil, false
	}
	if aged.ByPlan() {
		return nil, true
	}
	if aged.Policy.ID == ageing.LongAge {
		reasons = append(reasons, reason{"long-aged", "long-aged: for cooking, unless the kitchen's written plan allows it raw"})
	}
	return reasons, false
}

// agedAs is the form that fish is aged as: a loin that was cut here of a fillet has no more of a coat than that had.
func agedAs(s *lot.State) string {
	if cutting.IsCut(s.CutFrom) && s.Form == "loin" {
		return s.CutFrom
	}
	return s.Form
}
