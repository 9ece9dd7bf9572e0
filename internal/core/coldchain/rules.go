package coldchain

import "leancatch/internal/core/refs"

// Rules lists the models of spoiling with their sources.
func Rules() refs.Group {
	return refs.Group{Name: "Spoiling", Rules: []refs.Rule{
		{Name: "Rate at T °C, fish of cold and temperate waters", Value: "(1 + 0.1·T)²", Source: "[FAO348, section 6.2]"},
		refs.Valued("Rate at T °C, fish of warm waters", "[FAO348, section 6.2]", "exp(%g·T)", warmSlope),
		refs.Valued("Where the models hold", "house", "%g to %g °C; extrapolated to %g °C before chilling", LowestRated, HighestRated, hottestRated),
	}}
}
