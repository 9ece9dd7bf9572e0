package drawing

// coat is how a build is worn by a species, or by a family: colours, fins and the marks by which it is
// told from others.
type coat struct {
	build string
	dress func(*figure)
}

// coats by the catalogue's name of the figure. What each shows is common practice, no source.
var coats = map[string]coat{
	// the cod family: the line along the side, the barbel and the blotch tell them apart
	"atlantic-cod": {"cod", func(f *figure) {
		f.colour("#6f6a3f", "#a9a171", "#f3f1e6")
		f.spots, f.marks = 70, []mark{dots{46, 0.18, 0.92, -0.1, 0.95, 5, "#5c5230", ""}, sideLine{"#f6f4ea", 6, 0.34}}
	}},
	"haddock": {"cod", func(f *figure) {
		f.colour("#5a5a63", "#aeb0b8", "#f6f6f5")
		f.spots, f.dorsal[0].height = 0, 86
		f.marks = []mark{sideLine{"#17181c", 6, 0.26}, blotch{0.315, 0.16, 25, 31, "#24252b", ""}}
	}},
	"whiting": {"cod", func(f *figure) {
		f.colour("#8a8468", "#cfcdb8", "#fbfbf8")
		f.slim(0.82)
		f.spots, f.barbel = 0, false
		f.marks = []mark{sideLine{"#b49a4a", 4, 0.2}, blotch{0.275, -0.05, 9, 9, "#1d1d1d", ""}}
	}},
	"coalfish": {"cod", func(f *figure) {
		f.colour("#2c3a3f", "#8fa0a4", "#f2f4f2")
		f.spots, f.barbel, f.fork = 0, false, 0.42
		f.marks = []mark{sideLine{"#f3f4f0", 6, 0}}
	}},
	"pollack": {"cod", func(f *figure) {
		f.colour("#6a5a33", "#b29a5a", "#f4f0dc")
		f.spots, f.barbel = 0, false
		f.marks = []mark{sideLine{"#4a3d1e", 6, 0.42}}
	}},
	"pacific-cod": {"cod", func(f *figure) {
		f.colour("#7a6f5c", "#b3a890", "#f1eee6")
		f.marks = []mark{dots{60, 0.2, 0.92, 0.05, 0.95, 4, "#4f4636", ""}, sideLine{"#d8cfb8", 4, 0.3}}
	}},
	"alaska-pollock": {"cod", func(f *figure) {
		f.colour("#5f6b4c", "#b6bb9c", "#f6f6ee")
		f.slim(0.84)
		f.spots, f.barbel = 0, false
		f.marks = []mark{dots{40, 0.2, 0.95, 0.3, 0.95, 6, "#3f4a30", ""}, stripes{2, 0.2, 0.95, 0.05, 0.3, 6, "#68714c"}}
	}},
	"hake": {"cod", func(f *figure) {
		f.colour("#57616b", "#a7afb3", "#f5f6f6")
		f.slim(0.8)
		f.mouth, f.barbel, f.spots = 0.115, false, 0
		f.dorsal, f.ventral = []fin{{0.26, 0.36, 56, 0.03}, {0.40, 0.88, 38, 0.04}}, []fin{{0.46, 0.88, 34, 0.04}}
		f.marks = []mark{sideLine{"#2f353a", 4, 0.04}}
	}},
	"ling": {"cod", func(f *figure) {
		f.colour("#6e5d41", "#a8926a", "#ece5d2")
		f.slim(0.66)
		f.dorsal, f.ventral = []fin{{0.26, 0.34, 40, 0.03}, {0.38, 0.93, 34, 0.04}}, []fin{{0.48, 0.93, 30, 0.04}}
		f.fork, f.tailSpan, f.spots = 0, 52, 0
		f.marks = []mark{bars{9, 0.3, 0.92, 0.1, 22, 0.02, 0.01, "#5a4a30"}, blotch{0.345, 1, 13, 10, "#2c2416", ""}}
	}},
	"tusk": {"cod", func(f *figure) {
		f.colour("#7a5a3c", "#b08c62", "#ece0cb")
		f.dorsal, f.ventral = []fin{{0.26, 0.95, 34, 0.02}}, []fin{{0.48, 0.95, 30, 0.02}}
		f.fork, f.tailSpan, f.spots = 0, 60, 0
		f.marks = []mark{sideLine{"#d8c49c", 3, 0.2}}
	}},
	"sablefish": {"cod", func(f *figure) {
		f.colour("#2a2f33", "#5f676b", "#a9afb0")
		f.slim(0.9)
		f.spots, f.barbel, f.fork = 0, false, 0.4
		f.dorsal, f.ventral = []fin{{0.28, 0.44, 46, 0.03}, {0.62, 0.8, 40, 0.04}}, []fin{{0.62, 0.8, 36, 0.04}}
	}},
	// flat fish: spots, shape of the body and of the line
	"plaice": {"flat", func(f *figure) {
		f.colour("#5f5a3a", "#7c7550", "#948d64")
		f.spots = 0
		f.marks = []mark{dots{24, 0.2, 0.95, -0.85, 0.85, 9, "#e4661f", "#c9a06a"}, sideLine{"#4a452b", 4, 0.04}}
	}},
	"sole": {"flat", func(f *figure) {
		f.colour("#6a5138", "#83684a", "#927757")
		f.slim(0.78)
		f.upper[0].y, f.upper[1].y, f.upper[2].y = 22, 60, 84 // a round snout
		f.lower[0].y, f.lower[1].y, f.lower[2].y = 22, 58, 80
		f.dorsal, f.ventral = []fin{{0.03, 0.98, 24, 0.01}}, []fin{{0.14, 0.98, 24, 0.01}}
		f.tailSpan, f.spots = 40, 0
		f.marks = []mark{dots{26, 0.15, 0.95, -0.8, 0.8, 13, "#4a3826", ""}, sideLine{"#4a3826", 3, 0}, blotch{0.29, -0.3, 16, 9, "#1f160d", ""}}
	}},
	"lemon-sole": {"flat", func(f *figure) {
		f.colour("#8a5a33", "#a8753f", "#b98a52")
		f.slim(0.88)
		f.eye.x, f.mouth, f.spots = 0.08, 0.025, 0
		f.marks = []mark{dots{30, 0.1, 0.95, -0.85, 0.85, 16, "#6e4a26", "#c89a52"}, sideLine{"#6a4623", 3, 0.16}}
	}},
	"turbot": {"flat", func(f *figure) {
		f.colour("#6b6450", "#857d64", "#9a9279")
		f.slim(1.14)
		f.length, f.spots = 590, 0
		f.marks = []mark{dots{80, 0.08, 0.96, -0.9, 0.9, 3.5, "#4c4636", ""}, dots{34, 0.12, 0.94, -0.85, 0.85, 6, "#e2dcc6", "#3e3a2d"}, sideLine{"#4c4636", 4, 0.34}}
	}},
	"brill": {"flat", func(f *figure) {
		f.colour("#75684c", "#8f8162", "#a2966f")
		f.spots = 0
		f.marks = []mark{dots{110, 0.06, 0.97, -0.95, 0.95, 4, "#efe6c8", ""}, dots{50, 0.1, 0.95, -0.9, 0.9, 5, "#4a4130", ""}, sideLine{"#4a4130", 4, 0.34}}
	}},
	"halibut": {"flat", func(f *figure) {
		f.colour("#3f4436", "#5a604e", "#6f7561")
		f.slim(0.74)
		f.length, f.spots, f.mouth, f.fork, f.tailSpan = 720, 0, 0.075, 0.25, 84
		f.marks = []mark{dots{30, 0.2, 0.95, -0.7, 0.7, 14, "#2f332a", ""}, sideLine{"#20231c", 5, 0.42}}
	}},
	"flounder": {"flat", func(f *figure) {
		f.colour("#59613f", "#747c55", "#8b9168")
		f.spots = 0
		f.marks = []mark{dots{22, 0.2, 0.95, -0.85, 0.85, 8, "#a8823c", ""}, sideLine{"#ccd0ae", 6, 0.05}, dots{22, 0.12, 0.95, 0.93, 0.93, 4, "#d6d8bd", ""}, dots{20, 0.26, 0.95, -0.93, -0.93, 4, "#d6d8bd", ""}}
	}},
	"witch": {"flat", func(f *figure) {
		f.colour("#7a5f52", "#957869", "#a98c7c")
		f.slim(0.72)
		f.spots, f.mouth = 0, 0.025
		f.marks = []mark{sideLine{"#6a4f42", 4, 0}, blotch{0.27, -0.35, 18, 10, "#2c2019", ""}}
	}},
	"megrim": {"flat", func(f *figure) {
		f.colour("#a08a5a", "#bda877", "#cbb98c")
		f.slim(0.8)
		f.eyeR, f.mouth, f.spots = 25, 0.085, 0
		f.marks = []mark{dots{14, 0.2, 0.9, -0.6, 0.6, 14, "#8a7446", ""}, sideLine{"#7d6a3e", 4, 0.34}}
	}},
	// bass, bream and their like
	"sea-bass": {"bass", func(f *figure) {
		f.colour("#4d5a63", "#b3bfc4", "#f8f9f8")
		f.marks = []mark{sideLine{"#5e6b72", 4, 0.02}, blotch{0.24, 0.35, 13, 11, "#3d474d", ""}}
	}},
	"striped-bass": {"bass", func(f *figure) {
		f.colour("#4d5a4c", "#bcc4b6", "#f6f7f2")
		f.marks = []mark{stripes{7, 0.28, 0.96, 0.78, -0.4, 7, "#232a25"}}
	}},
	"black-sea-bass": {"bass", func(f *figure) {
		f.colour("#23282d", "#4a5259", "#7b848a")
		f.slim(1.06)
		f.dorsal, f.fork = []fin{{0.28, 0.78, 60, 0.03}}, 0
		f.marks = []mark{dots{60, 0.25, 0.95, -0.7, 0.85, 5, "#cfd6da", ""}}
	}},
	"barramundi": {"bass", func(f *figure) {
		f.colour("#5c614a", "#aeb096", "#f2f1e6")
		f.upper[2].y, f.upper[3].y, f.fork, f.eye.y = 40, 80, 0, 22
		f.marks = []mark{net{0.034, "#6c705a"}}
	}},
	"meagre": {"bass", func(f *figure) {
		f.colour("#5d5a56", "#b0aaa0", "#f1efea")
		f.slim(0.86)
		f.dorsal, f.fork = []fin{{0.30, 0.44, 58, 0.02}, {0.47, 0.86, 34, 0.02}}, 0
		f.marks = []mark{sideLine{"#e9dfc4", 5, 0.06}, dots{12, 0.3, 0.9, 0.3, 0.3, 3, "#3d3a36", ""}}
	}},
	"perch": {"bass", func(f *figure) {
		f.colour("#4f5c31", "#a3a860", "#f2efd8")
		f.slim(1.08)
		f.dorsal[0].height, f.fins = 78, "#c9552b"
		f.marks = []mark{bars{6, 0.3, 0.86, -0.25, 26, 0, 0, "#2c3419"}, blotch{0.50, 1.12, 12, 12, "#15180d", ""}}
	}},
	"zander": {"bass", func(f *figure) {
		f.colour("#5c6246", "#aab08c", "#f1f1e6")
		f.slim(0.72)
		f.mouth, f.dorsal[0].height = 0.11, 66
		f.marks = []mark{bars{9, 0.28, 0.9, 0.1, 16, 0.005, 0.008, "#3a4029"}}
	}},
	"grouper": {"bass", func(f *figure) {
		f.colour("#5a4234", "#8a6a54", "#c9b193")
		f.slim(1.16)
		f.mouth, f.fork, f.tailSpan, f.dorsal = 0.12, 0, 86, []fin{{0.28, 0.84, 52, 0.02}}
		f.marks = []mark{dots{26, 0.24, 0.92, -0.6, 0.85, 12, "#b59a7c", ""}, dots{30, 0.2, 0.92, -0.7, 0.9, 6, "#3c2a1f", ""}}
	}},
	"mullet": {"bass", func(f *figure) {
		f.colour("#5c6a72", "#b4bec2", "#f6f7f6")
		f.slim(0.86)
		f.mouth, f.eyeR = 0.035, 20
		f.upper[0].y, f.upper[1].y = 10, 34
		f.dorsal = []fin{{0.40, 0.49, 52, 0.03}, {0.66, 0.77, 42, 0.04}}
		f.marks = []mark{stripes{8, 0.28, 0.95, 0.8, -0.4, 5, "#5e6a70"}, net{0.040, "#7c878c"}}
	}},
	"red-mullet": {"bass", func(f *figure) {
		f.colour("#c2483c", "#e58f74", "#fae9df")
		f.slim(0.84)
		f.mouth, f.barbels, f.fins = 0.035, 2, "#e9b98c"
		f.upper[1].y, f.upper[2].y = 40, 70 // a steep brow
		f.marks = []mark{net{0.044, "#b5402f"}, stripes{3, 0.3, 0.95, 0.2, -0.35, 6, "#e9bd3e"}}
	}},
	"sea-bream": {"bream", func(f *figure) {
		f.colour("#57666f", "#c3ccd0", "#f9faf9")
		f.marks = []mark{blotch{0.31, 0.42, 20, 26, "#2c3134", ""}, blotch{0.315, -0.02, 10, 20, "#b5654e", ""}, blotch{0.105, 0.62, 10, 22, "#e8c23c", ""},
			stripes{7, 0.34, 0.94, 0.75, -0.4, 2, "#8f9aa0"}}
	}},
	"red-sea-bream": {"bream", func(f *figure) {
		f.colour("#bf5a50", "#e8a698", "#fbeeea")
		f.fins = "#dc8577"
		f.marks = []mark{dots{44, 0.3, 0.92, 0.1, 0.85, 4, "#4f8fd0", ""}}
	}},
	"black-bream": {"bream", func(f *figure) {
		f.colour("#3f484e", "#8d979c", "#d5dadb")
		f.marks = []mark{bars{7, 0.32, 0.86, -0.3, 15, 0, 0, "#2c3337"}, stripes{7, 0.34, 0.92, 0.7, -0.5, 3, "#d6c27a"}}
	}},
	"porgy": {"bream", func(f *figure) {
		f.colour("#6e7f88", "#c6ced1", "#f5f6f6")
		f.marks = []mark{bars{5, 0.32, 0.8, -0.1, 16, 0, 0, "#7d8a90"}, dots{30, 0.32, 0.9, -0.1, 0.8, 4, "#5fa3c8", ""}}
	}},
	"snapper": {"bream", func(f *figure) {
		f.colour("#b5322c", "#dd6a58", "#f6cfc2")
		f.slim(0.88)
		f.eyeR, f.fins, f.mouth = 24, "#c8483c", 0.085
		f.upper[1].y, f.upper[2].y = 24, 62
		f.marks = []mark{net{0.034, "#a93026"}}
	}},
	"redfish": {"bream", func(f *figure) {
		f.colour("#c23a26", "#e46a4a", "#f8c7b0")
		f.slim(0.84)
		f.eyeR, f.mouth, f.fins = 40, 0.10, "#cf4a30"
		f.dorsal = []fin{{0.26, 0.62, 50, 0.02}, {0.63, 0.80, 56, 0.03}}
		f.fork, f.tailSpan = 0.1, 78
		f.marks = []mark{blotch{0.28, 0.3, 13, 13, "#7c1f17", ""}}
	}},
	"john-dory": {"bream", func(f *figure) {
		f.colour("#6a6238", "#a39a63", "#c6bf94")
		f.slim(1.1)
		f.mouth, f.fork, f.tailSpan = 0.13, 0, 62
		f.dorsal = []fin{{0.24, 0.52, 116, 0.14}, {0.55, 0.90, 34, 0.02}}
		f.ventral = []fin{{0.58, 0.90, 34, 0.02}}
		f.marks = []mark{stripes{5, 0.3, 0.95, 0.7, -0.5, 5, "#7f7746"}, blotch{0.50, 0.08, 34, 34, "#23211a", "#dcd29c"}}
	}},
	"gurnard": {"cod", func(f *figure) {
		f.colour("#b33a2a", "#dc7a5c", "#f7ddcd")
		f.slim(0.86)
		f.upper[0].y, f.upper[1].y, f.upper[2].y, f.upper[3].y = 22, 56, 78, 84 // an armoured head
		f.barbel, f.spots, f.fins = false, 0, "#d2573c"
		f.dorsal, f.ventral = []fin{{0.27, 0.40, 70, 0.02}, {0.43, 0.86, 38, 0.03}}, []fin{{0.45, 0.86, 34, 0.03}}
		f.marks = []mark{scutes{0.30, "#8e2a1d"}, blotch{0.34, -0.45, 60, 26, "#5b79b8", "#c8d6ee"}}
	}},
	"wolffish": {"cod", func(f *figure) {
		f.colour("#3f4a52", "#6c7880", "#a3acb0")
		f.slim(0.92)
		f.upper[0].y, f.upper[1].y = 22, 52
		f.barbel, f.spots, f.fork, f.tailSpan, f.mouth = false, 0, 0, 40, 0.11
		f.dorsal, f.ventral = []fin{{0.22, 0.96, 56, 0.01}}, []fin{{0.46, 0.96, 34, 0.01}}
		f.marks = []mark{bars{10, 0.26, 0.9, -0.35, 20, 0, 0.008, "#20282d"}}
	}},
	// blue fish
	"mackerel": {"herring", func(f *figure) {
		f.colour("#1f5a63", "#c4d3d2", "#fbfbf9")
		f.slim(0.92)
		f.dorsal, f.ventral = []fin{{0.30, 0.44, 46, 0.02}, {0.58, 0.68, 30, 0.04}}, []fin{{0.60, 0.69, 26, 0.04}}
		f.finlets, f.tailSpan = 5, 84
		f.marks = []mark{band{0.2, 1, 0.18, 1.05, "#2c7a72", 0.75}, bars{22, 0.2, 0.95, 0.12, 8, 0.012, 0.010, "#0e2c33"}}
	}},
	"chub-mackerel": {"herring", func(f *figure) {
		f.colour("#2a5560", "#c6d2cf", "#f6f7f2")
		f.slim(0.92)
		f.dorsal, f.ventral = []fin{{0.30, 0.42, 44, 0.02}, {0.58, 0.68, 30, 0.04}}, []fin{{0.60, 0.69, 26, 0.04}}
		f.finlets, f.tailSpan, f.eyeR = 5, 84, 23
		f.marks = []mark{bars{24, 0.2, 0.95, 0.3, 6, 0.016, 0.012, "#17373f"}, dots{50, 0.26, 0.92, -0.6, 0.1, 4, "#8b9a99", ""}}
	}},
	"seerfish": {"herring", func(f *figure) {
		f.colour("#3b5f74", "#b9c6cc", "#f6f7f7")
		f.slim(0.88)
		f.length = 790
		f.dorsal, f.ventral = []fin{{0.26, 0.50, 34, 0.02}, {0.53, 0.62, 44, 0.06}}, []fin{{0.56, 0.64, 40, 0.06}}
		f.finlets, f.fork, f.tailSpan, f.mouth = 8, 0.8, 110, 0.09
		f.marks = []mark{dots{34, 0.28, 0.9, -0.4, 0.6, 7, "#c9a23c", ""}, sideLine{"#2f4a58", 3, 0.1}}
	}},
	"scad": {"herring", func(f *figure) {
		f.colour("#3b5a57", "#b0bdb8", "#f6f7f4")
		f.slim(0.98)
		f.eyeR = 25
		f.dorsal, f.ventral = []fin{{0.32, 0.44, 48, 0.02}, {0.46, 0.88, 30, 0.02}}, []fin{{0.52, 0.88, 28, 0.02}}
		f.marks = []mark{scutes{0.27, "#e6ebe6"}, blotch{0.225, 0.4, 9, 11, "#191c1c", ""}}
	}},
	"atlantic-herring": {"herring", func(f *figure) {
		f.colour("#235a70", "#c1cfd4", "#fafbfb")
		f.marks = []mark{band{0.2, 1, 0.5, 1.05, "#2c6e88", 0.6}, net{0.036, "#8ba3ad"}}
	}},
	"sardine": {"herring", func(f *figure) {
		f.colour("#2f6a5e", "#c6d2cd", "#fafbf9")
		f.slim(0.9)
		f.marks = []mark{band{0.2, 1, 0.55, 1.05, "#2d7a66", 0.6}, net{0.048, "#7e988f"}, dots{9, 0.29, 0.72, 0.36, 0.36, 7, "#22333c", ""}}
	}},
	"sprat": {"herring", func(f *figure) {
		f.colour("#3f6a70", "#c9d3d4", "#fbfbfb")
		f.length = 640
		f.marks = []mark{band{0.2, 1, 0.5, 1.05, "#3c7480", 0.5}, net{0.05, "#93a5aa"}, dots{24, 0.24, 0.86, -0.98, -0.98, 3, "#5b6a6d", ""}}
	}},
	"anchovy": {"herring", func(f *figure) {
		f.colour("#3a5f73", "#c7cfd0", "#f8f8f6")
		f.slim(0.72)
		f.length, f.mouth, f.eye.x = 640, 0.15, 0.07
		f.marks = []mark{band{0.14, 1, 0.1, 0.42, "#e9edf0", 0.95}, band{0.14, 1, 0.42, 1.05, "#35607a", 0.6}}
	}},
	"garfish": {"herring", func(f *figure) {
		f.colour("#2f6d4f", "#b9c9c0", "#f6f8f5")
		f.slim(0.52)
		f.length, f.bill = 640, 0.16
		f.dorsal, f.ventral = []fin{{0.72, 0.88, 30, 0.03}}, []fin{{0.70, 0.88, 30, 0.03}}
		f.marks = []mark{band{0.1, 1, 0.35, 1.05, "#2f7d5a", 0.6}}
	}},
	"jack": {"tuna", func(f *figure) {
		f.colour("#3f5f70", "#b5c2c4", "#f6f7f6")
		f.slim(0.86)
		f.dorsal, f.ventral = []fin{{0.33, 0.44, 26, 0.03}, {0.46, 0.90, 40, 0.05}}, []fin{{0.62, 0.90, 34, 0.05}}
		f.flesh, f.marks = "#d9a79a", []mark{band{0.1, 1, 0.06, 0.24, "#d8b43c", 0.8}}
	}},
	"trevally": {"bream", func(f *figure) {
		f.colour("#5c7480", "#c3ccd0", "#f7f8f8")
		f.fork, f.tailSpan, f.dorsal = 0.7, 112, []fin{{0.30, 0.42, 44, 0.02}, {0.45, 0.88, 40, 0.03}}
		f.ventral = []fin{{0.52, 0.88, 38, 0.03}}
		f.marks = []mark{scutes{0.58, "#7d8a90"}, blotch{0.295, 0.42, 12, 13, "#1f2427", ""}, band{0.3, 1, 0.1, 0.24, "#dcc35c", 0.6}}
	}},
	"mahi": {"bass", func(f *figure) {
		f.colour("#1f6f78", "#9dbb4e", "#f0d95a")
		f.slim(0.92)
		f.upper = []point{{0, 60}, {0.02, 92}, {0.08, 112}, {0.20, 110}, {0.34, 100}, {0.50, 82}, {0.68, 56}, {0.84, 32}, {0.94, 20}, {1, 20}}
		f.dorsal, f.ventral = []fin{{0.10, 0.94, 56, 0.02}}, []fin{{0.52, 0.94, 26, 0.02}}
		f.fork, f.tailSpan, f.fins, f.eye = 0.85, 126, "#2e6aa8", point{0.10, 16}
		f.marks = []mark{dots{50, 0.2, 0.94, -0.8, 0.4, 5, "#2b6ea0", ""}}
	}},
	// tunas: bands, spots and the length of the fins
	"bonito": {"tuna", func(f *figure) {
		f.colour("#2a4a63", "#b3c0c6", "#f6f7f7")
		f.slim(0.82)
		f.finlets, f.flesh, f.dorsal = 7, "#b8545a", []fin{{0.30, 0.54, 40, 0.03}, {0.56, 0.64, 38, 0.06}}
		f.marks = []mark{stripes{1, 0.3, 0.9, 0.2, 0.2, 2, "#2a4a63"}, bars{9, 0.30, 0.92, 0.1, 6, -0.14, 0, "#16293a"}}
	}},
	"skipjack": {"tuna", func(f *figure) {
		f.colour("#2a3f66", "#b9c0c8", "#f3f4f4")
		f.slim(0.92)
		f.finlets, f.marks = 7, []mark{stripes{4, 0.34, 0.96, -0.12, -0.78, 7, "#2c3550"}}
	}},
	"yellowfin": {"tuna", func(f *figure) {
		f.colour("#1e3550", "#a9b4ba", "#f4f5f4")
		f.fins, f.finlets = "#e2b93a", 8
		f.dorsal, f.ventral = []fin{{0.33, 0.50, 46, 0.03}, {0.52, 0.62, 104, 0.13}}, []fin{{0.56, 0.66, 104, 0.13}}
		f.marks = []mark{band{0.2, 0.96, 0.12, 0.3, "#d9b44a", 0.7}}
	}},
	"bluefin": {"tuna", func(f *figure) {
		f.colour("#16253a", "#93a2ad", "#f2f4f4")
		f.slim(1.08)
		f.finlets, f.marks = 9, []mark{dots{40, 0.3, 0.9, -0.85, -0.2, 5, "#e9eef0", ""}}
	}},
	"albacore": {"tuna", func(f *figure) {
		f.colour("#28405a", "#b3bcc2", "#f5f6f6")
		f.finlets, f.marks = 8, []mark{blotch{0.46, -0.02, 130, 10, "#1e3147", ""}}
	}},
	"billfish": {"tuna", func(f *figure) {
		f.colour("#2b3646", "#6f7a86", "#cfd5d8")
		f.slim(0.76)
		f.length, f.bill, f.fork, f.tailSpan, f.flesh = 590, 0.24, 0.9, 150, "#e6c2ae"
		f.dorsal, f.ventral = []fin{{0.22, 0.38, 96, 0.10}}, []fin{{0.60, 0.70, 40, 0.06}}
		f.mouth = 0.05
	}},
	// the salmon family
	"atlantic-salmon": {"salmon", func(f *figure) {
		f.spots, f.marks = 0, []mark{dots{26, 0.1, 0.9, 0.2, 0.95, 5, "#1f2a30", ""}}
	}},
	"pacific-salmon": {"salmon", func(f *figure) {
		f.colour("#2f5666", "#b7c3c6", "#f6f7f5")
		f.spots, f.marks = 0, []mark{dots{34, 0.12, 0.96, 0.45, 1, 5, "#14222a", ""}}
	}},
	"sea-trout": {"salmon", func(f *figure) {
		f.colour("#5c5f4a", "#b9b79e", "#f6f5ee")
		f.fork, f.spots, f.marks = 0.1, 0, []mark{dots{64, 0.1, 0.92, -0.35, 0.95, 6, "#24241b", "#d6d2b8"}}
	}},
	"rainbow-trout": {"salmon", func(f *figure) {
		f.colour("#556b4f", "#b5bfae", "#f6f6f0")
		f.slim(0.94)
		f.spots, f.marks = 0, []mark{band{0.12, 1, -0.12, 0.28, "#c9587a", 0.65}, dots{110, 0.06, 1, -0.1, 0.98, 3.5, "#1d2419", ""}}
	}},
	"char": {"salmon", func(f *figure) {
		f.colour("#44555a", "#8e9a8e", "#e8a27c")
		f.fork, f.spots, f.fins = 0.25, 0, "#cf6a44"
		f.marks = []mark{dots{60, 0.2, 0.95, -0.3, 0.8, 5, "#f0d6c2", ""}}
	}},
	"whitefish": {"salmon", func(f *figure) {
		f.colour("#6b7a80", "#c5cdcf", "#f9f9f8")
		f.fork, f.mouth, f.spots, f.flesh = 0.5, 0.045, 0, "#f2e8dd"
		f.marks = []mark{net{0.034, "#93a0a5"}}
	}},
	"pike": {"salmon", func(f *figure) {
		f.colour("#4f5b33", "#8f9a5c", "#efeacb")
		f.slim(0.74)
		f.upper[0].y, f.upper[1].y, f.upper[2].y, f.lower[0].y, f.lower[1].y = 12, 20, 30, 14, 20
		f.eye, f.mouth, f.gill, f.adipose, f.spots, f.flesh = point{0.15, 22}, 0.12, 0.27, false, 0, "#f1e8dc"
		f.dorsal, f.ventral = []fin{{0.76, 0.89, 54, 0.03}}, []fin{{0.78, 0.90, 44, 0.03}}
		f.marks = []mark{dots{60, 0.28, 0.96, -0.6, 0.8, 8, "#dfe0a2", ""}}
	}},
	"carp": {"bream", func(f *figure) {
		f.colour("#5c4f2c", "#a38c4a", "#e6d9a6")
		f.slim(0.86)
		f.eyeR, f.barbels, f.dorsal, f.ventral, f.fork = 17, 2, []fin{{0.36, 0.74, 52, 0.02}}, []fin{{0.70, 0.79, 40, 0.03}}, 0.4
		f.marks = []mark{net{0.052, "#4c4122"}}
	}},
	"catfish": {"cod", func(f *figure) {
		f.colour("#4a5058", "#8b9198", "#eceded")
		f.upper[0].y, f.upper[1].y = 22, 42
		f.barbel, f.barbels, f.spots, f.fork, f.adipose, f.mouth = false, 4, 0, 0.45, true, 0.06
		f.dorsal, f.ventral = []fin{{0.30, 0.38, 58, 0.04}}, []fin{{0.56, 0.82, 34, 0.02}}
	}},
	"eel": {"cod", func(f *figure) {
		f.colour("#3c3f33", "#6c6f58", "#e3dfc6")
		f.slim(0.46)
		f.length, f.gill, f.barbel, f.spots, f.fork, f.tailSpan, f.mouth = 790, 0.14, false, 0, 0, 20, 0.05
		f.eye = point{0.05, 12}
		f.eyeR = 9
		f.dorsal, f.ventral = []fin{{0.28, 0.99, 20, 0.01}}, []fin{{0.42, 0.99, 18, 0.01}}
	}},
	"sturgeon": {"salmon", func(f *figure) {
		f.colour("#4c4a42", "#83806f", "#dcd8c6")
		f.slim(0.74)
		f.length, f.bill, f.adipose, f.spots, f.flesh, f.barbels, f.mouth = 680, 0.07, false, 0, "#f0e3d3", 2, 0.03
		f.dorsal, f.ventral = []fin{{0.76, 0.88, 46, 0.05}}, []fin{{0.80, 0.89, 36, 0.05}}
		f.marks = []mark{dots{13, 0.24, 0.94, 0.92, 0.92, 9, "#d3cbb2", "#3a382f"}, dots{26, 0.24, 0.96, 0.05, 0.05, 6, "#d3cbb2", "#3a382f"}, dots{10, 0.26, 0.7, -0.85, -0.85, 7, "#d3cbb2", "#3a382f"}}
	}},
	"barracuda": {"herring", func(f *figure) {
		f.colour("#3f5560", "#b7c1c5", "#f6f7f7")
		f.slim(0.62)
		f.length, f.mouth, f.dorsal, f.ventral = 800, 0.12, []fin{{0.40, 0.49, 40, 0.03}, {0.70, 0.79, 40, 0.04}}, []fin{{0.71, 0.80, 36, 0.04}}
		f.marks = []mark{bars{18, 0.28, 0.92, 0.2, 7, 0, 0, "#2f434d"}, dots{8, 0.5, 0.92, -0.7, -0.2, 8, "#1e2a30", ""}}
	}},
	"shark": {"cod", func(f *figure) {
		f.colour("#6d6a60", "#99968a", "#efeee8")
		f.slim(0.78)
		f.barbel, f.spots, f.mouth, f.flesh = false, 0, 0.05, "#f0e4da"
		f.lower[0].y, f.lower[1].y = 2, 14
		f.dorsal, f.ventral = []fin{{0.34, 0.48, 74, 0.10}, {0.70, 0.79, 40, 0.07}}, []fin{{0.60, 0.68, 28, 0.05}}
		f.fork, f.tailSpan = 0.6, 92
		f.marks = []mark{dots{50, 0.15, 0.95, 0, 0.9, 3.5, "#4a473f", ""}}
	}},
	"puffer": {"bass", func(f *figure) {
		f.colour("#5a5a3e", "#bdb78c", "#f8f6ea")
		f.lower[4].y, f.lower[5].y, f.lower[3].y = 124, 118, 104
		f.mouth, f.fork, f.tailSpan = 0.03, 0, 62
		f.dorsal, f.ventral = []fin{{0.70, 0.80, 44, 0.03}}, []fin{{0.71, 0.80, 36, 0.03}}
		f.marks = []mark{dots{40, 0.15, 0.9, 0.1, 0.95, 8, "#33331f", ""}, blotch{0.40, 0.15, 26, 26, "#1e1e14", "#efeac8"}}
	}},
}
