package icing

import (
	"math"
	"testing"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/heat/testheat"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/species"
)

func get(t *testing.T, id string) species.Species {
	t.Helper()
	s, ok := species.Builtin().Get(id)
	if !ok {
		t.Fatalf("no species %s", id)
	}
	return s
}

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s = %.6g, want %.6g ± %g", what, got, want, tolerance)
	}
}

// The heat balance by hand, and the trade's short form for lean fish,
// m_ice = m_fish·T/100 [FAO348, chapter 7]: it rounds the need up
// to a whole percent of the fish and degree, 12 % over cod's 3.74/334.
func TestToCool(t *testing.T) {
	cod := get(t, "cod")
	for _, c := range []struct{ kg, celsius float64 }{{100, 10}, {25, 20}, {40, 5}} {
		got, err := ToCool(cod, c.kg, c.celsius)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "ice by the balance", got, c.kg*3.745*c.celsius/334, 0.01*got)
		near(t, "ice by the short form", got, c.kg*c.celsius/100, 0.13*got)
	}
	if none, err := ToCool(cod, 10, -0.5); err != nil || none != 0 {
		t.Errorf("cold fish takes %v kg, %v", none, err)
	}
	fatty, _ := ToCool(get(t, "mackerel"), 100, 10)
	lean, _ := ToCool(cod, 100, 10)
	if fatty >= lean {
		t.Error("fatty fish holds less heat than lean fish")
	}
	if _, err := ToCool(cod, 1, 200); err == nil {
		t.Error("fish of 200 °C was taken")
	}
}

// A box of 600 × 400 × 300 mm inside with 30 mm of foam of 0.035 W/(m·K), by
// hand: 1.08 m² inside, 1.4136 outside, A = 1.2468 m²; 1/U = 1/8 + 0.03/0.035 + 1/100 = 0.99214;
// UA = 1.2567 W/K; at 20 °C outside 25.133 W melt 25.133·3600/334000 = 0.27090 kg/h.
func TestToHold(t *testing.T) {
	b := Box{600, 400, 300, 30, 0.035, 0}
	near(t, "area", b.AreaM2(), 1.2468, 1e-9)
	near(t, "UA", b.UA(), 1.2567, 1e-4)
	near(t, "melt", b.MeltPerHour(20), 0.27090, 1e-4)
	near(t, "for 8 h", b.ToHold(20, 8), 2.1672, 1e-3)
	near(t, "in frost", b.MeltPerHour(-5), 0, 0)
	near(t, "litres", b.Litres(), 72, 1e-9)
	for what, change := range map[string]func(*Box){"no side": func(b *Box) { b.WidthMM = 0 },
		"no wall": func(b *Box) { b.WallMM = 0 }, "a gale": func(b *Box) { b.AirH = 200 }, "NaN": func(b *Box) { b.WallWMK = math.NaN() }} {
		broken := b
		change(&broken)
		if broken.Check() == nil {
			t.Errorf("%s was taken", what)
		}
	}
}

// A thin plastic box of 600 × 400 × 200 mm and 3 mm of 0.4 W/(m·K), by hand: the air holds back the
// heat, not the wall. A = 0.89451 m²; 1/U = 1/8 + 0.0075 + 1/100 = 0.1425; UA = 6.2772 W/K, 1.3532 kg/h
// at 20 °C. On a windy deck 1/U = 1/15 + 0.0175 = 0.08417 and UA = 10.628 W/K.
func TestThinBox(t *testing.T) {
	b := Box{600, 400, 200, 3, 0.4, StillH}
	near(t, "UA", b.UA(), 6.2772, 1e-3)
	near(t, "melt", b.MeltPerHour(20), 1.3532, 1e-3)
	b.AirH = WindyH
	near(t, "UA on deck", b.UA(), 10.628, 2e-3)
}

// Within the series: cod above freezing has all but constant properties.
func TestCoolingAgainstTheSeries(t *testing.T) {
	cod := get(t, "cod")
	const thickness, start = 0.08, 15.0
	all, err := Compare(cod, 1000*thickness, start)
	if err != nil {
		t.Fatal(err)
	}
	c := all[0]
	p, _ := heat.Of(cod).At(5)
	radius := thickness / 2
	bi := Methods[0].H * radius / p.ConductivityWMK
	for _, m := range c.Curve {
		fo := p.ConductivityWMK / (1000 * p.SpecificHeat * p.DensityKgM3) * m.Since.Seconds() / radius / radius
		if fo < 0.05 {
			continue
		}
		near(t, "core", m.Core, start*testheat.Fourier(testheat.Cylinder, bi, fo, 0), 0.01*start)
	}
}

func TestWaysCompare(t *testing.T) {
	all, err := Compare(get(t, "cod"), 80, 14)
	if err != nil {
		t.Fatal(err)
	}
	by := map[string]Cooling{}
	for _, c := range all {
		by[c.Method.ID] = c
		t.Logf("%s: 4.4 °C after %v, 2 °C after %v", c.Method.Name, c.Chilled.Round(time.Minute),
			c.Held.Round(time.Minute))
	}
	if !(by["slurry"].Chilled < by["boxed"].Chilled && by["boxed"].Chilled < by["gel"].Chilled &&
		by["boxed"].Chilled < by["racked"].Chilled) {
		t.Error("slurry cools faster than ice, ice faster than gel packs and air")
	}
	for _, c := range all {
		if c.Chilled == heat.Never {
			t.Errorf("%s never chills the fish", c.Method.Name)
		}
	}
	if piece.ThicknessMM(get(t, "plaice"), 1) >= piece.ThicknessMM(get(t, "cod"), 1) {
		t.Error("a flat fish is thinner than a round one")
	}
}

func TestForecast(t *testing.T) {
	b := Box{600, 400, 300, 30, 0.035, 0}
	t0 := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	hours := func(h float64) time.Time { return t0.Add(time.Duration(h * float64(time.Hour))) }
	melt := b.MeltPerHour(20)
	f := Predict(b, 20, []Entry{{hours(4), Added, 2}, {t0, Found, 3 * melt}, {hours(5), Melted, 1}})
	near(t, "left at the start", f.Left(t0), 3*melt, 1e-9)
	near(t, "left after 2 h", f.Left(hours(2)), melt, 1e-9)
	near(t, "left after 3.5 h", f.Left(hours(3.5)), 0, 0)
	near(t, "left after the filling", f.Left(hours(4)), 2, 1e-9)
	near(t, "left after the warm fish", f.Left(hours(5)), 1-melt, 1e-9)
	near(t, "left before anything", f.Left(hours(-1)), 0, 0)
	if len(f.Iced) != 2 || !f.Iced[0].To.Equal(hours(3)) || !f.Iced[1].From.Equal(hours(4)) ||
		!f.Iced[1].To.Equal(f.RunsOut) {
		t.Errorf("iced %v, runs out %v", f.Iced, f.RunsOut)
	}
	near(t, "runs out after", f.RunsOut.Sub(hours(5)).Hours(), (1-melt)/melt, 1e-6)
	if !f.TopUp.Before(f.RunsOut.Add(-59*time.Minute)) || !f.TopUp.After(hours(5)) {
		t.Errorf("top up at %v, runs out at %v", f.TopUp, f.RunsOut)
	}
	if gone := Predict(b, 20, []Entry{{t0, Added, 2}, {hours(1), Found, 0}}); len(gone.Iced) != 1 ||
		!gone.RunsOut.IsZero() || !gone.TopUp.IsZero() {
		t.Errorf("a box found empty: %+v", gone)
	}
	if frost := Predict(b, -3, []Entry{{t0, Added, 2}}); frost.Left(hours(1000)) != 2 ||
		frost.RunsOut.Before(hours(8000)) {
		t.Errorf("in frost nothing melts: %+v", frost)
	}
	if empty := Predict(b, 20, nil); empty.Left(t0) != 0 || len(empty.Iced) != 0 {
		t.Errorf("no log: %+v", empty)
	}
}

// A trip whose ice has room, and one whose box must be topped up: what is put
// in is what is needed, and the box is never empty on the way.
func TestPlan(t *testing.T) {
	b := Box{600, 400, 300, 30, 0.035, 0}
	cod := get(t, "cod")
	p, err := Trip{Species: cod, FishKg: 25, Count: 8, FromC: 12, OutsideC: 20, Hours: 8, Box: b}.Plan()
	if err != nil {
		t.Fatal(err)
	}
	near(t, "total", p.TotalKg, p.ToCoolKg+b.ToHold(20, 8), 1e-9)
	near(t, "runs out", p.RunsOut, 8, 1e-9)
	if !p.Room || len(p.TopUps) != 0 || len(p.Methods) != len(Methods) || p.ThicknessMM < 80 || p.ThicknessMM > 120 {
		t.Errorf("%+v", p)
	}

	thin := Box{600, 400, 300, 10, 0.2, 0} // plastic: the ice does not last
	p, err = Trip{Species: cod, FishKg: 30, Count: 8, FromC: 12, OutsideC: 25, Hours: 12, Box: thin}.Plan()
	if err != nil {
		t.Fatal(err)
	}
	left, at, put := p.LoadKg-p.ToCoolKg, 0.0, p.LoadKg
	for _, up := range p.TopUps {
		left -= (up.AfterHours - at) * p.MeltPerHour
		if left < 0 {
			t.Errorf("empty before the top-up after %.1f h", up.AfterHours)
		}
		left += up.Kg
		at, put = up.AfterHours, put+up.Kg
		if left > p.LoadKg+1e-9 {
			t.Errorf("%.1f kg after %.1f h: more than there is room for", left, at)
		}
	}
	near(t, "put in", put, p.TotalKg, 1e-6)
	near(t, "left at the end", left-(12-at)*p.MeltPerHour, 0, 1e-6)
	if len(p.TopUps) == 0 {
		t.Error("no top-up")
	}
	if full, _ := (Trip{Species: cod, FishKg: 64, Count: 20, FromC: 12, OutsideC: 25, Hours: 12,
		Box: b}).Plan(); full.Room {
		t.Error("64 kg of fish leave no room for ice in 72 litres")
	}
}
