package ageing

import (
	"fmt"
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// thinMM is the thickness below which a fish dries through before it ages
// (house).
const thinMM = 35.0

// Plan is a kitchen's written plan of ageing, on file, with its limits.
type Plan struct {
	Reference string
	MaxDays   float64
	MaxC      float64
	Raw       bool // long-aged fish may be served raw
	Formers   bool // histamine formers may be long-aged
}

// Facts is what the gate asks of a fish.
type Facts struct {
	Species     species.Species
	Policy      Policy
	Form        string // as lots name them
	Kg          float64
	ThicknessMM float64
	Inspected   bool
	Age         freshness.Evidence
	Frozen      bool // lies frozen
	Thawed      bool
	Cooked      bool
	Stops       []string // of safety clocks and holds
	Preps       []string // done, ids
	Air         Air      // of the cabinet on its last day
	Recorded    bool     // it has a probe that sends
	Raw         bool     // it is to be served raw
	Cleared     string   // the parasite route that it met, or its exemption; "" for none
	Plan        *Plan    // nil for none on file
}

// Check is one question of the gate.
type Check struct {
	ID     string
	Name   string
	OK     bool
	Hard   bool // nobody opens it
	Reason string
}

// EntryChecks asks whether a fish may begin. What is not OK and not Hard a manager may
// open, with a reason; a safety clock nobody.
func EntryChecks(f Facts) []Check {
	var list []Check
	add := func(id, name string, ok, hard bool, format string, args ...any) {
		list = append(list, Check{id, name, ok, hard && !ok, fmt.Sprintf(format, args...)})
	}
	switch {
	case len(f.Stops) > 0:
		add("safety", "Safety clocks", false, true, "%s", f.Stops[0])
	default:
		add("safety", "Safety clocks", true, true, "none holds it")
	}
	if f.Inspected {
		add("inspection", "Inspection", true, false, "done")
	} else {
		add("inspection", "Inspection", false, false, "not inspected yet")
	}
	if why := f.Age.NotYoung(f.Species.ShelfLife); why != "" {
		add("age", "Age", false, false, "%s", why)
	} else {
		add("age", "Age", true, false, "surely within the first third of its life")
	}
	switch {
	case f.Frozen || f.Cooked:
		add("state", "State", false, true, "frozen or cooked fish is not aged")
	case f.Thawed:
		add("state", "State", false, false, "thawed flesh has lost its hold on water: it dries unevenly")
	default:
		add("state", "State", true, false, "fresh")
	}
	whole := slices.Contains([]string{"whole", "gutted", "gutted_gills_out", "headed_gutted", "tail"}, f.Form)
	switch {
	case f.Form == "fillet_skinless":
		add("form", "Form", false, false, "without its skin it has no coat")
	case !whole && f.Policy.ID == LongAge && f.Form != "loin":
		add("form", "Form", false, false, "long ageing wants whole fish or loins")
	case !whole && f.Form != "loin" && f.Form != "fillet_skin_on":
		add("form", "Form", false, false, "only whole fish, loins and fillets with their skin are aged")
	default:
		add("form", "Form", true, false, "keeps its shape and coat")
	}
	switch {
	case f.Species.Fat == "lean" && f.Policy.ID == LongAge:
		add("species", "Species", false, false, "%s is lean: it turns dry before it turns tender", f.Species.Name)
	default:
		add("species", "Species", true, false, "firm or fat enough")
	}
	if f.Kg <= 0 {
		add("size", "Size", false, false, "weigh it")
	} else {
		add("size", "Size", f.Kg >= f.Policy.LeastKg && f.ThicknessMM >= thinMM, false,
			"%.2f kg and %.0f mm at its thickest; at least %.1f kg and %.0f mm", f.Kg, f.ThicknessMM, f.Policy.LeastKg, thinMM)
	}
	list = append(list, f.histamine())
	list = append(list, f.raw())
	for _, p := range Preps() {
		done := slices.Contains(f.Preps, p.ID)
		why := "done"
		if !done {
			why = p.Why
		}
		add("prep-"+p.ID, p.Name, done, false, "%s", why)
	}
	a := f.Air
	add("air", "Cabinet", a.Celsius >= LeastC && a.Celsius <= MostC && a.RH >= LeastRH && a.RH <= MostRH, false,
		"%.1f °C and %.0f %%; wanted %.0f–%.0f °C and %.0f–%.0f %%", a.Celsius, 100*a.RH, LeastC, MostC, 100*LeastRH,
		100*MostRH)
	return list
}

// histamine is the check of the formers: short dry only, in a cold cabinet with a
// record; more only by the plan on file.
func (f Facts) histamine() Check {
	c := Check{ID: "histamine", Name: "Histamine"}
	switch {
	case !f.Species.HistamineRules():
		c.OK, c.Reason = true, "no former"
	case f.Policy.ID != ShortDry && !(f.Plan != nil && f.Plan.Formers):
		c.Reason = "a histamine former: short dry only, unless the kitchen's written plan is on file"
	case !f.Recorded:
		c.Reason = "a histamine former needs a cabinet with a continuous record"
	case f.Air.Celsius > FormerC:
		c.Reason = fmt.Sprintf("a histamine former at %.1f °C: at most %.0f °C", f.Air.Celsius, FormerC)
	case f.Policy.ID != ShortDry:
		c.OK, c.Reason = true, "long-aged by the plan "+f.Plan.Reference
	default:
		c.OK, c.Reason = true, "a former: short dry, cold, recorded"
	}
	c.Hard = !c.OK
	return c
}

// raw is the check of what is to be served raw: its parasites, and long-aged only
// by the plan on file.
func (f Facts) raw() Check {
	c := Check{ID: "raw", Name: "Service"}
	switch {
	case !f.Raw:
		c.OK, c.Reason = true, "for cooking"
	case f.Cleared == "":
		c.Hard, c.Reason = true, "no parasite freezing or exemption: salt, acid and drying replace none"
	case f.Policy.ID == LongAge && !(f.Plan != nil && f.Plan.Raw):
		c.Hard, c.Reason = true, "long-aged fish is for cooking, unless the kitchen's written plan allows it raw"
	default:
		c.OK, c.Reason = true, "raw: "+f.Cleared
	}
	return c
}

// ClosedChecks lists the checks that are not OK; hard are those that nobody opens.
func ClosedChecks(list []Check) (soft, hard []Check) {
	for _, c := range list {
		switch {
		case c.OK:
		case c.Hard:
			hard = append(hard, c)
		default:
			soft = append(soft, c)
		}
	}
	return soft, hard
}

// PlanAdvice stands wherever fish is aged.
const PlanAdvice = "Many codes ask for a written plan or a variance."
