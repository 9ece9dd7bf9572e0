package freshness

import "leancatch/internal/core/refs"

// Rules lists the built-in schemes and the figures of the reading of age with
// their sources.
func Rules() refs.Group {
	g := refs.Group{Name: "Freshness"}
	for _, s := range Schemes() {
		g.Rules = append(g.Rules, refs.Valued(s.Name, s.Source, "0 to %d points", s.Max()))
		if len(s.Grades) > 0 {
			g.Rules = append(g.Rules, refs.Rule{Name: s.Name + ": grades", Value: s.Grades[0].Name + " …", Source: s.GradesFrom})
		}
	}
	g.Rules = append(g.Rules,
		refs.Valued("A date of catch is right to", "house", "±%g days on papers, ±%g days of our own catch", PaperDateSD, OwnCatchDateSD),
		refs.Valued("Temperatures since are right to", "house", "±%g °C logged, ±%g °C spot, ±%g °C assumed", LoggedTempSD, SpotTempSD, AssumedTempSD),
		refs.Valued("Two ages no longer agree", "house", "from %g standard deviations", GapLimit))
	return g
}
