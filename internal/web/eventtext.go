package web

import (
	"fmt"
	"slices"
	"strings"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
)

// EventText says what an event says, for the list of events.
func (p page) EventText(e kitchen.Entry, v cardView) string {
	switch x := e.Payload.(type) {
	case lot.Received:
		core := "core not taken"
		if x.CoreC != nil {
			core = "core " + p.Temp(*x.CoreC)
		}
		return fmt.Sprintf("%d × %s, %s, %s, %s, into %s", x.Count, lot.FormName(x.Form), p.Mass(x.WeightKg), core,
			strings.ToLower(lot.IceName(x.Ice)), v.Card.Places[x.PlaceID].Name)
	case lot.Inspected:
		text := fmt.Sprintf("%s: %s%s%s: %s", x.Scheme, plural(len(x.Fish), "fish"), inspectedAs(x), explainedAs(x),
			x.Decision.Name())
		if x.Overrides() {
			text += fmt.Sprintf(" (proposed: %s; because: %s)", x.Proposed.Decision.Name(), x.Reason)
		}
		return text
	case lot.Moved:
		return "to " + v.Card.Places[x.PlaceID].Name
	case lot.Temperature:
		return "core " + p.Temp(x.Celsius)
	case lot.Logger:
		return fmt.Sprintf("lay with the lot from %s to %s", p.Stamp(x.From), p.Stamp(x.To))
	case lot.Held:
		return x.Reason
	case lot.Released:
		return x.Reason
	case lot.Refused:
		return x.Reason
	case lot.Left:
		return x.Note
	case lot.Discarded:
		return x.Reason
	case lot.Photographed:
		return x.Caption
	case lot.Checked:
		return checkedAs(x)
	case lot.Complaint:
		return fmt.Sprintf("%s: %s, %s, %s", x.Number, lot.RemedyName(x.Remedy), p.Mass(x.WeightKg),
			strings.Join(x.Reasons, "; "))
	case lot.SplitFrom:
		return fmt.Sprintf("%s, %s of %s", plural(x.Received.Count, "fish"), p.Mass(x.Received.WeightKg), x.ParentCode)
	case lot.Split:
		var parts []string
		for _, part := range x.Parts {
			text := fmt.Sprintf("%s with %d, %s", part.Code, part.Count, p.Mass(part.WeightKg))
			if part.Refused != "" {
				text += " (refused)"
			}
			parts = append(parts, text)
		}
		return "into " + strings.Join(parts, " and ")
	case lot.Caught, lot.Killed, lot.Bled, lot.Gutted, lot.Washed, lot.Iced:
		return p.step(x, v.Card.Places)
	case lot.GapExplained:
		text := x.Explanation
		if x.WarmHours > 0 {
			text += fmt.Sprintf(" (%.1f h above 4.4 °C)", x.WarmHours)
		}
		return fmt.Sprintf("up to %s: %s", p.Stamp(x.Until), text)
	case lot.Tested:
		return fmt.Sprintf("%s: %s; %s", x.Plan.Name, x.Finding, x.Lab)
	case lot.Packed:
		return packedAs(x.Packing)
	case lot.Reviewed:
		return fmt.Sprintf("%s; the fish up to %s, %.2f fresh days lost", strings.ToLower(x.Outcome.Name()),
			p.Temp(x.WarmestC), x.LostDays)
	case lot.Froze:
		way, _ := freezing.GetMethod(x.Method)
		return fmt.Sprintf("into %s with %s at once, %.0f mm, %s, air %s", v.Card.Places[x.PlaceID].Name,
			p.Mass(x.BatchKg), x.MM, strings.ToLower(way.Name), p.Temp(x.AirC))
	case lot.Pulled:
		method, _ := thawing.GetMethod(x.Method)
		return fmt.Sprintf("%s, at %s, into %s%s, to be %s", strings.ToLower(method.Name), p.Temp(x.MediumC),
			v.Card.Places[x.PlaceID].Name, map[bool]string{true: ", its pack opened"}[x.Opened], endUseName(x.EndUse))
	case lot.Thawed:
		text := "core " + p.Temp(x.CoreC)
		if lost := x.DripKg + x.GlazeKg; lost > 0 {
			text += fmt.Sprintf(", drip %s, glaze %s", p.Mass(x.DripKg), p.Mass(x.GlazeKg))
		}
		return text
	case lot.Hung:
		school, _ := ageing.GetPolicy(x.Policy)
		text := fmt.Sprintf("%s on hook %d of %s, %s to %.0f %%", p.Mass(x.Kg), x.Hook, v.Card.Places[x.PlaceID].Name,
			strings.ToLower(school.Name), 100*x.Target)
		if x.Opened != "" {
			text += "; allowed by a manager: " + x.Opened
		}
		return text
	case lot.Weighed:
		text := p.Mass(x.Kg)
		if x.Aside {
			text += ", set aside"
		}
		if x.Because != "" {
			text += ": " + x.Because
		}
		return text
	case lot.DailyCheck:
		if len(x.Stops) == 0 {
			return "all fine"
		}
		return "stop: " + strings.Join(x.Stops, ", ")
	case lot.TakenDown:
		return fmt.Sprintf("%s, crust %s, usable %s, into %s", p.Mass(x.Kg), p.Mass(x.CrustKg), p.Mass(x.UsableKg),
			v.Card.Places[x.PlaceID].Name)
	case lot.Cooked:
		return "core " + p.Temp(x.CoreC)
	case lot.Returned:
		return fmt.Sprintf("core %s: %s", p.Temp(x.CoreC), x.Reason)
	case lot.Voided:
		for i, other := range v.Entries {
			if other.ID == x.EventID {
				return fmt.Sprintf("event %d, %s: %s", i+1, strings.ToLower(other.Kind.Name()), x.Reason)
			}
		}
		return x.Reason
	}
	return ""
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
func checkedAs(x lot.Checked) string {
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
		found = append(found, fmt.Sprintf("%.0f min of rework, %.2f", x.ReworkMinutes, float64(x.CostCents())/100))
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
