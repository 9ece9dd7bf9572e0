package freshness

import (
	"fmt"
	"slices"

	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// Decision is what becomes of a lot at the door.
type Decision string

// The decisions.
const (
	Accept      Decision = "accept"
	AcceptCook  Decision = "accept_cook"  // cook only
	AcceptToday Decision = "accept_today" // today only
	AcceptStock Decision = "accept_stock" // stock and trim
	Hold        Decision = "hold"         // waits for a record, a test, a second pair of eyes
	Refuse      Decision = "refuse"
)

// Decisions lists them from the best to the worst.
var Decisions = []Decision{Accept, AcceptCook, AcceptToday, AcceptStock, Hold, Refuse}

// Name is the decision in words.
func (d Decision) Name() string {
	return map[Decision]string{Accept: "Accept", AcceptCook: "Accept, cook only", AcceptToday: "Accept, today only",
		AcceptStock: "Accept, stock and trim", Hold: "Hold", Refuse: "Refuse"}[d]
}

// Accepted reports whether the lot comes in.
func (d Decision) Accepted() bool { return d != Hold && d != Refuse }

// FewSigns is the number of signs below which the verdict is at best to cook (house).
const FewSigns = 5

// Facts is all that a verdict rests on.
type Facts struct {
	Scheme  Scheme
	Species species.Species
	Profile safety.Profile
	Frozen  bool
	CoreC   *float64 // core at receipt, °C; nil where nobody took it
	Fish    []Signs
	Reading Reading
	Claimed *Age

	CoreUnasked bool // the temperature is judged elsewhere: do not hold for want of it
}

// Verdict is a proposal; the person decides.
type Verdict struct {
	Decision  Decision `json:"verdict"`
	Rule      string   `json:"rule"`       // the rule that decided
	Reasons   []string `json:"reasons"`    // all that spoke, the deciding one first
	HardStops []string `json:"hard_stops"` // override needs a manager
}

// Judge proposes a verdict. The rules are tried in the order of their weight;
// the first that fires decides, and all that fire are among the reasons.
func Judge(f Facts) Verdict {
	v := Verdict{Decision: Accept, Rule: "no rule speaks against it", Reasons: []string{}, HardStops: []string{}}
	fire := func(d Decision, rule, reason string) {
		if slices.Index(Decisions, d) > slices.Index(Decisions, v.Decision) {
			v.Decision, v.Rule = d, rule
			v.Reasons = slices.Insert(v.Reasons, 0, reason)
		} else if !slices.Contains(v.Reasons, reason) {
			v.Reasons = append(v.Reasons, reason)
		}
	}
	for _, stop := range hardStops(f) {
		v.HardStops = append(v.HardStops, stop)
		fire(Refuse, "hard stop", stop)
	}
	evidence := Evidence{Read: &f.Reading.Age, Claimed: f.Claimed}
	used, basis := evidence.Used()
	shelf := f.Species.ShelfLife
	left := shelf.Lo - used.Days
	if f.Reading.Age.AtLeast {
		fire(Refuse, "rejection index", fmt.Sprintf("index %.1f is at or past the rejection index %.1f", f.Reading.Index, f.Scheme.Rejection()))
	}
	if left <= 0 {
		fire(Refuse, "no life left", fmt.Sprintf("%.1f ice days used of the %.0f that the species keeps at least", used.Days, shelf.Lo))
	} else if left <= 1 {
		fire(AcceptToday, "last day", fmt.Sprintf("%.1f ice days left: today only", left))
	}
	if basis == BasisOlder {
		z := Gap(*evidence.Read, *evidence.Claimed)
		if z > 0 {
			fire(Hold, "age gap", GapText(z))
		} else {
			fire(Accept, "age gap", GapText(z))
		}
	}
	for _, note := range levelNotes(f, func(l Level) string { return l.Second }) {
		fire(Hold, "second opinion", note)
	}
	for _, note := range levelNotes(f, func(l Level) string { return l.Caution }) {
		fire(AcceptCook, "caution", note)
	}
	if f.Reading.SignsSeen < FewSigns {
		fire(AcceptCook, "few signs", fmt.Sprintf("only %d signs were seen, fewer than %d: at best to cook", f.Reading.SignsSeen, FewSigns))
	}
	if f.CoreC == nil && !f.Frozen && !f.CoreUnasked {
		fire(Hold, "no core temperature", "no core temperature was taken at receipt")
	}
	if f.Species.Sale == species.SaleWarn {
		fire(Accept, "sale", f.Species.Name+" may be sold only with a warning to the guest: "+f.Species.Origin["sale"])
	}
	if f.Species.Ciguatera {
		fire(Accept, "ciguatera", "ciguatera concern: ask the reef it came from")
	}
	if len(v.Reasons) == 0 {
		v.Reasons = append(v.Reasons, fmt.Sprintf("%.1f ice days left of %.0f", left, shelf.Lo))
	}
	return v
}

// hardStops lists what refuses the fish whatever the score.
func hardStops(f Facts) []string {
	var stops []string
	if limit := f.Profile.ReceiveLimit(f.Species); !f.Frozen && f.CoreC != nil && *f.CoreC > limit {
		stops = append(stops, fmt.Sprintf("core %.1f °C is above %.1f °C, the receiving limit of the profile %s", *f.CoreC, limit, f.Profile.Name))
	}
	stops = append(stops, levelNotes(f, func(l Level) string { return l.Stop })...)
	if f.Species.Sale == species.SaleRefuse {
		stops = append(stops, f.Species.Name+" may not be sold: "+f.Species.Origin["sale"])
	}
	return stops
}

// levelNotes collects one kind of note of the levels chosen, each once, in the
// order of the scheme.
func levelNotes(f Facts, note func(Level) string) []string {
	var notes []string
	for _, sign := range f.Scheme.Signs {
		for _, fish := range f.Fish {
			level, seen := fish[sign.ID]
			if !seen {
				continue
			}
			if text := note(sign.Levels[level]); text != "" && !slices.Contains(notes, text) {
				notes = append(notes, text)
			}
		}
	}
	return notes
}
