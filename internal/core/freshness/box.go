package freshness

import (
	"math"
	"slices"
)

// SampleSize is how many of the n fish in a box are inspected: ⌈√n⌉ + 1, at
// least 3, all where n ≤ 3 (house). It is a working sample, not the statistical
// plan of a first receiver (for decomposition 118 fish [FDA-hazards]).
func SampleSize(n int) int {
	return min(n, max(3, int(math.Ceil(math.Sqrt(float64(n))))+1))
}

// SampleCaution stands wherever a sample is shown.
const SampleCaution = "A working sample, not the statistical plan of a first receiver (for decomposition, 118 fish)."

// minorShare is the share of lesser fish below which the majority still grades
// the lot (house).
const minorShare = 0.2

// LotGrade grades a lot by its fish: the grade of the majority where what is
// below it is at most one grade lower and under a fifth of the fish, else the
// lowest (house). It returns "" for no fish or a grade that the scheme lacks.
func (s Scheme) LotGrade(grades []string) string {
	if len(grades) == 0 {
		return ""
	}
	counts := make([]int, len(s.Grades))
	lowest := 0
	for _, g := range grades {
		i := slices.IndexFunc(s.Grades, func(x Grade) bool { return x.Name == g })
		if i < 0 {
			return ""
		}
		counts[i]++
		lowest = max(lowest, i)
	}
	for i, n := range counts {
		if 2*n > len(grades) && lowest <= i+1 && float64(counts[min(i+1, len(counts)-1)]) < minorShare*float64(
			len(grades)) {
			return s.Grades[i].Name
		}
	}
	return s.Grades[lowest].Name
}

// QuickSample is a sample that was looked at quickly, beside the fish of it that were gone through sign
// by sign: first one that was taken blind, which reads the age, then the worst, which decides.
type QuickSample struct {
	Scheme  string `json:"scheme"`
	Version int    `json:"scheme_version"`
	Fish    []Fish `json:"fish"`
}

// WorstOf is the fish of a sample that decides, from 0; −1 where all are alike.
func (s Scheme) WorstOf(fish []Fish) int {
	at, share, _ := Facts{Scheme: s, Fish: fish}.worstFish()
	if share == len(fish) {
		return -1
	}
	return at
}
