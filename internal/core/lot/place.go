package lot

import (
	"math"
	"time"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/safety"
)

// Place is a place where lots lie: what the assessment and the alarms need to know
// of it.
type Place struct {
	ID     int64
	Name   string
	Kind   string
	SetC   float64     // °C
	Air    bool        // its probes measure the air; else what the fish touches
	Probes []ProbeStay // best first

	// Box is what the place is, where it is a box; nil where it is none.
	Box      *icing.Box
	OutsideC float64          // the air around the box, °C
	Ice      icing.Forecast   // in the box
	Seen     []icing.Sighting // looks at the ice around the fish of a place that is no box, in order

	CapacityKg *float64       // nil where nobody said
	Holds      Holds          // what lies in it
	Column     int            // in the plan of the kitchen, from the left
	Level      int            // 0 on the floor
	WarmC      *float64       // a limit of its own, °C; never milder than the profile's
	ColdC      *float64       // the same for cold
	Delay      *time.Duration // of its alarms; nil for that of its kind
	Cooling    string         // how a freezer cools, of freezing.Methods; "" where nobody said
	SpeedMS    *float64       // of its air, as it was measured, m/s; nil for the usual one
	PowerW     *float64       // that it takes away beside what leaks in; nil where nobody knows
	Elsewhere  bool           // it stands for a place of another kitchen, or the way from there: nothing is put into it
}

// ProbeStay is a time in which a probe measured a place.
type ProbeStay struct {
	ProbeID int64
	coldchain.Span
	Name    string
	ByHand  bool // read by people
	Maximum bool // the highest that a thermometer shows since it was read before; by hand
	Contact bool // touches the fish, whatever measures the air of its place
}

// Holds says what a place is for, as far as it matters for what may lie above
// what.
type Holds string

// The kinds of content.
const (
	HoldsRaw   Holds = "raw"   // raw fish
	HoldsReady Holds = "ready" // food that is eaten as it is
	HoldsNone  Holds = "none"  // neither for long: a dock, a deck
)

// HoldsName is a content in words.
func HoldsName(h Holds) string {
	return map[Holds]string{HoldsRaw: "raw fish", HoldsReady: "ready to eat", HoldsNone: "nothing for long"}[h]
}

// AllHolds lists them.
var AllHolds = []Holds{HoldsRaw, HoldsReady, HoldsNone}

// placeKind is what is usual for a kind of place (house).
type placeKind struct {
	id, name string
	still    bool          // no fan
	frozen   bool          //
	watched  bool          // held to a limit
	doors    bool          // has a door that shows in the temperature
	delay    time.Duration // of an alarm: doors and defrosting pass within it
}

var placeKinds = []placeKind{
	{id: "dock", name: "Dock", still: true},
	{id: "deck", name: "Deck", still: true},
	{id: "walk_in", name: "Walk-in", watched: true, doors: true, delay: 25 * time.Minute},
	{id: "drawer", name: "Drawer", still: true, watched: true, doors: true, delay: 25 * time.Minute},
	{id: "tote", name: "Tote of ice", still: true, watched: true, delay: 30 * time.Minute},
	{id: "freezer", name: "Freezer", frozen: true, watched: true, delay: 45 * time.Minute},
	{id: "thaw_shelf", name: "Thaw shelf", watched: true, delay: 25 * time.Minute},
	{id: "ager", name: "Ageing cabinet", watched: true, doors: true, delay: 20 * time.Minute},
	{id: "bench", name: "Bench", still: true},
}

func placeKindOf(id string) placeKind {
	for _, k := range placeKinds {
		if k.id == id {
			return k
		}
	}
	return placeKind{still: true}
}

// PlaceKinds are the kinds of place offered.
var PlaceKinds = func() []string {
	ids := make([]string, len(placeKinds))
	for i, k := range placeKinds {
		ids[i] = k.id
	}
	return ids
}()

// PlaceKindName is a kind of place in words.
func PlaceKindName(id string) string { return placeKindOf(id).name }

// FanAir is air that a fan moves, nobody knows how fast.
var FanAir = heat.Boundary{SpeedMS: heat.FanMS}

// Boundary is how heat passes between fish and the place.
func (p Place) Boundary() heat.Boundary {
	if method, ok := freezing.GetMethod(p.Cooling); ok {
		return method.In(p.SpeedMS).Boundary
	}
	switch {
	case p.SpeedMS != nil:
		return heat.Boundary{SpeedMS: *p.SpeedMS}
	case placeKindOf(p.Kind).still:
		return heat.Boundary{SpeedMS: heat.StillMS}
	}
	return FanAir
}

// Freezer reports whether fish is kept frozen in the place.
func (p Place) Freezer() bool { return placeKindOf(p.Kind).frozen }

// AgeingCabinet reports whether fish hangs in the place to age.
func (p Place) AgeingCabinet() bool { return p.Kind == "ager" }

// Bench reports whether fish that lies in the place is being worked on, out of
// the cold.
func (p Place) Bench() bool { return p.Kind == "bench" }

// Cold reports whether fish is kept in the place, and held to a limit there.
func (p Place) Cold() bool { return placeKindOf(p.Kind).watched }

// Contents is what lies in a place, as far as limits follow from it.
type Contents struct {
	Formers bool // histamine formers
	Packed  bool // chilled packs without oxygen
}

// Clocked reports whether a safety clock runs on any of it.
func (c Contents) Clocked() bool { return c.Formers || c.Packed }

// Rules are what the alarms of the place go by: the limits of the profile for
// what lies in it, or its own where they are stricter. Limits that do not apply
// are NaN.
func (p Place) Rules(profile safety.Profile, in Contents, interval time.Duration) alarm.Rules {
	k := placeKindOf(p.Kind)
	r := alarm.Rules{WarmC: math.NaN(), FreezingC: math.NaN(), Delay: k.delay, Interval: interval,
		Doors: k.doors && p.Air}
	if p.Delay != nil {
		r.Delay = *p.Delay
	}
	if !k.watched {
		return r
	}
	r.WarmC = profile.ChilledMaxC
	if k.frozen {
		r.WarmC = profile.FrozenMaxC
	} else {
		if in.Formers {
			r.WarmC = math.Min(r.WarmC, profile.HistamineMaxC)
		}
		if in.Packed {
			r.WarmC = math.Min(r.WarmC, safety.OxygenC)
		}
		r.FreezingC = alarm.FreezingC
	}
	if p.WarmC != nil {
		r.WarmC = math.Min(r.WarmC, *p.WarmC)
	}
	if p.ColdC != nil && !k.frozen {
		r.FreezingC = math.Max(r.FreezingC, *p.ColdC)
	}
	return r
}

// Over returns the place of ready-to-eat food over which raw fish in the place
// lies, in the same column of the plan: it drips; false where there is none.
func (p Place) Over(all map[int64]Place) (below Place, over bool) {
	if p.Holds != HoldsRaw || p.Freezer() {
		return Place{}, false
	}
	for _, q := range all {
		if q.Holds == HoldsReady && q.Column == p.Column && q.Level < p.Level && (!over || q.Level > below.Level) {
			below, over = q, true
		}
	}
	return below, over
}
