package assess

import (
	"reflect"
	"slices"

	"github.com/google/uuid"

	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// admit asks the door about a payload of a lot some hours after t0; where the payload
// says that a manager approves it, one acts.
func admit(s *lot.State, e Env, hours float64, p lot.Payload) error {
	f := e.Facts()
	if s != nil {
		f = Assess(s, e, at(hours)).Facts(p)
	}
	return ask(s, f, lot.Event{ID: uuid.New(), HappenedAt: at(hours)}, p)
}

// check asks the door where nothing but the lot's own events speaks against a payload.
func check(s *lot.State, e lot.Event, p lot.Payload, now time.Time) error {
	profile, _ := safety.GetProfile("eu")
	f := lot.Facts{Now: now, Profile: profile, Catalogue: species.Builtin(), Places: walkEnv(0).Places,
		Answers: map[lot.Gate]lot.Answer{}}
	for _, g := range []lot.Gate{lot.ExitRaw, lot.ExitCooked, lot.GateCook, lot.GateFreeze, lot.GateDryAge} {
		f.Answers[g] = lot.Answer{OK: true}
	}
	return ask(s, f, e, p)
}

func ask(s *lot.State, f lot.Facts, e lot.Event, p lot.Payload) error {
	by := reflect.ValueOf(p).FieldByName("ByManager")
	f.Manager = by.IsValid() && by.Bool()
	_, err := lot.Admit(s, f, e, p)
	return err
}

// closes reports whether a clock closes a use.
func closes(a Assessment, id ClockID, g lot.Gate) bool {
	return slices.ContainsFunc(a.Clocks, func(r Reading) bool { return r.ID == id && slices.Contains(r.Guards, g) })
}

// assessNow assesses a lot at the time of its environment.
func assessNow(s *lot.State, e Env) Assessment { return Assess(s, e, e.Now) }
