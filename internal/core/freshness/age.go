package freshness

import (
	"fmt"
	"math"

	"leancatch/internal/core/unit"
)

// DateMeaning says what the date on the papers is the date of.
type DateMeaning string

// What a date may mean. Only Caught is near death.
const (
	Caught     DateMeaning = "caught"      // caught or harvested
	LandedDay  DateMeaning = "landed_day"  // landed by a day boat
	LandedTrip DateMeaning = "landed_trip" // landed after a trip
	Bought     DateMeaning = "bought"      // bought at market
	Arrived    DateMeaning = "arrived"     // says nothing of the age
)

// DateMeanings lists them in the order of the chain.
var DateMeanings = []DateMeaning{Caught, LandedDay, LandedTrip, Bought, Arrived}

// Name is the meaning in words.
func (m DateMeaning) Name() string {
	return map[DateMeaning]string{Caught: "Caught or harvested", LandedDay: "Landed, day boat",
		LandedTrip: "Landed, after a trip",
		Bought:     "Bought at market", Arrived: "Arrived here"}[m]
}

// Before returns the days of life that lie before such a date and their
// standard deviation (house). It returns false where the date says nothing.
func (m DateMeaning) Before() (days, sd float64, ok bool) {
	switch m {
	case Caught:
		return 0, 0, true
	case LandedDay:
		return 1, 1, true
	case LandedTrip:
		return 4, 3, true
	case Bought:
		return 2, 2, true
	}
	return 0, 0, false
}

// Standard deviations of the age that the papers say, days (house).
const (
	PaperDateSD    = 1.5 // a date on papers
	OwnCatchDateSD = 0.5 // own catch, stamped on deck

	LoggedTempSD  = 0.1 // temperature logged all the time
	SpotTempSD    = 0.5 // spot readings
	AssumedTempSD = 1.5 // nothing measured
)

// Gap is the distance between the age that the fish says and the age that its papers say in units of its
// standard deviation: z = (read − claimed) / √(sd_r² + sd_c²). Beyond
// ±GapLimit the two disagree.
func Gap(read, claimed Age) float64 {
	return (read.Days - claimed.Days) / math.Hypot(read.SD, claimed.SD)
}

// GapLimit is the difference from which two ages contradict each other (house).
const GapLimit = 2.0

// Basis says what the age used rests on.
type Basis string

// What an age may rest on.
const (
	BasisNone     Basis = ""        // nothing is known
	BasisDeclared Basis = "claimed" // the papers alone
	BasisRead     Basis = "read"    // the fish alone
	BasisMean     Basis = "mean"    // both agree: the precision-weighted mean
	BasisOlder    Basis = "older"   // they disagree: the older, plus one sd
	BasisCooked   Basis = "cooked"  // none: it is cooked, and a date mark counts its days
)

// After is the age so many fresh days later; nil stays nil.
func (a *Age) After(days float64) *Age {
	if a == nil {
		return nil
	}
	later := *a
	later.Days += days
	return &later
}

// Evidence is what is known of the age of a lot at one moment.
type Evidence struct {
	DeclaredAge *Age
	ReadAge     *Age
	Explained   bool // a manager wrote why papers and fish disagree
}

// Used returns the age that life left and fitness count with. Where the two
// ages agree (|z| ≤ 2) it is their precision-weighted mean
//
//	d = (d_r/sd_r² + d_c/sd_c²) / (1/sd_r² + 1/sd_c²),   sd = 1/√(1/sd_r² + 1/sd_c²)
//
// and where they disagree the older plus one of its sd: never an average of two
// stories of which one is false. A read age that is only a lower bound stays
// one, and the mean never lies below it.
func (e Evidence) Used() (Age, Basis) {
	switch {
	case e.DeclaredAge == nil && e.ReadAge == nil:
		return Age{}, BasisNone
	case e.ReadAge == nil:
		return *e.DeclaredAge, BasisDeclared
	case e.DeclaredAge == nil:
		return *e.ReadAge, BasisRead
	}
	r, c := *e.ReadAge, *e.DeclaredAge
	if z := Gap(r, c); math.Abs(z) > GapLimit {
		older := r
		if c.Days > r.Days {
			older = c
		}
		older.Days += older.SD
		older.AtLeast = r.AtLeast
		return older, BasisOlder
	}
	wr, wc := 1/(r.SD*r.SD), 1/(c.SD*c.SD)
	mean := Age{Days: (r.Days*wr + c.Days*wc) / (wr + wc), SD: 1 / math.Sqrt(wr+wc), AtLeast: r.AtLeast}
	if r.AtLeast {
		mean.Days = math.Max(mean.Days, r.Days)
	}
	return mean, BasisMean
}

// GapText says what a gap means, "" where the ages agree.
func GapText(z float64) string {
	switch {
	case z > GapLimit:
		return fmt.Sprintf("the fish is older than its papers say (gap %s): price it, ask, or refuse",
			unit.Signed(z, 1))
	case z < -GapLimit:
		return fmt.Sprintf("the fish is fresher than its papers say (gap %s): check the date and the lot code",
			unit.Signed(z, 1))
	}
	return ""
}
