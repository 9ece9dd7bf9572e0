package kitchen

import (
	"cmp"
	"context"
	"slices"
	"time"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
)

// FreshDays is where the fresh days of all the fish went that left in a span. A kilogram that spent a fresh day is a kg·day; in money it
// is the share
// of its life that it spent, of what it cost.
type FreshDays struct {
	Lots     int
	Spent    FreshSum
	Where    []FreshCause // the most warmth first: what could have been kept
	PricedKg float64      // of Kg, of which the price is known
	Kg       float64
}

// FreshSum is fresh days weighed by kilograms and by money.
type FreshSum struct{ KgDays, Cents float64 }

// FreshCause is where some of them went.
type FreshCause struct {
	Where    string
	Supplier string // whose fish it was; "" for what went here
	Arrived  bool
	Door     bool
	Spell    bool // a warm spell of a place
	Lots     int
	Spent    FreshSum
	InIce    FreshSum // that would have gone in melting ice all the same
}

// Warmth is what could have been kept.
func (c FreshCause) Warmth() FreshSum {
	return FreshSum{c.Spent.KgDays - c.InIce.KgDays, c.Spent.Cents - c.InIce.Cents}
}

// warmBack is how long before a span warm spells are looked for: fish that left in it lay here before.
const warmBack = 60 * 24 * time.Hour

// FreshDays adds them up for the fish that left in a span.
func (k *Kitchen) FreshDays(ctx context.Context, span coldchain.Span) (FreshDays, error) {
	var out FreshDays
	alarms, err := k.AlarmsBetween(ctx, coldchain.Span{From: span.From.Add(-warmBack), To: span.To})
	if err != nil {
		return out, err
	}
	warm := map[int64][]coldchain.Span{}
	for _, e := range slices.Backward(alarms) {
		if e.What() == alarm.Warm {
			warm[e.PlaceID] = append(warm[e.PlaceID], coldchain.Span{From: e.Since, To: e.Until(k.Now())})
		}
	}
	left := func(x RecordLot) (last time.Time, kg, cents float64, priced bool) {
		for _, e := range x.Exits {
			if span.Has(e.At) {
				last, kg, cents, priced = e.At, kg+e.Kg, cents+e.Cents, priced || e.Priced
			}
		}
		return last, kg, cents, priced
	}
	lots := k.AssessedLots(ctx, span, func(x RecordLot) bool {
		_, kg, _, _ := left(x)
		return kg > 0
	}, func(x RecordLot) time.Time {
		last, _, _, _ := left(x)
		return last
	})
	for x, err := range lots {
		if err != nil {
			return out, err
		}
		_, kg, cents, priced := left(x.RecordLot)
		out.add(x, assess.FreshLosses(x.State, x.env, x.Assessment, warm), kg, cents)
		if priced {
			out.PricedKg += kg
		}
	}
	slices.SortStableFunc(out.Where, func(a, b FreshCause) int { return cmp.Compare(b.Warmth().KgDays, a.Warmth().KgDays) })
	return out, nil
}

// add adds the losses of a lot of which so much left, which had cost so much.
func (f *FreshDays) add(x AssessedLot, losses []assess.FreshLoss, kg, cents float64) {
	if losses == nil {
		return
	}
	weigh := func(days float64) FreshSum { return FreshSum{kg * days, cents * days / max(x.Shelf, 1)} }
	f.Lots, f.Kg = f.Lots+1, f.Kg+kg
	for _, l := range losses {
		supplier := ""
		if !l.Arrived {
			supplier = x.Supplier
		}
		i := slices.IndexFunc(f.Where, func(c FreshCause) bool { return c.Where == l.Where && c.Supplier == supplier && c.Arrived == l.Arrived })
		if i < 0 {
			i = len(f.Where)
			f.Where = append(f.Where, FreshCause{Where: l.Where, Supplier: supplier, Arrived: l.Arrived, Door: l.Door, Spell: l.Spell})
		}
		c := &f.Where[i]
		c.Lots++
		c.Spent, c.InIce = c.Spent.plus(weigh(l.Days)), c.InIce.plus(weigh(l.InIce))
		f.Spent = f.Spent.plus(weigh(l.Days))
	}
}

func (s FreshSum) plus(o FreshSum) FreshSum { return FreshSum{s.KgDays + o.KgDays, s.Cents + o.Cents} }

// Share is how much of all went where something holds, 0 to 1.
func (f FreshDays) Share(holds func(FreshCause) bool) float64 {
	sum := 0.0
	for _, c := range f.Where {
		if holds(c) {
			sum += c.Spent.KgDays
		}
	}
	return sum / max(f.Spent.KgDays, 1e-9)
}
