package lot

import "slices"

// StallQuestion is what to ask for at a stall before buying (common practice, no source).
type StallQuestion struct {
	ID, Ask string
	Answers []StallAnswer
}

// StallAnswer is one answer; a Bad one counts against the fish.
type StallAnswer struct {
	ID, Name string
	Bad      bool
}

// StallQuestions is what to ask for, in the order of the talk.
var StallQuestions = []StallQuestion{
	{"out", "May I have it out of the case?", []StallAnswer{{"yes", "Yes", false}, {"no", "No", true}}},
	{"press", "May I press it?", []StallAnswer{{"yes", "Yes", false}, {"no", "No", true}}},
	{"unwrapped", "May I smell it unwrapped?", []StallAnswer{{"yes", "Yes", false}, {"no", "No", true}}},
	{"back", "Is there more in the back?", []StallAnswer{{"same", "The same", false}, {"fresher", "Fresher", false},
		{"none", "None", false}}},
	{"cleaned", "How will it be cleaned?",
		[]StallAnswer{{"ordered", "As I ask", false}, {"gutted", "Gutted only", false}, {"not", "Not at all", false}}},
}

// IsStallAnswer reports whether the card has such an answer to such an ask.
func IsStallAnswer(ask, answer string) bool {
	return slices.ContainsFunc(StallQuestions, func(a StallQuestion) bool {
		return a.ID == ask && slices.ContainsFunc(a.Answers, func(x StallAnswer) bool { return x.ID == answer })
	})
}
