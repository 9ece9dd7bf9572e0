package web

import (
	"math"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
)

// frozenCard is what a lot's card says of its freezing, its thaw and its cooling.
type frozenCard struct {
	Stay      *lot.FrozenStay // the last; nil for fish that never was frozen
	Life      *assess.FrozenLife
	Parasites assess.ParasiteClearance
	Ready     time.Time // free of ice
	Keep      time.Time // of what thaws or was thawed: used by then
	Out       *assess.OutOfCold
	Cool      *assess.Cooling
	Rows      []coolRow
}

// coolRow is a temperature that cooked fish is to come down to.
type coolRow struct {
	Celsius float64
	By, At  time.Time
	Late    bool
}

// newFrozenCard makes it; nil for a lot that is fresh.
func newFrozenCard(p page, card kitchen.Card) *frozenCard {
	s, a := card.State, card.Assessment
	f := frozenCard{Life: a.FrozenLife, Parasites: a.Parasites, Ready: a.ThawReady, Keep: a.KeepTo, Out: a.OutOfCold,
		Cool: a.Cooling}
	if n := len(s.FrozenStays); n > 0 {
		f.Stay = &s.FrozenStays[n-1]
	}
	if c := a.Cooling; c != nil {
		for _, row := range []coolRow{{Celsius: c.FirstC, By: c.FirstBy, At: c.FirstAt},
			{Celsius: c.ThenC, By: c.ThenBy, At: c.ThenAt}} {
			row.Late = row.At.After(row.By) || row.At.IsZero() && p.Now.After(row.By)
			f.Rows = append(f.Rows, row)
		}
	}
	if f.Out != nil && f.Out.Hours == 0 {
		f.Out = nil
	}
	if f.Stay == nil && f.Cool == nil && f.Out == nil {
		return nil
	}
	return &f
}

// Frozen reports whether it lies in the freezer.
func (f frozenCard) Frozen() bool { return f.Stay != nil && f.Stay.To.IsZero() }

// Months is the frozen life left in words; "" where none is known.
func (f frozenCard) Months() string {
	if math.IsNaN(f.Life.LeftMonths) {
		return ""
	}
	return monthsText(f.Life.LeftMonths)
}

// Warm says what warm time cost; "" for none.
func (f frozenCard) Warm() string { return warmText(f.Life.WarmDays, f.Life.WarmCost) }

// How says how it was frozen; "" where it came so.
func (f frozenCard) How() string {
	froze := f.Stay.Froze
	if froze == nil {
		return ""
	}
	wrapping, _ := freezing.GetWrapping(froze.Wrapping)
	return unit.Number(froze.MM, 0) + " mm, " + wrapping.Name
}

// Method is how it thaws, or was thawed.
func (f frozenCard) Method() string {
	m, _ := thawing.GetMethod(f.Stay.Pull.Method)
	return m.Name
}
