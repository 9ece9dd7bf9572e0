package assess

import (
	"fmt"
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

// Use is a use that a lot may be fit for.
type Use struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	OK      bool     `json:"ok"`
	Brief   string   `json:"brief,omitempty"` // the first of the reasons in two or three words; "" where it is fit
	Reasons []string `json:"reasons"`         // why not
}

// UseFor is the use of that gate in a list of them; one that the list lacks is none.
func UseFor(list []Use, gate lot.Gate) Use {
	for _, u := range list {
		if u.ID == string(gate) {
			return u
		}
	}
	return Use{ID: string(gate)}
}

// reason is what speaks against a use: in two or three words, and in full.
type reason struct{ brief, full string }

// LifeOver is the brief reason against fish that has spent its fresh days.
const LifeOver = "its life is over"

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
	against := func(brief, full string) {
		if len(u.Reasons) == 0 {
			u.Brief = brief
		}
		if !slices.Contains(u.Reasons, full) {
			u.Reasons = append(u.Reasons, full)
		}
	}
	if a.own != nil { // what speaks against one of them speaks against all
		for _, one := range append([]Assessment{*a.own}, a.others...) {
			x := one.use(gate)
			for _, full := range x.Reasons {
				against(x.Brief, full)
			}
		}
		u.OK = len(u.Reasons) == 0
		return u
	}
	if len(a.Clocks) == 0 {
		against("not assessed", "its clocks were not read")
	}
	for _, r := range a.Clocks {
		if slices.Contains(r.Guards, gate) {
			against(r.Brief, r.Why)
		}
	}
	if a.state.Status != lot.OnHand {
		against(a.state.Status.Name(), "no longer on hand: "+a.state.Status.Name())
	}
	if _, inspected := a.state.Inspection(); !inspected && a.Basis == freshness.BasisNone && !a.state.Received.Frozen {
		why := "age unknown: inspect it"
		if !a.state.Species().Fish() {
			why = "nobody looked at it yet: inspect it"
		}
		against("not inspected", why)
	}
	if a.Spent != "" && !a.passedLook() {
		against(LifeOver, a.Spent+": inspect it again, or discard it")
	}
	if a.state.Cooked != nil && gate != lot.GateCook { // what raw fish is asked for besides tells no more
		if a.state.ParCooked != nil {
			against("par-cooked", "par-cooked: it is cooked through before it is served")
		} else {
			against("cooked", "cooked: serve it from the chill, or hot through")
		}
		return u
	}
	conditions := map[lot.Gate]func(Assessment) []reason{lot.GateRaw: Assessment.againstRaw,
		lot.GateCook: Assessment.againstPan, lot.GateDryAge: Assessment.againstAgeing,
		lot.GateFreeze: Assessment.againstFreezing, lot.GateStock: Assessment.againstStock}
	more, known := conditions[gate]
	if !known {
		against("unknown use", "is no use that is known")
		u.OK = false
		return u
	}
	for _, r := range more(a) {
		against(r.brief, r.full)
	}
	u.OK = len(u.Reasons) == 0
	return u
}

// againstRaw is what raw service asks for besides its clocks: age, inspection, parasites.
func (a Assessment) againstRaw() []reason {
	var why []reason
	_, inspected := a.state.Inspection()
	frozen := a.state.Received.Frozen
	switch {
	case !inspected && frozen:
		why = append(why, reason{"pack not looked at", "its pack was not looked at yet"})
	case !inspected:
		why = append(why, reason{"not inspected", "not inspected yet"})
	}
	aged, byPlan := agedRawReasons(a)
	why = append(why, aged...)
	switch {
	case byPlan:
	case frozen:
		why = append(why, a.againstFrozenRaw()...)
	case !a.state.Species().Fish(): // its look and its day answer for it
	default:
		if old := a.Evidence.NotYoung(a.state.Species().ShelfLife); old != "" {
			brief := "too old for raw"
			if a.Evidence.Disagree() {
				brief = "older than its papers"
			}
			why = append(why, reason{brief, old})
		}
	}
	if !a.Parasites.Met && a.state.Species().Body != species.Bivalve { // [FoodCode, 3-402.11] exempts molluscan shellfish
		why = append(why, reason{"parasites", a.Parasites.Text()})
	}
	why = append(why, notReadyRaw(a.state)...)
	if thaw := a.state.Thaw(); thaw != nil && !a.state.Thawing() && thaw.Pull.EndUse == thawing.Cook {
		why = append(why, reason{"thawed to be cooked", "thawed to be cooked"})
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
func (a Assessment) againstFrozenRaw() []reason {
	var why []reason
	received := a.state.Received
	switch core := received.CoreC; {
	case core == nil:
		why = append(why, reason{"not measured on arrival", "delivered frozen: its core temperature was not measured"})
	case *core > frozenRawC:
		why = append(why, reason{"warm on arrival",
			fmt.Sprintf("delivered at %s °C: raw only at %s °C or colder", unit.Number(*core, 1), unit.Number(frozenRawC, 0))})
	}
	switch life := a.FrozenLife; {
	case life == nil || !received.LabelDate.Known():
		why = append(why, reason{"frozen since when?", "how long it has been frozen is not known"})
	case life.Share > frozenRawLife || life.Holds():
		why = append(why, reason{"frozen for too long",
			fmt.Sprintf("%.0f %% of its frozen life is used: raw within half of it", 100*life.Share)})
	}
	return why
}

// againstPan is what the pan and the stock pot ask for: a thaw that is over, unless it is
// cooked from frozen.
func (a Assessment) againstPan() []reason {
	if a.state.Thawing() && a.state.Thaw().Pull.Method != thawing.CookFrozen {
		return []reason{thaws}
	}
	return nil
}

// againstStock adds the species.
func (a Assessment) againstStock() []reason {
	why := a.againstPan()
	if !a.state.Species().Stock {
		why = append(why, reason{"no clear stock", "frames of this species do not make clear stock"})
	}
	return why
}

func (a Assessment) againstAgeing() []reason {
	var why []reason
	for _, text := range dryAgeReasons(a) {
		why = append(why, reason{"not for ageing", text})
	}
	return why
}

func (a Assessment) againstFreezing() []reason {
	if why := mayFreeze(a.state, a); why != "" {
		return []reason{{"not for freezing", why}}
	}
	return nil
}

// ThawFirst is all that speaks against raw service of fish that is ready for it
// but frozen.
const ThawFirst = "frozen: thaw it first"

// AgainstRawThawed are the reasons against raw service that still stand when a frozen lot has thawed.
func AgainstRawThawed(uses []Use) []string {
	return slices.DeleteFunc(slices.Clone(UseFor(uses, lot.GateRaw).Reasons), func(why string) bool { return why == ThawFirst })
}

var thaws = reason{"thaws", "thaws: measure its core temperature"}

// notReadyRaw says why a lot is not at hand for raw service yet.
func notReadyRaw(s *lot.State) []reason {
	switch {
	case s.Frozen():
		return []reason{{"frozen", ThawFirst}}
	case s.Thawing():
		return []reason{thaws}
	}
	return nil
}
