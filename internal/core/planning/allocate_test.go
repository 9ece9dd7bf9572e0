package planning

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"
)

var day = time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)

func randomCase(random *rand.Rand) ([]Supply, []Need) {
	supplies := make([]Supply, 1+random.IntN(4))
	for i := range supplies {
		supplies[i] = Supply{Units: random.IntN(4)}
		if random.IntN(6) > 0 {
			supplies[i].Ends = day.Add(time.Duration(random.IntN(5)) * 24 * time.Hour)
		}
	}
	needs := make([]Need, 1+random.IntN(3))
	for j := range needs {
		needs[j] = Need{At: day.Add(time.Duration(random.IntN(3)) * 24 * time.Hour), Units: random.IntN(5)}
		for i := range supplies {
			if random.IntN(3) > 0 {
				needs[j].Fits = append(needs[j].Fits, i)
			}
		}
	}
	return supplies, needs
}

// ways calls visit with every way to give needs their supplies.
func ways(supplies []Supply, needs []Need, visit func(given [][]int)) {
	given := make([][]int, len(needs))
	for j := range given {
		given[j] = make([]int, len(supplies))
	}
	left := make([]int, len(supplies))
	for i, s := range supplies {
		left[i] = s.Units
	}
	var at func(j, k, room int)
	at = func(j, k, room int) {
		if j == len(needs) {
			visit(given)
			return
		}
		if k == len(needs[j].Fits) {
			next := 0
			if j+1 < len(needs) {
				next = needs[j+1].Units
			}
			at(j+1, 0, next)
			return
		}
		i := needs[j].Fits[k]
		for n := range min(left[i], room) + 1 {
			given[j][i], left[i] = n, left[i]-n
			at(j, k+1, room-n)
			given[j][i], left[i] = 0, left[i]+n
		}
	}
	at(0, 0, needs[0].Units)
}

// score is what a way is judged by: what each need gets, in order, then what is used of each supply, what ends
// first on top.
func score(supplies []Supply, given [][]int) (score []int) {
	for _, row := range given {
		n := 0
		for _, x := range row {
			n += x
		}
		score = append(score, n)
	}
	for _, i := range byEnd(supplies) {
		n := 0
		for _, row := range given {
			n += row[i]
		}
		score = append(score, n)
	}
	return score
}

// 500 small cases, against every way there is.
func TestAllocateIsOptimal(t *testing.T) {
	random := rand.New(rand.NewPCG(24, 3))
	for n := range 500 {
		supplies, needs := randomCase(random)
		name := fmt.Sprintf("case %d: %+v for %+v", n, supplies, needs)
		given := Allocate(supplies, needs)
		var best []int
		ways(supplies, needs, func(way [][]int) {
			if s := score(supplies, way); best == nil || slices.Compare(s, best) > 0 {
				best = s
			}
		})
		if got := score(supplies, given); !slices.Equal(got, best) {
			t.Fatalf("%s: %v scores %v, best %v", name, given, got, best)
		}
		lawful(t, name, supplies, needs, given)
	}
}

// lawful checks what holds for every allocation, without looking for the best.
func lawful(t *testing.T, name string, supplies []Supply, needs []Need, given [][]int) {
	t.Helper()
	used := make([]int, len(supplies))
	for j, row := range given {
		got := 0
		for i, n := range row {
			if n < 0 || n > 0 && !slices.Contains(needs[j].Fits, i) {
				t.Fatalf("%s: need %d gets %d of supply %d, which does not fit", name, j, n, i)
			}
			got, used[i] = got+n, used[i]+n
		}
		if got > needs[j].Units {
			t.Fatalf("%s: need %d gets %d of %d", name, j, got, needs[j].Units)
		}
	}
	for i, s := range supplies {
		if used[i] > s.Units {
			t.Fatalf("%s: %d of supply %d, which has %d", name, used[i], i, s.Units)
		}
		for j, need := range needs { // what ends first is not left while what ends later is used
			for _, late := range need.Fits {
				if used[i] < s.Units && given[j][late] > 0 && slices.Contains(need.Fits, i) && compareEnds(s.Ends, supplies[late].Ends) < 0 {
					t.Fatalf("%s: need %d gets supply %d, and %d is left", name, j, late, i)
				}
				for k, other := range needs { // nor is it kept for later
					if need.At.Before(other.At) && given[j][late] > 0 && given[k][i] > 0 && slices.Contains(need.Fits, i) &&
						slices.Contains(other.Fits, late) && compareEnds(s.Ends, supplies[late].Ends) < 0 {
						t.Fatalf("%s: need %d gets supply %d, and %d waits for need %d", name, j, late, i, k)
					}
				}
			}
		}
	}
}

// BenchmarkAllocate plans 10 services of 8 dishes over 300 lots.
func BenchmarkAllocate(b *testing.B) {
	random := rand.New(rand.NewPCG(24, 4))
	supplies := make([]Supply, 300)
	for i := range supplies {
		supplies[i] = Supply{Ends: day.Add(time.Duration(random.IntN(200)) * time.Hour), Units: 500 + random.IntN(8000)}
	}
	needs := make([]Need, 80)
	for j := range needs {
		needs[j] = Need{At: day.Add(time.Duration(j/8) * 12 * time.Hour), Units: 1000 + random.IntN(6000)}
		for i := range supplies {
			if i%20 == j%20 && supplies[i].Ends.After(needs[j].At) {
				needs[j].Fits = append(needs[j].Fits, i)
			}
		}
	}
	for b.Loop() {
		Allocate(supplies, needs)
	}
}
