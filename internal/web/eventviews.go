package web

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
)

// eventView is how a kind of event is shown on a lot's card, and typed in there.
type eventView struct {
	say  func(p page, x lot.Payload, v cardView) string
	read func(f *form, at time.Time) lot.Payload // nil for a kind that has no plain form there
}

// show makes the view of a kind whose payload is P.
func show[P lot.Payload](say func(p page, x P, v cardView) string, read func(f *form, at time.Time) lot.Payload,
) eventView {
	return eventView{func(p page, x lot.Payload, v cardView) string { return say(p, x.(P), v) }, read}
}

// eventViews are the views of all kinds of event.
var eventViews = map[lot.Kind]eventView{
	"received": show(func(p page, x lot.Received, v cardView) string {
		core := "core not taken"
		if x.CoreC != nil {
			core = "core " + p.Temp(*x.CoreC)
		}
		return fmt.Sprintf("%d × %s, %s, %s, %s, into %s", x.Count, lot.FormName(x.Form), p.Mass(x.WeightKg), core,
			strings.ToLower(lot.IceName(x.Ice)), v.Card.Places[x.PlaceID].Name)
	}, nil),
	"inspected": show(func(_ page, x lot.Inspected, _ cardView) string {
		text := fmt.Sprintf("%s: %s%s%s: %s", x.Scheme, plural(len(x.Fish), "fish"), inspectedAs(x), explainedAs(x),
			x.Decision.Name())
		if x.Overrides() {
			text += fmt.Sprintf(" (proposed: %s; because: %s)", x.Proposed.Decision.Name(), x.Reason)
		}
		return text
	}, nil),
	"moved": show(func(_ page, x lot.Moved, v cardView) string { return "to " + v.Card.Places[x.PlaceID].Name },
		func(f *form, _ time.Time) lot.Payload { return lot.Moved{PlaceID: f.id("place_id")} }),
	"temperature": show(func(p page, x lot.Temperature, _ cardView) string { return "core " + p.Temp(x.Celsius) },
		func(f *form, _ time.Time) lot.Payload { // its lot says whether it may be so warm
			return lot.Temperature{Celsius: f.mustCooked("celsius")}
		}),
	"logger": show(func(p page, x lot.Logger, _ cardView) string {
		return fmt.Sprintf("lay with the lot from %s to %s", p.Stamp(x.From), p.Stamp(x.To))
	}, nil),
	"held": show(func(_ page, x lot.Held, _ cardView) string { return x.Reason },
		func(f *form, _ time.Time) lot.Payload { return lot.Held{Reason: f.text("reason")} }),
	"released": show(func(_ page, x lot.Released, _ cardView) string { return x.Reason },
		func(f *form, _ time.Time) lot.Payload { return lot.Released{Reason: f.text("reason")} }),
	"refused": show(func(_ page, x lot.Refused, _ cardView) string { return x.Reason },
		func(f *form, _ time.Time) lot.Payload { return lot.Refused{Reason: f.text("reason")} }),
	"used": show(func(_ page, x lot.Left, _ cardView) string { return x.Note },
		func(f *form, _ time.Time) lot.Payload { return lot.Left{Note: f.text("reason")} }),
	"discarded": show(func(_ page, x lot.Discarded, _ cardView) string { return x.Reason },
		func(f *form, _ time.Time) lot.Payload { return lot.Discarded{Reason: f.text("reason")} }),
	"voided": show(func(_ page, x lot.Voided, v cardView) string { return v.entryName(x.EventID) + x.Reason },
		func(f *form, _ time.Time) lot.Payload {
			return lot.Voided{EventID: f.uuid("event_id"), Reason: f.text("reason")}
		}),
	"corrected": show(func(_ page, x lot.Corrected, v cardView) string { return v.entryName(x.EventID) + x.Reason }, nil),
	"declared": show(func(_ page, x lot.Declared, _ cardView) string {
		return originText(x) + ": " + x.Reason
	}, func(f *form, _ time.Time) lot.Payload {
		return lot.Declared{Origin: lot.FishOrigin(f.text("origin")), ReefOrigin: f.text("reef_origin"),
			Reason: f.text("reason")}
	}),
	"parted": show(func(p page, x lot.Split, _ cardView) string {
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
	"part_of": show(func(p page, x lot.SplitFrom, _ cardView) string {
		return fmt.Sprintf("%s, %s of %s", plural(x.Received.Count, "fish"), p.Mass(x.Received.WeightKg), x.ParentCode)
	}, nil),
	"photographed": show(func(_ page, x lot.Photographed, _ cardView) string { return x.Caption }, nil),
	"checked": show(func(_ page, x lot.Checked, _ cardView) string { return checkedAs(x) },
		func(f *form, _ time.Time) lot.Payload { return f.checked() }),
	"claimed": show(func(p page, x lot.Complaint, _ cardView) string {
		return fmt.Sprintf("%s: %s, %s, %s", x.Number, lot.RemedyName(x.Remedy), p.Mass(x.WeightKg),
			strings.Join(x.Reasons, "; "))
	}, nil),
	"caught": step[lot.Caught](), "killed": step[lot.Killed](), "bled": step[lot.Bled](), "gutted": step[lot.Gutted](),
	"washed": step[lot.Washed](), "iced": step[lot.Iced](),
	"tested": show(func(_ page, x lot.Tested, _ cardView) string {
		return fmt.Sprintf("%s: %s; %s", x.Plan.Name, x.Finding, x.Lab)
	}, func(f *form, _ time.Time) lot.Payload { return f.tested() }),
	"accounted": show(func(p page, x lot.GapExplained, _ cardView) string {
		text := x.Explanation
		if x.WarmHours > 0 {
			text += fmt.Sprintf(" (%.1f h above 4.4 °C)", x.WarmHours)
		}
		return fmt.Sprintf("up to %s: %s", p.Stamp(x.Until), text)
	}, func(f *form, at time.Time) lot.Payload { return f.gapExplained(at) }),
	"packed": show(func(_ page, x lot.Packed, _ cardView) string { return packedAs(x.Packing) },
		func(f *form, _ time.Time) lot.Payload {
			return lot.Packed{Packing: f.packing(""), Note: f.text("reason")}
		}),
	"reviewed": show(func(p page, x lot.Reviewed, _ cardView) string {
		return fmt.Sprintf("%s; the fish up to %s, %.2f fresh days lost", strings.ToLower(x.Outcome.Name()),
			p.Temp(x.WarmestC), x.LostDays)
	}, nil),
	"froze": show(func(p page, x lot.Froze, v cardView) string {
		method, _ := freezing.GetMethod(x.Method)
		return fmt.Sprintf("into %s with %s at once, %.0f mm, %s, air %s", v.Card.Places[x.PlaceID].Name,
			p.Mass(x.BatchKg), x.MM, strings.ToLower(method.Name), p.Temp(x.AirC))
	}, nil),
	"pulled": show(func(p page, x lot.Pulled, v cardView) string {
		method, _ := thawing.GetMethod(x.Method)
		return fmt.Sprintf("%s, at %s, into %s%s, to be %s", strings.ToLower(method.Name), p.Temp(x.MediumC),
			v.Card.Places[x.PlaceID].Name, map[bool]string{true: ", its pack opened"}[x.Opened], endUseName(x.EndUse))
	}, nil),
	"thawed": show(func(p page, x lot.Thawed, _ cardView) string {
		text := "core " + p.Temp(x.CoreC)
		if lost := x.DripKg + x.GlazeKg; lost > 0 {
			text += fmt.Sprintf(", drip %s, glaze %s", p.Mass(x.DripKg), p.Mass(x.GlazeKg))
		}
		return text
	}, func(f *form, _ time.Time) lot.Payload {
		return lot.Thawed{CoreC: f.mustCelsius("core_celsius"), DripKg: f.grams("drip_kg") / 1000,
			GlazeKg: f.grams("glaze_kg") / 1000}
	}),
	"returned": show(func(p page, x lot.Returned, _ cardView) string {
		return fmt.Sprintf("core %s: %s", p.Temp(x.CoreC), x.Reason)
	}, func(f *form, _ time.Time) lot.Payload {
		return lot.Returned{PlaceID: f.id("place_id"), CoreC: f.mustCelsius("core_celsius"), Reason: f.text("reason")}
	}),
	"cooked": show(func(p page, x lot.Cooked, _ cardView) string { return "core " + p.Temp(x.CoreC) },
		func(f *form, _ time.Time) lot.Payload { return lot.Cooked{CoreC: f.mustCooked("core_celsius")} }),
	"hung": show(func(p page, x lot.Hung, v cardView) string {
		policy, _ := ageing.GetPolicy(x.Policy)
		text := fmt.Sprintf("%s on hook %d of %s, %s to %.0f %%", p.Mass(x.Kg), x.Hook, v.Card.Places[x.PlaceID].Name,
			strings.ToLower(policy.Name), 100*x.Target)
		if x.Opened != "" {
			text += "; allowed by a manager: " + x.Opened
		}
		return text
	}, nil),
	"weighed": show(func(p page, x lot.Weighed, _ cardView) string {
		text := p.Mass(x.Kg)
		if x.Aside {
			text += ", set aside"
		}
		if x.Because != "" {
			text += ": " + x.Because
		}
		return text
	}, nil),
	"looked": show(func(_ page, x lot.DailyCheck, _ cardView) string {
		if len(x.Stops) == 0 {
			return "all fine"
		}
		return "stop: " + strings.Join(x.Stops, ", ")
	}, nil),
	"taken_down": show(func(p page, x lot.TakenDown, v cardView) string {
		return fmt.Sprintf("%s, crust %s, usable %s, into %s", p.Mass(x.Kg), p.Mass(x.CrustKg), p.Mass(x.UsableKg),
			v.Card.Places[x.PlaceID].Name)
	}, nil),
}

// step is the view of a step of the harvest.
func step[P lot.Payload]() eventView {
	return show(func(p page, x P, v cardView) string { return p.step(x, v.Card.Places) }, nil)
}

// EventText says what an event says, for the list of events.
func (p page) EventText(e kitchen.Entry, v cardView) string {
	return eventViews[e.Kind].say(p, e.Payload, v)
}

// WasText says what an entry said before it was corrected.
func (p page) WasText(e kitchen.Entry, was lot.Payload, v cardView) string {
	e.Payload = was
	return p.EventText(e, v)
}

// entryName names an entry of the lot before what is said of it.
func (v cardView) entryName(id uuid.UUID) string {
	for i, e := range v.Entries {
		if e.ID == id {
			return fmt.Sprintf("event %d, %s: ", i+1, strings.ToLower(e.Kind.Name()))
		}
	}
	return ""
}

// originText is a declared origin in words.
func originText(x lot.Declared) string {
	words := []string{map[lot.FishOrigin]string{lot.Wild: "caught", lot.Farmed: "farmed"}[x.Origin], x.ReefOrigin}
	return strings.Join(slices.DeleteFunc(words, func(w string) bool { return w == "" }), ", ")
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
