package freshness

import (
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// FewestLots is the number of lots below which nothing is said of a supplier's
// consistency (house).
const FewestLots = 8

// Consistency is how far the fish of a supplier, of one species, read from
// their papers in the mean, in fresh days.
type Consistency struct {
	Lots   int
	Mean   float64
	Lo, Hi float64 // 95 % band of the mean
}

// Enough reports whether there are lots enough to say anything.
func (c Consistency) Enough() bool { return c.Lots >= FewestLots }

// Differs reports whether the mean differs from none beyond its band. Other
// things than the supplier bias it too: the calibration, the inspector, the
// bleeding. It is no word on honesty.
func (c Consistency) Differs() bool { return c.Enough() && (c.Lo > 0 || c.Hi < 0) }

// ConsistencyOf takes the mean of age gaps, what the fish says less what the papers say, fresh days, with the
// band
//
//	mean ± t(0.975, n − 1) · s / √n
//
// (Student 1908). Below two lots the band is endless.
func ConsistencyOf(gaps []float64) Consistency {
	c := Consistency{Lots: len(gaps), Lo: math.Inf(-1), Hi: math.Inf(1)}
	if len(gaps) == 0 {
		return c
	}
	c.Mean = stat.Mean(gaps, nil)
	if len(gaps) < 2 {
		return c
	}
	n := float64(len(gaps))
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 1}.Quantile(0.975)
	half := t * stat.StdDev(gaps, nil) / math.Sqrt(n)
	c.Lo, c.Hi = c.Mean-half, c.Mean+half
	return c
}
