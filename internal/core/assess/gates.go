package assess

import (
	"leancatch/internal/core/ageing"
	"leancatch/internal/core/lot"
)

// Facts are what is known where a lot is opened, beyond what its receipt says.
func (e Env) Facts() lot.Facts {
	return lot.Facts{Now: e.Now, Profile: e.Profile, Catalogue: e.Catalogue, Places: e.Places}
}

// Facts are what the assessment knows where an event with a payload is admitted at its
// moment. A gate that is not answered here denies.
func (a Assessment) Facts(p lot.Payload) lot.Facts {
	f := a.env.Facts()
	f.Answers = map[lot.Gate]lot.Answer{lot.GateUse: a.useGate(), lot.GateCook: a.cookGate(),
		lot.GateFreeze: a.freezeGate()}
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

// useGate refuses the use of fish that a safety clock stops, for every role.
func (a Assessment) useGate() lot.Answer {
	var reasons []string
	if b := a.Histamine; b != nil && b.Holds() {
		reasons = append(reasons,
			b.Text()+": it needs a manager, with an explanation of the missing hours, a test or a discard")
	}
	if o := a.Oxygen; o != nil && o.Holds() {
		reasons = append(reasons, o.Text()+": discard it, or let a manager explain the missing hours")
	}
	return refused(reasons...)
}

// cookGate refuses to cook what a rule stops.
func (a Assessment) cookGate() lot.Answer {
	var reasons []string
	for _, stop := range a.Stops {
		reasons = append(reasons, stop+": cooking does not make it safe again")
	}
	return refused(reasons...)
}

// freezeGate refuses to freeze fish whose histamine clock stops it.
func (a Assessment) freezeGate() lot.Answer {
	if b := a.Histamine; b != nil && b.Holds() {
		return refused(b.Text() + ": freezing does not destroy histamine")
	}
	return refused()
}

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
