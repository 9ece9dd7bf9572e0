package assess

import (
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/refs"
)

// Rules lists the figures of a lot's handling with their sources.
func Rules() refs.Group {
	return refs.Group{Name: "Handling", Rules: []refs.Rule{
		refs.Valued("Raw, as freshness goes", "house, common practice", "within %.0f %% of the middle of the shelf life", freshness.RawPart*100),
		refs.Valued("Bled at once", "common practice, no source", "within %g min of death", bledAtOnce),
		refs.Valued("Bled in time, white fish", "[FAO348]", "within %g min of death", bledInTime),
		refs.Valued("Bled long enough", "common practice, no source", "%g min", bledEnough),
		refs.Valued("Assumed on its way to us", "house", "frozen fish at %g °C; iced fish at 0 °C for at most %g h", frozenTransportC, longestIcedJourney.Hours()),
		refs.Valued("A split may change the weight by", "house", "%g %%", lot.WeightSlack*100),
		refs.Valued("The harvester's tag of shells is kept", "[FoodCode, 3-203.12]", "%d days after the last is gone", lot.TagDays),
		{Name: "Fishing areas", Value: "two digits", Source: "[FAOareas]"},
	}}
}
