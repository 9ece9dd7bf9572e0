package drawing

import (
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/unit"
)

func TestMeter(t *testing.T) {
	for name, m := range map[string]Meter{
		"meter-ok":      {Label: "Death to chilling", Used: 3, Allowed: 9, Warn: 0.75},
		"meter-stop":    {Label: "Above 4.4 °C afterwards", Used: 9.2, Unknown: 2, Allowed: 8, Warn: 0.75},
		"meter-missing": {Label: "Death to chilling", Allowed: 9, Warn: 0.75, Missing: true},
	} {
		golden(t, name, m.Draw())
	}
	if d := string(Meter{Used: 6.9, Allowed: 9, Warn: 0.75}.Draw()); !strings.Contains(d, "budget-warn") {
		t.Error("77 % is no warning")
	}
}

func TestHarvest(t *testing.T) {
	died := time.Date(2026, 3, 1, 4, 0, 0, 0, time.UTC)
	at := func(m float64) time.Time { return died.Add(time.Duration(m * float64(time.Minute))) }
	h := Harvest{Death: died, Now: at(300), Zone: time.UTC, Onset: [2]time.Time{at(60), at(150)},
		End: [2]time.Time{at(1200), at(3600)}, Chill: at(540), ChillFor: "chill within 9 h",
		Steps: []HarvestStep{{Name: "On deck", At: at(-4)}, {Name: "Died", At: at(0), Assumed: true},
			{Name: "Bled", At: at(6), Until: at(22)}, {Name: "On ice", At: at(50)}}}
	d := h.Draw()
	golden(t, "harvest", d)
	for _, want := range []string{"Died?", "step-assumed", "in rigor", "chill within 9 h", "now"} {
		if !strings.Contains(string(d), want) {
			t.Errorf("%q is not on the drawing", want)
		}
	}
	golden(t, "harvest-bare", Harvest{Death: died, Now: at(1), Zone: time.UTC}.Draw())
}

func TestIceBox(t *testing.T) {
	full, low, none := IceBox{Share: 1, Wall: 0.05, Fish: 2}.Draw(), IceBox{Share: 0.3, Wall: 0.05, Fish: 2}.Draw(),
		IceBox{Wall: 0.05}.Draw()
	golden(t, "icebox-full", full)
	golden(t, "icebox-low", low)
	golden(t, "icebox-empty", none)
	lumps := func(d string) int { return strings.Count(d, "icebox-lump") }
	if !(lumps(string(full)) > lumps(string(low)) && lumps(string(low)) > lumps(string(none))) ||
		strings.Contains(string(none), "icebox-ice") {
		t.Error("the ice does not go down")
	}
}

func TestCurves(t *testing.T) {
	line := func(name string, cores ...float64) Curve {
		c := Curve{Name: name}
		for i, core := range cores {
			c.Points = append(c.Points, heat.Moment{Since: time.Duration(i) * time.Hour, Core: core})
		}
		return c
	}
	v := Curves{Hours: 4, Scale: unit.CelsiusScale, LimitC: 2, Limit: "receiving limit 2.0 °C, House strict",
		Lines: []Curve{line("Slurry", 12, 3, 1, 0, 0, 0), line("Boxed in ice", 12, 5, 2, 1, 0, 0)}}
	golden(t, "curves", v.Draw())
	v.Scale = unit.FahrenheitScale
	if d := string(v.Draw()); !strings.Contains(d, ">32°<") {
		t.Error("the scale is not in °F")
	}
}
