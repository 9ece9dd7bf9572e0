package probe

import "leancatch/internal/core/refs"

// Rules lists the figures of a thermometer's check with their sources.
func Rules() refs.Group {
	return refs.Group{Name: "Checking a thermometer", Rules: []refs.Rule{
		refs.Valued("Passes in ice", "common practice, no source", "within %g °C", PassK),
		refs.Valued("Passes at the boiling point", "house", "within %g °C", BoilingPassK),
		refs.Valued("Corrected by calculation", "house", "up to %g °C, beyond it is broken", MostOffsetK),
		{Name: "Pressure of the air at an altitude", Value: "standard atmosphere", Source: "[ISO2533]"},
		{Name: "Boiling point at a pressure", Value: "Antoine's equation", Source: "[DDB]"},
	}}
}
