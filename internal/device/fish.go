package device

// Fish is one fish as the truth of the simulation has it: shells of a cylinder
// through which the heat goes, step by step. It shares nothing with the heat
// model of the application.
type Fish struct {
	RadiusM float64
	H       float64 // surface coefficient, W/(m²·K)
	StartC  float64
	shells  [fishShells]float64
}

const fishShells = 10

// Flesh above its freezing point: conductivity W/(m·K), density kg/m³ and
// specific heat J/(kg·K) of lean fish (usual textbook values).
const fleshK, fleshRho, fleshCp = 0.52, 1050.0, 3700.0

func (f *Fish) start() {
	for i := range f.shells {
		f.shells[i] = f.StartC
	}
}

// advance lets the fish lie in air of a temperature for some seconds.
func (f *Fish) advance(airC, seconds float64) {
	dr := f.RadiusM / fishShells
	var in [fishShells + 1]float64 // heat into shell i from outside, W/m over 2π
	for i := 1; i < fishShells; i++ {
		in[i] = fleshK * float64(i) * (f.shells[i] - f.shells[i-1])
	}
	in[fishShells] = f.RadiusM * (airC - f.shells[fishShells-1]) / (1/f.H + dr/2/fleshK)
	for i := range f.shells {
		outer, inner := float64(i+1)*dr, float64(i)*dr
		f.shells[i] += seconds * (in[i+1] - in[i]) / (fleshRho * fleshCp * (outer*outer - inner*inner) / 2)
	}
}

// CoreC and MeanC are its temperatures.
func (f *Fish) CoreC() float64 { return f.shells[0] }

// MeanC is the mean by volume.
func (f *Fish) MeanC() float64 {
	var sum, volume float64
	for i, c := range f.shells {
		v := float64(2*i + 1)
		sum, volume = sum+v*c, volume+v
	}
	return sum / volume
}
