package drawing

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Whatever the links, each leads to the right, and every box stands once.
func TestAGraphLeadsToTheRight(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range 500 {
		g := Graph{Boxes: make([]Box, 1+rng.IntN(12))}
		for to := range g.Boxes {
			for from := range to {
				if rng.IntN(4) == 0 {
					g.Links = append(g.Links, Link{from, to})
				}
			}
		}
		forward := len(g.Links)
		if forward > 0 && rng.IntN(2) == 0 { // and one back
			l := g.Links[rng.IntN(forward)]
			g.Links = append(g.Links, Link{l.To, l.From})
		}
		if got := len(g.forward()); got != forward {
			t.Fatalf("%d of %v lead forward", got, g.Links)
		}
		g.Links = g.forward()
		rng.Shuffle(len(g.Links), func(i, j int) { g.Links[i], g.Links[j] = g.Links[j], g.Links[i] })
		column := map[int]int{}
		n := 0
		for c, boxes := range g.columns() {
			for _, i := range boxes {
				column[i] = c
				n++
			}
		}
		if n != len(g.Boxes) || slices.ContainsFunc(g.Links, func(l Link) bool { return column[l.From] >= column[l.To] }) {
			t.Fatalf("%v stand in %v", g.Links, g.columns())
		}
	}
}
