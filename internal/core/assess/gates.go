package assess

import (
	"maps"
	"slices"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/lot"
)

// Facts are what is known where a lot is opened, beyond what its receipt says.
func (e Env) Facts() lot.Facts {
	return lot.Facts{Now: e.Now, Profile: e.Profile, Catalogue: e.Catalogue, Places: here(e.Places), ParCook: e.ParCook}
}

// here are the places of the kitchen itself.
func here(places map[int64]lot.Place) map[int64]lot.Place {
	for _, p := range places {
		if p.Elsewhere {
			places = maps.Clone(places)
			maps.DeleteFunc(places, func(_ int64, p lot.Place) bool { return p.Elsewhere })
			break
		}
	}
	return places
}

// Facts are what the assessment knows where an event with a payload is admitted at its
// moment. A gate that is not answered here denies.
func (a Assessment) Facts(p lot.Payload) lot.Facts {
	f := a.env.Facts()
	f.Answers, f.FishC = map[lot.Gate]lot.Answer{}, &a.NowC
	for _, u := range uses {
		reasons := a.use(u.gate).Reasons
		for _, r := range a.Clocks {
			if i := slices.Index(reasons, r.Why); i >= 0 && r.EndedBy != "" {
				reasons[i] += ". What ends it: " + r.EndedBy
			}
		}
		f.Answers[u.gate] = refused(reasons...)
	}
	for exit, use := range exits {
		f.Answers[exit] = f.Answers[use]
	}
	if a.state.ParCooked != nil {
		for _, exit := range []lot.Gate{lot.ExitSold, lot.ExitMoved} {
			f.Answers[exit] = refused("par-cooked: it is cooked through here before it leaves")
		}
	}
	f.Answers[lot.ExitWaste] = lot.Answer{OK: true}
	if a.Rigor != nil && a.Rigor.Stiff(a.At) {
		until := a.Rigor.MayBeOver()
		f.StiffUntil = &until
	}
	if hung, ok := p.(lot.Hung); ok {
		f.Answers[lot.GateDryAge] = a.dryAgeGate(hung)
	}
	if stay := a.state.Ageing(); stay != nil && a.Ageing != nil {
		f.Ageing = &lot.AgeingFacts{Fit: a.Ageing.Fit, Scale: a.env.Cabinets[stay.PlaceID].Scale}
	}
	return f
}

// refused is an answer with the reasons against; none allow.
func refused(reasons ...string) lot.Answer {
	return lot.Answer{OK: len(reasons) == 0, Reasons: reasons}
}

// exits are the ways out of the kitchen, by the use whose rules they follow: what is tasted
// may be eaten raw. What is wasted, sent back or sampled leaves whatever its clocks say.
var exits = map[lot.Gate]lot.Gate{lot.ExitRaw: lot.GateRaw, lot.ExitTasting: lot.GateRaw, lot.ExitCooked: lot.GateCook,
	lot.ExitStaff: lot.GateCook, lot.ExitSold: lot.GateCook, lot.ExitMoved: lot.GateCook, lot.ExitStock: lot.GateStock}

// dryAgeGate answers by the checks of entry: some of them a manager may open.
func (a Assessment) dryAgeGate(p lot.Hung) lot.Answer {
	soft, hard := ageing.ClosedChecks(a.EntryChecks(p))
	var reasons []string
	for _, c := range append(hard, soft...) {
		reasons = append(reasons, c.Name+": "+c.Reason)
	}
	answer := refused(reasons...)
	answer.NeedsManager = len(hard) == 0 && len(soft) > 0
	return answer
}
