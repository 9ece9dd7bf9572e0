package safety

import (
	"fmt"
	"strings"

	"leancatch/internal/core/refs"
)

// Rules lists the figures of the clocks and the profiles with their sources.
func Rules() []refs.Group {
	groups := []refs.Group{{Name: "Histamine clock", Rules: []refs.Rule{
		refs.Valued("From death to chilling", HistamineRules, "%g h; %g h where water or air is above %g °C; %g h gilled and gutted first",
			ChillHours, ChillHotHours, HotC, ChillGuttedHours),
		refs.Valued("Afterwards, above "+fmt.Sprint(ChilledC)+" °C in all", HistamineRules, "%g h; %g h where any of it was above %g °C",
			AfterHours, WarmAllowance, HalvingC),
		refs.Valued(fmt.Sprintf("After %g weeks frozen", ExtendedFrozenWeeks), HistamineRules, "%g h; %g h where any of it was above %g °C",
			afterFrozenHours, afterFrozenWarmHours, HalvingC),
		refs.Valued("The core is cold", "[FDA-hazards, chapter 7]", "within %g h of death", mostCooling.Hours()),
		refs.Valued("Missing record that counts as none", "house", "%g h", graceHours),
		refs.Valued("Warning", "house", "at %g %% of a budget", WarnShare*100),
		refs.Valued("Fish that never was warm proves anything for", "house", "%g days", ProofDays),
	}}}
	plans := refs.Group{Name: "Histamine: sampling plans"}
	for _, p := range Plans {
		plans.Rules = append(plans.Rules, refs.Valued(p.Name, p.Source, "n %d, c %d, m %g, M %g mg/kg", p.N, p.C, p.M, p.MostM))
	}
	oxygen := refs.Group{Name: "Packs with reduced oxygen"}
	for _, b := range oxygenBands {
		oxygen.Rules = append(oxygen.Rules, refs.Valued(fmt.Sprintf("Above %g °C", b.above), OxygenRules, "%g h", b.hours))
	}
	oxygen.Rules = append(oxygen.Rules,
		refs.Valued("A film counts as air", OxygenRules, "from %g cm³/(m²·24 h)", AirFilmOTR),
		refs.Valued("Histamine formers, chilled in such a pack", "house", "%g days", formerOxygenDays))
	groups = append(groups, plans, oxygen)
	for _, p := range Profiles() {
		groups = append(groups, p.rules())
	}
	return groups
}

func (p Profile) rules() refs.Group {
	var routes []string
	for _, r := range p.Parasite.Routes {
		routes = append(routes, r.Name())
	}
	cool := p.Cooling
	return refs.Group{Name: "Limits: " + p.Name, Rules: []refs.Rule{
		refs.Valued("Receive and keep chilled", p.Source, "%g °C, keep %g °C; histamine formers %g °C", p.ReceiveMaxC, p.ChilledMaxC, p.HistamineMaxC),
		refs.Valued("Frozen, at receipt", p.Source, "%g °C", p.FrozenMaxC),
		refs.Valued("Out of the cold, in all", p.OutOfCold.Source, "above %g °C: raw, freeze or age within %g h, cook within %g h, "+
			"discard after %g h", p.OutOfCold.AboveC, p.OutOfCold.RawHours, p.OutOfCold.CookHours, p.OutOfCold.StopHours),
		refs.Valued("How long a record answers", "house", "logged %g min (frozen %g), checked %g h, ice seen %g h, maximum seen %g h",
			p.Grades.LoggedMinutes, p.Grades.LoggedFrozenMinutes, p.Grades.CheckedHours, p.Grades.IcedHours, p.Grades.MaximumHours),
		refs.Valued("Thawed", p.Thawed.Source, "raw within %g h, cooked within %g h", p.Thawed.RawHours, p.Thawed.CookHours),
		refs.Valued("Cut", p.Cut.Source, "raw within %g h", p.Cut.RawHours),
		refs.Valued("Thaw", p.Source, "in the fridge at %g °C; in water: %s", p.ThawFridgeC, p.ThawWater),
		{Name: "Parasites: freezing", Value: strings.Join(routes, "; or "), Source: p.Parasite.Source},
		refs.Valued("Parasites: cooking", p.Parasite.Source, "%g °C for %s", p.Parasite.CookC, p.Parasite.CookFor),
		refs.Valued("Cooked fish, cooling", cool.Source, "to %g °C in %g h, to %g °C in %g h more; kept %d days",
			cool.FirstC, cool.FirstHours, cool.ThenC, cool.ThenHours, cool.KeepDays),
	}}
}
