package device

import (
	"context"
	"encoding/json"
	"math"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/species"
)

var t0 = time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)

// The simulation begun anew goes on as the one before would have.
func TestACabinetBegunAnewGoesOnAsBefore(t *testing.T) {
	long, short := WalkIn(3), WalkIn(3)
	long.Start(t0)
	short.Start(t0.Add(30 * time.Hour))
	for h := 44; h < 60; h++ {
		at := t0.Add(time.Duration(h) * time.Hour)
		if a, b := long.Advance(at), short.Advance(at); math.Abs(a-b) > 1.3 {
			t.Errorf("after %d h: %.2f and %.2f °C", h, a, b)
		}
	}
}

func TestACabinetHoldsItsTemperatureAndFails(t *testing.T) {
	for name, c := range map[string]*Cabinet{"walk-in": WalkIn(1), "drawer": Drawer(2), "freezer": Freezer(3)} {
		c.Failures = []Span{{t0.Add(49 * time.Hour), t0.Add(51 * time.Hour)}}
		c.Start(t0)
		var sum, most float64
		n := 0
		for m := 0; m < 48*60; m++ {
			air := c.Advance(t0.Add(time.Duration(m) * time.Minute))
			sum, n = sum+air, n+1
		}
		if mean := sum / float64(n); math.Abs(mean-c.SetC) > 1 {
			t.Errorf("%s: %.2f °C on the mean, set %.1f", name, mean, c.SetC)
		}
		for m := 0; m < 180; m++ {
			most = math.Max(most, c.Advance(t0.Add(48*time.Hour+time.Duration(m)*time.Minute)))
		}
		if most < c.SetC+2 {
			t.Errorf("%s: at most %.1f °C after two hours without a compressor", name, most)
		}
	}
}

// The shells of the fish cool as the application's solver says: two programs
// for one physics.
func TestTheFishCoolsAsTheSolverSays(t *testing.T) {
	cod, _ := species.Builtin().Get("cod")
	material, err := heat.Of(cod).Material()
	if err != nil {
		t.Fatal(err)
	}
	r, err := heat.Process{Body: heat.Body{Material: material, Shape: heat.Cylinder, Thickness: 0.08}, StartC: 10,
		Medium: heat.Steady(1), H: 20, Max: 12 * time.Hour,
		Goals: []heat.Goal{{Part: heat.Core, Op: heat.AtMost, Celsius: 4.4},
			{Part: heat.Core, Op: heat.AtMost, Celsius: 2}}}.Run()
	if err != nil {
		t.Fatal(err)
	}
	f := Fish{RadiusM: 0.04, H: 20, StartC: 10}
	f.start()
	seconds := 0.0
	for i, goal := range []float64{4.4, 2} {
		for f.CoreC() > goal {
			f.advance(1, 10)
			seconds += 10
		}
		if want := r.Reached[i].Seconds(); math.Abs(seconds/want-1) > 0.05 {
			t.Errorf("core at %.1f °C after %.2f h, the solver says %.2f h", goal, seconds/3600, want/3600)
		}
	}
}

// A probe reads what is true, within its noise, and loses its share.
func TestAProbeReadsWhatIsTrue(t *testing.T) {
	p := Probe{Name: "air", Cabinet: WalkIn(5), Interval: time.Minute, NoiseK: 0.1, OffsetC: 0.3, Dropped: 0.05,
		Silent: []Span{{t0.Add(10 * time.Hour), t0.Add(12 * time.Hour)}}, Ahead: 2 * time.Hour}
	p.Start(t0)
	truth := map[time.Time]float64{}
	got := p.Advance(t0.Add(24*time.Hour), func(at time.Time, c float64) { truth[at] = c })
	var sum, square float64
	for _, r := range got {
		d := r.Celsius - truth[r.At.Add(-2*time.Hour)]
		sum, square = sum+d, square+d*d
	}
	n := float64(len(got))
	if mean, sd := sum/n, math.Sqrt(square/n-sum/n*sum/n); math.Abs(mean-0.3) > 0.01 || math.Abs(sd-0.1) > 0.01 {
		t.Errorf("off by %.3f with sd %.3f, want 0.3 and 0.1", mean, sd)
	}
	if kept := n / (22 * 60); math.Abs(kept-0.95) > 0.02 {
		t.Errorf("%.3f of the readings arrived, want 0.95", kept)
	}
}

// What could not be sent is sent later, once, in order.
func TestAClientKeepsWhatItCannotSend(t *testing.T) {
	down, refuses := true, false
	var got []Record
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case down:
			w.WriteHeader(http.StatusServiceUnavailable)
		case refuses:
			w.WriteHeader(http.StatusUnprocessableEntity)
		case r.Header.Get("Authorization") != "Bearer secret":
			w.WriteHeader(http.StatusUnauthorized)
		default:
			var pack []Record
			if err := json.NewDecoder(r.Body).Decode(&pack); err != nil {
				t.Error(err)
			}
			got = append(got, pack...)
			json.NewEncoder(w).Encode(Answer{Stored: len(pack)})
		}
	}))
	defer server.Close()
	c := Client{URL: server.URL + "/", Token: "secret"}
	ctx := context.Background()
	for i := range 3 {
		if _, err := c.Send(ctx, Record{Name: "a", Time: float64(i)}); err == nil {
			t.Fatal("no error though nothing answers")
		}
	}
	down = false
	a, err := c.Send(ctx, Record{Name: "a", Time: 3})
	if err != nil || a.Stored != 4 || len(got) != 4 {
		t.Fatalf("%+v, %v, %d arrived", a, err, len(got))
	}
	for i, r := range got {
		if r.Time != float64(i) {
			t.Errorf("record %d is of %v", i, r.Time)
		}
	}
	refuses = true
	if _, err := c.Send(ctx, Record{Name: "a"}); err == nil || len(c.waiting) > 0 {
		t.Errorf("what is wrong is not sent again: %v, %d wait", err, len(c.waiting))
	}
}

func TestHandheldDevices(t *testing.T) {
	r := Thermometer{Name: "t"}.Read(1.2, 20*time.Second, t0)
	if r.Value != 1.2 || r.Unit != "Cel" {
		t.Errorf("after twenty seconds %+v", r)
	}
	if early := (Thermometer{Name: "t"}).Read(1.2, 2*time.Second, t0); early.Value < 5 {
		t.Errorf("after two seconds %.1f °C: it had not settled yet", early.Value)
	}
	w := Scale{Name: "s", StepKg: 0.005}.Weigh(2.5313, t0)
	if math.Abs(w.Value-2.53) > 1e-9 || w.Unit != "kg" {
		t.Errorf("%+v", w)
	}
}

// The exposure over a month, rolled up from what a probe sent, agrees with that
// of the air and of the fish within 1 %: the fish follows by the time constant
// of the heat model.
func TestAMonthAgreesWithTheTruth(t *testing.T) {
	cod, _ := species.Builtin().Get("cod")
	const thickness, h = 0.08, 20
	tau, err := heat.TimeConstant(heat.Of(cod), heat.Cylinder, thickness, h)
	if err != nil {
		t.Fatal(err)
	}
	begin, end := t0, t0.AddDate(0, 1, 0)
	c := WalkIn(11)
	c.Failures = []Span{{t0.Add(100 * time.Hour), t0.Add(103 * time.Hour)},
		{t0.Add(400 * time.Hour), t0.Add(402 * time.Hour)}}
	c.Fish = &Fish{RadiusM: thickness / 2, H: h, StartC: 4}
	p := Probe{Name: "air", Cabinet: c, Interval: time.Minute, NoiseK: 0.15, Resolution: 0.1, Dropped: 0.03}
	p.Start(begin)
	var air, fish []coldchain.Reading
	var got []coldchain.Reading
	for _, r := range p.Advance(end, func(at time.Time, celsius float64) {
		air = append(air, coldchain.Reading{At: at, Celsius: celsius})
		fish = append(fish, coldchain.Reading{At: at, Celsius: c.Fish.MeanC()})
	}) {
		got = append(got, coldchain.Reading{At: r.At, Celsius: r.Celsius})
	}
	span := coldchain.Span{From: begin.Add(time.Hour), To: end.Add(-time.Hour)}
	true1 := func(r []coldchain.Reading) coldchain.Exposure {
		e, _ := coldchain.Series{Readings: r, MaxGap: time.Hour}.Exposure(span)
		return e
	}
	var steps []coldchain.Step
	rolled := coldchain.Series{Readings: got, MaxGap: 10 * time.Minute}
	for at := begin; at.Before(end); at = at.Add(time.Hour) {
		e, _ := rolled.Exposure(coldchain.Span{From: at, To: at.Add(time.Hour)})
		steps = append(steps, coldchain.Step{Span: coldchain.Span{From: at, To: at.Add(time.Hour)}, Celsius: e.Mean(),
			Tau: tau})
	}
	measured, _ := rolled.Exposure(span)
	body, _ := coldchain.Series{Readings: coldchain.Follow(4, steps, nil), MaxGap: 2 * time.Hour}.Exposure(span)
	for _, x := range []struct {
		name      string
		got, want coldchain.Exposure
	}{{"air", measured, true1(air)}, {"fish", body, true1(fish)}} {
		for _, m := range []coldchain.Model{coldchain.Temperate, coldchain.Warm} {
			if off := x.got.IceDays(m)/x.want.IceDays(m) - 1; math.Abs(off) > 0.01 {
				t.Errorf("%s, %s: %.3f ice days, in truth %.3f (%+.2f %%)", x.name, m, x.got.IceDays(m),
					x.want.IceDays(m), 100*off)
			}
			t.Logf("%s, %s: %.3f ice days, in truth %.3f", x.name, m, x.got.IceDays(m), x.want.IceDays(m))
		}
		t.Logf("%s: above 4.4 °C %.2f h, in truth %.2f h; warmest %.2f, in truth %.2f", x.name, x.got.HoursAbove(4.4),
			x.want.HoursAbove(4.4), x.got.Max, x.want.Max)
	}
}

// A hygrometer reads what is true within its noise, in per cent, at its interval;
// its spells are told apart.
func TestAHygrometerReadsItsSpells(t *testing.T) {
	h := &Hygrometer{Name: "rh", RH: 0.8, Interval: 15 * time.Minute, DryBy: 0.1,
		Dry: []Span{{t0.Add(24 * time.Hour), t0.Add(48 * time.Hour)}},
		Wet: []Span{{t0.Add(60 * time.Hour), t0.Add(61 * time.Hour)}}, WetRH: 0.97}
	h.Start(t0)
	sums, counts := map[string]float64{}, map[string]float64{}
	list := append(h.Advance(t0.Add(30*time.Hour)), h.Advance(t0.Add(72*time.Hour))...)
	for _, r := range list {
		at := time.Unix(int64(r.Time), 0)
		spell := "set"
		switch {
		case in(h.Wet, at):
			spell = "wet"
		case in(h.Dry, at):
			spell = "dry"
		}
		sums[spell], counts[spell] = sums[spell]+r.Value, counts[spell]+1
		if math.Abs(r.Value-100*h.True(at)) > 3.5 || r.Unit != "%RH" {
			t.Errorf("at %v it reads %v%s, in truth %.3f", at, r.Value, r.Unit, h.True(at))
		}
	}
	if len(list) != 72*4 {
		t.Errorf("%d readings in three days, want %d", len(list), 72*4)
	}
	for spell, want := range map[string]float64{"set": 80, "dry": 70, "wet": 97} {
		if mean := sums[spell] / counts[spell]; math.Abs(mean-want) > 1 {
			t.Errorf("%s: %.1f %% on the mean, want %v", spell, mean, want)
		}
	}
}
