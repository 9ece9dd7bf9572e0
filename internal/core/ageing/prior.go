package ageing

import "math"

// How fish differ (house): the paces of fish of one species in one cabinet, of
// species in a cabinet, and of cabinets.
const (
	fishSD    = 0.12
	speciesSD = 0.12
	cabinetSD = 0.30
)

// Result is what a finished fish says of its cabinet.
type Result struct {
	SpeciesID string
	LogPace   float64 // of its K against the reference fish of its weight
	SD        float64 // of that, by its weigh-ins
	CrustKg   float64 // trimmed off at take-down
	UsableKg  float64
	DownKg    float64 // at take-down
}

// PriorFrom is the prior of a fish of a weight in a cabinet, from the fish that it
// aged: those of its species first, the others as far as species are alike. With
// few it stays near the reference, with many it is their own mean: normal
// means on three levels (fish in a species, species in a cabinet, cabinets),
// each weighted by its precision. It also returns how many fish of the species it rests on.
func PriorFrom(kg float64, speciesID string, aged []Result) (Prior, int) {
	type sum struct{ precision, weighted float64 }
	bySpecies := map[string]sum{}
	own := 0
	for _, a := range aged {
		p := 1 / (fishSD*fishSD + a.SD*a.SD)
		s := bySpecies[a.SpeciesID]
		bySpecies[a.SpeciesID] = sum{s.precision + p, s.weighted + p*a.LogPace}
		if a.SpeciesID == speciesID {
			own++
		}
	}
	cabinet := sum{precision: 1 / (cabinetSD * cabinetSD)}
	for id, s := range bySpecies {
		if id == speciesID {
			continue
		}
		p := 1 / (1/s.precision + speciesSD*speciesSD)
		cabinet.precision += p
		cabinet.weighted += p * s.weighted / s.precision
	}
	mean, variance := cabinet.weighted/cabinet.precision, 1/cabinet.precision+speciesSD*speciesSD
	if s, ok := bySpecies[speciesID]; ok {
		precision := 1/variance + s.precision
		mean, variance = (mean/variance+s.weighted)/precision, 1/precision
	}
	prior := PriorWithoutHistory(kg)
	prior.K *= math.Exp(mean)
	prior.SDK = math.Sqrt(variance + fishSD*fishSD)
	return prior, own
}

// What is trimmed off as crust before there are results of the kitchen's own (house): a rim, and more
// the drier it is; and how many fish that counts as.
const (
	crustRim      = 0.02
	crustPerLoss  = 0.4
	crustPriorFor = 4.0
)

// usableShare is how much of a whole fish without its crust ends as flesh where
// the catalogue knows no yield.
const usableShare = 0.5

// Usable is the share of the taken-down weight that is usable flesh, once a
// fish has lost a share: the mean of the species' fish in the cabinet, drawn to the
// yield of the catalogue less the crust while they are few.
func Usable(loss, yield float64, speciesID string, aged []Result) float64 {
	if !(yield > 0) {
		yield = usableShare
	}
	sum, n := crustPriorFor*yield*(1-crustRim-crustPerLoss*loss), crustPriorFor
	for _, a := range aged {
		if a.SpeciesID == speciesID && a.DownKg > 0 {
			sum, n = sum+a.UsableKg/a.DownKg, n+1
		}
	}
	return sum / n
}

// CostPerKg is what a kilogram of usable flesh costs once a fish that cost so much
// a kilogram has lost a share, with a share of the rest usable.
func CostPerKg(perKg, loss, usable float64) float64 { return perKg / ((1 - loss) * usable) }
