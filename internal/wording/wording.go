// Package wording says in words what an entry of a lot says: on pages, on papers and in sheets the same.
package wording

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/preparing"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

// Units write amounts and times as their reader has them.
type Units interface {
	Mass(kg float64) string
	Temp(celsius float64) string
	Money(cents int64) string
	Clock(t time.Time) string
	Stamp(t time.Time) string // with the day
	Day(t time.Time) string
}

// Of is what the entries of a lot refer to.
type Of struct {
	Places map[int64]lot.Place
	Entry  func(id uuid.UUID) string // names another entry of the lot; nil for nothing
}

func (o Of) entry(id uuid.UUID) string {
	if o.Entry == nil {
		return ""
	}
	return o.Entry(id)
}

// Says is what a payload of a lot says; "" where its kind says it all.
func Says(u Units, x lot.Payload, of Of) string { return sayings[lot.KindOf(x)](u, x, of) }

// says makes the saying of a kind whose payload is P.
func says[P lot.Payload](say func(u Units, x P, of Of) string) func(Units, lot.Payload, Of) string {
	return func(u Units, x lot.Payload, of Of) string { return say(u, x.(P), of) }
}

// sayings are those of all kinds.
var sayings = map[lot.Kind]func(Units, lot.Payload, Of) string{
	"received": says(func(u Units, x lot.Received, of Of) string {
		core := "core temperature not taken"
		if x.CoreC != nil {
			core = "core temperature " + u.Temp(*x.CoreC)
		}
		text := fmt.Sprintf("%d × %s, %s, %s, %s, into %s", x.Count, lot.FormName(x.Form), u.Mass(x.WeightKg), core,
			strings.ToLower(lot.IceName(x.Ice)), of.Places[x.PlaceID].Name)
		if x.Tag != "" {
			text += ", tag " + x.Tag
		}
		if x.UseBy != nil {
			text += ", to be used by " + u.Day(*x.UseBy)
		}
		if x.SizeGrade != "" {
			text += ", size " + x.SizeGrade
		}
		if x.LengthMM != nil {
			text += fmt.Sprintf(", %.0f mm long", *x.LengthMM)
		}
		return text
	}),
	"inspected": says(func(_ Units, x lot.Inspected, _ Of) string {
		text := fmt.Sprintf("%s: %s%s%s: %s", x.Scheme, Plural(len(x.Fish), "fish"), inspectedAs(x), explainedAs(x),
			x.Decision.Name())
		if x.Quick != nil {
			text += fmt.Sprintf(" (%d looked at quickly)", len(x.Quick.Fish))
		}
		if x.Overrides() {
			text += fmt.Sprintf(" (proposed: %s; because: %s)", x.Proposed.Decision.Name(), x.Reason)
		}
		return text
	}),
	"moved": says(func(u Units, x lot.Moved, of Of) string {
		text := "to " + of.Places[x.PlaceID].Name
		if x.LeftAt != nil {
			text += ", on the way since " + u.Stamp(*x.LeftAt)
		}
		return text
	}),
	"temperature": says(func(u Units, x lot.Temperature, _ Of) string { return "core temperature " + u.Temp(x.Celsius) }),
	"logger": says(func(u Units, x lot.Logger, _ Of) string {
		return fmt.Sprintf("lay with the lot from %s to %s", u.Stamp(x.From), u.Stamp(x.To))
	}),
	"held":     says(func(_ Units, x lot.Held, _ Of) string { return x.Reason }),
	"released": says(func(_ Units, x lot.Released, _ Of) string { return x.Reason }),
	"refused":  says(func(_ Units, x lot.Refused, _ Of) string { return x.Reason }),
	"taken": says(func(u Units, x lot.Taken, _ Of) string {
		amount := "all that was left"
		if !x.All {
			amount = amountOf(u, x.Count, x.WeightKg)
		}
		return Commas(amount+" "+x.EndUse.Name(), x.Reason.Name(), x.Note)
	}),
	"cut": says(func(u Units, x lot.Cut, _ Of) string {
		var parts []string
		for _, part := range x.Parts {
			parts = append(parts, cutPartText(u, part))
		}
		text := fmt.Sprintf("%s into %s", amountOf(u, x.Count, x.WeightKg), strings.Join(parts, "; "))
		if x.Whiteness != "" {
			text += "; flesh: " + strings.ToLower(lot.NameOf(lot.Whitenesses, string(x.Whiteness)))
		}
		return Commas(text, x.Note)
	}),
	"prepared": says(func(u Units, x lot.Prepared, _ Of) string {
		m, _ := preparing.Get(x.Method)
		by := ""
		if x.UseBy != nil {
			by = "what went in is to be used by " + u.Stamp(*x.UseBy)
		}
		return Commas(m.Name, x.With, strings.Join(x.Allergens, ", "), by, x.Note)
	}),
	"used":      says(func(_ Units, x lot.Left, _ Of) string { return Commas(x.EndUse.Name(), x.Note) }),
	"discarded": says(func(_ Units, x lot.Discarded, _ Of) string { return x.Reason }),
	"not_found": says(func(u Units, x lot.NotFound, _ Of) string {
		return Commas(amountOf(u, x.Count, x.WeightKg)+" not found at a count", x.Note)
	}),
	"voided":    says(func(_ Units, x lot.Voided, of Of) string { return of.entry(x.EventID) + x.Reason }),
	"corrected": says(func(_ Units, x lot.Corrected, of Of) string { return of.entry(x.EventID) + x.Reason }),
	"declared": says(func(_ Units, x lot.Declared, _ Of) string {
		return Origin(x) + ": " + x.Reason
	}),
	"parted": says(func(u Units, x lot.Split, _ Of) string {
		var parts []string
		for _, part := range x.Parts {
			text := fmt.Sprintf("%s with %d, %s", part.Code, part.Count, u.Mass(part.WeightKg))
			if part.Refused != "" {
				text += " (refused)"
			}
			parts = append(parts, text)
		}
		return "into " + strings.Join(parts, " and ")
	}),
	"part_of": says(func(u Units, x lot.SplitFrom, _ Of) string {
		if x.CutFrom != "" {
			return fmt.Sprintf("cut of %s: %d × %s, %s", x.ParentCode, x.Received.Count, strings.ToLower(lot.FormName(x.Received.Form)),
				u.Mass(x.Received.WeightKg))
		}
		return fmt.Sprintf("%s, %s of %s", Plural(x.Received.Count, "fish"), u.Mass(x.Received.WeightKg), x.ParentCode)
	}),
	"split_off": says(func(u Units, x lot.SplitOff, _ Of) string {
		return fmt.Sprintf("%d, %s, as %s", x.Count, u.Mass(x.WeightKg), x.Code)
	}),
	"sent": says(func(u Units, x lot.Sent, _ Of) string {
		var parts []string
		if x.Count > 0 {
			parts = append(parts, Plural(x.Count, "piece"))
		}
		if x.WeightKg > 0 {
			parts = append(parts, u.Mass(x.WeightKg))
		}
		text := strings.Join(parts, ", ")
		if x.All {
			text = "all of it"
		}
		return text + " to " + x.To + ", " + x.Way.Name()
	}),
	"arrived": says(func(u Units, x lot.Arrived, _ Of) string {
		return fmt.Sprintf("from %s, where it was %s; sent %s, %s", x.From, x.Lot.ParentCode, u.Stamp(x.SentAt), x.Way.Name())
	}),
	"merged": says(func(u Units, x lot.Merged, _ Of) string {
		return fmt.Sprintf("with %s: %d × %s, %s", x.With.ParentCode, x.With.Received.Count,
			strings.ToLower(lot.FormName(x.With.Received.Form)), u.Mass(x.With.Received.WeightKg))
	}),
	"put_with":     says(func(_ Units, x lot.PutWith, _ Of) string { return "goes on as " + x.Code }),
	"photographed": says(func(_ Units, x lot.Photographed, _ Of) string { return x.Caption }),
	"checked":      says(func(u Units, x lot.Checked, _ Of) string { return checkedAs(u, x) }),
	"claimed": says(func(u Units, x lot.Complaint, _ Of) string {
		return fmt.Sprintf("%s: %s, %s, %s", x.Number, lot.RemedyName(x.Remedy), u.Mass(x.WeightKg),
			strings.Join(x.Reasons, "; "))
	}),
	"settled": says(func(u Units, x lot.Settled, _ Of) string {
		words := []string{lot.NameOf(lot.ComplaintAnswers, x.Answer)}
		if x.CreditCents > 0 {
			words = append(words, u.Money(x.CreditCents))
		}
		return Commas(append(words, x.Note)...)
	}),
	"caught": says(func(u Units, x lot.Caught, _ Of) string {
		words := []string{x.Vessel, x.Area}
		for _, a := range lot.FAOAreas {
			if a.Code == x.FAO {
				words = append(words, fmt.Sprintf("FAO %d, %s", a.Code, a.Name))
			}
		}
		words = append(words, strings.ToLower(lot.NameOf(lot.Gears, x.Gear)))
		if x.WaterC != nil {
			words = append(words, "water "+u.Temp(*x.WaterC))
		}
		if x.AirC != nil {
			words = append(words, "air "+u.Temp(*x.AirC))
		}
		if x.GearSetAt != nil {
			words = append(words, "gear set "+u.Stamp(*x.GearSetAt))
		}
		return Commas(words...)
	}),
	"killed": says(func(_ Units, x lot.Killed, _ Of) string {
		calm := ""
		if x.Calm != nil {
			calm = map[bool]string{true: "calm", false: "it fought"}[*x.Calm]
		}
		return Commas(lot.NameOf(lot.KillMethods, x.Method), calm)
	}),
	"bled": says(func(u Units, x lot.Bled, _ Of) string {
		until := ""
		if x.Until != nil {
			until = "until " + u.Clock(*x.Until)
		}
		return Commas(lot.NameOf(lot.BleedCuts, x.How), strings.ToLower(lot.NameOf(lot.BleedMedia, x.Medium)),
			strings.ToLower(lot.NameOf(lot.BleedMethods, x.Method)), until)
	}),
	"gutted": says(func(_ Units, x lot.Gutted, _ Of) string {
		return map[bool]string{true: "gills out too", false: "gills left in"}[x.Gilled]
	}),
	"washed": says(func(_ Units, x lot.Washed, _ Of) string { return lot.NameOf(lot.Washes, x.With) }),
	"iced": says(func(u Units, x lot.Iced, of Of) string {
		method, _ := icing.GetMethod(x.Method)
		ice := ""
		if x.IceKg != nil && *x.IceKg > 0 {
			ice = u.Mass(*x.IceKg) + " of ice"
		}
		return Commas(method.Name, ice, of.Places[x.PlaceID].Name)
	}),
	"tested": says(func(_ Units, x lot.Tested, _ Of) string {
		return fmt.Sprintf("%s: %s; %s", x.Plan.Name, x.Finding, x.Lab)
	}),
	"accounted": says(func(u Units, x lot.GapExplained, _ Of) string {
		text := x.Explanation
		if x.WarmHours > 0 {
			text += fmt.Sprintf(" (%.1f h above 4.4 °C)", x.WarmHours)
		}
		return fmt.Sprintf("up to %s: %s", u.Stamp(x.Until), text)
	}),
	"packed": says(func(_ Units, x lot.Packed, _ Of) string { return Packing(x.Packing) }),
	"reviewed": says(func(u Units, x lot.Reviewed, _ Of) string {
		return fmt.Sprintf("%s; the fish up to %s, %.2f fresh days lost", strings.ToLower(x.Outcome.Name()),
			u.Temp(x.WarmestC), x.LostDays)
	}),
	"froze": says(func(u Units, x lot.Froze, of Of) string {
		method, _ := freezing.GetMethod(x.Method)
		return fmt.Sprintf("into %s with %s at once, %.0f mm, %s, air %s", of.Places[x.PlaceID].Name,
			u.Mass(x.BatchKg), x.MM, strings.ToLower(method.Name), u.Temp(x.AirC))
	}),
	"pulled": says(func(u Units, x lot.Pulled, of Of) string {
		method, _ := thawing.GetMethod(x.Method)
		return fmt.Sprintf("%s, at %s, into %s%s, to be %s", strings.ToLower(method.Name), u.Temp(x.MediumC),
			of.Places[x.PlaceID].Name, map[bool]string{true: ", its pack opened"}[x.Opened], ThawedFor(x.EndUse))
	}),
	"thawed": says(func(u Units, x lot.Thawed, _ Of) string {
		text := "core temperature " + u.Temp(x.CoreC)
		if lost := x.DripKg + x.GlazeKg; lost > 0 {
			text += fmt.Sprintf(", drip %s, glaze %s", u.Mass(x.DripKg), u.Mass(x.GlazeKg))
		}
		return text
	}),
	"returned": says(func(u Units, x lot.Returned, _ Of) string {
		return fmt.Sprintf("core temperature %s: %s", u.Temp(x.CoreC), x.Reason)
	}),
	"par_cooked": says(func(u Units, x lot.ParCooked, _ Of) string {
		return fmt.Sprintf("%.0f minutes, core temperature %s", x.Minutes, u.Temp(x.CoreC))
	}),
	"stocked": says(func(u Units, x lot.Stocked, _ Of) string {
		return Commas(u.Mass(x.WeightKg), "core temperature "+u.Temp(x.CoreC), x.With, strings.Join(x.Allergens, ", "))
	}),
	"cooked": says(func(u Units, x lot.Cooked, _ Of) string { return "core temperature " + u.Temp(x.CoreC) }),
	"hung": says(func(u Units, x lot.Hung, of Of) string {
		policy, _ := ageing.GetPolicy(x.Policy)
		text := fmt.Sprintf("%s on hook %d of %s, %s to %.0f %%", u.Mass(x.Kg), x.Hook, of.Places[x.PlaceID].Name,
			strings.ToLower(policy.Name), 100*x.Target)
		if x.Opened != "" {
			text += "; allowed by a manager: " + x.Opened
		}
		return text
	}),
	"weighed": says(func(u Units, x lot.Weighed, _ Of) string {
		text := u.Mass(x.Kg)
		if x.Aside {
			text += ", set aside"
		}
		if x.Because != "" {
			text += ": " + x.Because
		}
		return text
	}),
	"looked": says(func(_ Units, x lot.DailyCheck, _ Of) string {
		if len(x.Stops) == 0 {
			return "all fine"
		}
		return "stop: " + strings.Join(x.Stops, ", ")
	}),
	"taken_down": says(func(u Units, x lot.TakenDown, of Of) string {
		return fmt.Sprintf("%s, crust %s, usable %s, into %s", u.Mass(x.Kg), u.Mass(x.CrustKg), u.Mass(x.UsableKg),
			of.Places[x.PlaceID].Name)
	}),
}

// amountOf is how much left a lot: pieces and weight, each as far as it was given.
func amountOf(u Units, count int, kg float64) string {
	pieces, weight := "", ""
	if count > 0 {
		pieces = Plural(count, "piece")
	}
	if kg > 0 {
		weight = u.Mass(kg)
	}
	return Commas(pieces, weight)
}

// cutPartText is a part of a cut in words: how much of it, and where it went.
func cutPartText(u Units, x lot.CutPart) string {
	text := strings.ToLower(lot.FormName(x.Form)) + " " + u.Mass(x.WeightKg)
	if x.Count > 0 {
		text = fmt.Sprintf("%d × %s", x.Count, text)
	}
	if x.Estimated {
		text += " (estimated)"
	}
	switch {
	case x.Code != "":
		return text + ", lot " + x.Code
	case x.Form == cutting.Waste:
		return text
	}
	return text + " to the " + strings.ToLower(x.To.Name())
}

// Origin is a declared origin in words.
func Origin(x lot.Declared) string {
	return Commas(map[lot.FishOrigin]string{lot.Wild: "caught", lot.Farmed: "farmed"}[x.Origin], x.ReefOrigin)
}

// Packing says how a lot is packed.
func Packing(x lot.Packing) string {
	text := strings.ToLower(x.Pack.Name())
	if x.OTR != nil {
		text += fmt.Sprintf(", oxygen transmission %.0f cm³/(m²·24 h)", *x.OTR)
	}
	if x.Tight {
		text += ", wrapped again or stacked tight"
	}
	if x.Reduced() {
		text += ": keeps oxygen out"
	}
	return text
}

// inspectedAs says what a scheme read.
func inspectedAs(x lot.Inspected) string {
	text := fmt.Sprintf(", freshness score %s of %d (0 is best), %s", unit.Number(x.Reading.Index, 1),
		x.Reading.IndexMax, x.Reading.Grade)
	if x.Reading.Age != nil {
		text += "; the fish says " + x.Reading.Age.Text("fresh days")
	}
	return text
}

// checkedAs says what a check of cleaning and packing found.
func checkedAs(u Units, x lot.Checked) string {
	if !x.Faulty() {
		return "cleaning and packing as ordered"
	}
	var found []string
	for _, t := range x.Left {
		found = append(found, t.Name()+" still on")
	}
	for _, t := range x.Missing {
		found = append(found, t.Name()+" missing")
	}
	for _, f := range lot.PackingFaults {
		if slices.Contains(x.Faults, f.ID) {
			found = append(found, f.Name)
		}
	}
	if x.ReworkMinutes > 0 {
		found = append(found, fmt.Sprintf("%.0f min of rework, %s", x.ReworkMinutes, u.Money(x.CostCents())))
	}
	return strings.Join(found, "; ")
}

// explainedAs names the explanations given and what was found besides.
func explainedAs(x lot.Inspected) string {
	var names []string
	for _, fish := range x.Fish {
		for _, found := range freshness.Findings() {
			if slices.Contains(fish.Findings, found.ID) && !slices.Contains(names, found.Name) {
				names = append(names, found.Name)
			}
		}
		for _, id := range fish.Explanations {
			if e, ok := freshness.GetExplanation(id); ok && !slices.Contains(names, e.Name) {
				names = append(names, e.Name)
			}
		}
	}
	if len(names) == 0 {
		return ""
	}
	return " (" + strings.ToLower(strings.Join(names, "; ")) + ")"
}

// Commas joins the words that are not empty.
func Commas(words ...string) string {
	return strings.Join(slices.DeleteFunc(words, func(w string) bool { return w == "" }), ", ")
}

// Plural counts something; fish are fish however many.
func Plural(n int, what string) string {
	if n == 1 || what == "fish" {
		return fmt.Sprintf("%d %s", n, what)
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// ThawedFor is the end use of a thaw in words.
func ThawedFor(e thawing.EndUse) string {
	return map[thawing.EndUse]string{thawing.Cook: "cooked", thawing.Raw: "served raw"}[e]
}
