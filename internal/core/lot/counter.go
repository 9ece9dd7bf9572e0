package lot

import "slices"

// CounterAsk is what to ask for at a stall before buying (common practice, no source).
type CounterAsk struct {
	ID, Ask string
	Answers []CounterAnswer
}

// CounterAnswer is one answer; a Bad one speaks against the fish.
type CounterAnswer struct {
	ID, Name string
	Bad      bool
}

// CounterCard is what to ask for, in the order of the talk.
var CounterCard = []CounterAsk{
	{"out", "May I have it out of the case?", []CounterAnswer{{"yes", "Yes", false}, {"no", "No", true}}},
	{"press", "May I press it?", []CounterAnswer{{"yes", "Yes", false}, {"no", "No", true}}},
	{"unwrapped", "May I smell it unwrapped?", []CounterAnswer{{"yes", "Yes", false}, {"no", "No", true}}},
	{"back", "Is there stock in the back?", []CounterAnswer{{"same", "The same", false}, {"fresher", "Fresher", false}, {"none", "None", false}}},
	{"cleaned", "How will it be cleaned?", []CounterAnswer{{"ordered", "As I ask", false}, {"gutted", "Gutted only", false}, {"not", "Not at all", false}}},
}

// OnCounterCard reports whether the card has such an answer to such an ask.
func OnCounterCard(ask, answer string) bool {
	return slices.ContainsFunc(CounterCard, func(a CounterAsk) bool {
		return a.ID == ask && slices.ContainsFunc(a.Answers, func(x CounterAnswer) bool { return x.ID == answer })
	})
}
