package icing

import "leancatch/internal/core/refs"

// Rules lists the figures of icing with their sources.
func Rules() refs.Group {
	g := refs.Group{Name: "Icing", Rules: []refs.Rule{
		refs.Valued("Heat that melts ice", "[FAO348, chapter 7]", "%g kJ/kg", FusionKJ),
		refs.Valued("Bulk density", "house, within the usual textbook ranges", "fish %g kg/l, ice %g kg/l", fishPerLitre, icePerLitre),
	}}
	for _, m := range Methods {
		g.Rules = append(g.Rules, refs.Valued(m.Name, "house, within the usual textbook ranges", "%g W/(m²·K), around it %g °C", m.H, m.MediumC))
	}
	return g
}
