package drawing

import (
	"encoding/xml"
	"errors"
	"fmt"
	"html/template"
	"io"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/unit"
)

var coldNow = time.Date(2026, 11, 26, 14, 0, 0, 0, time.UTC)

func hoursAfter(h float64) time.Time { return coldNow.Add(time.Duration(h * float64(time.Hour))) }

// core is a curve that falls, or rises, evenly.
func core(from, to, hours float64) []heat.Moment {
	var list []heat.Moment
	for i := range 25 {
		share := float64(i) / 24
		list = append(list, heat.Moment{Since: time.Duration(share * hours * float64(time.Hour)),
			Core: from + (to-from)*share})
	}
	return list
}

func freezing() Freezing {
	return Freezing{Begun: hoursAfter(-2), Now: coldNow, Hours: 6, Zone: time.UTC, Scale: unit.CelsiusScale,
		Predicted: core(2, -22, 5), Going: core(2, -20, 5.6),
		Core: []coldchain.Reading{{At: hoursAfter(-1), Celsius: -1}},
		Air: []TracePoint{{At: hoursAfter(-2), Mean: -23, Min: -24, Max: -22},
			{At: hoursAfter(-1), Mean: -24, Min: -25, Max: -23}}}
}

func thaws() Thaws {
	bar := func(name string, start, workable, ready float64) ThawBar {
		return ThawBar{Name: name, Method: "Overnight in the fridge", Start: hoursAfter(start),
			Workable: hoursAfter(workable), Ready: hoursAfter(ready), KeepTo: hoursAfter(ready + 48),
			Curve: core(-22, -0.8, ready-start),
			Ticks: []ThawTick{{At: hoursAfter(start), Label: "pull", Done: true},
				{At: hoursAfter(workable), Label: "water", Small: true}, {At: hoursAfter(ready), Label: "core"},
				{At: hoursAfter(ready + 48), Label: "exit"}}}
	}
	late := bar("MAST-2, 3 pieces", -6, 2, 7)
	late.Late = true
	return Thaws{From: hoursAfter(-10), To: hoursAfter(8), Now: coldNow, Serve: hoursAfter(6), Zone: time.UTC,
		Scale: unit.CelsiusScale, Bars: []ThawBar{bar("MAST-1, 12 pieces", -9, 0, 4), late}}
}

func ageingCabinet(fish ...HungFish) Cabinet {
	return Cabinet{Name: "Ager", Air: "1.5 °C · 78 %", Hooks: 4, Fish: fish, Link: func(hook int) string {
		return fmt.Sprintf("/hang?hook=%d", hook)
	}}
}

func drying() Drying {
	d := Drying{From: hoursAfter(-5 * 24), Now: coldNow, Until: hoursAfter(4 * 24), Zone: time.UTC, Target: 0.08,
		Skin: 0.02, Reaches: ageing.Moment{Mid: hoursAfter(48), Lo: hoursAfter(40), Hi: hoursAfter(60)}}
	curve := ageing.StartCurve(2)
	for day := 0.0; day <= 9; day++ {
		at, loss := hoursAfter(24*(day-5)), curve.Loss(day)
		d.Line = append(d.Line, ageing.Point{At: at, Band: ageing.Band{Mid: loss, Lo: loss * 0.95, Hi: loss * 1.05}})
		d.Predicted = append(d.Predicted, ageing.Point{At: at, Band: ageing.Band{Mid: 0.9 * loss}})
		if day > 0 && day <= 5 {
			d.Weighs = append(d.Weighs, ageing.Point{At: at, Band: ageing.Band{Mid: loss + 0.001}})
		}
	}
	d.Weighs = append(d.Weighs, ageing.Point{At: hoursAfter(-30), Band: ageing.Band{Mid: 0.3, Lo: -1}})
	return d
}

// The drawings of the freezer, the thaw and the ageing cabinet as they are, looked at.
func TestColdDrawings(t *testing.T) {
	golden(t, "freezing", freezing().Draw())
	golden(t, "thaws", thaws().Draw())
	golden(t, "drying", drying().Draw())
	golden(t, "cabinet", ageingCabinet(
		HungFish{Subject: Subject{Figure: "bream", Form: "gutted_gills_out"}, Hook: 2, Kg: 1.8, Loss: 0.06,
			Hanging: "head_down", Name: "Sea bream A-1", Lines: []string{"−6.0 %", "A-1, day 5"}, Href: "/a"},
		HungFish{Subject: Subject{Figure: "salmon", Form: "gutted_gills_out"}, Hook: 3, Kg: 4.4, Loss: 0.02,
			Hanging: "head_up", Name: "Salmon B-2", Lines: []string{"−2.0 %"}, Warn: true, Href: "/b"}).Draw())
}

// wellFormed reads a drawing and returns its numbers.
func wellFormed(t *testing.T, what string, drawing template.HTML) {
	t.Helper()
	d := xml.NewDecoder(strings.NewReader(string(drawing)))
	for {
		if _, err := d.Token(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatalf("%s is not well-formed: %v", what, err)
		}
	}
	if strings.Contains(string(drawing), "NaN") || strings.Contains(string(drawing), "Inf") {
		t.Errorf("%s has a number that is none", what)
	}
}

// Whatever the state, the drawings stand: no data, one point, absurd values,
// hostile names.
func TestColdDrawingsStandAnyState(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 26))
	wellFormed(t, "an empty freezing", Freezing{Begun: coldNow, Now: coldNow, Hours: 3, Zone: time.UTC}.Draw())
	wellFormed(t, "an empty thaw", Thaws{From: coldNow, To: hoursAfter(1), Serve: hoursAfter(1), Zone: time.UTC}.Draw())
	wellFormed(t, "a fish just hung", Drying{From: coldNow, Now: coldNow, Until: coldNow, Zone: time.UTC,
		Target: 0.08}.Draw())
	wellFormed(t, "an empty trace", CabinetTrace{From: hoursAfter(-168), To: coldNow, Zone: time.UTC}.Draw())
	wellFormed(t, "an empty cabinet", ageingCabinet().Draw())
	for n := range 200 {
		f := freezing()
		f.Hours, f.Predicted = 0.1+100*r.Float64(), core(60*r.Float64()-20, -60*r.Float64(), 200*r.Float64())
		f.Core = append(f.Core, coldchain.Reading{At: hoursAfter(400*r.Float64() - 200), Celsius: 100*r.Float64() - 60})
		wellFormed(t, fmt.Sprintf("freezing %d", n), f.Draw())
		th := thaws()
		th.Bars[0].Name, th.Now = `<b>"&'`, hoursAfter(400*r.Float64()-200)
		th.Bars[1].Ready = hoursAfter(400*r.Float64() - 200)
		wellFormed(t, fmt.Sprintf("thaw %d", n), th.Draw())
		d := drying()
		d.Target, d.Until, d.OtherName = 0.001+r.Float64(), hoursAfter(2000*r.Float64()), `</svg>`
		wellFormed(t, fmt.Sprintf("drying %d", n), d.Draw())
		forms := []string{"whole", "gutted_gills_out", "headed_gutted", "tail", "loin", "fillet_skin_on"}
		wellFormed(t, fmt.Sprintf("cabinet %d", n),
			ageingCabinet(HungFish{Subject: Subject{Figure: "bass", Form: forms[n%len(forms)]}, Hook: 1 + r.IntN(12),
				Kg: 0.05 + 60*r.Float64(), Loss: r.Float64(), Hanging: "racked", Name: `<i>`, Lines: []string{`<x>`},
				Href: `"javascript:`}).Draw())
	}
}

var scaled = regexp.MustCompile(`scale\(([0-9.]+) ([0-9.]+)\)`)

// The cabinet is to scale: eight times the weight is twice the length; a fish that
// has lost much is thinner, not shorter; what is longer than the cabinet still hangs in it.
func TestTheCabinetIsToScale(t *testing.T) {
	fish := func(hook int, kg, loss float64) HungFish {
		return HungFish{Subject: Subject{Figure: "salmon", Form: "gutted_gills_out"}, Hook: hook, Kg: kg, Loss: loss,
			Hanging: "head_down", Href: "/x"}
	}
	scales := func(d Cabinet) (list [][2]float64) {
		for _, m := range scaled.FindAllStringSubmatch(string(d.Draw()), -1) {
			x, _ := strconv.ParseFloat(m[1], 64)
			y, _ := strconv.ParseFloat(m[2], 64)
			list = append(list, [2]float64{x, y})
		}
		return list
	}
	got := scales(ageingCabinet(fish(1, 0.5, 0), fish(2, 4, 0), fish(3, 4, 0.1)))
	if len(got) != 3 || got[1][0]/got[0][0] < 1.98 || got[1][0]/got[0][0] > 2.02 {
		t.Fatalf("0.5 and 4 kg: %v", got)
	}
	if got[2][0] != got[1][0] || got[2][1] >= got[1][1] {
		t.Errorf("a tenth lost: %v against %v", got[2], got[1])
	}
	big := scales(ageingCabinet(fish(1, 80, 0)))
	nose, tail := fish(1, 1, 0).ends()
	if length := big[0][0] * (tail - nose); length > cabFloor-cabRail {
		t.Errorf("a fish of 80 kg is %.0f long in a cabinet of %.0f", length, cabFloor-cabRail)
	}
	if links := strings.Count(string(ageingCabinet(fish(9, 2, 0)).Draw()), `class="cab-free"`); links != 8 {
		t.Errorf("%d free hooks beside the one that is taken, want 8", links)
	}
}

// An axis shows midnight as a day on both sides of a change of the clock.
func TestClockTimesOverAChangeOfTheClock(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	from := time.Date(2026, 10, 20, 12, 0, 0, 0, zone)
	times := clockTimes(from, from.AddDate(0, 0, 10), 24, zone)
	if len(times) != 10 {
		t.Errorf("%d midnights in ten days", len(times))
	}
	for _, at := range times {
		if text := clockText(at); strings.Contains(text, ":") {
			t.Errorf("%v is written %s", at, text)
		}
	}
}
