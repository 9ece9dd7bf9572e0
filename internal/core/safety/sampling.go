package safety

import (
	"fmt"
	"slices"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/refs"
)

// Plan is a sampling plan: of n samples at most c may lie above m, and none
// above M, mg of histamine in a kg.
type Plan struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	N       int        `json:"n"`
	C       int        `json:"c"`
	M       float64    `json:"m"`
	MostM   float64    `json:"M"`
	MeanToM bool       `json:"mean_to_m,omitempty"` // the mean may not lie above m either
	Fish    bool       `json:"fish,omitempty"`      // a sample is a fish: see For
	Source  refs.Cited `json:"source"`
}

// Plans are those offered, the one that lets most pass first. A kitchen whose authority asks
// for a stricter one enters its figures.
var Plans = []Plan{
	{ID: "eu2073", Name: "EU, 9 samples", N: 9, C: 2, M: 100, MostM: 200, MeanToM: true,
		Source: "[EU2073]"},
	{ID: "action35", Name: "60 fish, 35 mg/kg", N: 60, C: 0, M: 35, MostM: 35, Fish: true,
		Source: "[FDA-hazards, chapter 7]; the level: house"},
	{ID: "action50", Name: "60 fish, 50 mg/kg", N: 60, C: 0, M: 50, MostM: 50, Fish: true,
		Source: "[FDA-hazards, chapter 7]"},
}

// perComposite is how many fish may make one sample, which is held to that part of the limits.
const perComposite = 3

// For is the plan for a lot of so many fish with so many results. A plan whose samples are fish asks for
// all of a smaller lot, and takes composites of three at a third of the limits [FDA-hazards, chapter 7].
func (p Plan) For(fish, results int) Plan {
	if !p.Fish {
		return p
	}
	p.N = min(p.N, max(fish, 1))
	if composites := (p.N + perComposite - 1) / perComposite; results == composites && results < p.N {
		p.N, p.M, p.MostM = composites, p.M/perComposite, p.MostM/perComposite
		p.Name += ", three to a sample"
	}
	return p
}

// OwnPlan is the id of a plan whose figures a kitchen enters.
const OwnPlan = "own"

// GetPlan returns the plan with the id.
func GetPlan(id string) (Plan, bool) {
	for _, p := range Plans {
		if p.ID == id {
			return p, true
		}
	}
	return Plan{}, false
}

// Check adds what is wrong with the plan, on the fields n, c, m and M: none may let more pass
// than the first of Plans.
func (p Plan) Check(bad *invalid.Errors) {
	most := Plans[0]
	if p.N < most.N && !p.Fish || p.N > 500 {
		bad.Add("n", "a plan has at least %d samples and at most 500: one strip proves nothing", most.N)
	}
	if p.C < 0 || p.C > most.C {
		bad.Add("c", "must be at least 0 and at most %d", most.C)
	}
	if !(p.M > 0 && p.M <= most.M) {
		bad.Add("m", "must be above 0 and at most %.0f mg/kg", most.M)
	}
	if !(p.MostM >= p.M && p.MostM <= most.MostM) {
		bad.Add("M", "must be at least m and at most %.0f mg/kg", most.MostM)
	}
}

// Judge holds the results, mg/kg, against the plan: whether they meet it, and
// in words how. The results must be as many as the plan asks for.
func (p Plan) Judge(results []float64) (bool, string) {
	if len(results) != p.N {
		return false, fmt.Sprintf("%d results of the %d that the plan asks for", len(results), p.N)
	}
	between, sum := 0, 0.0
	for _, r := range results {
		sum += r
		if r > p.M {
			between++
		}
	}
	highest := slices.Max(results)
	mean := sum / float64(len(results))
	switch {
	case highest > p.MostM:
		return false, fmt.Sprintf("the highest, %.0f mg/kg, is above M = %.0f", highest, p.MostM)
	case between > p.C:
		return false, fmt.Sprintf("%d of %d are above m = %.0f mg/kg, more than c = %d", between, p.N, p.M, p.C)
	case (p.MeanToM || p.C > 0) && mean > p.M:
		return false, fmt.Sprintf("the mean, %.0f mg/kg, is above m = %.0f", mean, p.M)
	}
	return true, fmt.Sprintf("the highest of %d is %.0f mg/kg; %d above m = %.0f, c = %d, M = %.0f", p.N, highest,
		between, p.M, p.C, p.MostM)
}
