package thawing

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"
)

// Forty-two portions of 160 g from bags that were frozen on two days: the older first.
func TestPickFirstExpiredFirst(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 5, n, 0, 0, 0, 0, time.UTC) }
	stock := []Stock{{Free: 40, PieceKg: 0.16, BestBefore: day(20)}, {Free: 30, PieceKg: 0.16, BestBefore: day(3)},
		{Against: "on hold: torn bag", Free: 9, PieceKg: 0.16, BestBefore: day(1)}, {PieceKg: 0.16, BestBefore: day(2)}}
	picked, passed, short := Pick(Need{Kg: 42 * 0.16}, 42, 0.16, stock)
	if len(picked) != 2 || picked[0].Stock != 1 || picked[0].Pieces != 30 || picked[1].Stock != 0 ||
		picked[1].Pieces != 12 || short != 0 {
		t.Errorf("picked %+v, short of %v", picked, short)
	}
	if len(passed) != 2 || passed[0].Stock != 2 || passed[1].Why != "all of it is in another plan" {
		t.Errorf("passed %+v", passed)
	}
}

// Whatever is in stock: no more is taken of a lot than is free, nothing of one that may not
// be taken, and what is taken and what is short are together what is needed, to a piece.
func TestPickBalances(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 1))
	for range 2000 {
		portions, portionKg := 1+r.IntN(60), 0.05+0.4*r.Float64()
		need := Need{Kg: float64(portions) * portionKg * (1 + 0.3*r.Float64())}
		stock := make([]Stock, r.IntN(6))
		for i := range stock {
			stock[i] = Stock{Free: r.IntN(40), PieceKg: 0.05 + 3*r.Float64(), BestBefore: time.Unix(r.Int64N(1e6), 0)}
			if r.IntN(5) == 0 {
				stock[i].PieceKg = portionKg
			}
			if r.IntN(4) == 0 {
				stock[i].Against = "on hold"
			}
		}
		picked, passed, short := Pick(need, portions, portionKg, stock)
		covered := 0.0 // of what is needed: a piece of about a portion is one, however it drips
		for i, p := range picked {
			s := stock[p.Stock]
			if s.Against != "" || p.Pieces < 1 || p.Pieces > s.Free || i > 0 &&
				stock[picked[i-1].Stock].BestBefore.After(s.BestBefore) {
				t.Fatalf("%+v of %+v", picked, stock)
			}
			if math.Abs(s.PieceKg-portionKg) <= PortionSlack*portionKg {
				covered += need.Kg * float64(p.Pieces) / float64(portions)
			} else {
				covered += p.Kg
			}
		}
		for _, p := range passed {
			if stock[p.Stock].Against == "" && stock[p.Stock].Free > 0 {
				t.Fatalf("passed over %+v", stock[p.Stock])
			}
		}
		if short < 0 || short > need.Kg+1e-9 || short == 0 && covered < need.Kg*(1-tolerance)-1e-9 ||
			short > 0 && covered+short < need.Kg-1e-9 {
			t.Fatalf("%+v covers %v of %v kg, said to be short of %v", picked, covered, need.Kg, short)
		}
	}
}
