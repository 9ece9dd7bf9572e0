package planning

import (
	"cmp"
	"slices"
	"time"
)

// Supply is fish of one lot, in whole units: grams of usable flesh, fish, or pieces of a part.
type Supply struct {
	Ends  time.Time // by when it has to be used; zero: nobody knows, it comes last
	Units int       // at least 0
}

// Need is what the plates of a dish take at a service, in the units of the supplies.
type Need struct {
	At    time.Time
	Units int   // at least 0
	Fits  []int // the supplies that may serve it, by their index: each at most once
}

// Allocate gives needs fish, and returns how many units each need gets of each supply. The needs are in the order
// in which they are served where there is not enough for all:
//
//   - no other way would serve an earlier need more, nor a later one without serving an earlier one less;
//   - among those ways, first expired, first out: none would use more of a supply that ends earlier, but for less
//     of one that ends earlier still;
//   - and of two supplies that fit two needs, the one that ends first goes to the one that is served first.
//
// What can be served is a polymatroid on either side of a flow from supplies to needs, so both orders are optimal
// where each side is filled greedily by augmenting paths (Schrijver, Combinatorial Optimization, chapters 10 and
// 44, from memory).
func Allocate(supplies []Supply, needs []Need) [][]int {
	f := newFlow(supplies, needs)
	for j, n := range needs { // what each need can be served
		f.fill(side{need: true, i: j}, n.Units)
	}
	served := f.got()
	f = newFlow(supplies, needs)
	f.most = served
	for _, i := range byEnd(supplies) { // of what ends first
		f.fill(side{i: i}, supplies[i].Units)
	}
	f.uncross(supplies, needs)
	return f.given
}

// byEnd are the supplies, what ends first on top.
func byEnd(supplies []Supply) []int {
	order := make([]int, len(supplies))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return compareEnds(supplies[a].Ends, supplies[b].Ends) })
	return order
}

func compareEnds(a, b time.Time) int {
	if a.IsZero() != b.IsZero() {
		return cmp.Compare(boolInt(a.IsZero()), boolInt(b.IsZero()))
	}
	return a.Compare(b)
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// flow is what supplies give to needs so far.
type flow struct {
	given     [][]int // by need and supply
	fits      [][]int // the supplies of a need
	serves    [][]int // the needs of a supply
	left      []int   // of each supply
	most, has []int   // of each need
}

// side is a supply or a need.
type side struct {
	need bool
	i    int
}

func newFlow(supplies []Supply, needs []Need) *flow {
	f := &flow{serves: make([][]int, len(supplies)), has: make([]int, len(needs))}
	for _, s := range supplies {
		f.left = append(f.left, s.Units)
	}
	for j, n := range needs {
		f.given, f.fits, f.most = append(f.given, make([]int, len(supplies))), append(f.fits, n.Fits), append(f.most, n.Units)
		for _, i := range n.Fits {
			f.serves[i] = append(f.serves[i], j)
		}
	}
	return f
}

func (f *flow) got() []int { return slices.Clone(f.has) }

// fill brings up to so many units from a supply to where there is room, or to a need from where something is left,
// along the shortest paths. What other supplies give, and other needs get, in all stays.
func (f *flow) fill(from side, units int) {
	for units > 0 {
		path := f.path(from)
		if path == nil {
			return
		}
		end := path[len(path)-1]
		n := units
		if end.need {
			n = min(n, f.most[end.i]-f.has[end.i])
		} else {
			n = min(n, f.left[end.i])
		}
		for k := 1; k < len(path); k++ { // a step back along what is given takes it away
			if a, b := path[k-1], path[k]; a.need != from.need {
				n = min(n, f.given[need(a, b)][supply(a, b)])
			}
		}
		for k := 1; k < len(path); k++ {
			a, b := path[k-1], path[k]
			if a.need == from.need {
				f.given[need(a, b)][supply(a, b)] += n
			} else {
				f.given[need(a, b)][supply(a, b)] -= n
			}
		}
		for _, x := range []side{from, end} {
			if x.need {
				f.has[x.i] += n
			} else {
				f.left[x.i] -= n
			}
		}
		units -= n
	}
}

func need(a, b side) int {
	if a.need {
		return a.i
	}
	return b.i
}

func supply(a, b side) int {
	if a.need {
		return b.i
	}
	return a.i
}

// path is the shortest path from a supply to a need with room, or from a need to a supply with something left: forth
// along what fits, back along what is given; nil where there is none.
func (f *flow) path(from side) []side {
	before := map[side]side{}
	queue := []side{from}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if at.need && !from.need && f.has[at.i] < f.most[at.i] || !at.need && from.need && f.left[at.i] > 0 {
			path := []side{at}
			for at != from {
				at = before[at]
				path = append(path, at)
			}
			slices.Reverse(path)
			return path
		}
		next := f.serves
		if at.need {
			next = f.fits
		}
		for _, i := range next[at.i] {
			to := side{!at.need, i}
			if at.need != from.need && f.given[need(at, to)][supply(at, to)] == 0 {
				continue
			}
			if _, seen := before[to]; !seen && to != from {
				before[to] = at
				queue = append(queue, to)
			}
		}
	}
	return nil
}

// uncross lets what ends first go to what is served first, where two needs could change.
func (f *flow) uncross(supplies []Supply, needs []Need) {
	for changed := true; changed; {
		changed = false
		for first := range needs {
			for later := range needs {
				if !needs[first].At.Before(needs[later].At) {
					continue
				}
				for _, soon := range f.fits[first] {
					for _, late := range f.fits[later] {
						n := min(f.given[later][soon], f.given[first][late])
						if n <= 0 || compareEnds(supplies[soon].Ends, supplies[late].Ends) >= 0 {
							continue
						}
						f.given[later][soon], f.given[first][late] = f.given[later][soon]-n, f.given[first][late]-n
						f.given[first][soon], f.given[later][late] = f.given[first][soon]+n, f.given[later][late]+n
						changed = true
					}
				}
			}
		}
	}
}
