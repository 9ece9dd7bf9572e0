// Package heat calculates how fish warms, cools, freezes and thaws: properties
// from the composition, and a solver of one-dimensional heat flow.
//
// A [Food] gives [Properties] and a [Material]; a [Process] is a body of it in
// a medium, and running it says when its parts reach which temperature:
//
//	m, err := heat.Of(cod).Material()
//	p := heat.Process{Body: heat.Body{Material: m, Shape: heat.Cylinder, Thickness: 0.1},
//		StartC: 12, Medium: heat.Steady(0), H: 100, Max: 24 * time.Hour,
//		Goals: []heat.Goal{{Part: heat.Core, Op: heat.AtMost, Celsius: 4.4}}}
//	r, err := p.Run() // r.Reached[0] is how long it takes
package heat

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"
)

// Shape is how heat flows through a body: between two faces, or from the middle
// outward.
type Shape string

// The shapes.
const (
	Slab     Shape = "slab"
	Cylinder Shape = "cylinder"
	Sphere   Shape = "sphere"
)

// Shapes lists them.
var Shapes = []Shape{Slab, Cylinder, Sphere}

// Part is a part of the body.
type Part string

// The parts. Mean is the temperature to which the body would even out.
const (
	Core    Part = "core"
	Surface Part = "surface"
	Mean    Part = "mean"
	All     Part = "all"
)

// Parts lists them.
var Parts = []Part{Core, Surface, Mean, All}

// Op says on which side of a temperature a part must be.
type Op string

// The sides.
const (
	AtMost  Op = "le"
	AtLeast Op = "ge"
)

// Goal is a moment that matters: a part at, or beyond, a temperature.
type Goal struct {
	Part    Part
	Op      Op
	Celsius float64
}

// Body is what is cooled or warmed.
type Body struct {
	Material  *Material
	Shape     Shape
	Thickness float64 // full thickness or diameter, m
	OneFace   bool    // a slab that lies on something that takes no heat
}

// At is a temperature at a time since the start.
type At struct {
	Since   time.Duration
	Celsius float64
}

// Steady is a medium of one temperature.
func Steady(celsius float64) []At { return []At{{Celsius: celsius}} }

// Process is a body in a medium.
type Process struct {
	Body   Body
	StartC float64 // the same in all of the body
	// Medium is in the order of time. Between two points it runs straight,
	// before the first and after the last it holds; two points of one time are
	// a step.
	Medium []At
	H      float64       // surface coefficient, W/(m²·K)
	Goals  []Goal        //
	Max    time.Duration // stops here where not all goals were reached before; at most 60 days
	Whole  bool          // goes on to Max although all goals are reached
	Cells  int           // 0 stands for 40
}

// Moment is the body at one time since the start, °C.
type Moment struct {
	Since                               time.Duration
	Core, Mean, Surface, Least, Highest float64
}

// Never says that a goal was not reached.
const Never time.Duration = -1

// Result is what became of a body.
type Result struct {
	Reached []time.Duration // of each goal; Never where it was not
	Curve   []Moment        // from the start to the end, at most curvePoints
	Passage time.Duration   // that the core spent between −1 and −5 °C
	Removed float64         // heat, J per m³ of the body; below 0 where it took heat up
	Steps   int             // of time
}

// Bounds of a process.
const (
	maxProcess = 60 * 24 * time.Hour
	maxCells   = 400
	usualCells = 40
	// maxSteps bounds the steps of time, about half a second's work: sixty days in a medium that
	// holds still take 9,000.
	maxSteps = 50_000
)

// ErrProcess says that a process makes no sense, or takes too many steps.
var ErrProcess = errors.New("heat")

// Check returns an error, which is an ErrProcess, unless the process can be run.
func (p Process) Check() error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: %s", ErrProcess, fmt.Sprintf(format, args...))
	}
	switch b := p.Body; {
	case b.Material == nil:
		return wrong("the body has no material")
	case b.Shape != Slab && b.Shape != Cylinder && b.Shape != Sphere:
		return wrong("the shape %q is not known", b.Shape)
	case !(b.Thickness >= 0.001 && b.Thickness <= 2):
		return wrong("the thickness must be between 1 mm and 2 m")
	case b.OneFace && b.Shape != Slab:
		return wrong("only a slab has one face")
	case !(p.H > 0 && p.H <= 1e9):
		return wrong("the surface coefficient must be above 0")
	case p.Max <= 0 || p.Max > maxProcess:
		return wrong("the time must be above 0 and at most 60 days")
	case p.Cells < 0 || p.Cells == 1 || p.Cells > maxCells:
		return wrong("between 2 and %d cells", maxCells)
	case len(p.Medium) == 0:
		return wrong("the medium has no temperature")
	}
	if _, err := p.Body.Material.enthalpy(p.StartC); err != nil {
		return fmt.Errorf("%w: start: %w", ErrProcess, err)
	}
	for i, m := range p.Medium {
		if _, err := p.Body.Material.enthalpy(m.Celsius); err != nil {
			return fmt.Errorf("%w: medium: %w", ErrProcess, err)
		}
		if i > 0 && m.Since < p.Medium[i-1].Since {
			return wrong("the medium's times must not fall")
		}
	}
	for _, g := range p.Goals {
		if g.Op != AtMost && g.Op != AtLeast || g.Part != Core && g.Part != Surface && g.Part != Mean && g.Part != All {
			return wrong("the goal %s %s is not known", g.Part, g.Op)
		}
	}
	return nil
}

// of returns the temperature that decides whether the goal is reached.
func (g Goal) of(m Moment) float64 {
	switch {
	case g.Part == Core:
		return m.Core
	case g.Part == Surface:
		return m.Surface
	case g.Part == Mean:
		return m.Mean
	case g.Op == AtMost:
		return m.Highest
	}
	return m.Least
}

// beyond is how far the goal is passed, K; below 0 where it is not reached.
func (g Goal) beyond(m Moment) float64 {
	if g.Op == AtMost {
		return g.Celsius - g.of(m)
	}
	return g.of(m) - g.Celsius
}

// curvePoints bounds the points of a curve.
const curvePoints = 240

// The passage in which most water freezes, °C: the slower, the more drip.
const passageFrom, passageTo = -1.0, -5.0

// Run computes the process.
func (p Process) Run() (Result, error) { return p.RunContext(context.Background()) }

// RunContext is Run until the context ends: then it returns the context's error.
func (p Process) RunContext(ctx context.Context) (Result, error) {
	if err := p.Check(); err != nil {
		return Result{}, err
	}
	s := newSolver(p)
	r := Result{Reached: make([]time.Duration, len(p.Goals)), Curve: make([]Moment, 0, curvePoints+1)}
	for i := range r.Reached {
		r.Reached[i] = Never
	}
	now := s.moment()
	open := len(p.Goals)
	for i, g := range p.Goals {
		if g.beyond(now) >= 0 {
			r.Reached[i] = 0
			open--
		}
	}
	r.Curve = append(r.Curve, now)
	stride, last := 1, now
	for s.t < p.Max.Seconds() && (open > 0 || p.Whole || len(p.Goals) == 0) {
		if err := ctx.Err(); err != nil {
			return Result{}, err
		}
		if r.Steps == maxSteps {
			return Result{}, fmt.Errorf("%w: the medium swings too often: it takes more than %d steps of time", ErrProcess, maxSteps)
		}
		s.advance()
		now = s.moment()
		for i, g := range p.Goals {
			if r.Reached[i] != Never || g.beyond(now) < 0 {
				continue
			}
			share := g.beyond(last) / (g.beyond(last) - g.beyond(now))
			r.Reached[i] = last.Since + time.Duration(share*float64(now.Since-last.Since))
			open--
		}
		r.Passage += time.Duration(shareBetween(last.Core, now.Core) * float64(now.Since-last.Since))
		r.Steps++
		if r.Steps%stride == 0 {
			if len(r.Curve) >= curvePoints { // every second point is enough from here on
				for i := range curvePoints / 2 {
					r.Curve[i] = r.Curve[2*i]
				}
				r.Curve = r.Curve[:curvePoints/2]
				stride *= 2
			}
			r.Curve = append(r.Curve, now)
		}
		last = now
	}
	if r.Curve[len(r.Curve)-1].Since != last.Since {
		r.Curve = append(r.Curve, last)
	}
	r.Removed = s.removed / s.total
	return r, nil
}

// shareBetween returns the share of an even run from a to b that lies within
// the passage.
func shareBetween(a, b float64) float64 {
	lo, hi := math.Min(a, b), math.Max(a, b)
	inside := math.Min(hi, passageFrom) - math.Max(lo, passageTo)
	switch {
	case inside < 0:
		return 0
	case hi == lo:
		return 1
	}
	return inside / (hi - lo)
}
