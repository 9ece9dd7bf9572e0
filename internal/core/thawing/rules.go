package thawing

import "leancatch/internal/core/refs"

// Rules lists the methods and policies of thawing with their sources.
func Rules() refs.Group {
	g := refs.Group{Name: "Thawing"}
	for _, m := range Methods() {
		g.Rules = append(g.Rules, refs.Valued(m.Name, m.Source, "%g W/(m²·K), around it %g °C, keeps %g h", m.H, m.MediumC, m.HoldHours))
	}
	for _, p := range Policies() {
		g.Rules = append(g.Rules, refs.Valued("Policy: "+p.Name, p.Source, "fridge %g °C, water %g °C, %g min to prepare, %g min out of the cold",
			p.FridgeC, p.WaterC, p.PrepMinutes, p.OutMinutes))
	}
	g.Rules = append(g.Rules, refs.Valued("Weight that thawing costs", "house", "%g %%", DripShare*100))
	return g
}
