package web

import (
	"fmt"
	"math"
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
	"leancatch/internal/kitchen"
)

// eventView is how a kind of event is shown on a lot's card, and typed in there.
type eventView struct {
	say  func(p page, x lot.Payload, card kitchen.Card) string
	read func(f *input, at time.Time) lot.Payload // nil for a kind that has no plain form there
}

// show makes the view of a kind whose payload is P.
func show[P lot.Payload](say func(p page, x P, card kitchen.Card) string, read func(f *input, at time.Time) lot.Payload,
) eventView {
	return eventView{func(p page, x lot.Payload, card kitchen.Card) string { return say(p, x.(P), card) }, read}
}

// amountOf is how much left a lot: pieces and weight, each as far as it was given.
func amountOf(p page, count int, kg float64) string {
	pieces, weight := "", ""
	if count > 0 {
		pieces = plural(count, "piece")
	}
	if kg > 0 {
		weight = p.Mass(kg)
	}
	return commas(pieces, weight)
}

// cutPartText is a part of a cut in words: how much of it, and where it went.
func cutPartText(p page, x lot.CutPart) string {
	text := strings.ToLower(partName(x.Form)) + " " + p.Mass(x.WeightKg)
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

// eventViews are the views of all kinds of event.
var eventViews = map[lot.Kind]eventView{
	"received": show(func(p page, x lot.Received, card kitchen.Card) string {
		core := "core temperature not taken"
		if x.CoreC != nil {
			core = "core temperature " + p.Temp(*x.CoreC)
		}
		text := fmt.Sprintf("%d × %s, %s, %s, %s, into %s", x.Count, lot.FormName(x.Form), p.Mass(x.WeightKg), core,
			strings.ToLower(lot.IceName(x.Ice)), card.Places[x.PlaceID].Name)
		if x.Tag != "" {
			text += ", tag " + x.Tag
		}
		if x.UseBy != nil {
			text += ", to be used by " + p.Day(*x.UseBy)
		}
		if x.SizeGrade != "" {
			text += ", size " + x.SizeGrade
		}
		if x.LengthMM != nil {
			text += fmt.Sprintf(", %.0f mm long", *x.LengthMM)
		}
		return text
	}, nil),
	"inspected": show(func(_ page, x lot.Inspected, _ kitchen.Card) string {
		text := fmt.Sprintf("%s: %s%s%s: %s", x.Scheme, plural(len(x.Fish), "fish"), inspectedAs(x), explainedAs(x),
			x.Decision.Name())
		if x.Quick != nil {
			text += fmt.Sprintf(" (%d looked at quickly)", len(x.Quick.Fish))
		}
		if x.Overrides() {
			text += fmt.Sprintf(" (proposed: %s; because: %s)", x.Proposed.Decision.Name(), x.Reason)
		}
		return text
	}, nil),
	"moved": show(func(p page, x lot.Moved, card kitchen.Card) string {
		text := "to " + card.Places[x.PlaceID].Name
		if x.LeftAt != nil {
			text += ", on the way since " + p.Stamp(*x.LeftAt)
		}
		return text
	},
		func(f *input, at time.Time) lot.Payload {
			p := lot.Moved{PlaceID: f.ID("place_id")}
			if minutes := f.Number("left_at", "min"); minutes != nil {
				left := at.Add(-time.Duration(math.Min(*minutes, 1e6) * float64(time.Minute)))
				p.LeftAt = &left
			}
			return p
		}),
	"temperature": show(func(p page, x lot.Temperature, _ kitchen.Card) string { return "core temperature " + p.Temp(x.Celsius) },
		func(f *input, _ time.Time) lot.Payload { // its lot says whether it may be so warm
			return lot.Temperature{Celsius: f.MustCooked("celsius")}
		}),
	"logger": show(func(p page, x lot.Logger, _ kitchen.Card) string {
		return fmt.Sprintf("lay with the lot from %s to %s", p.Stamp(x.From), p.Stamp(x.To))
	}, nil),
	"held": show(func(_ page, x lot.Held, _ kitchen.Card) string { return x.Reason },
		func(f *input, _ time.Time) lot.Payload { return lot.Held{Reason: f.Text("reason")} }),
	"released": show(func(_ page, x lot.Released, _ kitchen.Card) string { return x.Reason },
		func(f *input, _ time.Time) lot.Payload { return lot.Released{Reason: f.Text("reason")} }),
	"refused": show(func(_ page, x lot.Refused, _ kitchen.Card) string { return x.Reason },
		func(f *input, _ time.Time) lot.Payload { return lot.Refused{Reason: f.Text("reason")} }),
	"taken": show(func(p page, x lot.Taken, _ kitchen.Card) string {
		amount := "all that was left"
		if !x.All {
			amount = amountOf(p, x.Count, x.WeightKg)
		}
		return commas(amount+" "+x.EndUse.Name(), x.Reason.Name(), x.Note)
	}, func(f *input, _ time.Time) lot.Payload { return f.taken() }),
	"cut": show(func(p page, x lot.Cut, _ kitchen.Card) string {
		var parts []string
		for _, part := range x.Parts {
			parts = append(parts, cutPartText(p, part))
		}
		text := fmt.Sprintf("%s into %s", amountOf(p, x.Count, x.WeightKg), strings.Join(parts, "; "))
		if x.Whiteness != "" {
			text += "; flesh: " + strings.ToLower(lot.NameOf(lot.Whitenesses, string(x.Whiteness)))
		}
		return commas(text, x.Note)
	}, nil),
	"prepared": show(func(p page, x lot.Prepared, _ kitchen.Card) string {
		m, _ := preparing.Get(x.Method)
		by := ""
		if x.UseBy != nil {
			by = "what went in is to be used by " + p.Stamp(*x.UseBy)
		}
		return commas(m.Name, x.With, strings.Join(x.Allergens, ", "), by, x.Note)
	}, func(f *input, _ time.Time) lot.Payload { return f.prepared() }),
	"used": show(func(_ page, x lot.Left, _ kitchen.Card) string { return commas(x.EndUse.Name(), x.Note) },
		func(f *input, _ time.Time) lot.Payload {
			return lot.Left{EndUse: lot.EndUse(f.Text("end_use")), Note: f.Text("reason")}
		}),
	"discarded": show(func(_ page, x lot.Discarded, _ kitchen.Card) string { return x.Reason },
		func(f *input, _ time.Time) lot.Payload { return lot.Discarded{Reason: f.Text("reason")} }),
	"not_found": show(func(p page, x lot.NotFound, _ kitchen.Card) string {
		return commas(amountOf(p, x.Count, x.WeightKg)+" not found at a count", x.Note)
	}, nil),
	"voided": show(func(_ page, x lot.Voided, card kitchen.Card) string { return entryName(card, x.EventID) + x.Reason },
		func(f *input, _ time.Time) lot.Payload {
			return lot.Voided{EventID: f.UUID("event_id"), Reason: f.Text("reason")}
		}),
	"corrected": show(func(_ page, x lot.Corrected, card kitchen.Card) string { return entryName(card, x.EventID) + x.Reason }, nil),
	"declared": show(func(_ page, x lot.Declared, _ kitchen.Card) string {
		return originText(x) + ": " + x.Reason
	}, func(f *input, _ time.Time) lot.Payload {
		return lot.Declared{Origin: lot.FishOrigin(f.Text("origin")), ReefOrigin: f.Text("reef_origin"),
			Reason: f.Text("reason")}
	}),
	"parted": show(func(p page, x lot.Split, _ kitchen.Card) string {
		var parts []string
		for _, part := range x.Parts {
			text := fmt.Sprintf("%s with %d, %s", part.Code, part.Count, p.Mass(part.WeightKg))
			if part.Refused != "" {
				text += " (refused)"
			}
			parts = append(parts, text)
		}
		return "into " + strings.Join(parts, " and ")
	}, nil),
	"part_of": show(func(p page, x lot.SplitFrom, _ kitchen.Card) string {
		if x.CutFrom != "" {
			return fmt.Sprintf("cut of %s: %d × %s, %s", x.ParentCode, x.Received.Count, strings.ToLower(partName(x.Received.Form)),
				p.Mass(x.Received.WeightKg))
		}
		return fmt.Sprintf("%s, %s of %s", plural(x.Received.Count, "fish"), p.Mass(x.Received.WeightKg), x.ParentCode)
	}, nil),
	"split_off": show(func(p page, x lot.SplitOff, _ kitchen.Card) string {
		return fmt.Sprintf("%d, %s, as %s", x.Count, p.Mass(x.WeightKg), x.Code)
	}, nil),
	"sent": show(func(p page, x lot.Sent, _ kitchen.Card) string {
		var parts []string
		if x.Count > 0 {
			parts = append(parts, plural(x.Count, "piece"))
		}
		if x.WeightKg > 0 {
			parts = append(parts, p.Mass(x.WeightKg))
		}
		text := strings.Join(parts, ", ")
		if x.All {
			text = "all of it"
		}
		return text + " to " + x.To + ", " + x.Way.Name()
	}, nil),
	"arrived": show(func(p page, x lot.Arrived, _ kitchen.Card) string {
		return fmt.Sprintf("from %s, where it was %s; sent %s, %s", x.From, x.Lot.ParentCode, p.Stamp(x.SentAt), x.Way.Name())
	}, nil),
	"merged": show(func(p page, x lot.Merged, _ kitchen.Card) string {
		return fmt.Sprintf("with %s: %d × %s, %s", x.With.ParentCode, x.With.Received.Count, strings.ToLower(lot.FormName(x.With.Received.Form)), p.Mass(x.With.Received.WeightKg))
	}, nil),
	"put_with":     show(func(_ page, x lot.PutWith, _ kitchen.Card) string { return "goes on as " + x.Code }, nil),
	"photographed": show(func(_ page, x lot.Photographed, _ kitchen.Card) string { return x.Caption }, nil),
	"checked": show(func(p page, x lot.Checked, _ kitchen.Card) string { return checkedAs(p, x) },
		func(f *input, _ time.Time) lot.Payload { return f.checked() }),
	"claimed": show(func(p page, x lot.Complaint, _ kitchen.Card) string {
		return fmt.Sprintf("%s: %s, %s, %s", x.Number, lot.RemedyName(x.Remedy), p.Mass(x.WeightKg),
			strings.Join(x.Reasons, "; "))
	}, nil),
	"settled": show(func(p page, x lot.Settled, _ kitchen.Card) string {
		words := []string{lot.NameOf(lot.ComplaintAnswers, x.Answer)}
		if x.CreditCents > 0 {
			words = append(words, p.Money(x.CreditCents))
		}
		return commas(append(words, x.Note)...)
	}, func(f *input, _ time.Time) lot.Payload {
		s := lot.Settled{Answer: f.Text("answer"), CreditCents: f.Cents("credit_cents"), Note: f.Text("note")}
		s.ComplaintID, _ = uuid.Parse(f.Text("complaint_id"))
		return s
	}),
	"caught": show(func(p page, x lot.Caught, _ kitchen.Card) string {
		words := []string{x.Vessel, x.Area}
		for _, a := range lot.FAOAreas {
			if a.Code == x.FAO {
				words = append(words, fmt.Sprintf("FAO %d, %s", a.Code, a.Name))
			}
		}
		words = append(words, strings.ToLower(lot.NameOf(lot.Gears, x.Gear)))
		if x.WaterC != nil {
			words = append(words, "water "+p.Temp(*x.WaterC))
		}
		if x.AirC != nil {
			words = append(words, "air "+p.Temp(*x.AirC))
		}
		if x.GearSetAt != nil {
			words = append(words, "gear set "+p.Stamp(*x.GearSetAt))
		}
		return commas(words...)
	}, nil),
	"killed": show(func(_ page, x lot.Killed, _ kitchen.Card) string {
		calm := ""
		if x.Calm != nil {
			calm = map[bool]string{true: "calm", false: "it fought"}[*x.Calm]
		}
		return commas(lot.NameOf(lot.KillMethods, x.Method), calm)
	}, nil),
	"bled": show(func(p page, x lot.Bled, _ kitchen.Card) string {
		until := ""
		if x.Until != nil {
			until = "until " + p.Clock(*x.Until)
		}
		return commas(lot.NameOf(lot.BleedCuts, x.How), strings.ToLower(lot.NameOf(lot.BleedMedia, x.Medium)),
			strings.ToLower(lot.NameOf(lot.BleedMethods, x.Method)), until)
	}, nil),
	"gutted": show(func(_ page, x lot.Gutted, _ kitchen.Card) string {
		return map[bool]string{true: "gills out too", false: "gills left in"}[x.Gilled]
	}, nil),
	"washed": show(func(_ page, x lot.Washed, _ kitchen.Card) string { return lot.NameOf(lot.Washes, x.With) }, nil),
	"iced": show(func(p page, x lot.Iced, card kitchen.Card) string {
		method, _ := icing.GetMethod(x.Method)
		ice := ""
		if x.IceKg != nil && *x.IceKg > 0 {
			ice = p.Mass(*x.IceKg) + " of ice"
		}
		return commas(method.Name, ice, card.Places[x.PlaceID].Name)
	}, nil),
	"tested": show(func(_ page, x lot.Tested, _ kitchen.Card) string {
		return fmt.Sprintf("%s: %s; %s", x.Plan.Name, x.Finding, x.Lab)
	}, func(f *input, _ time.Time) lot.Payload { return f.tested() }),
	"accounted": show(func(p page, x lot.GapExplained, _ kitchen.Card) string {
		text := x.Explanation
		if x.WarmHours > 0 {
			text += fmt.Sprintf(" (%.1f h above 4.4 °C)", x.WarmHours)
		}
		return fmt.Sprintf("up to %s: %s", p.Stamp(x.Until), text)
	}, func(f *input, at time.Time) lot.Payload { return f.gapExplained(at) }),
	"packed": show(func(_ page, x lot.Packed, _ kitchen.Card) string { return packedAs(x.Packing) },
		func(f *input, _ time.Time) lot.Payload {
			return lot.Packed{Packing: f.packing(""), Note: f.Text("reason")}
		}),
	"reviewed": show(func(p page, x lot.Reviewed, _ kitchen.Card) string {
		return fmt.Sprintf("%s; the fish up to %s, %.2f fresh days lost", strings.ToLower(x.Outcome.Name()),
			p.Temp(x.WarmestC), x.LostDays)
	}, nil),
	"froze": show(func(p page, x lot.Froze, card kitchen.Card) string {
		method, _ := freezing.GetMethod(x.Method)
		return fmt.Sprintf("into %s with %s at once, %.0f mm, %s, air %s", card.Places[x.PlaceID].Name,
			p.Mass(x.BatchKg), x.MM, strings.ToLower(method.Name), p.Temp(x.AirC))
	}, nil),
	"pulled": show(func(p page, x lot.Pulled, card kitchen.Card) string {
		method, _ := thawing.GetMethod(x.Method)
		return fmt.Sprintf("%s, at %s, into %s%s, to be %s", strings.ToLower(method.Name), p.Temp(x.MediumC),
			card.Places[x.PlaceID].Name, map[bool]string{true: ", its pack opened"}[x.Opened], endUseName(x.EndUse))
	}, nil),
	"thawed": show(func(p page, x lot.Thawed, _ kitchen.Card) string {
		text := "core temperature " + p.Temp(x.CoreC)
		if lost := x.DripKg + x.GlazeKg; lost > 0 {
			text += fmt.Sprintf(", drip %s, glaze %s", p.Mass(x.DripKg), p.Mass(x.GlazeKg))
		}
		return text
	}, func(f *input, _ time.Time) lot.Payload {
		return lot.Thawed{CoreC: f.MustCelsius("core_celsius"), DripKg: f.Grams("drip_kg") / 1000,
			GlazeKg: f.Grams("glaze_kg") / 1000}
	}),
	"returned": show(func(p page, x lot.Returned, _ kitchen.Card) string {
		return fmt.Sprintf("core temperature %s: %s", p.Temp(x.CoreC), x.Reason)
	}, func(f *input, _ time.Time) lot.Payload {
		return lot.Returned{PlaceID: f.ID("place_id"), CoreC: f.MustCelsius("core_celsius"), Reason: f.Text("reason")}
	}),
	"par_cooked": show(func(p page, x lot.ParCooked, _ kitchen.Card) string {
		return fmt.Sprintf("%.0f minutes, core temperature %s", x.Minutes, p.Temp(x.CoreC))
	}, func(f *input, _ time.Time) lot.Payload {
		return lot.ParCooked{CoreC: f.MustCooked("core_celsius"), Minutes: f.MustNumber("minutes", "min", "minutes")}
	}),
	"stocked": show(func(p page, x lot.Stocked, _ kitchen.Card) string {
		return commas(p.Mass(x.WeightKg), "core temperature "+p.Temp(x.CoreC), x.With, strings.Join(x.Allergens, ", "))
	}, func(f *input, _ time.Time) lot.Payload {
		return lot.Stocked{CoreC: f.MustBoiling("core_celsius"), WeightKg: f.MustMass("weight_kg"), With: f.Text("with"), Allergens: f.All("allergens")}
	}),
	"cooked": show(func(p page, x lot.Cooked, _ kitchen.Card) string { return "core temperature " + p.Temp(x.CoreC) },
		func(f *input, _ time.Time) lot.Payload { return lot.Cooked{CoreC: f.MustCooked("core_celsius")} }),
	"hung": show(func(p page, x lot.Hung, card kitchen.Card) string {
		policy, _ := ageing.GetPolicy(x.Policy)
		text := fmt.Sprintf("%s on hook %d of %s, %s to %.0f %%", p.Mass(x.Kg), x.Hook, card.Places[x.PlaceID].Name,
			strings.ToLower(policy.Name), 100*x.Target)
		if x.Opened != "" {
			text += "; allowed by a manager: " + x.Opened
		}
		return text
	}, nil),
	"weighed": show(func(p page, x lot.Weighed, _ kitchen.Card) string {
		text := p.Mass(x.Kg)
		if x.Aside {
			text += ", set aside"
		}
		if x.Because != "" {
			text += ": " + x.Because
		}
		return text
	}, nil),
	"looked": show(func(_ page, x lot.DailyCheck, _ kitchen.Card) string {
		if len(x.Stops) == 0 {
			return "all fine"
		}
		return "stop: " + strings.Join(x.Stops, ", ")
	}, nil),
	"taken_down": show(func(p page, x lot.TakenDown, card kitchen.Card) string {
		return fmt.Sprintf("%s, crust %s, usable %s, into %s", p.Mass(x.Kg), p.Mass(x.CrustKg), p.Mass(x.UsableKg),
			card.Places[x.PlaceID].Name)
	}, nil),
}

// commas joins the words that are not empty.
func commas(words ...string) string {
	return strings.Join(slices.DeleteFunc(words, func(w string) bool { return w == "" }), ", ")
}

// Says is what a payload of an event of a lot says.
func (p page) Says(x lot.Payload, card kitchen.Card) string {
	return eventViews[lot.KindOf(x)].say(p, x, card)
}

// entryName names an entry of the lot before what is said of it.
func entryName(card kitchen.Card, id uuid.UUID) string {
	for i, e := range card.Entries {
		if e.ID == id {
			return fmt.Sprintf("event %d, %s: ", i+1, strings.ToLower(e.Kind.Name()))
		}
	}
	return ""
}

// originText is a declared origin in words.
func originText(x lot.Declared) string {
	return commas(map[lot.FishOrigin]string{lot.Wild: "caught", lot.Farmed: "farmed"}[x.Origin], x.ReefOrigin)
}

// endUseName is an end use in words.
func endUseName(e thawing.EndUse) string {
	return map[thawing.EndUse]string{thawing.Cook: "cooked", thawing.Raw: "served raw"}[e]
}

// packedAs says how a lot is packed.
func packedAs(x lot.Packing) string {
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
func checkedAs(p page, x lot.Checked) string {
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
		found = append(found, fmt.Sprintf("%.0f min of rework, %s", x.ReworkMinutes, p.Money(x.CostCents())))
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
