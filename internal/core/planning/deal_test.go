package planning

import (
	"math"
	"testing"
)

// By hand: a kitchen that eats 7 kg a week of fish that keeps six days eats 6 kg of it fresh.
func TestDeal(t *testing.T) {
	deal := Deal{OfferedKg: 30, WeeklyKg: 7, FreshDays: 6, MayFreeze: true, RoomKg: 40, AtOnceKg: math.Inf(1), FrozenDays: 120}
	for name, c := range map[string]struct {
		change         func(*Deal)
		fresh, freezes float64
		limit          Limit
	}{
		"all of it":                         {func(*Deal) {}, 6, 24, LimitNone},
		"the freezer has room for six":      {func(d *Deal) { d.RoomKg = 6 }, 6, 6, LimitRoom},
		"the freezer is full":               {func(d *Deal) { d.RoomKg = -2 }, 6, 0, LimitRoom},
		"four freeze quickly at once":       {func(d *Deal) { d.AtOnceKg = 4 }, 6, 4, LimitAtOnce},
		"it may not be frozen":              {func(d *Deal) { d.MayFreeze = false }, 6, 0, LimitFreeze},
		"more is not eaten while it keeps":  {func(d *Deal) { d.FrozenDays = 20 }, 6, 14, LimitUse},
		"little enough to be eaten fresh":   {func(d *Deal) { d.OfferedKg = 5 }, 5, 0, LimitNone},
		"nobody eats it":                    {func(d *Deal) { d.WeeklyKg = 0 }, 0, 0, LimitUse},
		"it comes frozen: nothing is fresh": {func(d *Deal) { d.FreshDays = 0 }, 0, 30, LimitNone},
	} {
		d := deal
		c.change(&d)
		if w := d.Worth(); math.Abs(w.FreshKg-c.fresh) > 1e-9 || math.Abs(w.FreezeKg-c.freezes) > 1e-9 || w.Limit != c.limit {
			t.Errorf("%s: %+v, want %g fresh and %g frozen, %q", name, w, c.fresh, c.freezes, c.limit)
		}
	}
}
