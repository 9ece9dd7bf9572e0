// Package freezing forecasts how a batch of fish freezes: when its core is at
// −18 and −20 °C, how fast it passes through the zone in which most water
// freezes, and how much of it a freezer takes before it warms.
package freezing

import (
	"errors"
	"fmt"
	"math"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/piece"
)

// Method is a way in which a freezer cools.
type Method struct {
	ID, Name string
	Boundary heat.Boundary
}

// Methods lists them, slowest first: the usual air speeds, and the coefficient of plates (house).
var Methods = []Method{
	{"still", "Chest or cabinet, no fan", heat.Boundary{SpeedMS: heat.StillMS}},
	{"fan", "Fan air", heat.Boundary{SpeedMS: heat.FanMS}},
	{"blast", "Blast", heat.Boundary{SpeedMS: heat.BlastMS}},
	{"plate", "Between plates", heat.Boundary{H: 150}},
}

// Air reports whether the method cools by moving air, whose speed may be measured.
func (m Method) Air() bool { return m.Boundary.SpeedMS > 0 }

// In is the method in a freezer whose air speed was measured, m/s; nil where it was not.
func (m Method) In(speedMS *float64) Method {
	if m.Air() && speedMS != nil {
		m.Boundary.SpeedMS = *speedMS
	}
	return m
}

// rackedH is the most that air takes from fish frozen singly on racks, W/(m²·K): rows of them shade
// each other (house; with it the freezing times of [FAO340] are met).
const rackedH = 26.0

// GetMethod returns the way with the id.
func GetMethod(id string) (Method, bool) {
	for _, w := range Methods {
		if w.ID == id {
			return w, true
		}
	}
	return Method{}, false
}

// Wrapping is what lies around the fish while it freezes, and how much it
// resists the heat, m²·K/W: in air, and pressed between plates, which leaves no air in it.
type Wrapping struct {
	ID, Name       string
	Loose, Pressed float64
}

// Wrappings lists them: film with half a millimetre of air below it, bags
// without air, waxed board with the air beside it (house).
var Wrappings = []Wrapping{
	{ID: "bare", Name: "Bare, on a tray"},
	{ID: "glazed", Name: "Bare, then glazed"},
	{"film", "In film", 0.02, 0.001},
	{"vacuum", "Vacuum bag", 0.002, 0.001},
	{"carton", "In a carton", 0.04, 0.002},
}

// GetWrapping returns the wrapping with the id.
func GetWrapping(id string) (Wrapping, bool) {
	for _, w := range Wrappings {
		if w.ID == id {
			return w, true
		}
	}
	return Wrapping{}, false
}

// Prep is something done before fish is frozen, and what it is good for (common
// practice, no source).
type Prep struct{ ID, Name, Why string }

// Preps lists them in the order of the work.
var Preps = []Prep{
	{"bled", "Bled", "blood left in darkens within about a week, even frozen"},
	{"bloodline", "Bloodline trimmed", "it turns first; trim a second time after thawing"},
	{"dried", "Patted dry", "less frost, less drip"},
	{"papered", "An hour in absorbent paper, in the cold", "takes off what would be frost in the pack"},
	{"flat", "Flat and thin, one layer", "half the thickness freezes in less than half the time"},
	{"labelled", "Labelled", "with lot, form, weight and day"},
}

// H is the surface coefficient of a piece in a wrapping in a medium, °C, W/(m²·K): that of moving air
// at most rackedH. The piece must have a thickness.
func (m Method) H(p piece.Piece, w Wrapping, mediumC float64) float64 {
	h := m.Boundary.Of(p.Shape, p.ThicknessMM/1000, mediumC)
	if m.Air() {
		return heat.Behind(math.Min(h, rackedH), w.Loose)
	}
	return heat.Behind(h, w.Pressed)
}

// Batch is what is frozen at once.
type Batch struct {
	Food   heat.Food
	Piece  piece.Piece
	StartC float64
	Medium []heat.At     // the freezer's air: its set temperature, or what was measured
	H      float64       // of the surface, wrapping included
	Kg     float64       //
	PowerW *float64      // what the freezer can take away beside what leaks in; nil where nobody knows
	Max    time.Duration // 0 stands for 4 days
	Whole  bool          // follow it to Max
}

// QuickHours is the longest time from 0 to −5 °C in all of the fish that counts
// as quick [Torry27].
const QuickHours = 2.0

// usualMax is how long a freezing is followed.
const usualMax = 4 * 24 * time.Hour

// Forecast is how a batch freezes. Times are since the start; heat.Never where
// a temperature is not reached.
type Forecast struct {
	Curve     []heat.Moment
	Solid     time.Duration // the core at SolidC: the quality clock paused while frozen
	ToMinus18 time.Duration // the core
	ToMinus20 time.Duration
	Passage   time.Duration // of the core, from 0 to −5 °C; heat.Never where it does not get there
	Quick     bool
	HeatKJ    float64  // that each kg gives up until the core is at −5 °C, kJ
	MostKg    *float64 // that the freezer takes at this pace; nil where its power is not known
}

// Passed reports whether the core gets through the zone at all.
func (f Forecast) Passed() bool { return f.Passage != heat.Never }

// SolidC is the temperature at which fish counts as frozen hard: the ice clock
// paused while frozen, the frozen one runs.
const SolidC = -3.0

// ErrBatch says that a batch makes no sense.
var ErrBatch = errors.New("freezing")

// Process is the batch as the heat solver takes it.
func (b Batch) Process() (heat.Process, error) {
	material, err := b.Food.Material()
	if err != nil {
		return heat.Process{}, fmt.Errorf("%w: %w", ErrBatch, err)
	}
	p := heat.Process{Body: b.Piece.Body(material), StartC: b.StartC, Medium: b.Medium, H: b.H, Max: b.Max,
		Whole: b.Whole}
	if p.Max == 0 {
		p.Max = usualMax
	}
	if err := p.Check(); err != nil {
		return p, fmt.Errorf("%w: %w", ErrBatch, err)
	}
	return p, nil
}

// Predict follows the batch. The error is an ErrBatch.
func Predict(b Batch) (Forecast, error) {
	p, err := b.Process()
	if err != nil {
		return Forecast{}, err
	}
	p.Goals = []heat.Goal{
		{Part: heat.Core, Op: heat.AtMost, Celsius: 0}, {Part: heat.Core, Op: heat.AtMost, Celsius: -5},
		{Part: heat.Core, Op: heat.AtMost, Celsius: SolidC},
		{Part: heat.Core, Op: heat.AtMost, Celsius: -18}, {Part: heat.Core, Op: heat.AtMost, Celsius: -20}}
	r, err := p.Run()
	if err != nil {
		return Forecast{}, fmt.Errorf("%w: %w", ErrBatch, err)
	}
	f := Forecast{Curve: r.Curve, Solid: r.Reached[2], ToMinus18: r.Reached[3], ToMinus20: r.Reached[4],
		Passage: heat.Never}
	zero, five := r.Reached[0], r.Reached[1]
	if five == heat.Never {
		return f, nil
	}
	f.Passage = five - zero
	f.Quick = f.Passage.Hours() <= QuickHours
	p.Goals, p.Whole = p.Goals[1:2], false
	if r, err = p.Run(); err != nil {
		return f, fmt.Errorf("%w: %w", ErrBatch, err)
	}
	thawed, err := b.Food.At(0)
	if err != nil {
		return f, fmt.Errorf("%w: %w", ErrBatch, err)
	}
	f.HeatKJ = r.Removed / thawed.DensityKgM3 / 1000
	if b.PowerW != nil && f.HeatKJ > 0 {
		most := *b.PowerW * five.Seconds() / (1000 * f.HeatKJ)
		f.MostKg = &most
	}
	return f, nil
}

// Margin is how far a predicted time may be off: it is added wherever a
// prediction stands for a measurement in a rule (house; the solver is held to
// 15 % of reported freezing times).
const Margin = 0.15

// fitCells is the coarser grid on which a coefficient is looked for: a tenth of
// the work, and within a thermometer's error. A reading earlier than tooEarly
// is the start.
const (
	fitCells = 12
	tooEarly = 5 * time.Minute
)

// Fit finds the surface coefficient that readings of the core show of a process
// that began at a time, W/(m²·K), and how far the curve still is off, K; false
// where they have none.
func Fit(p heat.Process, core []coldchain.Reading, begun time.Time) (h, off float64, ok bool) {
	var known []heat.At
	for _, x := range core {
		if since := x.At.Sub(begun); since >= tooEarly && since <= p.Max {
			known = append(known, heat.At{Since: since, Celsius: x.Celsius})
		}
	}
	if len(known) == 0 {
		return 0, 0, false
	}
	p.Cells = fitCells
	h, off, err := p.Fit(known)
	return h, off, err == nil
}
