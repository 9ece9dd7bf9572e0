package api

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
)

// foodIn names what is cooled or warmed: a species, or a composition.
type foodIn struct {
	Species         string               `json:"species"`
	Composition     *species.Composition `json:"composition"`
	FreezingCelsius *float64             `json:"freezing_celsius"`
}

func (c calculator) food(in foodIn, bad *invalid.Errors) heat.Food {
	food := heat.Food{FreezingC: heat.FreezingC}
	switch {
	case in.Composition != nil && in.Species != "":
		bad.Add("composition", "give a species or a composition, not both")
	case in.Composition != nil:
		food.Composition = *in.Composition
	default:
		if sp := c.speciesOf(in.Species, bad); sp.ID != "" {
			food = heat.Of(sp)
		}
	}
	if in.FreezingCelsius != nil {
		food.FreezingC = *in.FreezingCelsius
	}
	if err := food.Check(); err != nil && len(*bad) == 0 {
		bad.Add("composition", "%v", err)
	}
	return food
}

type propertiesIn struct {
	foodIn
	Celsius *float64 `json:"celsius"`
}

type propertiesOut struct {
	Density      float64 `json:"density_kg_m3"`
	SpecificHeat float64 `json:"specific_heat_kj_kgk"`
	Conductivity float64 `json:"conductivity_w_mk"`
	Enthalpy     float64 `json:"enthalpy_kj_kg"`
	IceFraction  float64 `json:"ice_fraction"`
}

func (c calculator) properties(in propertiesIn) (propertiesOut, error) {
	var bad invalid.Errors
	food := c.food(in.foodIn, &bad)
	if in.Celsius == nil {
		bad.Add("celsius", "is missing")
	}
	if err := bad.Err(); err != nil {
		return propertiesOut{}, err
	}
	p, err := food.At(*in.Celsius)
	if err != nil {
		return propertiesOut{}, invalid.Errors{{Field: "celsius", Message: err.Error()}}
	}
	return propertiesOut{p.DensityKgM3, p.SpecificHeat, p.ConductivityWMK, p.EnthalpyKJ, p.IceFraction}, nil
}

type heatIn struct {
	foodIn
	Shape         heat.Shape `json:"shape"`
	ThicknessMM   float64    `json:"thickness_mm"`
	StartCelsius  *float64   `json:"start_celsius"`
	MediumCelsius *float64   `json:"medium_celsius"`
	Medium        []struct {
		AtHours float64  `json:"at_hours"`
		Celsius *float64 `json:"celsius"`
	} `json:"medium"`
	H          *float64 `json:"h_w_m2k"`
	AirSpeedMS *float64 `json:"air_speed_ms"`
	PackM2KW   *float64 `json:"pack_m2k_w"`
	Until      *goalIn  `json:"until"`
	MaxHours   *float64 `json:"max_hours"`
}

type goalIn struct {
	Part    heat.Part `json:"part"`
	Op      heat.Op   `json:"op"`
	Celsius *float64  `json:"celsius"`
}

type heatOut struct {
	Hours   *float64     `json:"hours"`   // null where it is not reached
	H       float64      `json:"h_w_m2k"` // the surface coefficient, without the packing
	Curve   []curvePoint `json:"curve"`
	Passage float64      `json:"hours_core_minus1_to_minus5"`
}

type curvePoint struct {
	Hours   float64 `json:"hours"`
	Core    float64 `json:"core"`
	Mean    float64 `json:"mean"`
	Surface float64 `json:"surface"`
}

// mostMedium bounds the points of a medium.
const mostMedium = 500

// usualHours is how long a process is followed where the request says nothing.
const usualHours = 7 * 24.0

func inHours(h float64) time.Duration { return time.Duration(h * float64(time.Hour)) }

// process checks the request and makes a process of it.
func (c calculator) process(in heatIn) (heat.Process, error) {
	var bad invalid.Errors
	need := func(field string, v *float64) float64 {
		switch {
		case v == nil:
			bad.Add(field, "is missing")
			return 0
		case !(*v >= heat.ColdestC && *v <= heat.HottestC):
			bad.Add(field, "must be between %.0f and %.0f", heat.ColdestC, heat.HottestC)
		}
		return *v
	}
	food := c.food(in.foodIn, &bad)
	p := heat.Process{Body: heat.Body{Shape: in.Shape, Thickness: in.ThicknessMM / 1000},
		StartC: need("start_celsius", in.StartCelsius), Max: inHours(usualHours)}
	if !(in.ThicknessMM >= 1 && in.ThicknessMM <= 2000) {
		bad.Add("thickness_mm", "must be between 1 and 2000")
	}
	if !slices.Contains(heat.Shapes, in.Shape) {
		bad.Add("shape", "must be slab, cylinder or sphere")
	}
	in.checkSurface(&bad)
	if in.MaxHours != nil {
		if p.Max = inHours(*in.MaxHours); !(*in.MaxHours > 0 && *in.MaxHours <= 60*24) {
			bad.Add("max_hours", "must be above 0 and at most 1440")
		}
	}
	if in.Until == nil {
		bad.Add("until", "is missing")
	} else {
		if !slices.Contains(heat.Parts, in.Until.Part) {
			bad.Add("until.part", "must be core, surface, mean or all")
		}
		if in.Until.Op != heat.AtMost && in.Until.Op != heat.AtLeast {
			bad.Add("until.op", "must be le or ge")
		}
		p.Goals = []heat.Goal{{Part: in.Until.Part, Op: in.Until.Op, Celsius: need("until.celsius", in.Until.Celsius)}}
	}
	switch {
	case len(in.Medium) > mostMedium:
		bad.Add("medium", "has more than %d points", mostMedium)
	case len(in.Medium) > 0 && in.MediumCelsius != nil:
		bad.Add("medium", "give medium_celsius or medium, not both")
	case len(in.Medium) > 0:
		for i, m := range in.Medium {
			field := fmt.Sprintf("medium[%d].", i)
			if !(m.AtHours >= 0 && m.AtHours <= 60*24) || i > 0 && m.AtHours < in.Medium[i-1].AtHours {
				bad.Add(field+"at_hours", "must be at least 0, at most 1440, and not before the point before it")
			}
			p.Medium = append(p.Medium, heat.At{Since: inHours(m.AtHours), Celsius: need(field+"celsius", m.Celsius)})
		}
	default:
		p.Medium = heat.Steady(need("medium_celsius", in.MediumCelsius))
	}
	if err := bad.Err(); err != nil {
		return p, err
	}
	var err error
	if p.Body.Material, err = food.Material(); err != nil {
		return p, err
	}
	p.H = in.surfaceH(p)
	if in.PackM2KW != nil {
		p.H = heat.Behind(p.H, *in.PackM2KW)
	}
	return p, nil
}

func (in heatIn) checkSurface(bad *invalid.Errors) {
	switch {
	case (in.H == nil) == (in.AirSpeedMS == nil):
		bad.Add("h_w_m2k", "give h_w_m2k or air_speed_ms, and one of them")
	case in.H != nil && !(*in.H > 0 && *in.H <= 1e6):
		bad.Add("h_w_m2k", "must be above 0")
	case in.AirSpeedMS != nil && !(*in.AirSpeedMS >= slowestAir && *in.AirSpeedMS <= heat.MostMS):
		bad.Add("air_speed_ms", "must be between %g and %.0f", slowestAir, heat.MostMS)
	}
	if in.PackM2KW != nil && !(*in.PackM2KW >= 0 && *in.PackM2KW <= 10) {
		bad.Add("pack_m2k_w", "must be at least 0 and at most 10")
	}
}

// slowestAir is the lowest air speed that is taken, m/s: below it fish is cooled by what it warms.
const slowestAir = 0.01

// surfaceH is the coefficient that the request gives, or forced convection makes at its air speed and
// the mean of its medium, W/(m²·K), without its packing.
func (in heatIn) surfaceH(p heat.Process) float64 {
	if in.H != nil {
		return *in.H
	}
	sum := 0.0
	for _, m := range p.Medium {
		sum += m.Celsius
	}
	film := (sum/float64(len(p.Medium)) + heat.FreezingC) / 2
	return heat.ConvectionH(p.Body.Shape, p.Body.Thickness, *in.AirSpeedMS, film)
}

// heat follows a body until a part of it is at a temperature.
func (c calculator) heat(ctx context.Context, in heatIn) (heatOut, error) {
	p, err := c.process(in)
	if err != nil {
		return heatOut{}, err
	}
	r, err := p.RunContext(ctx)
	if err != nil {
		return heatOut{}, err
	}
	return heatOut{Hours: hoursOrNull(r.Reached[0]), H: in.surfaceH(p), Curve: curveOut(r.Curve), Passage: r.Passage.Hours()}, nil
}
