package freezing

import "leancatch/internal/core/refs"

// Rules lists the figures of a freezing with their sources.
func Rules() refs.Group {
	g := refs.Group{Name: "Freezing", Rules: []refs.Rule{
		refs.Valued("Counts as quick", "[Torry27]", "%g h from 0 to −5 °C in all of the fish", QuickHours),
		refs.Valued("Counts as solid", "house", "the core at %g °C", SolidC),
		refs.Valued("Most that air takes from fish on racks", "house; meets the reported times of [FAO340]", "%g W/(m²·K)", rackedH),
		refs.Valued("Margin of a calculated core in a rule", "house", "%g %%", Margin*100),
	}}
	for _, m := range Methods {
		if m.Air() {
			g.Rules = append(g.Rules, refs.Valued(m.Name, "house", "air of %g m/s", m.Boundary.SpeedMS))
		} else {
			g.Rules = append(g.Rules, refs.Valued(m.Name, "house", "%g W/(m²·K)", m.Boundary.H))
		}
	}
	for _, w := range Wrappings {
		if w.Loose > 0 {
			g.Rules = append(g.Rules, refs.Valued(w.Name, "house", "resists %g m²·K/W in air, %g between plates", w.Loose, w.Pressed))
		}
	}
	return g
}
