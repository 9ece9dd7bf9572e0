package heat

import (
	"math"
	"time"
)

// solver carries a process on in time.
//
// The body is cut into cells of one thickness δ, from the middle (or the face
// that takes no heat) outward. Each holds its volumetric enthalpy H; what flows
// between two neighbours of the common area A is A·(θ₁ − θ₂)/δ with
// θ = ∫k dT, which is exact for steady flow through a conductivity that
// changes, as it does threefold at the freezing point. What leaves the
// outermost cell leaves all of the body, and nothing is made or lost between:
//
//	V·dHᵢ/dt = Aᵢ₋½·(θᵢ₋₁ − θᵢ)/δ − Aᵢ₊½·(θᵢ − θᵢ₊₁)/δ
//	at the surface: A·(T_N − T_medium) / (1/h + δ/(2·k_N))
//
// A step of dt is two implicit stages of γ·dt, γ = 1 − 1/√2, each like a
// backward Euler step [the SDIRK method of order 2, Alexander 1977]:
//
//	x₁ = h + γ·dt·f(x₁),   x₂ = h + (1−γ)/γ·(x₁ − h) + γ·dt·f(x₂)
//
// Unlike the explicit scheme, bound to steps below δ²/(2·α), about a second
// here, it is stable for any step: it is L-stable, and since T and θ never
// fall with H, the matrix of each stage is an M-matrix whatever the step.
// T(H) and θ(H) are straight between the nodes of the Material, so Newton's
// method ends as soon as no cell changes its piece; each of its linear systems
// conserves heat by itself, so the balance closes to rounding even where it is
// stopped early. The step limit is one of accuracy: no cell may change by much
// more than mostChange of what the whole process could exchange.
type solver struct {
	p            Process
	cells        int
	delta        float64   // m
	area         []float64 // outer face of each cell; of a unit of length, or of solid angle
	volume       []float64
	total        float64
	h, base, x   []float64 // enthalpy at the beginning of the step and of the stage, and at its end, J/m³
	low, mid, up []float64 // the tridiagonal system
	right        []float64
	look         []cellState
	t, dt        float64 // s
	scale        float64 // J/m³: what a cell can give up at most
	flux         float64 // at the surface, W/m²
	removed      float64 // J
	nextMedium   int
}

type cellState struct{ theta, dTheta float64 }

const (
	// mostChange bounds what a cell may give up in a step, as a share of what it
	// can give up at most.
	mostChange = 0.05
	// longestStep bounds a step, s.
	longestStep = 600
	mostNewton  = 30
	// settled is the change at which Newton's method ends, in steps of the
	// material's table.
	settled = 1e-3
)

// gamma is the share of each stage in a step.
const gamma = 1 - math.Sqrt2/2

func newSolver(p Process) *solver {
	n := p.Cells
	if n == 0 {
		n = usualCells
	}
	depth := p.Body.Thickness / 2
	if p.Body.OneFace {
		depth = p.Body.Thickness
	}
	s := &solver{p: p, cells: n, delta: depth / float64(n)}
	all := make([]float64, 9*n)
	take := func() []float64 { part := all[:n:n]; all = all[n:]; return part }
	s.area, s.volume, s.h, s.base, s.x = take(), take(), take(), take(), take()
	s.low, s.mid, s.up, s.right = take(), take(), take(), take()
	s.look = make([]cellState, n)
	power := map[Shape]float64{Slab: 1, Cylinder: 2, Sphere: 3}[p.Body.Shape]
	for i := range n {
		inner, outer := float64(i)*s.delta, float64(i+1)*s.delta
		s.area[i] = math.Pow(outer, power-1)
		s.volume[i] = (math.Pow(outer, power) - math.Pow(inner, power)) / power
		s.total += s.volume[i]
	}
	start, _ := p.Body.Material.enthalpy(p.StartC)
	for i := range s.h {
		s.h[i] = start
	}
	for _, m := range p.Medium {
		end, _ := p.Body.Material.enthalpy(m.Celsius)
		s.scale = math.Max(s.scale, math.Abs(end-start))
	}
	s.scale = math.Max(s.scale, p.Body.Material.step)
	_, _, diffusivity := p.Body.Material.look(start)
	s.dt = longestStep
	if diffusivity > 0 {
		s.dt = math.Min(s.dt, 0.25*s.delta*s.delta/diffusivity)
	}
	return s
}

// advance takes one step.
func (s *solver) advance() {
	end := s.p.Max.Seconds()
	dt := math.Min(s.dt, end-s.t)
	for s.nextMedium < len(s.p.Medium) && s.p.Medium[s.nextMedium].Since.Seconds() <= s.t+1e-9 {
		s.nextMedium++
	}
	if s.nextMedium < len(s.p.Medium) { // a step ends where the medium bends
		dt = math.Min(dt, s.p.Medium[s.nextMedium].Since.Seconds()-s.t)
	}
	copy(s.base, s.h)
	first := s.stage(gamma*dt, s.mediumAt(s.t+gamma*dt))
	for i := range s.h {
		s.base[i] = s.h[i] + (1-gamma)/gamma*(s.x[i]-s.h[i])
	}
	s.removed += (1-gamma)/gamma*first + s.stage(gamma*dt, s.mediumAt(s.t+dt))
	s.t += dt
	if end-s.t < 1e-9*end {
		s.t = end
	}
	most := 0.0
	for i := range s.h {
		most = math.Max(most, math.Abs(s.x[i]-s.h[i]))
	}
	s.h, s.x = s.x, s.h
	factor := 1.5
	if most > 0 {
		factor = math.Min(factor, mostChange*s.scale/most)
	}
	s.dt = math.Min(longestStep, math.Max(dt, s.dt/4)*math.Max(factor, 0.3))
}

// mediumAt is the medium's temperature at the end of a step that does not pass
// its next point.
func (s *solver) mediumAt(t float64) float64 {
	m := s.p.Medium
	i := s.nextMedium
	switch {
	case i == 0:
		return m[0].Celsius
	case i == len(m):
		return m[i-1].Celsius
	}
	a, b := m[i-1], m[i]
	share := (t - a.Since.Seconds()) / (b.Since - a.Since).Seconds()
	return a.Celsius + share*(b.Celsius-a.Celsius)
}

// stage solves x = base + dt·f(x) and returns the heat that leaves in it, J.
func (s *solver) stage(dt, medium float64) float64 {
	n, material := s.cells, s.p.Body.Material
	outer, _, _ := material.look(s.h[n-1])
	u := 1 / (1/s.p.H + s.delta/(2*outer.conductivity)) // W/(m²·K), to the middle of the outermost cell
	copy(s.x, s.base)
	perDelta, perDt := 1/s.delta, 1/dt
	for range mostNewton {
		var surface state
		var dT float64
		for i := range n {
			st, slope, dTheta := material.look(s.x[i])
			s.look[i] = cellState{st.theta, dTheta}
			surface, dT = st, slope
		}
		for i := range n {
			here := s.look[i]
			s.mid[i] = s.volume[i] * perDt
			s.right[i] = s.volume[i] * perDt * (s.base[i] - s.x[i])
			if i > 0 {
				g := s.area[i-1] * perDelta
				s.low[i] = -g * s.look[i-1].dTheta
				s.mid[i] += g * here.dTheta
				s.right[i] += g * (s.look[i-1].theta - here.theta)
			}
			if i < n-1 {
				g := s.area[i] * perDelta
				s.up[i] = -g * s.look[i+1].dTheta
				s.mid[i] += g * here.dTheta
				s.right[i] -= g * (here.theta - s.look[i+1].theta)
			}
		}
		g := s.area[n-1] * u
		s.mid[n-1] += g * dT
		s.right[n-1] -= g * (surface.celsius - medium)
		most := s.solve()
		s.flux = u * (surface.celsius + dT*s.right[n-1] - medium)
		if most < settled*material.step {
			break
		}
	}
	return s.area[n-1] * s.flux * dt
}

// solve runs Thomas' algorithm, leaves the changes in right, adds them to x and
// returns the largest.
func (s *solver) solve() float64 {
	n := s.cells
	for i := 1; i < n; i++ {
		w := s.low[i] / s.mid[i-1]
		s.mid[i] -= w * s.up[i-1]
		s.right[i] -= w * s.right[i-1]
	}
	most := 0.0
	for i := n - 1; i >= 0; i-- {
		if i < n-1 {
			s.right[i] -= s.up[i] * s.right[i+1]
		}
		s.right[i] /= s.mid[i]
		s.x[i] += s.right[i]
		most = math.Max(most, math.Abs(s.right[i]))
	}
	return most
}

// moment reads the state off. The core lies in the middle, at the top of the
// parabola through the two innermost cells; the surface half a cell outside the
// outermost one.
func (s *solver) moment() Moment {
	n, material := s.cells, s.p.Body.Material
	var heat float64
	for i, h := range s.h {
		heat += h * s.volume[i]
	}
	inner, _, _ := material.look(s.h[0])
	second, _, _ := material.look(s.h[1])
	outer, _, _ := material.look(s.h[n-1])
	mean, _, _ := material.look(heat / s.total)
	m := Moment{Since: time.Duration(s.t * float64(time.Second)), Mean: mean.celsius,
		Core:    inner.celsius + (inner.celsius-second.celsius)/8,
		Surface: outer.celsius - s.flux*s.delta/(2*outer.conductivity)}
	m.Least, m.Highest = math.Min(m.Core, m.Surface), math.Max(m.Core, m.Surface)
	for i := range s.h { // a medium that swings leaves the extremes inside
		st, _, _ := material.look(s.h[i])
		m.Least, m.Highest = math.Min(m.Least, st.celsius), math.Max(m.Highest, st.celsius)
	}
	return m
}
