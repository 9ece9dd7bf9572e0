package safety

import (
	"math"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
)

// hoursAt is the exposure of some hours at each of some temperatures.
func hoursAt(pairs ...float64) coldchain.Exposure {
	var e coldchain.Exposure
	for i := 0; i < len(pairs); i += 2 {
		e = e.Add(coldchain.Ramp(pairs[i], pairs[i], time.Duration(pairs[i+1]*float64(time.Hour))))
	}
	return e
}

// The limits of appendix 4, on both sides of each, and their shares added up
// [FDA-hazards, appendix 4].
func TestReducedOxygenBands(t *testing.T) {
	core := 3.3
	for _, c := range []struct {
		name  string
		e     coldchain.Exposure
		share float64
		state State
	}{
		{"a month at 3.3 °C", hoursAt(3.3, 720), 0, StateOK},
		{"5 days at 4 °C", hoursAt(4, 120), 5.0 / 7, StateOK},
		{"5 days and 6 h at 4 °C", hoursAt(4, 126), 0.75, StateWarn},
		{"exactly 7 days at 5 °C", hoursAt(5, 168), 1, StateWarn},
		{"more than 7 days at 5 °C", hoursAt(5, 168.1), 168.1 / 168, StateStop},
		{"just under 7 days", hoursAt(5, 167.9), 167.9 / 168, StateWarn},
		{"more than 2 days at 10 °C", hoursAt(10, 48.1), 48.1 / 48, StateStop},
		{"a day at 6 °C", hoursAt(6, 24), 0.5, StateOK},
		{"more than 11 h at 21 °C", hoursAt(21, 11.1), 11.1 / 11, StateStop},
		{"more than 2 h at 22 °C", hoursAt(22, 2.1), 2.1 / 2, StateStop},
		{"an hour at 22 °C", hoursAt(22, 1), 0.5, StateOK},
		{"a bit of each", hoursAt(4, 42, 8, 12, 15, 2.75, 25, 0.52), 0.25 + 0.25 + 0.25 + 0.26, StateStop},
	} {
		got := ReducedOxygen(OxygenFacts{Exposure: c.e, CoreC: &core, Arrived: true, Recorded: true})
		if math.Abs(got.Share-c.share) > 1e-6 || got.State != c.state {
			t.Errorf("%s: %.4f, %s; want %.4f, %s", c.name, got.Share, got.State, c.share, c.state)
		}
	}
}

func TestReducedOxygenAsksForARecord(t *testing.T) {
	cold, warm := 2.0, 3.4
	for _, c := range []struct {
		name  string
		facts OxygenFacts
		state State
	}{
		{"came with a record", OxygenFacts{Arrived: true, CoreC: &cold, Recorded: true}, StateOK},
		{"came without", OxygenFacts{Arrived: true, CoreC: &cold}, StateUnknown},
		{"came warm", OxygenFacts{Arrived: true, CoreC: &warm, Recorded: true}, StateStop},
		{"an hour that nobody recorded", OxygenFacts{Unknown: 1}, StateUnknown},
		{"explained", OxygenFacts{Unknown: 1, Explained: true}, StateOK},
		{"a few minutes", OxygenFacts{Unknown: 0.2}, StateOK},
		{"a histamine former for two days", OxygenFacts{Former: true, Days: 2}, StateOK},
		{"a histamine former for three days", OxygenFacts{Former: true, Days: 3}, StateWarn},
		{"for longer", OxygenFacts{Former: true, Days: 3.1}, StateStop},
		{"another fish for longer", OxygenFacts{Days: 9}, StateOK},
		{"within the days of the rules", OxygenFacts{Days: 7, MostDays: 10}, StateOK},
		{"their last day", OxygenFacts{Days: 10, MostDays: 10}, StateWarn},
		{"beyond them", OxygenFacts{Days: 10.1, MostDays: 10}, StateStop},
	} {
		if got := ReducedOxygen(c.facts); got.State != c.state {
			t.Errorf("%s: %s, want %s", c.name, got.Text(), c.state)
		}
	}
}
