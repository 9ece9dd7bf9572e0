package assess

import (
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
)

// StretchesIn lists a span of the lot's journey: what each stretch of it did, and
// how well that is known. The probes' readings at its ends must be loaded: see
// Asks.
func StretchesIn(s *lot.State, env Env, span coldchain.Span) []Stretch {
	at := env.Now
	if s.Status != lot.OnHand {
		at = s.EndedAt
	}
	return newAssessor(s, env, at).stretches(span.Clip(coldchain.Span{From: s.Start(), To: at}))
}

// Total is the exposure of stretches together.
func Total(stretches []Stretch) coldchain.Exposure { return sum(stretches) }
