package ageing

import (
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/refs"
)

// Rules lists the figures of ageing with their sources.
func Rules() refs.Group {
	const practice refs.Cited = "common practice, no source"
	g := refs.Group{Name: "Dry ageing", Rules: []refs.Rule{
		refs.Valued("May begin within", "house", "%.0f %% of the middle of the shelf life", freshness.RawPart*100),
		refs.Valued("Dries through before it ages", "house", "below %g mm", thinMM),
		refs.Valued("Cabinet", practice, "%g to %g °C, best %g °C, %g to %g %% humidity", LeastC, MostC, BestC, LeastRH*100, MostRH*100),
		refs.Valued("Ageing stops", practice, "above %g °C or %g %% for %g h; the hours of the humidity are house", WarmC, WetRH*100, StopHours),
		{Name: "Saturation pressure of water", Value: "equation 21", Source: "[Alduchov1996]"},
	}}
	for _, p := range Policies() {
		g.Rules = append(g.Rules, refs.Valued(p.Name, p.Source, "%g to %g days", p.Days.Lo, p.Days.Hi))
	}
	return g
}
