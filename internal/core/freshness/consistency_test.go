package freshness

import (
	"math"
	"testing"
)

// The band against the printed table of Student's t: t(0.975, 7) = 2.365 and
// t(0.975, 19) = 2.093 (any statistical handbook), and sums done by hand.
func TestConsistent(t *testing.T) {
	eight := []float64{2, 4, 4, 4, 5, 5, 7, 9} // mean 5, Σ(x − 5)² = 32, s = √(32/7)
	c := ConsistencyOf(eight)
	half := 2.365 * math.Sqrt(32.0/7) / math.Sqrt(8)
	near(t, "mean", c.Mean, 5, 1e-12)
	near(t, "lower end", c.Lo, 5-half, 1e-3)
	near(t, "upper end", c.Hi, 5+half, 1e-3)
	if !c.Enough() || !c.Differs() {
		t.Errorf("%+v: eight lots are enough, and they differ from none", c)
	}
	var twenty []float64
	for i := range 20 {
		twenty = append(twenty, float64(i%2*2-1)) // −1 and +1 in turn: mean 0, s = √(20/19)
	}
	c = ConsistencyOf(twenty)
	near(t, "half band of twenty", c.Hi, 2.093*math.Sqrt(20.0/19)/math.Sqrt(20), 1e-3)
	if c.Differs() {
		t.Error("a mean of none differs from none")
	}
	if c = ConsistencyOf(eight[:7]); c.Enough() || c.Differs() {
		t.Error("seven lots are too few to tell")
	}
	if c = ConsistencyOf([]float64{3}); c.Mean != 3 || !math.IsInf(c.Hi, 1) {
		t.Errorf("one lot: %+v", c)
	}
	if c = ConsistencyOf(nil); c.Lots != 0 || c.Mean != 0 {
		t.Errorf("no lot: %+v", c)
	}
}
