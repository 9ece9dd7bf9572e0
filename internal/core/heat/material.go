package heat

import (
	"errors"
	"fmt"
	"math"
	"sort"
)

// Point is a state of a material: its temperature, the heat in it and how it
// conducts.
type Point struct {
	Celsius      float64 // °C
	Enthalpy     float64 // J/m³
	Conductivity float64 // W/(m·K)
}

// nodes is the number of even steps of enthalpy in a Material.
const nodes = 2048

// Material is what the solver knows of a stuff: temperature T and conductivity
// integral θ = ∫k dT as functions of the volumetric enthalpy H, tabulated at
// even steps of H, so that a lookup is one multiplication. It is not changed
// after it was made and may be shared.
type Material struct {
	first, step float64 // J/m³
	perStep     float64 // 1/step
	at          [nodes + 1]state
}

type state struct{ celsius, theta, conductivity float64 }

// ErrPoints says that points do not describe a material.
var ErrPoints = errors.New(
	"a material needs two points or more, of rising enthalpy, with temperatures that do not fall and conductivities above 0")

// NewMaterial makes a material from points in the order of enthalpy; between
// them temperature and conductivity run straight with the enthalpy. Two points
// of the same temperature stand for a sharp melting point.
func NewMaterial(points []Point) (*Material, error) {
	if len(points) < 2 {
		return nil, ErrPoints
	}
	theta := make([]float64, len(points)) // W/m
	for i, p := range points {
		if !(p.Conductivity > 0) || math.IsInf(p.Conductivity, 0) {
			return nil, ErrPoints
		}
		if i == 0 {
			continue
		}
		before := points[i-1]
		if !(p.Enthalpy > before.Enthalpy) || !(p.Celsius >= before.Celsius) {
			return nil, ErrPoints
		}
		theta[i] = theta[i-1] + (p.Celsius-before.Celsius)*(p.Conductivity+before.Conductivity)/2
	}
	m := &Material{first: points[0].Enthalpy}
	m.step = (points[len(points)-1].Enthalpy - m.first) / nodes
	j := 1
	m.perStep = 1 / m.step
	for i := range m.at {
		h := m.first + float64(i)*m.step
		for j < len(points)-1 && points[j].Enthalpy < h {
			j++
		}
		a, b := points[j-1], points[j]
		share := (h - a.Enthalpy) / (b.Enthalpy - a.Enthalpy)
		m.at[i] = state{a.Celsius + share*(b.Celsius-a.Celsius), theta[j-1] + share*(theta[j]-theta[j-1]),
			a.Conductivity + share*(b.Conductivity-a.Conductivity)}
	}
	return m, nil
}

// Material tabulates the food. Its volume is held constant, at the density
// just above the freezing point: the solver's cells do not swell.
func (f Food) Material() (*Material, error) {
	if err := f.Check(); err != nil {
		return nil, err
	}
	m := f.mixture()
	density := m.at(m.freezing).DensityKgM3
	var points []Point
	h := density * 1000 * m.enthalpy(ColdestC)
	t := ColdestC
	add := func(to float64, n int) { // n even steps, the melting in closed form, the rest by the midpoint
		d := (to - t) / float64(n)
		for range n {
			before, _ := m.ice(t)
			after, _ := m.ice(t + d)
			_, slope := m.ice(t + d/2)
			sensible := m.at(t+d/2).SpecificHeat + FusionKJ*slope
			h += density * 1000 * (sensible*d + FusionKJ*(before-after))
			t += d
			points = append(points, Point{t, h, m.at(t).ConductivityWMK})
		}
	}
	points = append(points, Point{t, h, m.at(t).ConductivityWMK})
	add(-20, 80)
	add(-5, 75)
	add(2*m.freezing, 100)
	add(m.freezing, 200)
	add(HottestC, 61)
	return NewMaterial(points)
}

// enthalpy is the enthalpy at a temperature, J/m³; at a sharp melting point
// that of the solid.
func (m *Material) enthalpy(celsius float64) (float64, error) {
	if !(celsius >= m.at[0].celsius && celsius <= m.at[nodes].celsius) {
		return 0, fmt.Errorf("%.1f °C: the material is known from %.1f to %.1f °C", celsius, m.at[0].celsius,
			m.at[nodes].celsius)
	}
	i := sort.Search(nodes, func(i int) bool { return m.at[i+1].celsius >= celsius })
	a, b := m.at[i].celsius, m.at[i+1].celsius
	share := 0.0
	if b > a {
		share = (celsius - a) / (b - a)
	}
	return m.first + (float64(i)+share)*m.step, nil
}

// look returns the state at an enthalpy, and how fast temperature (K·m³/J) and
// θ rise with it. Beyond the table it goes on straight.
func (m *Material) look(h float64) (s state, dT, dTheta float64) {
	x := (h - m.first) * m.perStep
	i := int(x)
	if i < 0 || x < 0 {
		i = 0
	} else if i >= nodes {
		i = nodes - 1
	}
	x -= float64(i)
	a, b := &m.at[i], &m.at[i+1]
	dc, dt := b.celsius-a.celsius, b.theta-a.theta
	return state{a.celsius + x*dc, a.theta + x*dt, a.conductivity + x*(b.conductivity-a.conductivity)},
		dc * m.perStep, dt * m.perStep
}
