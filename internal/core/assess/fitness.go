package assess

import (
	"fmt"
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

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
	_, inspected := a.state.Inspection()
	frozen := a.state.Received.Frozen
	switch {
	case !inspected && frozen:
		why = append(why, "its pack was not looked at yet")
	case !inspected:
		why = append(why, "not inspected yet")
	}
	reasons, byPlan := agedRawReasons(a)
	why = append(why, reasons...)
	switch {
	case byPlan:
	case frozen:
		why = append(why, a.againstFrozenRaw()...)
	default:
		if old := a.Evidence.NotYoung(a.state.Species().ShelfLife); old != "" {
			why = append(why, old)
		}
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

// Fish that was delivered frozen may be served raw if it was received as cold as this, and no
// more of its frozen life is used (house).
const (
	frozenRawC    = -15.0
	frozenRawLife = 0.5
)

// againstFrozenRaw is what raw service asks of fish that was delivered frozen, in place of its age.
func (a Assessment) againstFrozenRaw() []string {
	var why []string
	received := a.state.Received
	switch core := received.CoreC; {
	case core == nil:
		why = append(why, "delivered frozen: its core temperature was not measured")
	case *core > frozenRawC:
		why = append(why, fmt.Sprintf("delivered at %s °C: raw only at %s °C or colder", unit.Number(*core, 1), unit.Number(frozenRawC, 0)))
	}
	switch life := a.FrozenLife; {
	case life == nil || !received.LabelDate.Known():
		why = append(why, "how long it has been frozen is not known")
	case life.Share > frozenRawLife || life.Holds():
		why = append(why, fmt.Sprintf("%.0f %% of its frozen life is used: raw within half of it", 100*life.Share))
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

const thaws = "thaws: measure its core temperature"

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
