package icing

import (
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/species"
)

// ChilledC is the core temperature at which a fish counts as chilled, °C: the
// histamine rules' limit. HeldC is that of the strict profiles.
const (
	ChilledC = 4.4
	HeldC    = 2.0
)

// Cooling is how one fish cools in one way of icing.
type Cooling struct {
	Way     Way
	Chilled time.Duration // until the core is at ChilledC; heat.Never where it does not get there
	Held    time.Duration // until the core is at HeldC
	Curve   []heat.Moment
}

// mostCooling bounds how long cooling is followed, and the curve goes on so
// long at least.
const (
	mostCooling = 3 * 24 * time.Hour
	leastCurve  = 12 * time.Hour
)

// Cool follows the core of one fish of a thickness, mm, from a temperature, °C,
// in one way of icing, as long as its ice lasts. Round fish cool like
// cylinders, flat ones like slabs. An error is a heat.ErrProcess.
func Cool(s species.Species, thicknessMM, celsius float64, w Way) (Cooling, error) {
	material, err := heat.Of(s).Material()
	if err != nil {
		return Cooling{}, err
	}
	body := heat.Body{Material: material, Shape: heat.Cylinder, Thickness: thicknessMM / 1000}
	if s.Body == species.Flat || s.Body == species.Ray || w.OneFace {
		body.Shape, body.OneFace = heat.Slab, w.OneFace
	}
	p := heat.Process{Body: body, StartC: celsius, Medium: heat.Steady(w.MediumC), H: w.H, Max: leastCurve, Whole: true,
		Goals: []heat.Goal{{Part: heat.Core, Op: heat.AtMost, Celsius: ChilledC}, {Part: heat.Core, Op: heat.AtMost, Celsius: HeldC}}}
	r, err := p.Run()
	if err == nil && r.Reached[1] == heat.Never {
		p.Max, p.Whole = mostCooling, false
		r, err = p.Run()
	}
	if err != nil {
		return Cooling{}, err
	}
	return Cooling{Way: w, Chilled: r.Reached[0], Held: r.Reached[1], Curve: r.Curve}, nil
}

// Compare cools the fish in every way.
func Compare(s species.Species, thicknessMM, celsius float64) ([]Cooling, error) {
	var all []Cooling
	for _, w := range Ways {
		c, err := Cool(s, thicknessMM, celsius, w)
		if err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, nil
}
