package drawing

import "slices"

// figure is the build of a kind of fish: profiles are half depths along the
// body (x from 0 at the snout to 1 at the root of the tail), in the same unit
// as its length.
type figure struct {
	length       float64
	upper, lower []point // half depth above and below the axis
	eye          point   // x along the body, y above the axis; r below
	eyeR         float64
	gill         float64 // x of the hind edge of the gill cover
	mouth        float64 // length of the mouth
	dorsal       []fin
	ventral      []fin
	fork         float64 // how deep the tail is cut, 0 to 1
	tailSpan     float64
	back         string // colours of the back, the flank and the belly
	flank        string
	belly        string
	spots        int
	barbel       bool
	adipose      bool
	belly0       float64 // x of the middle of the belly; 0 stands for 0.40
	eye2         *point  // the other eye, where both lie on this side
	disc         bool    // a ray: a disc with a thin tail, no gill cover
	flesh        string  // colour of the cut face
	fins         string  // colour of the fins; "" for that of the back
	finlets      int     // behind the second dorsal fin, and under it
	bill         float64 // how far the upper jaw reaches out, as a share of the length
	barbels      int     // long ones at the mouth
	marks        []mark  // what lies on the skin
}

// fin stands on the back or under the belly from x0 to x1 of the body.
type fin struct{ x0, x1, height, lean float64 }

// builds are the silhouettes, by name.
var builds = map[string]figure{
	"cod": {length: 770, eye: point{0.115, 30}, eyeR: 23, gill: 0.255, mouth: 0.085,
		upper: []point{{0, 4}, {0.03, 26}, {0.09, 50}, {0.17, 70}, {0.28, 88}, {0.40, 90}, {0.55, 76}, {0.72, 48},
			{0.87, 25}, {0.95, 19}, {1, 21}},
		lower: []point{{0, 8}, {0.03, 22}, {0.09, 42}, {0.17, 62}, {0.28, 84}, {0.40, 88}, {0.52, 68}, {0.68, 42},
			{0.85, 23}, {0.95, 18}, {1, 21}},
		dorsal:  []fin{{0.27, 0.43, 66, 0.03}, {0.46, 0.66, 48, 0.04}, {0.69, 0.87, 38, 0.04}},
		ventral: []fin{{0.48, 0.65, 42, 0.04}, {0.68, 0.86, 34, 0.04}},
		fork:    0.12, tailSpan: 84, flesh: "#f1e6da", back: "#6b6a45", flank: "#a9a57c", belly: "#f1eee2", spots: 46,
		barbel: true},
	"bream": {length: 690, eye: point{0.15, 46}, eyeR: 29, gill: 0.30, mouth: 0.06,
		upper: []point{{0, 2}, {0.03, 34}, {0.09, 78}, {0.18, 118}, {0.30, 140}, {0.43, 138}, {0.60, 108},
			{0.76, 62}, {0.90, 28}, {1, 27}},
		lower: []point{{0, 10}, {0.03, 28}, {0.10, 62}, {0.20, 92}, {0.32, 112}, {0.46, 112}, {0.62, 86}, {0.78, 50},
			{0.90, 27}, {1, 27}},
		dorsal: []fin{{0.27, 0.84, 52, 0.02}}, ventral: []fin{{0.60, 0.83, 36, 0.03}},
		fork: 0.55, tailSpan: 104, flesh: "#f0e2d6", back: "#5d6d78", flank: "#b9c4c9", belly: "#f6f7f5"},
	"bass": {length: 750, eye: point{0.125, 34}, eyeR: 23, gill: 0.27, mouth: 0.085,
		upper: []point{{0, 3}, {0.03, 27}, {0.10, 56}, {0.20, 84}, {0.32, 98}, {0.46, 94}, {0.62, 74}, {0.78, 46},
			{0.91, 27}, {1, 27}},
		lower: []point{{0, 10}, {0.03, 25}, {0.10, 50}, {0.20, 72}, {0.33, 86}, {0.47, 84}, {0.62, 64}, {0.78, 42},
			{0.91, 26}, {1, 27}},
		dorsal: []fin{{0.31, 0.52, 62, 0.02}, {0.55, 0.77, 46, 0.03}}, ventral: []fin{{0.62, 0.77, 40, 0.03}},
		fork: 0.4, tailSpan: 98, flesh: "#f0e4d8", back: "#566773", flank: "#aebbc1", belly: "#f4f5f2"},
	"salmon": {length: 770, eye: point{0.105, 24}, eyeR: 17, gill: 0.235, mouth: 0.095,
		upper: []point{{0, 3}, {0.03, 22}, {0.10, 46}, {0.20, 70}, {0.33, 86}, {0.48, 86}, {0.64, 68}, {0.80, 40},
			{0.92, 25}, {1, 29}},
		lower: []point{{0, 9}, {0.03, 22}, {0.10, 44}, {0.20, 66}, {0.33, 84}, {0.47, 86}, {0.62, 66}, {0.79, 38},
			{0.92, 24}, {1, 29}},
		dorsal: []fin{{0.44, 0.58, 54, 0.04}}, ventral: []fin{{0.70, 0.82, 42, 0.04}},
		fork: 0.3, tailSpan: 98, flesh: "#e9825a", back: "#4a6271", flank: "#b4c2c6", belly: "#f7f7f4", spots: 26,
		adipose: true},
	"herring": {length: 770, eye: point{0.10, 16}, eyeR: 21, gill: 0.225, mouth: 0.06,
		upper: []point{{0, 2}, {0.03, 18}, {0.10, 38}, {0.22, 58}, {0.38, 68}, {0.54, 62}, {0.72, 42}, {0.88, 20},
			{1, 15}},
		lower: []point{{0, 10}, {0.03, 22}, {0.10, 42}, {0.22, 62}, {0.38, 76}, {0.54, 70}, {0.70, 46}, {0.88, 21},
			{1, 15}},
		dorsal: []fin{{0.47, 0.61, 46, 0.05}}, ventral: []fin{{0.74, 0.87, 22, 0.03}},
		fork: 0.75, tailSpan: 92, flesh: "#d9b7a6", back: "#2f5563", flank: "#a9bcc2", belly: "#f8f8f5"},
	"tuna": {length: 760, eye: point{0.105, 24}, eyeR: 19, gill: 0.25, mouth: 0.075,
		upper: []point{{0, 2}, {0.04, 30}, {0.12, 66}, {0.24, 98}, {0.38, 108}, {0.52, 96}, {0.68, 64}, {0.84, 28},
			{0.95, 12}, {1, 12}},
		lower: []point{{0, 8}, {0.04, 28}, {0.12, 62}, {0.24, 94}, {0.38, 104}, {0.52, 92}, {0.68, 60}, {0.84, 26},
			{0.95, 12}, {1, 12}},
		dorsal: []fin{{0.33, 0.50, 52, 0.03}, {0.53, 0.62, 58, 0.07}}, ventral: []fin{{0.57, 0.66, 56, 0.07}},
		fork: 0.85, tailSpan: 138, flesh: "#a92f3a", back: "#27404f", flank: "#9fb0b8", belly: "#f3f5f4"},
	"flat": {length: 640, eye: point{0.105, 34}, eyeR: 17, eye2: &point{0.135, -6}, gill: 0.225, mouth: 0.05,
		belly0: 0.30,
		upper: []point{{0, 4}, {0.03, 40}, {0.09, 84}, {0.20, 122}, {0.34, 138}, {0.50, 134}, {0.66, 108},
			{0.80, 68}, {0.92, 30}, {1, 24}},
		lower: []point{{0, 8}, {0.03, 30}, {0.09, 74}, {0.20, 116}, {0.34, 134}, {0.50, 130}, {0.66, 104},
			{0.80, 66}, {0.92, 30}, {1, 24}},
		dorsal: []fin{{0.10, 0.96, 34, 0.01}}, ventral: []fin{{0.24, 0.96, 34, 0.01}},
		fork: 0, tailSpan: 62, flesh: "#f2e9df", back: "#6d5f42", flank: "#8d7c58", belly: "#a3936f", spots: 40},
	"tail": {length: 760, eye: point{0.20, 74}, eyeR: 18, gill: 0.42, mouth: 0.20, belly0: 0.34,
		upper: []point{{0, 10}, {0.03, 60}, {0.10, 98}, {0.22, 112}, {0.34, 98}, {0.44, 76}, {0.58, 54}, {0.74, 36},
			{0.90, 22}, {1, 18}},
		lower: []point{{0, 34}, {0.03, 70}, {0.10, 104}, {0.22, 116}, {0.34, 104}, {0.44, 78}, {0.58, 54},
			{0.74, 36}, {0.90, 22}, {1, 18}},
		dorsal: []fin{{0.60, 0.86, 44, 0.05}}, ventral: []fin{{0.66, 0.86, 34, 0.05}},
		fork: 0, tailSpan: 58, flesh: "#f0e4dc", back: "#5a4a3a", flank: "#7d6a54", belly: "#d9cdb8", spots: 34},
	"ray": {length: 560, eye: point{0.20, 20}, eyeR: 11, eye2: &point{0.20, -20}, gill: 0.30, mouth: 0.02,
		belly0: 0.46, disc: true,
		upper: []point{{0, 5}, {0.07, 26}, {0.18, 66}, {0.32, 122}, {0.46, 156}, {0.56, 158}, {0.68, 118}, {0.80, 62},
			{0.92, 26}, {1, 12}},
		lower: []point{{0, 5}, {0.07, 26}, {0.18, 66}, {0.32, 122}, {0.46, 156}, {0.56, 158}, {0.68, 118}, {0.80, 62},
			{0.92, 26}, {1, 12}},
		flesh: "#efe2da", back: "#6a5c44", flank: "#8a7a5c", belly: "#9d8e70", spots: 44},
}

// figureOf is a build as a species, or a family, wears it; the build alone where its name is that of one.
func figureOf(name string) figure {
	c, ok := coats[name]
	if !ok {
		return builds[name]
	}
	f := builds[c.build]
	f.upper, f.lower = slices.Clone(f.upper), slices.Clone(f.lower)
	f.dorsal, f.ventral = slices.Clone(f.dorsal), slices.Clone(f.ventral)
	c.dress(&f)
	return f
}

// deep scales the depth of a build.
func deep(profile []point, by float64) []point {
	out := make([]point, len(profile))
	for i, p := range profile {
		out[i] = point{p.x, p.y * by}
	}
	return out
}

// slim scales a build's depth.
func (f *figure) slim(by float64) {
	f.upper, f.lower = deep(f.upper, by), deep(f.lower, by)
	f.eye.y *= by
	f.eyeR *= 0.5 + 0.5*by
}

// colour sets the colours of the back, the flank and the belly.
func (f *figure) colour(back, flank, belly string) { f.back, f.flank, f.belly = back, flank, belly }
