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
	Method  Method
	Chilled time.Duration // until the core is at ChilledC; heat.Never where it does not get there
	Held    time.Duration // until the core is at HeldC
	Curve   []heat.Moment
}

// mostCooling is how long cooling is followed.
const mostCooling = 3 * 24 * time.Hour

// cool follows the core of one fish of a thickness, mm, from a temperature, °C, by one
// method of icing, as long as its ice lasts. Round fish cool like cylinders, flat ones
// like slabs. An error is a heat.ErrProcess.
func cool(s species.Species, material *heat.Material, thicknessMM, celsius float64, w Method) (Cooling, error) {
	body := heat.Body{Material: material, Shape: heat.Cylinder, Thickness: thicknessMM / 1000}
	if s.Body == species.Flat || s.Body == species.Ray || w.OneFace {
		body.Shape, body.OneFace = heat.Slab, w.OneFace
	}
	r, err := heat.Process{Body: body, StartC: celsius, Medium: heat.Steady(w.MediumC), H: w.H, Max: mostCooling,
		Whole: true,
		Goals: []heat.Goal{{Part: heat.Core, Op: heat.AtMost, Celsius: ChilledC},
			{Part: heat.Core, Op: heat.AtMost, Celsius: HeldC}}}.Run()
	if err != nil {
		return Cooling{}, err
	}
	return Cooling{Method: w, Chilled: r.Reached[0], Held: r.Reached[1], Curve: r.Curve}, nil
}

// Compare cools the fish by every method. An error is a heat.ErrProcess.
func Compare(s species.Species, thicknessMM, celsius float64) ([]Cooling, error) {
	material, err := heat.Of(s).Material()
	if err != nil {
		return nil, err
	}
	var all []Cooling
	for _, w := range Methods {
		c, err := cool(s, material, thicknessMM, celsius, w)
		if err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, nil
}
