package planning

import "math"

// Deal is fish that is offered at a price, and what the kitchen could do with it. Weights are as bought, kg.
type Deal struct {
	OfferedKg  float64
	WeeklyKg   float64 // that the kitchen uses of it a week
	FreshDays  float64 // that it surely keeps, in melting ice; 0 where it comes frozen
	MayFreeze  bool    // it is fit to be frozen, and the kitchen has a freezer
	RoomKg     float64 // that is free in the freezer; +Inf where nobody said how much it holds
	AtOnceKg   float64 // that the freezer freezes quickly at once; +Inf where nobody knows its power
	FrozenDays float64 // that it keeps frozen
}

// Limit is what bounds how much of a deal is worth buying.
type Limit string

// The limits.
const (
	LimitNone   Limit = ""        // all of it is used
	LimitUse    Limit = "use"     // more is not eaten before it is too old
	LimitRoom   Limit = "room"    // the freezer has no more room
	LimitAtOnce Limit = "at_once" // the freezer freezes no more quickly at once
	LimitFreeze Limit = "freeze"  // what is not eaten fresh cannot be frozen
)

// Worth is how much of a deal is worth buying, kg.
type Worth struct {
	FreshKg  float64 // eaten fresh, while it keeps
	FreezeKg float64 // frozen at once, and eaten while it keeps so
	Limit    Limit   // why not more
}

// Kg is all of it.
func (w Worth) Kg() float64 { return w.FreshKg + w.FreezeKg }

// Worth splits the deal: as much as is eaten fresh, then as much as can be frozen at once and is eaten while that keeps.
func (d Deal) Worth() Worth {
	w := Worth{FreshKg: math.Min(d.OfferedKg, d.WeeklyKg*d.FreshDays/7)}
	rest := d.OfferedKg - w.FreshKg
	if rest <= 0 {
		return w
	}
	if !d.MayFreeze {
		w.Limit = LimitFreeze
		return w
	}
	later := math.Max(0, d.WeeklyKg*(d.FrozenDays-d.FreshDays)/7)
	w.FreezeKg = rest
	for _, bound := range []struct {
		kg    float64
		limit Limit
	}{{later, LimitUse}, {math.Max(0, d.RoomKg), LimitRoom}, {d.AtOnceKg, LimitAtOnce}} {
		if bound.kg < w.FreezeKg {
			w.FreezeKg, w.Limit = bound.kg, bound.limit
		}
	}
	return w
}
