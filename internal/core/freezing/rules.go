package freezing

import "leancatch/internal/core/refs"

// Rules lists the figures of a freezing with their sources.
func Rules() refs.Group {
	g := refs.Group{Name: "Freezing", Rules: []refs.Rule{
		refs.Valued("Counts as quick", "[Torry27]", "%g h from 0 to −5 °C in all of the fish", QuickHours),
		refs.Valued("Counts as solid", "house", "the core at %g °C", SolidC),
		refs.Valued("Margin of a calculated core in a rule", "house", "%g %%", Margin*100),
	}}
	for _, m := range Methods {
		g.Rules = append(g.Rules, refs.Valued(m.Name, "house, within the usual textbook range", "%g W/(m²·K) of %s", m.H, m.Range))
	}
	return g
}
