package lot

import (
	"slices"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/species"
)

// Forms are the forms in which fish is delivered, in the order of the work.
var Forms = append([]string{"whole", "gutted", "gutted_gills_out", "headed_gutted", "tail", "loin", "fillet_skin_on",
	"fillet_skinless"}, otherForms...)

// otherForms are those of other seafood alone.
var otherForms = []string{"live", "cleaned"}

// IsForm reports whether fish lies in the kitchen in a form: as it was delivered, or as it was cut here.
func IsForm(form string) bool { return FormName(form) != "" }

// ComesAs reports whether a species is delivered in a form.
func ComesAs(sp species.Species, form string) bool {
	return slices.Contains(Forms, form) && (form == "whole" || sp.Fish() != slices.Contains(otherForms, form))
}

// FormName is a form in words; "" for one that there is not.
func FormName(form string) string {
	if name, ok := map[string]string{"whole": "Whole, ungutted", "gutted": "Gutted, gills in",
		"gutted_gills_out": "Gutted, gills out", "headed_gutted": "Headed and gutted",
		FormStock: "Stock", "live": "Live", "cleaned": "Cleaned, peeled or shucked"}[form]; ok {
		return name
	}
	if form == cutting.Waste {
		return ""
	}
	p, _ := cutting.GetPart(form)
	return p.Name
}
