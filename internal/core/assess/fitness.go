package assess

import (
	"fmt"
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
)

// RawShare is the first part of the shelf life, in which fish may be served
// raw (house, common practice).
const RawShare = 1.0 / 3

// Use is a use that a lot may be fit for.
type Use struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	OK      bool     `json:"ok"`
	Reasons []string `json:"reasons"` // why not, or under which condition
}

// uses are the uses of a lot, in the order in which they are shown.
var uses = []struct {
	gate lot.Gate
	name string
}{{lot.GateRaw, "raw"}, {lot.GateCook, "cook"}, {lot.GateDryAge, "dry-age"}, {lot.GateFreeze, "freeze"},
	{lot.GateStock, "stock pot"}}

// Fitness says what the lot may be used for now, with the reasons against: what each clock
// that closes the use says, then what else the use asks for.
func Fitness(s *lot.State, a Assessment) []Use {
	list := make([]Use, len(uses))
	for i, u := range uses {
		list[i] = a.use(u.gate)
		list[i].Name = u.name
	}
	return list
}

// use answers for one use. A use that nothing here knows is none.
func (a Assessment) use(gate lot.Gate) Use {
	u := Use{ID: string(gate), Reasons: []string{}}
	against := func(text string) {
		if !slices.Contains(u.Reasons, text) {
			u.Reasons = append(u.Reasons, text)
		}
	}
	if len(a.Clocks) == 0 {
		against("its clocks were not read")
	}
	for _, r := range a.Clocks {
		if slices.Contains(r.Guards, gate) {
			against(r.Why)
		}
	}
	if a.state.Status != lot.OnHand {
		against("no longer on hand: " + a.state.Status.Name())
	}
	if _, inspected := a.state.Inspection(); !inspected && a.Basis == freshness.BasisNone && !a.state.Received.Frozen {
		against("age unknown: inspect it")
	}
	if a.Spent != "" && !a.passedLook() {
		against(a.Spent + ": inspect it again, or discard it")
	}
	if a.state.Cooked != nil && gate != lot.GateCook {
		against("cooked: serve it from the chill, or hot through")
	}
	conditions := map[lot.Gate]func(Assessment) []string{lot.GateRaw: Assessment.againstRaw,
		lot.GateCook: Assessment.againstPan, lot.GateDryAge: Assessment.againstAgeing,
		lot.GateFreeze: Assessment.againstFreezing, lot.GateStock: Assessment.againstStock}
	more, known := conditions[gate]
	if !known {
		against("is no use that is known")
		u.OK = false
		return u
	}
	for _, text := range more(a) {
		against(text)
	}
	u.OK = len(u.Reasons) == 0
	return u
}

// againstRaw is what raw service asks for besides its clocks: age, inspection, parasites.
func (a Assessment) againstRaw() []string {
	var why []string
	if _, inspected := a.state.Inspection(); !inspected && !a.state.Received.Frozen {
		why = append(why, "not inspected yet")
	}
	reasons, byPlan := agedRawReasons(a)
	why = append(why, reasons...)
	if !byPlan && !(a.Oldest <= RawShare*a.Shelf) {
		why = append(why, fmt.Sprintf("not known to be within the first third of its fresh days (%.0f)", RawShare*a.Shelf))
	}
	if !a.Parasites.Met {
		why = append(why, a.Parasites.Text())
	}
	why = append(why, notReadyRaw(a.state)...)
	if thaw := a.state.Thaw(); thaw != nil && !a.state.Thawing() && thaw.Pull.EndUse == thawing.Cook {
		why = append(why, "thawed to be cooked")
	}
	return why
}

// againstPan is what the pan and the stock pot ask for: a thaw that is over, unless it is
// cooked from frozen.
func (a Assessment) againstPan() []string {
	if a.state.Thawing() && a.state.Thaw().Pull.Method != thawing.CookFrozen {
		return []string{thaws}
	}
	return nil
}

// againstStock adds the species.
func (a Assessment) againstStock() []string {
	why := a.againstPan()
	if !a.state.Species().Stock {
		why = append(why, "frames of this species do not make clear stock")
	}
	return why
}

func (a Assessment) againstAgeing() []string { return dryAgeUse(a).Reasons }

func (a Assessment) againstFreezing() []string {
	if why := mayFreeze(a.state, a); why != "" {
		return []string{why}
	}
	return nil
}

// ThawFirst is all that speaks against raw service of fish that is ready for it
// but frozen.
const ThawFirst = "frozen: thaw it first"

const thaws = "thaws: measure its core"

// notReadyRaw says why a lot is not at hand for raw service yet.
func notReadyRaw(s *lot.State) []string {
	switch {
	case s.Frozen():
		return []string{ThawFirst}
	case s.Thawing():
		return []string{thaws}
	}
	return nil
}
