package safety

import (
	"fmt"
	"math"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/refs"
)

// The rules of reduced-oxygen packs [FDA-hazards, chapter 13 and appendix
// 4] [FoodCode, 3-502.12]. Non-proteolytic Clostridium botulinum grows
// without oxygen from 3.3 °C, and nothing shows it.
const (
	// OxygenC is the temperature above which it grows, °C.
	OxygenC = 3.3
	// AirFilmOTR is the oxygen transmission from which a film counts as air,
	// cm³/(m²·24 h) at 24 °C; not where it is wrapped again or stacked tight.
	AirFilmOTR = 10_000.0
	// ClingCountsAsAir is for how long the kitchen's own cling film counts as air in all, frozen hours
	// included, where it never is warmer than ClingC, °C (house).
	ClingCountsAsAir = 48 * time.Hour
	ClingC           = 5.0
	// formerOxygenDays is how long a histamine former may lie chilled in a
	// reduced-oxygen pack (house).
	formerOxygenDays = 3.0
)

// OxygenRules names the rules wherever they are applied.
const OxygenRules refs.Cited = "[FDA-hazards, chapter 13 and appendix 4]; histamine formers 3 days: house"

var oxygenBands = []band{{OxygenC, 7 * 24}, {5, 2 * 24}, {10, 11}, {21, 2}}

// OxygenFacts is what is known of a chilled pack with reduced oxygen.
type OxygenFacts struct {
	Exposure  coldchain.Exposure // while it was packed so, by the records
	Unknown   float64            // hours of that without a record
	Days      float64            // packed so, not frozen
	MostDays  float64            // for which the rules allow that in all; 0 where they name none
	Former    bool               // histamine former
	Arrived   bool               // it came packed so
	CoreC     *float64           // at its receipt
	Recorded  bool               // a logger came with it that covers the way, or there is an indicator on each pack
	Explained bool               // a manager explained what was not recorded
}

// Oxygen is the clock of a reduced-oxygen pack.
type Oxygen struct {
	Share   float64   `json:"share"` // of what is allowed, the bands' shares added up
	Bands   []float64 `json:"hours"` // > 3.3 to 5, to 10, to 21, above 21 °C
	Unknown float64   `json:"unknown_hours"`
	State   State     `json:"state"`
	Reasons []string  `json:"reasons"`
}

// Holds reports whether the clock holds the lot.
func (o Oxygen) Holds() bool { return o.State == StateUnknown || o.State == StateStop }

// Text is the state with its reasons.
func (o Oxygen) Text() string {
	word := map[State]string{StateOK: "reduced-oxygen clock: in order",
		StateWarn: "reduced-oxygen clock: near its limit", StateUnknown: "reduced-oxygen clock: record missing",
		StateStop: "reduced-oxygen clock: limit passed"}[o.State]
	if len(o.Reasons) == 0 {
		return word
	}
	return word + ": " + strings.Join(o.Reasons, "; ")
}

// ReducedOxygen reads the clock: the share used is, over the bands,
//
//	Σ hours in the band / hours allowed in it
//
// or the share of the days that the rules allow in all, where that is more:
// 7 days above 3.3 to 5 °C, 2 days to 10 °C, 11 h to 21 °C, 2 h above; full
// stops the lot. Time without a record, more than a quarter of an hour in all,
// makes it unknown until a manager answers for it. A pack that came chilled
// must come at 3.3 °C or colder with a record or an indicator: without, it is
// unknown [FDA-hazards, appendix 4 and chapter 13].
func ReducedOxygen(f OxygenFacts) Oxygen {
	o := Oxygen{State: StateOK, Reasons: []string{}, Unknown: f.Unknown}
	worsen := func(s State, format string, args ...any) {
		o.Reasons = append(o.Reasons, fmt.Sprintf(format, args...))
		if rank(s) > rank(o.State) {
			o.State = s
		}
	}
	for i := range oxygenBands {
		o.Bands = append(o.Bands, in(oxygenBands, i, f.Exposure))
	}
	o.Share = shares(oxygenBands, f.Exposure)
	if f.Arrived && f.CoreC != nil && *f.CoreC > OxygenC {
		worsen(StateStop, "came at %.1f °C: at most %.1f °C for a chilled pack with reduced oxygen", *f.CoreC, OxygenC)
	}
	if f.Arrived && !f.Recorded {
		worsen(StateUnknown,
			"came chilled in a reduced-oxygen pack without a continuous record or an indicator on each pack")
	}
	if f.Unknown > graceHours && !f.Explained {
		worsen(StateUnknown, "%.1f h without a temperature record while packed so", f.Unknown)
	}
	worsenBy := func(share float64, format string, args ...any) {
		switch {
		case share > 1+passed:
			worsen(StateStop, format, args...)
		case share >= WarnShare-1e-9:
			worsen(StateWarn, format, args...)
		}
		o.Share = math.Max(o.Share, share)
	}
	worsenBy(o.Share, "%.0f %% of the time allowed above %.1f °C is used", 100*o.Share, OxygenC)
	if f.Former {
		worsenBy(f.Days/formerOxygenDays, "a histamine former, %.1f days in a reduced-oxygen pack: at most %.0f", f.Days,
			formerOxygenDays)
	}
	if f.MostDays > 0 {
		worsenBy(f.Days/f.MostDays, "%.1f days not frozen in a reduced-oxygen pack: at most %.0f in all", f.Days, f.MostDays)
	}
	return o
}
