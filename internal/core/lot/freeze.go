package lot

import (
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

// Froze says that the lot was put into a freezer to be frozen, and how it was
// forecast to freeze.
type Froze struct {
	BatchID  uuid.UUID  `json:"batch_id"`
	PlaceID  int64      `json:"place_id"`
	Method   string     `json:"way"`      // of freezing.Methods
	Wrapping string     `json:"wrapping"` // of freezing.Wrappings
	Preps    []string   `json:"preps,omitempty"`
	Shape    heat.Shape `json:"shape"`
	MM       float64    `json:"thickness_mm"`
	OneFace  bool       `json:"one_face,omitempty"`
	StartC   float64    `json:"start_celsius"`
	AirC     float64    `json:"air_celsius"`
	H        float64    `json:"h_w_m2k"`
	BatchKg  float64    `json:"batch_kg"` // that went in at once
	PowerW   *float64   `json:"power_w,omitempty"`
}

// Piece is one of the pieces that were frozen.
func (p Froze) Piece() piece.Piece {
	return piece.Piece{Shape: p.Shape, ThicknessMM: p.MM, OneFace: p.OneFace}
}

// Batch is what the freezing is forecast for.
func (p Froze) Batch(food heat.Food) freezing.Batch {
	return freezing.Batch{Food: food, Piece: p.Piece(), StartC: p.StartC, Medium: heat.Steady(p.AirC), H: p.H,
		Kg: p.BatchKg, PowerW: p.PowerW}
}

// Into is the freezing with what follows from how it is done: the coefficient of its method, or of the
// freezer's own air speed, behind its wrapping, the power of the freezer and the weight that goes in at once, kg.
// A method or wrapping that is not known leaves the coefficient 0, which Check refuses.
func (p Froze) Into(freezer Place, kg float64) Froze {
	p.PowerW, p.BatchKg = freezer.PowerW, kg
	method, known := freezing.GetMethod(p.Method)
	wrapping, wrapped := freezing.GetWrapping(p.Wrapping)
	if p.H = 0; known && wrapped && p.MM > 0 {
		if p.Method == freezer.Cooling {
			method = method.In(freezer.SpeedMS)
		}
		p.H = method.H(p.Piece(), wrapping, p.AirC)
	}
	return p
}

// Derive implements Derived: what follows from how it is frozen. All of the lot goes in, at the least.
func (p Froze) Derive(before *State, f Facts, _ time.Time) Payload {
	if before != nil {
		p.BatchKg = math.Max(p.BatchKg, before.WeightKg)
	}
	return p.Into(f.Places[p.PlaceID], p.BatchKg)
}

// Pulled says that the lot was taken out of the freezer to thaw, and how.
type Pulled struct {
	PlanID  uuid.UUID      `json:"plan_id,omitzero"`
	PlaceID int64          `json:"place_id"`
	Method  string         `json:"method"` // of thawing.Methods
	EndUse  thawing.EndUse `json:"end_use"`
	Opened  bool           `json:"opened,omitempty"` // its pack was opened
	MediumC float64        `json:"medium_celsius"`
	// forecast, even to the end, where its method changes half thawed
	StartC  *float64   `json:"start_celsius,omitempty"`
	H       float64    `json:"h_w_m2k"`
	Shape   heat.Shape `json:"shape"`
	MM      float64    `json:"thickness_mm"`
	OneFace bool       `json:"one_face,omitempty"`
	IceFree float64    `json:"ice_free_hours"` // foretold
	Keeps   float64    `json:"keeps_hours"`    // from then
}

// Piece is one of the pieces that thaw.
func (p Pulled) Piece() piece.Piece {
	return piece.Piece{Shape: p.Shape, ThicknessMM: p.MM, OneFace: p.OneFace}
}

// Thawed says that the core was measured and is free of ice, and what was lost.
type Thawed struct {
	CoreC   float64 `json:"core_celsius"`
	DripKg  float64 `json:"drip_kg,omitempty"`
	GlazeKg float64 `json:"glaze_kg,omitempty"` // melted: it was never fish
}

// Returned says that fish that had begun to thaw went back to the freezer.
type Returned struct {
	PlaceID int64   `json:"place_id"`
	CoreC   float64 `json:"core_celsius"`
	Reason  string  `json:"reason"`
	Approval
}

// FrozenStay is a time in which the lot lay frozen.
type FrozenStay struct {
	Froze    *Froze // how it was frozen here; nil where it came so
	EventID  uuid.UUID
	From     time.Time
	To       time.Time // when it was pulled; zero while it is frozen
	Pull     *Pulled   // how
	PullAt   time.Time // when that way began: later than To where it was changed
	Thawed   *Thawed   // nil until its core was found free of ice
	ThawedAt time.Time
	Warmed   bool // it had begun to thaw, and went back
}

// cameFrozen begins the first stay of a lot that was delivered frozen.
func (s *State) cameFrozen() {
	if s.Received.Frozen {
		s.FrozenStays = append(s.FrozenStays, FrozenStay{From: s.Start()})
	}
}

func (p Froze) Apply(s *State, e Event) {
	s.FrozenStays = append(s.FrozenStays, FrozenStay{Froze: &p, EventID: e.ID, From: e.HappenedAt})
	s.moveTo(p.PlaceID, e.HappenedAt)
	if p.Wrapping == "vacuum" {
		s.pack(Packing{Pack: PackVacuum}, e.HappenedAt)
	}
}

func (p Pulled) Apply(s *State, e Event) {
	if n := len(s.FrozenStays); n > 0 {
		last := &s.FrozenStays[n-1]
		if last.To.IsZero() {
			last.To = e.HappenedAt
		}
		last.Pull, last.PullAt = &p, e.HappenedAt
	}
	s.moveTo(p.PlaceID, e.HappenedAt)
	if p.Opened {
		s.pack(Packing{Pack: PackAir}, e.HappenedAt)
	}
}

func (p Thawed) Apply(s *State, e Event) {
	if n := len(s.FrozenStays); n > 0 {
		s.FrozenStays[n-1].Thawed, s.FrozenStays[n-1].ThawedAt = &p, e.HappenedAt
	}
	if !s.inheriting {
		s.measured(e.HappenedAt, p.CoreC)
		s.WeightKg -= p.DripKg + p.GlazeKg
	}
}

func (p Returned) Apply(s *State, e Event) {
	if n := len(s.FrozenStays); n > 0 {
		last := &s.FrozenStays[n-1]
		last.To, last.Pull, last.Warmed = time.Time{}, nil, true
	}
	s.moveTo(p.PlaceID, e.HappenedAt)
	if !s.inheriting {
		s.measured(e.HappenedAt, p.CoreC)
	}
}

// Frozen reports whether the lot lies frozen, or is being frozen.
func (s *State) Frozen() bool {
	n := len(s.FrozenStays)
	return n > 0 && s.FrozenStays[n-1].To.IsZero()
}

// Thaw is the thaw that the lot is in, or went through; nil where it never was
// frozen, or is.
func (s *State) Thaw() *FrozenStay {
	if n := len(s.FrozenStays); n > 0 && !s.FrozenStays[n-1].To.IsZero() {
		return &s.FrozenStays[n-1]
	}
	return nil
}

// Thawing reports whether the lot was pulled and its core not yet found free of
// ice.
func (s *State) Thawing() bool {
	thaw := s.Thaw()
	return thaw != nil && thaw.Thawed == nil
}

// InBatch is the stay that began with a batch; false where the lot was not in it.
func (s *State) InBatch(id uuid.UUID) (FrozenStay, bool) {
	for _, stay := range s.FrozenStays {
		if stay.Froze != nil && stay.Froze.BatchID == id {
			return stay, true
		}
	}
	return FrozenStay{}, false
}

// EverBelow reports whether a core was measured at or below a temperature since
// a time.
func (s *State) EverBelow(celsius float64, since time.Time) bool {
	return slices.ContainsFunc(s.CoreReadings, func(x coldchain.Reading) bool {
		return x.Celsius <= celsius && !x.At.Before(since)
	})
}

// FatClass is the class of the lot's fat, for its frozen life.
func (s *State) FatClass() frozen.Fat { return frozen.FatClass(s.Species().Fat) }

func (p Froze) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch {
		case before.Ageing() != nil:
			bad.Add("lot", "is ageing: take it out first")
		case before.Frozen():
			bad.Add("lot", "is frozen already")
		case before.Thaw() != nil:
			bad.Add("lot", "was thawed: raw fish is never frozen twice; cook it, or discard it")
		case before.Hold != "":
			bad.Add("lot", "is on hold: %s", before.Hold)
		}
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a freezer")
	}
	if _, ok := freezing.GetMethod(p.Method); !ok {
		bad.Add("way", "choose how the freezer cools")
	}
	if _, ok := freezing.GetWrapping(p.Wrapping); !ok {
		bad.Add("wrapping", "choose what is around the fish")
	}
	for _, prep := range p.Preps {
		if !slices.ContainsFunc(freezing.Preps, func(x freezing.Prep) bool { return x.ID == prep }) {
			bad.Add("preps", "%q is not known", prep)
		}
	}
	checkBody(p.Shape, p.MM, bad)
	checkC("start_celsius", p.StartC, bad)
	if checkC("air_celsius", p.AirC, bad) && p.AirC > freezing.SolidC {
		bad.Add("air_celsius", "must be %.0f °C or colder: it would not freeze", freezing.SolidC)
	}
	if !(p.BatchKg > 0 && p.BatchKg <= 100*unit.MaxLotKilograms) {
		bad.Add("batch_kg", "%v", unit.ErrMassRange)
	}
	if p.PowerW != nil && !(*p.PowerW > 0 && *p.PowerW < 1e6) {
		bad.Add("power_w", "must be above 0")
	}
}

// In implements Placed.
func (p Froze) In() int64 { return p.PlaceID }

// Asks implements Gated.
func (Froze) Asks() Gate { return GateFreeze }

// Judge implements Judged.
func (p Froze) Judge(before *State, f Facts, _ time.Time, bad *invalid.Errors) {
	intoFreezer(f, p.PlaceID, bad)
	if packing, said := before.Packing(); (p.Wrapping == "vacuum" || said && packing.Reduced()) &&
		!f.Profile.ReducedOxygenChilled {
		bad.Add("wrapping",
			"raw fish goes into a pack without oxygen frozen, not before (%s): freeze it bare or in film that "+
				"breathes, pack it then", f.Profile.Name)
	}
}

func (p Froze) keeps(was Payload, bad *invalid.Errors) {
	keep("batch_id", p.BatchID, was.(Froze).BatchID, bad)
}

func (p Pulled) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch {
		case !before.Frozen() && !before.Thawing():
			bad.Add("lot", "is not frozen")
		case before.Thawing() && before.Thaw().Pull.Method == thawing.Water:
			bad.Add("lot", "lies in water: it is cooked from there")
		case before.Hold != "":
			bad.Add("lot", "is on hold: %s", before.Hold)
		}
		if packing, said := before.Packing(); said && (packing.Reduced() || packing.Pack == PackCling) && !p.Opened {
			bad.Add("opened", "open the pack first: closed it thaws without oxygen, and botulinum grows from %.1f °C",
				safety.OxygenC)
		}
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose where it thaws")
	}
	if _, ok := thawing.GetMethod(p.Method); !ok {
		why := "choose how it is thawed"
		for _, never := range thawing.ForbiddenMethods() {
			if never.ID == p.Method {
				why = "never: " + never.Why
			}
		}
		bad.Add("method", "%s", why)
	}
	if p.EndUse != thawing.Cook && p.EndUse != thawing.Raw {
		bad.Add("end_use", "say whether it is cooked or served raw")
	}
	checkBody(p.Shape, p.MM, bad)
	checkC("medium_celsius", p.MediumC, bad)
	if p.StartC != nil {
		checkC("start_celsius", *p.StartC, bad)
	}
}

// Derive implements Derived: how fast it takes up heat, when it is free of ice and how long it keeps
// from then follow from how it thaws.
func (p Pulled) Derive(before *State, f Facts, at time.Time) Payload {
	p.H, p.IceFree, p.Keeps = 0, 0, 0
	method, ok := thawing.GetMethod(p.Method)
	if before == nil || !ok {
		return p
	}
	p.H = method.Coefficient(f.Profile)
	r := thawing.Request{Species: before.Species(), Piece: p.Piece(), StartC: mostlyFrozenC, Method: p.Method, MediumC: p.MediumC,
		From: at, ServeAt: at.Add(48 * time.Hour), EndUse: p.EndUse, Policy: thawing.Policies()[0], Profile: f.Profile}
	if f.FishC != nil {
		r.StartC = math.Min(*f.FishC, mostlyFrozenC)
	}
	if p.StartC != nil {
		r.StartC = *p.StartC
	}
	if plan, err := thawing.NewPlan(r); err == nil && plan.IceFree != heat.Never {
		p.IceFree = plan.IceFree.Hours()
		p.Keeps = math.Max(0, plan.KeepTo.Sub(plan.ReadyAt).Hours())
	}
	return p
}

// mostlyFrozenC is how warm fish is taken to be that is pulled and not known to be colder, °C.
const mostlyFrozenC = -3.0

// In implements Placed.
func (p Pulled) In() int64 { return p.PlaceID }

// Judge implements Judged.
func (p Pulled) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	if f.Places[p.PlaceID].Freezer() {
		bad.Add("place_id", "is a freezer: choose where it thaws")
	}
}

func (p Pulled) keeps(was Payload, bad *invalid.Errors) {
	keep("plan_id", p.PlanID, was.(Pulled).PlanID, bad)
}

func (p Thawed) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch thaw := before.Thaw(); {
		case thaw == nil:
			bad.Add("lot", "was not pulled to thaw")
		case thaw.Thawed != nil:
			bad.Add("lot", "was found thawed already")
		case at.Before(thaw.To):
			bad.Add("happened_at", "lies before it was pulled")
		}
		if lost := p.DripKg + p.GlazeKg; !(p.DripKg >= 0 && p.GlazeKg >= 0) || lost >= before.WeightKg {
			bad.Add("drip_kg", "must be at least 0, and with the glaze below the %.2f kg of the lot",
				before.WeightKg)
		}
	}
	if checkC("core_celsius", p.CoreC, bad) && p.CoreC < thawing.WorkableC {
		bad.Add("core_celsius", "%.1f °C: there is ice in the middle yet; leave it where it is", p.CoreC)
	}
}

func (p Returned) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch {
		case before.Thaw() == nil:
			bad.Add("lot", "was not pulled to thaw")
		case before.Thaw().Thawed != nil:
			bad.Add("lot", "has thawed: raw fish is never frozen twice; cook it, or discard it")
		case before.Thaw().Pull.Method == thawing.Water:
			bad.Add("lot", "lay in water: it is cooked, or discarded")
		default:
			bad.NeedsManager("lot", "only a manager lets fish go back that has begun to thaw")
		}
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a freezer")
	}
	if checkC("core_celsius", p.CoreC, bad) && p.CoreC > freezing.SolidC {
		bad.Add("core_celsius", "%.1f °C: only a core temperature of %.0f °C or colder goes back", p.CoreC, freezing.SolidC)
	}
	reason(p.Reason, bad)
}

// In implements Placed.
func (p Returned) In() int64 { return p.PlaceID }

// Judge implements Judged.
func (p Returned) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	intoFreezer(f, p.PlaceID, bad)
}
