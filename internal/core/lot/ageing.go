package lot

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/invalid"
)

// Hung says that one fish was hung into a cabinet to age, and how.
type Hung struct {
	PlaceID int64    `json:"place_id"`
	Hook    int      `json:"hook"` // from the left, 1 and on
	Kg      float64  `json:"kg"`   // at the start
	Policy  string   `json:"school"`
	Target  float64  `json:"target"` // loss
	Hanging string   `json:"hanging"`
	Preps   []string `json:"preps,omitempty"`
	Raw     bool     `json:"raw,omitempty"`    // to be served raw
	Opened  string   `json:"opened,omitempty"` // why a manager opened the gate
	Approval
	CentsPerKg int64 `json:"cents_per_kg,omitempty"` // what it cost; 0 where nobody says
}

// Weighed is a weigh-in. One that was asked about says why; set aside, it counts
// for nothing.
type Weighed struct {
	Kg      float64 `json:"kg"`
	Because string  `json:"because,omitempty"`
	Aside   bool    `json:"aside,omitempty"`
}

// DailyCheck is the daily check: the signs that were not fine, of ageing.Signs.
type DailyCheck struct {
	Stops []string `json:"stops,omitempty"`
	Note  string   `json:"note,omitempty"`
}

// TakenDown ends the ageing, with what became of the weight.
type TakenDown struct {
	Kg       float64 `json:"kg"`
	CrustKg  float64 `json:"crust_kg"`
	UsableKg float64 `json:"usable_kg"` // 0 where it was not cut yet
	PlaceID  int64   `json:"place_id"`
	Why      string  `json:"why,omitempty"`
}

// Hanging is a time in which the fish hangs to age.
type Hanging struct {
	Hung
	From, To    time.Time // To is zero while it hangs
	Weighs      []WeighMade
	DailyChecks []DailyCheckMade
	Down        *TakenDown
}

// WeighMade is a weigh-in that stands.
type WeighMade struct {
	Weighed
	At      time.Time
	EventID uuid.UUID
}

// DailyCheckMade is a daily check that stands.
type DailyCheckMade struct {
	DailyCheck
	At time.Time
}

// WeighIns are those that count, the start first. Two at one time are one.
func (a Hanging) WeighIns() []ageing.WeighIn {
	list := []ageing.WeighIn{{At: a.From, Kg: a.Kg}}
	for _, w := range a.Weighs {
		if !w.Aside && w.At.After(list[len(list)-1].At) {
			list = append(list, ageing.WeighIn{At: w.At, Kg: w.Weighed.Kg})
		}
	}
	return list
}

// Ageing is the stay of a fish that hangs; nil for others.
func (s *State) Ageing() *Hanging {
	if n := len(s.Hangings); n > 0 && s.Hangings[n-1].To.IsZero() {
		return &s.Hangings[n-1]
	}
	return nil
}

func (p Hung) Apply(s *State, e Event) {
	s.Hangings = append(s.Hangings, Hanging{Hung: p, From: e.HappenedAt})
	s.moveTo(p.PlaceID, e.HappenedAt)
	s.weighs(p.Kg)
	s.Form = p.formOf(s.Form)
}

// formOf is the form of a fish after what was done to it before it was hung.
func (p Hung) formOf(form string) string {
	gutted, gilled := slices.Contains(p.Preps, "gutted"), slices.Contains(p.Preps, "gilled")
	switch {
	case form == "whole" && gutted && gilled, form == "gutted" && gilled:
		return "gutted_gills_out"
	case form == "whole" && gutted:
		return "gutted"
	}
	return form
}

func (p Weighed) Apply(s *State, e Event) {
	if stay := s.Ageing(); stay != nil {
		stay.Weighs = append(stay.Weighs, WeighMade{p, e.HappenedAt, e.ID})
	}
	if !p.Aside {
		s.weighs(p.Kg)
	}
}

func (p DailyCheck) Apply(s *State, e Event) {
	if stay := s.Ageing(); stay != nil {
		stay.DailyChecks = append(stay.DailyChecks, DailyCheckMade{p, e.HappenedAt})
	}
	if len(p.Stops) > 0 && !s.inheriting {
		s.Hold, s.fromInspection, s.needsManager = "stop sign: "+stopNames(p.Stops), true, true
	}
}

func (p TakenDown) Apply(s *State, e Event) {
	if stay := s.Ageing(); stay != nil {
		stay.To, stay.Down = e.HappenedAt, &p
	}
	s.moveTo(p.PlaceID, e.HappenedAt)
	s.weighs(cmp.Or(p.UsableKg, p.Kg-p.CrustKg))
}

// weighs notes the weight that the lot has now.
func (s *State) weighs(kg float64) {
	if !s.inheriting {
		s.WeightKg = kg
	}
}

// stopNames are stop signs in words.
func stopNames(ids []string) string {
	var names []string
	for _, sign := range ageing.Signs() {
		if slices.Contains(ids, sign.ID) {
			names = append(names, strings.ToLower(sign.Name)+" "+sign.Stop)
		}
	}
	return strings.Join(names, "; ")
}

// Bounds of what is aged.
const leastLoss, mostLoss = 0.005, 0.3

func (p Hung) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch {
		case before.Ageing() != nil:
			bad.Add("lot", "is ageing already")
		case before.Count != 1:
			bad.Add("lot", "is %d fish: start ageing one at a time", before.Count)
		case p.Kg > 1.1*before.WeightKg:
			bad.Add("kg", "is more than the %.2f kg that came", before.WeightKg)
		}
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a cabinet")
	}
	if p.Hook < 1 || p.Hook > 100 {
		bad.Add("hook", "must be between 1 and 100")
	}
	checkKg("kg", p.Kg, bad)
	if _, ok := ageing.GetPolicy(p.Policy); !ok {
		bad.Add("school", "choose a method")
	}
	if !(p.Target >= leastLoss && p.Target <= mostLoss) {
		bad.Add("target", "must be between %.1f and %.0f %%", 100*leastLoss, 100*mostLoss)
	}
	if !known(ageing.HangingStyles(), p.Hanging) {
		bad.Add("hanging", "choose how it hangs")
	}
	for _, prep := range p.Preps {
		if !known(ageing.Preps(), prep) {
			bad.Add("preps", "%q is not known", prep)
		}
	}
	if p.CentsPerKg < 0 || p.CentsPerKg > 10_000_000 {
		bad.Add("cents_per_kg", "must be at least 0")
	}
	if invalid.TooLong(p.Opened, 500) {
		bad.Add("opened", "is longer than 500 characters")
	}
}

// In implements Placed.
func (p Hung) In() int64 { return p.PlaceID }

// Judge implements Judged: the gate of dry ageing, which a manager may open in part, with
// a reason.
func (p Hung) Judge(before *State, f Facts, _ time.Time, bad *invalid.Errors) {
	if !f.Places[p.PlaceID].AgeingCabinet() {
		bad.Add("place_id", "choose an ageing cabinet of this kitchen")
		return
	}
	if code, taken := f.Hooks[Hook{p.PlaceID, p.Hook}]; taken {
		bad.Add("hook", "on it is %s", code)
	}
	switch answer := f.Answers[GateDryAge]; {
	case answer.OK:
	case !answer.NeedsManager:
		bad.Add("gate", "%s. Nobody may override this", answer.why())
	case strings.TrimSpace(p.Opened) == "":
		bad.Add("gate", "%s. A manager may override this, with a reason", answer.why())
	default:
		bad.NeedsManager("opened", "only a manager may override this")
	}
}

// mustHang notes where a lot does not hang, or did not yet at a time.
func mustHang(before *State, at time.Time, bad *invalid.Errors) *Hanging {
	if !onHand(before, at, bad) {
		return nil
	}
	stay := before.Ageing()
	switch {
	case stay == nil:
		bad.Add("lot", "is not ageing in a cabinet")
	case !at.After(stay.From):
		bad.Add("happened_at", "lies before its ageing started")
	}
	return stay
}

func (p Weighed) Check(before *State, at time.Time, bad *invalid.Errors) {
	mustHang(before, at, bad)
	checkKg("kg", p.Kg, bad)
	if p.Aside && strings.TrimSpace(p.Because) == "" {
		bad.Add("because", "say what was wrong with it")
	}
	if invalid.TooLong(p.Because, 500) {
		bad.Add("because", "is longer than 500 characters")
	}
}

// Judge implements Judged: a weight that is odd is asked about.
func (p Weighed) Judge(_ *State, f Facts, at time.Time, bad *invalid.Errors) {
	if f.Ageing == nil || p.Because != "" {
		return
	}
	z := f.Ageing.Surprise(ageing.WeighIn{At: at, Kg: p.Kg}, f.Ageing.Scale)
	predicted := f.Ageing.StartKg * (1 - f.Ageing.Forecast(at)[0].Mid)
	switch {
	case z > ageing.OddWeightSD:
		bad.Add("because", "heavier than forecast (%.2f kg): another fish on the hook, a wet fish, the drip tray? "+
			"Weigh again, or say why", predicted)
	case z < -ageing.OddWeightSD:
		bad.Add("because", "lighter than forecast (%.2f kg): another fish on the hook, or cut? Weigh again, or say why",
			predicted)
	}
}

func (p DailyCheck) Check(before *State, at time.Time, bad *invalid.Errors) {
	mustHang(before, at, bad)
	for _, id := range p.Stops {
		if !slices.ContainsFunc(ageing.Signs(), func(s ageing.Sign) bool { return s.ID == id }) {
			bad.Add("stops", "%q is no sign", id)
		}
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

func (p TakenDown) Check(before *State, at time.Time, bad *invalid.Errors) {
	mustHang(before, at, bad)
	checkKg("kg", p.Kg, bad)
	if !(p.CrustKg >= 0 && p.CrustKg < p.Kg) {
		bad.Add("crust_kg", "must be at least 0, and less than the fish")
	}
	if !(p.UsableKg >= 0) || p.UsableKg+p.CrustKg > p.Kg {
		bad.Add("usable_kg", "must be at least 0, and with the crust no more than the fish")
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose where it goes")
	}
	if invalid.TooLong(p.Why, 500) {
		bad.Add("why", "is longer than 500 characters")
	}
}

// In implements Placed.
func (p TakenDown) In() int64 { return p.PlaceID }
