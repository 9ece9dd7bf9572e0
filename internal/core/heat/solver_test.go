package heat

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"leancatch/internal/core/heat/testheat"
	"leancatch/internal/core/species"
)

// plain is a material of constant properties: k = 0.5 W/(m·K), 3.6 MJ/(m³·K).
func plain(t testing.TB) *Material {
	t.Helper()
	m, err := NewMaterial([]Point{{-50, -50 * 3.6e6, 0.5}, {50, 50 * 3.6e6, 0.5}})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func seconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }

// The Fourier series, all shapes, at the middle and the surface: within 0.5 %
// of the span at every moment.
func TestFourierSeries(t *testing.T) {
	const radius, k, c = 0.05, 0.5, 3.6e6
	for name, shape := range map[Shape]testheat.Body{Slab: testheat.Slab, Cylinder: testheat.Cylinder,
		Sphere: testheat.Sphere} {
		for _, bi := range []float64{0.1, 1, 10} {
			p := Process{Body: Body{Material: plain(t), Shape: name, Thickness: 2 * radius}, StartC: 20,
				Medium: Steady(0), H: bi * k / radius, Max: seconds(3 / math.Min(1, bi) * radius * radius * c / k)}
			r, err := p.Run()
			if err != nil {
				t.Fatal(err)
			}
			worst := 0.0
			for _, m := range r.Curve {
				fo := m.Since.Seconds() * k / c / radius / radius
				if fo < 0.005 {
					continue // the series of 60 terms is not exact before
				}
				core, surface := testheat.Fourier(shape, bi, fo, 0), testheat.Fourier(shape, bi, fo, 1)
				worst = math.Max(worst, math.Max(math.Abs(m.Core/20-core), math.Abs(m.Surface/20-surface)))
			}
			t.Logf("%s, Bi %v: at most %.3f %% off, %d steps", name, bi, 100*worst, r.Steps)
			if worst > 0.005 {
				t.Errorf("%s, Bi %v: %.2f %% of the span off", name, bi, 100*worst)
			}
		}
	}
}

// The series against printed values of its one-term constants: ζ₁ and C₁
// [Incropera&DeWitt, table 5.1].
func TestSeriesConstants(t *testing.T) {
	for _, row := range []struct {
		shape testheat.Body
		bi    float64
		z, c  float64
	}{{testheat.Slab, 1, 0.8603, 1.1191}, {testheat.Slab, 10, 1.4289, 1.2620}, {testheat.Cylinder, 1, 1.2558, 1.2071},
		{testheat.Sphere, 1, 1.5708, 1.2732}, {testheat.Sphere, 10, 2.8363, 1.9249}} {
		const fo = 1.5 // one term is all there is
		want := row.c * math.Exp(-row.z*row.z*fo)
		if got := testheat.Fourier(row.shape, row.bi, fo, 0); math.Abs(got/want-1) > 0.002 {
			t.Errorf("shape %d, Bi %v: %.5f, by the table %.5f", row.shape, row.bi, got, want)
		}
	}
}

// Neumann's front through a slab so thick that its middle does not matter.
func TestNeumannFront(t *testing.T) {
	exact := testheat.Neumann{Frozen: testheat.Phase{Conductivity: 1.5, Heat: 1.9e6},
		Liquid: testheat.Phase{Conductivity: 0.5, Heat: 3.6e6}, Latent: 250e6, StartC: 5, MeltC: -1, SurfaceC: -35}
	exact.Solve()
	h := func(c float64) float64 { return (c + 60) * 1.9e6 }
	m, err := NewMaterial([]Point{{-60, 0, 1.5}, {-1, h(-1), 1.5}, {-1, h(-1) + 250e6, 0.5},
		{40, h(-1) + 250e6 + 41*3.6e6, 0.5}})
	if err != nil {
		t.Fatal(err)
	}
	s := newSolver(Process{Body: Body{Material: m, Shape: Slab, Thickness: 0.2, OneFace: true}, StartC: 5,
		Medium: Steady(-35), H: 1e7, Max: 24 * time.Hour, Cells: 160})
	for _, hours := range []float64{0.25, 0.5, 1} {
		for s.t < hours*3600 {
			s.dt = math.Min(s.dt, hours*3600-s.t)
			s.advance()
		}
		front, melt := 0.0, h(-1)
		for _, x := range s.h {
			front += s.delta * math.Min(1, math.Max(0, 1-(x-melt)/250e6))
		}
		want := exact.Front(s.t)
		t.Logf("%.2f h: front at %.2f mm, exactly %.2f mm", hours, 1000*front, 1000*want)
		if math.Abs(front/want-1) > 0.02 {
			t.Errorf("after %v h the front is at %.2f mm, exactly at %.2f mm", hours, 1000*front, 1000*want)
		}
		for _, depth := range []float64{0.3, 0.6} { // temperatures in the frozen part
			i := int(depth * want / s.delta)
			got, _, _ := m.look(s.h[s.cells-1-i])
			y := (float64(i) + 0.5) * s.delta
			if exactC := exact.At(y, s.t); math.Abs(got.celsius-exactC) > 0.02*40 {
				t.Errorf("after %v h at %.1f mm: %.2f °C, exactly %.2f °C", hours, 1000*y, got.celsius, exactC)
			}
		}
	}
}

func cod(t testing.TB) *Material {
	t.Helper()
	sp, _ := species.Builtin().Get("cod")
	m, err := Of(sp).Material()
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// What a body gave away is what it lost, to rounding, whatever happened to it.
func TestEnergyBalance(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 2026))
	material := cod(t)
	for range 30 {
		p := Process{Body: Body{Material: material, Shape: Shapes[rng.IntN(3)], Thickness: 0.01 + 0.15*rng.Float64()},
			StartC: -30 + 50*rng.Float64(), H: 5 + 300*rng.Float64(), Max: 24 * time.Hour}
		for at := time.Duration(0); at < p.Max; at += time.Duration(rng.IntN(9)+1) * time.Hour {
			p.Medium = append(p.Medium, At{at, -40 + 60*rng.Float64()})
		}
		s := newSolver(p)
		held := func() (sum float64) {
			for i, h := range s.h {
				sum += h * s.volume[i]
			}
			return sum
		}
		before := held()
		for s.t < p.Max.Seconds() {
			s.advance()
		}
		if off := math.Abs(before-held()-s.removed) / (s.scale * s.total); off > 1e-6 {
			t.Errorf("%s of %.0f mm: %.2g of the heat is missing", p.Body.Shape, 1000*p.Body.Thickness, off)
		}
	}
}

// No part overshoots the medium or the start: the scheme is monotone.
func TestNothingOvershoots(t *testing.T) {
	for _, medium := range []float64{-35, 12} {
		start := -20.0
		if medium < 0 {
			start = 8
		}
		r, err := Process{Body: Body{Material: cod(t), Shape: Slab, Thickness: 0.04}, StartC: start,
			Medium: Steady(medium), H: 200, Max: 6 * time.Hour}.Run()
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range r.Curve {
			if m.Least < math.Min(start, medium)-0.02 || m.Highest > math.Max(start, medium)+0.02 {
				t.Fatalf("medium %v °C: between %.2f and %.2f °C after %v", medium, m.Least, m.Highest, m.Since)
			}
		}
	}
}

// Finer cells change the freezing time less and less.
func TestGridConvergence(t *testing.T) {
	var times []float64
	for _, cells := range []int{10, 20, 40, 80, 160} {
		times = append(times, frozenAt(t, Process{Body: Body{Material: cod(t), Shape: Cylinder, Thickness: 0.1},
			StartC: 10, Medium: Steady(-35), H: 30, Cells: cells}, -20))
	}
	t.Logf("hours to −20 °C with 10, 20, 40, 80 and 160 cells: %.3f", times)
	for i := 2; i < len(times); i++ {
		if before, now := math.Abs(times[i-1]-times[i-2]),
			math.Abs(times[i]-times[i-1]); now > 0.75*before+1e-3*times[0] {
			t.Errorf("step %d changes the time by %.4f h, the one before by %.4f h", i, now, before)
		}
	}
	if off := math.Abs(times[2]/times[4] - 1); off > 0.01 {
		t.Errorf("40 cells are %.2f %% off 160", 100*off)
	}
}

func frozenAt(t testing.TB, p Process, celsius float64) float64 {
	t.Helper()
	p.Goals, p.Max = []Goal{{Core, AtMost, celsius}}, 48*time.Hour
	r, err := p.Run()
	if err != nil {
		t.Fatal(err)
	}
	if r.Reached[0] == Never {
		t.Fatalf("never reaches %v °C", celsius)
	}
	return r.Reached[0].Hours()
}

// A medium in steps is one after the other; a goal that holds at the start is
// reached at once; one out of reach is never.
func TestMediumAndGoals(t *testing.T) {
	p := Process{Body: Body{Material: plain(t), Shape: Slab, Thickness: 0.02}, StartC: 10, H: 500, Max: 4 * time.Hour,
		Whole:  true,
		Medium: []At{{0, 0}, {2 * time.Hour, 0}, {2 * time.Hour, 20}},
		Goals: []Goal{{Core, AtMost, 10.5}, {All, AtMost, 0.1}, {All, AtLeast, 19.9}, {Mean, AtMost, -1},
			{Surface, AtLeast, 15}}}
	r, err := p.Run()
	if err != nil {
		t.Fatal(err)
	}
	if r.Reached[0] != 0 || r.Reached[1] == Never || r.Reached[1] > 2*time.Hour || r.Reached[2] < 2*time.Hour ||
		r.Reached[3] != Never || r.Reached[4] < 2*time.Hour {
		t.Errorf("reached %v", r.Reached)
	}
	if last := r.Curve[len(r.Curve)-1]; last.Since != p.Max || len(r.Curve) > curvePoints+1 {
		t.Errorf("the curve has %d points and ends at %v", len(r.Curve), last.Since)
	}
}

// One face takes twice the thickness of two, and four times the time.
func TestOneFaceIsHalfOfTwo(t *testing.T) {
	two := Process{Body: Body{Material: plain(t), Shape: Slab, Thickness: 0.04}, StartC: 10, Medium: Steady(0), H: 100}
	one := two
	one.Body.Thickness, one.Body.OneFace = 0.02, true
	if a, b := frozenAt(t, two, 1), frozenAt(t, one, 1); math.Abs(a/b-1) > 1e-9 {
		t.Errorf("two faces of 40 mm: %v h, one of 20 mm: %v h", a, b)
	}
}

func TestProcessCheck(t *testing.T) {
	good := Process{Body: Body{Material: plain(t), Shape: Slab, Thickness: 0.02}, StartC: 10, Medium: Steady(0),
		H: 100, Max: time.Hour}
	for what, change := range map[string]func(*Process){
		"no material": func(p *Process) { p.Body.Material = nil }, "no thickness": func(p *Process) {
			p.Body.Thickness = 0
		},
		"NaN": func(p *Process) { p.Body.Thickness = math.NaN() }, "an unknown shape": func(p *Process) {
			p.Body.Shape = "cube"
		},
		"no coefficient": func(p *Process) { p.H = 0 }, "no time": func(p *Process) {
			p.Max = 0
		}, "no medium": func(p *Process) { p.Medium = nil },
		"a start beyond the table": func(p *Process) { p.StartC = 80 }, "a medium of NaN": func(p *Process) {
			p.Medium = Steady(math.NaN())
		},
		"times that fall":      func(p *Process) { p.Medium = []At{{time.Hour, 1}, {0, 1}} },
		"an unknown goal":      func(p *Process) { p.Goals = []Goal{{"tail", AtMost, 1}} },
		"one face of a sphere": func(p *Process) { p.Body.Shape, p.Body.OneFace = Sphere, true },
	} {
		p := good
		change(&p)
		if _, err := p.Run(); err == nil {
			t.Errorf("%s was taken", what)
		}
	}
}

// The bound of the rules: at most 5 ms, and no allocation while it runs.
func BenchmarkFreeze100mm24h(b *testing.B) {
	p := Process{Body: Body{Material: cod(b), Shape: Cylinder, Thickness: 0.1}, StartC: 10, Medium: Steady(-25),
		H: 15, Max: 24 * time.Hour}
	b.ReportAllocs()
	for b.Loop() {
		if _, err := p.Run(); err != nil {
			b.Fatal(err)
		}
	}
}

func TestSteppingAllocatesNothing(t *testing.T) {
	s := newSolver(Process{Body: Body{Material: cod(t), Shape: Cylinder, Thickness: 0.1}, StartC: 10,
		Medium: Steady(-25), H: 15, Max: 24 * time.Hour})
	if n := testing.AllocsPerRun(200, func() { s.advance(); s.moment() }); n != 0 {
		t.Errorf("%v allocations a step", n)
	}
}

func ExampleProcess_Run() {
	sp, _ := species.Builtin().Get("cod")
	material, _ := Of(sp).Material()
	p := Process{Body: Body{Material: material, Shape: Cylinder, Thickness: 0.08}, StartC: 12, Medium: Steady(0),
		H: 100, Max: 24 * time.Hour,
		Goals: []Goal{{Core, AtMost, 4.4}}}
	r, _ := p.Run()
	fmt.Printf("in ice the core of a cod of 80 mm is at 4.4 °C after about %.1f h\n", r.Reached[0].Hours())
	// Output: in ice the core of a cod of 80 mm is at 4.4 °C after about 1.1 h
}

// A process ends with whom it is for, and after so many steps: in a medium that swings faster than
// any body follows, sixty days would take millions.
func TestAProcessIsBounded(t *testing.T) {
	p := Process{Body: Body{Material: plain(t), Shape: Slab, Thickness: 0.001}, StartC: 5, H: 1e6, Max: maxProcess, Whole: true}
	for i := range 2 * maxSteps {
		p.Medium = append(p.Medium, At{time.Duration(i) * 10 * time.Second, float64(10 * (i % 2))})
	}
	if _, err := p.Run(); !errors.Is(err, ErrProcess) {
		t.Errorf("a medium that swings: %v", err)
	}
	ctx, leave := context.WithCancel(t.Context())
	leave()
	if _, err := p.RunContext(ctx); !errors.Is(err, context.Canceled) {
		t.Errorf("who leaves: %v", err)
	}
}
