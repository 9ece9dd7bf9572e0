package heat

import "leancatch/internal/core/refs"

// Rules lists the constants of the heat model with their sources.
func Rules() refs.Group {
	return refs.Group{Name: "Heat in fish", Rules: []refs.Rule{
		refs.Valued("Latent heat of water", "[ASHRAE-R, chapter 19]", "%g kJ/kg", FusionKJ),
		refs.Valued("Water that does not freeze", "[ASHRAE-R, chapter 19]", "%g of the mass of protein", boundWater),
		refs.Valued("Freezing begins", "house, from measurements on cod of −0.9 to −1.1 °C", "at %g °C", FreezingC),
		{Name: "Density, heat and conductivity of the components", Value: "polynomials of the temperature",
			Source: "[Choi&Okos1986], as printed in [ASHRAE-R, chapter 19, tables 1 and 2]"},
		{Name: "Surface coefficient in moving air", Value: "from the air speed and the size of the piece",
			Source: "[ChurchillBernstein] (round), a flat plate as in [Incropera&DeWitt, section 7.2] (slab), [Whitaker1972] (sphere)"},
		refs.Valued("Air of a still room", "house", "%g m/s, and %g W/(m²·K) from its walls", StillMS, radiationH),
		refs.Valued("Air of a fan whose speed is not known", "house", "%g m/s", FanMS),
		refs.Valued("Length of a slab along the air", "house", "%g thicknesses", platesLong),
		{Name: "Conductivity of fish with ice in it", Value: "Levy's equation", Source: "[Levy1981]"},
	}}
}
