package lot

import (
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
)

// The steps from the water to the ice. Each is an event with its own time:
// stamped on deck as it happens, or written down later from a harvest record.

// Caught says how the fish came on deck, or out of its pen; it happened when it
// was landed there.
type Caught struct {
	Area      string     `json:"area,omitempty"`     // in words
	FAO       int        `json:"fao_area,omitempty"` // major fishing area; 0 where unknown
	Gear      string     `json:"gear,omitempty"`     // of Gears
	Vessel    string     `json:"vessel,omitempty"`   // or farm
	WaterC    *float64   `json:"water_celsius,omitempty"`
	AirC      *float64   `json:"air_celsius,omitempty"`
	GearSetAt *time.Time `json:"gear_set_at,omitempty"` // for gear in which fish die
}

// Killed says how the fish died, and thereby when.
type Killed struct {
	Method string `json:"method"`         // of KillMethods
	Calm   *bool  `json:"calm,omitempty"` // died fast and calm; nil to go by the method
}

// Bled says how the fish was bled, from when it happened until Until.
type Bled struct {
	How    string     `json:"how"`              // of BleedCuts
	Medium string     `json:"medium,omitempty"` // of BleedMedia
	Method string     `json:"school,omitempty"` // of BleedMethods
	Until  *time.Time `json:"until,omitempty"`
}

// Gutted says that the guts came out.
type Gutted struct {
	Gilled bool `json:"gilled,omitempty"` // the gills too
}

// Washed says in what the fish was washed: it removes slime and smell.
type Washed struct {
	With string `json:"with"` // of Washes
}

// Iced says that the fish was put into ice.
type Iced struct {
	Method  string   `json:"way"`                // of icing.Methods
	PlaceID int64    `json:"place_id,omitempty"` // our box; 0 for somebody else's
	IceKg   *float64 `json:"ice_kg,omitempty"`   // put in with it
}

// deadInGear is fish that was not killed on deck.
const deadInGear = "gear"

// Choice is one of a list, with its name.
type Choice struct{ ID, Name string }

// The lists of the harvest record.
var (
	KillMethods = []Choice{{"spike", "Spiked, cord destroyed"}, {"stun", "Stunned"}, {"air", "Left to die"},
		{deadInGear, "Dead in the gear"}}
	BleedCuts = []Choice{{"gills", "Gills cut"}, {"throat", "Throat cut"}, {"tail", "Gills and tail cut"},
		{"none", "Not bled"}}
	BleedMedia = []Choice{{"water", "Clean seawater"}, {"slurry", "Ice slurry"}, {"hung", "Head down"}}
	// BleedMethods: cut and gut together and straight to ice, or bleed in water
	// first and gut then.
	BleedMethods = []Choice{{"one", "One step"}, {"two", "Two steps"}}
	Washes       = []Choice{{"water", "Cold water"}, {"brine", "Brine"}, {"acid", "Citrus or vinegar"},
		{"dry", "Patted dry only"}}
	// Gears are the categories of fishing gear; the fish dies in those of DeadlyGears.
	Gears = []Choice{{"hook", "Hook and line"}, {"longline", "Longline"}, {"gillnet", "Gillnet"}, {"trawl", "Trawl"},
		{"purse", "Purse seine"},
		{"seine", "Seine"}, {"trap", "Trap or pot"}, {"farm", "Farm, by pump or net"}}
	DeadlyGears = []string{"longline", "gillnet"}
)

// FAOArea is a major fishing area for statistics.
type FAOArea struct {
	Code int
	Name string
}

// FAOAreas lists the major fishing areas [FAOareas].
var FAOAreas = []FAOArea{{1, "Africa, inland"}, {2, "North America, inland"}, {3, "South America, inland"},
	{4, "Asia, inland"}, {5, "Europe, inland"}, {6, "Oceania, inland"},
	{18, "Arctic Sea"}, {21, "Atlantic, northwest"}, {27, "Atlantic, northeast"}, {31, "Atlantic, western central"},
	{34, "Atlantic, eastern central"},
	{37, "Mediterranean and Black Sea"}, {41, "Atlantic, southwest"}, {47, "Atlantic, southeast"},
	{48, "Atlantic, Antarctic"}, {51, "Indian Ocean, western"},
	{57, "Indian Ocean, eastern"}, {58, "Indian Ocean, Antarctic"}, {61, "Pacific, northwest"},
	{67, "Pacific, northeast"}, {71, "Pacific, western central"},
	{77, "Pacific, eastern central"}, {81, "Pacific, southwest"}, {87, "Pacific, southeast"},
	{88, "Pacific, Antarctic"}}

// NameOf is the name of a choice, "" where it is not in the list.
func NameOf(list []Choice, id string) string {
	for _, c := range list {
		if c.ID == id {
			return c.Name
		}
	}
	return ""
}

// Step is a step that stands, with when it happened.
type Step[P any] struct {
	Data    P
	At      time.Time
	EventID uuid.UUID // zero where the lot it was split off wrote it
}

// Harvest is what is known of the way to the ice; nil for what nobody wrote
// down.
type Harvest struct {
	Caught *Step[Caught]
	Killed *Step[Killed]
	Bled   *Step[Bled]
	Gutted *Step[Gutted]
	Washed *Step[Washed]
	Iced   *Step[Iced]
}

// Known reports whether anything of it was written down.
func (h Harvest) Known() bool { return h != Harvest{} }

// AmbientC is the warmest of water and air, °C; nil where nobody took either.
func (h Harvest) AmbientC() *float64 {
	if h.Caught == nil {
		return nil
	}
	water, air := h.Caught.Data.WaterC, h.Caught.Data.AirC
	switch {
	case water == nil:
		return air
	case air != nil && *air > *water:
		return air
	}
	return water
}

// Stressed reports whether the fish fought or suffocated; nil where nobody
// knows how it died.
func (h Harvest) Stressed() *bool {
	if h.Killed == nil {
		return nil
	}
	stressed := !slices.Contains([]string{"spike", "stun"}, h.Killed.Data.Method)
	if h.Killed.Data.Calm != nil {
		stressed = !*h.Killed.Data.Calm
	}
	return &stressed
}

// GuttedFirst reports whether the fish was gilled and gutted before it was put
// into ice, or is so and not in ice yet.
func (h Harvest) GuttedFirst() bool {
	return h.Gutted != nil && h.Gutted.Data.Gilled && (h.Iced == nil || !h.Gutted.At.After(h.Iced.At))
}

// Moment is a time that the clocks begin or turn at.
type Moment struct {
	At      time.Time
	Assumed string // the rule by which it was assumed; "" where it was written down
}

// Water so cold keeps fish that died in it for so long as if it lived [FDA-hazards, chapter 7].
const (
	coldWaterC   = 18.3
	coldWaterFor = 24 * time.Hour
)

// Death is when the fish died. Where it was not killed on deck: for gear in which fish die, when that
// was set, or in cold water for a day at most when it left the water; else when it was landed; else
// the date of catch on the papers. It returns false where not even that is known.
func (s *State) Death() (Moment, bool) {
	h := s.Harvest
	caught := h.Caught
	inGear := caught != nil && slices.Contains(DeadlyGears, caught.Data.Gear) || h.Killed != nil && h.Killed.Data.Method == deadInGear
	switch {
	case h.Killed != nil && h.Killed.Data.Method != deadInGear:
		return Moment{At: h.Killed.At}, true
	case inGear && caught != nil && caught.Data.GearSetAt != nil:
		set, water := *caught.Data.GearSetAt, caught.Data.WaterC
		if water != nil && *water <= coldWaterC && caught.At.Sub(set) <= coldWaterFor {
			return Moment{caught.At, "when it left the water: that was cold, and the gear lay in it for a day at most"}, true
		}
		return Moment{set, "when the gear was set: fish die in it"}, true
	case inGear:
		return Moment{}, false
	case caught != nil:
		return Moment{caught.At, "when it was landed"}, true
	case s.Received.LabelDate.At != nil && s.Received.LabelDate.Means == nearDeath:
		return Moment{*s.Received.LabelDate.At, "the date of catch on the label"}, true
	}
	return Moment{}, false
}

// Waiting reports whether the fish is a catch of our own that is not in ice
// yet.
func (s *State) Waiting() bool {
	return s.Received.OwnCatch && s.Harvest.Iced == nil && s.Status == OnHand && s.ColdSince() == nil
}

func stepAt[P any](s *Step[P]) *time.Time {
	if s == nil {
		return nil
	}
	return &s.At
}

// ago says how much later the first time is than the second.
func ago(late, early time.Time) string {
	return strings.TrimSuffix(late.Sub(early).Round(time.Minute).String(), "0s") + " later"
}

func (p Caught) Check(before *State, at time.Time, bad *invalid.Errors) {
	harvested(before, at, bad)
	for field, text := range map[string]string{"area": p.Area, "vessel": p.Vessel} {
		if invalid.TooLong(text, 120) {
			bad.Add(field, "is longer than 120 characters")
		}
	}
	if p.FAO != 0 && !slices.ContainsFunc(FAOAreas, func(a FAOArea) bool { return a.Code == p.FAO }) {
		bad.Add("fao_area", "is not a major fishing area")
	}
	if p.Gear != "" {
		oneOf("gear", p.Gear, Gears, bad)
	}
	for field, c := range map[string]*float64{"water_celsius": p.WaterC, "air_celsius": p.AirC} {
		if c != nil && unit.CheckCelsius(*c) != nil {
			bad.Add(field, "%v", unit.ErrTempRange)
		}
	}
	if p.GearSetAt != nil && (p.GearSetAt.After(at) || p.GearSetAt.Before(at.AddDate(0, 0, -14))) {
		bad.Add("gear_set_at", "must lie in the two weeks before the fish was landed")
	}
}

func (p Caught) Apply(s *State, e Event) { s.Harvest.Caught = &Step[Caught]{p, e.HappenedAt, e.ID} }

func (p Killed) Check(before *State, at time.Time, bad *invalid.Errors) {
	if harvested(before, at, bad) {
		h := before.Harvest
		for what, then := range map[string]*time.Time{"bleeding": stepAt(h.Bled), "gutting": stepAt(h.Gutted)} {
			if then != nil && at.After(then.Add(stepSlack)) {
				bad.Add("happened_at", "lies after the %s, %s", what, ago(at, *then))
			}
		}
	}
	oneOf("method", p.Method, KillMethods, bad)
}

func (p Killed) Apply(s *State, e Event) { s.Harvest.Killed = &Step[Killed]{p, e.HappenedAt, e.ID} }

func (p Bled) Check(before *State, at time.Time, bad *invalid.Errors) {
	if harvested(before, at, bad) {
		afterDeath(before, at, bad)
	}
	oneOf("how", p.How, BleedCuts, bad)
	if p.Medium != "" {
		oneOf("medium", p.Medium, BleedMedia, bad)
	}
	if p.Method != "" {
		oneOf("school", p.Method, BleedMethods, bad)
	}
	if p.Until != nil && (p.Until.Before(at) || p.Until.After(at.Add(6*time.Hour))) {
		bad.Add("until", "must lie after its start, by at most six hours")
	}
}

func (p Bled) Apply(s *State, e Event) { s.Harvest.Bled = &Step[Bled]{p, e.HappenedAt, e.ID} }

func (p Gutted) Check(before *State, at time.Time, bad *invalid.Errors) {
	if harvested(before, at, bad) {
		afterDeath(before, at, bad)
	}
}

func (p Gutted) Apply(s *State, e Event) { s.Harvest.Gutted = &Step[Gutted]{p, e.HappenedAt, e.ID} }

func (p Washed) Check(before *State, at time.Time, bad *invalid.Errors) {
	if harvested(before, at, bad) {
		afterDeath(before, at, bad)
	}
	oneOf("with", p.With, Washes, bad)
}

func (p Washed) Apply(s *State, e Event) { s.Harvest.Washed = &Step[Washed]{p, e.HappenedAt, e.ID} }

func (p Iced) Check(before *State, at time.Time, bad *invalid.Errors) {
	if harvested(before, at, bad) && p.PlaceID != 0 && at.Before(before.ReceivedAt) {
		bad.Add("place_id", "the lot was not here yet")
	}
	if _, ok := icing.GetMethod(p.Method); !ok {
		bad.Add("way", "choose a method of icing")
	}
	if p.IceKg != nil && !(*p.IceKg >= 0 && *p.IceKg <= unit.MaxLotKilograms) {
		bad.Add("ice_kg", "%v", unit.ErrMassRange)
	}
}

// In implements Placed.
func (p Iced) In() int64 { return p.PlaceID }

func (p Iced) Apply(s *State, e Event) {
	if s.Harvest.Iced == nil { // later ones are other ice
		s.Harvest.Iced = &Step[Iced]{p, e.HappenedAt, e.ID}
	}
	s.moveTo(p.PlaceID, e.HappenedAt)
}

// ColdSince is the first time the core is known to be chilled; nil where it
// never was measured so.
func (s *State) ColdSince() *time.Time {
	for i, r := range s.CoreReadings {
		if r.Celsius <= safety.ChilledC {
			return &s.CoreReadings[i].At
		}
	}
	return nil
}
