package assess

import (
	"fmt"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

// Bleeding is what the way of bleeding did to the fish.
type Bleeding struct {
	Minutes  *float64 // from death to the cut; nil where it was not bled or nobody knows
	Word     string   // in a word or two
	Good     bool
	Assumed  bool     // nobody wrote it down: taken as not bled
	Predicts []string // what to expect
}

// Limits of bleeding, minutes.
const (
	bledAtOnce = 5.0  // common practice
	bledInTime = 30.0 // of death, for white fish [FAO348]
	bledEnough = 10.0 // in the water or head down, to drain (common practice: 10 to 30)
)

// BleedingOf says what the record of bleeding means; nil for a lot without a
// harvest record. What nobody wrote down counts as not bled.
func BleedingOf(s *lot.State) *Bleeding {
	if !s.Harvest.Known() {
		return nil
	}
	dark := s.Species().Group == "blue" || s.Species().Body == species.LargePelagic
	late := []string{"staining and blood in the small vessels at the first cut",
		"the bloodline oxidises first: trim it before freezing",
		"shorter frozen life: freeze it for early use, or not at all"}
	if dark {
		late = append(late, "dark-blooded and active: it needed bleeding most")
	}
	bled := s.Harvest.Bled
	if bled == nil && s.Waiting() {
		return &Bleeding{Word: "not bled yet",
			Predicts: []string{fmt.Sprintf("within %.0f min of death it stains little", bledInTime)}}
	}
	if bled == nil {
		return &Bleeding{Word: "not recorded: taken as not bled", Assumed: true, Predicts: late}
	}
	if bled.Data.How == "none" {
		return &Bleeding{Word: "not bled", Predicts: late}
	}
	b := &Bleeding{}
	death, known := s.Death()
	if !known {
		return &Bleeding{Word: "bled, but nobody knows how long after death", Assumed: true, Predicts: late[:1]}
	}
	minutes := max(0, bled.At.Sub(death.At).Minutes())
	b.Minutes, b.Assumed = &minutes, death.Assumed != ""
	switch {
	case minutes <= bledAtOnce:
		b.Word, b.Good, b.Predicts = "bled at once", true,
			[]string{"flesh as white as the species gets; the longest frozen life"}
	case minutes <= bledInTime:
		b.Word, b.Good, b.Predicts = "bled in time", true,
			[]string{fmt.Sprintf("within %.0f min of death: little staining, full frozen life", bledInTime)}
	default:
		b.Word, b.Predicts = "bled late", late
	}
	if until := bled.Data.Until; until != nil && until.Sub(bled.At).Minutes() < bledEnough {
		b.Predicts = append(b.Predicts, fmt.Sprintf("only %.0f min to drain, of the usual 10 to 30: some blood stays",
			until.Sub(bled.At).Minutes()))
	}
	return b
}
