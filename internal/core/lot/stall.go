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
	Hides    []string // signs of the quick look that cannot be seen then
}

// StallQuestions is what to ask for, in the order of the talk.
var StallQuestions = []StallQuestion{
	{"out", "May I have it out of the case?", []StallAnswer{{ID: "yes", Name: "Yes"},
		{ID: "no", Name: "No", Bad: true, Hides: []string{"gills", "smell", "press", "cavity", "scales"}}}},
	{"press", "May I press it?", []StallAnswer{{ID: "yes", Name: "Yes"}, {ID: "no", Name: "No", Bad: true, Hides: []string{"press", "scales"}}}},
	{"unwrapped", "May I smell it unwrapped?", []StallAnswer{{ID: "yes", Name: "Yes"},
		{ID: "no", Name: "No", Bad: true, Hides: []string{"smell"}}}},
	{"back", "Is there more in the back?", []StallAnswer{{ID: "same", Name: "The same"}, {ID: Fresher, Name: "Fresher"}, {ID: "none", Name: "None"}}},
	{"cleaned", "How will it be cleaned?", []StallAnswer{{ID: "ordered", Name: "As I ask"}, {ID: "gutted", Name: "Gutted only"}, {ID: "not", Name: "Not at all"}}},
}

// Fresher is the answer to "back" that asks for a second look.
const Fresher = "fresher"

// Hidden are the signs that answers at a stall keep from being seen, each with the question that was
// answered so: what may not be touched or smelt counts as unseen.
func Hidden(answers map[string]string) map[string]string {
	hidden := map[string]string{}
	for _, q := range StallQuestions {
		for _, a := range q.Answers {
			if answers[q.ID] != a.ID {
				continue
			}
			for _, sign := range a.Hides {
				if hidden[sign] == "" {
					hidden[sign] = q.Ask + " " + a.Name + "."
				}
			}
		}
	}
	return hidden
}

// IsStallAnswer reports whether the card has such an answer to such an ask.
func IsStallAnswer(ask, answer string) bool {
	return slices.ContainsFunc(StallQuestions, func(a StallQuestion) bool {
		return a.ID == ask && slices.ContainsFunc(a.Answers, func(x StallAnswer) bool { return x.ID == answer })
	})
}
