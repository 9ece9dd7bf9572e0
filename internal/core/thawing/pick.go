package thawing

import (
	"math"
	"slices"
	"time"
)

// Stock is a frozen lot that portions may be thawed from.
type Stock struct {
	Against    string    // why nothing of it may be taken; "" where it may
	Free       int       // pieces that no other thaw takes
	PieceKg    float64   //
	BestBefore time.Time // zero where none is known
}

// Picked is what is taken of a lot.
type Picked struct {
	Stock  int // its index
	Pieces int
	Kg     float64
}

// Passed is a lot that is passed over, and why.
type Passed struct {
	Stock int // its index
	Why   string
}

// tolerance is the share of what is needed that may be missing without being short (house).
const tolerance = 0.005

// Pick takes pieces for some portions of a weight from a stock, first expired first; lots
// of which no date is known come before all others. It takes one piece a portion where
// they are about as big, else as many as weigh enough. shortKg is what is missing; 0 where
// the stock is enough.
func Pick(need Need, portions int, portionKg float64, stock []Stock) (picked []Picked, passed []Passed,
	shortKg float64) {
	order := make([]int, len(stock))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return stock[a].BestBefore.Compare(stock[b].BestBefore) })
	left, all := need, portions
	for _, i := range order {
		s := stock[i]
		if s.Against == "" && s.Free <= 0 {
			s.Against = "all of it is in another plan"
		}
		if s.Against != "" {
			passed = append(passed, Passed{i, s.Against})
			continue
		}
		if left.Kg <= 1e-9 || portions <= 0 {
			break
		}
		wanted := left.Pieces(portions, portionKg, s.PieceKg)
		n := min(s.Free, wanted)
		kg := s.PieceKg * float64(n)
		if wanted == portions {
			portions -= n
			left.Kg = need.Kg * float64(portions) / float64(all)
		} else {
			left.Kg = math.Max(0, left.Kg-kg)
			portions = int(math.Ceil(float64(all) * left.Kg / need.Kg))
		}
		picked = append(picked, Picked{i, n, kg})
	}
	if left.Kg > tolerance*need.Kg {
		shortKg = left.Kg
	}
	return picked, passed, shortKg
}
