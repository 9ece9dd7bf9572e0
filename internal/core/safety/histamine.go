package safety

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/refs"
)

// The histamine rules [FDA-hazards, chapter 7]. Cooking, freezing
// and smoking do not destroy histamine.
const (
	// ChilledC is the temperature above which hours count, °C.
	ChilledC = 4.4
	// HotC is the water or air above which a fish must be chilled sooner, °C.
	HotC = 28.3
	// HalvingC is the temperature above which the hours allowed afterwards are halved, °C.
	HalvingC = 21.1

	ChillHotHours    = 6.0  // from death to chilling where water or air is above HotC
	ChillHours       = 9.0  // at or below it
	ChillGuttedHours = 12.0 // gilled and gutted before chilling

	// WarmAllowance is how long fish may be above ChilledC afterwards where any
	// of it was above HalvingC, h.
	WarmAllowance = 4.0
	AfterHours    = 8.0 // where none was
	// A long frozen storage sets other allowances for what comes after it.
	afterFrozenWarmHours = 12.0
	afterFrozenHours     = 24.0
	// ExtendedFrozenWeeks is how long a long frozen storage is.
	ExtendedFrozenWeeks = 24.0

	// SlowC is the temperature above which a former's share grows slowly, up to ChilledC, °C: full
	// after slowHours, and in a pack without oxygen after slowPackHours (house).
	SlowC         = 3.0
	slowHours     = 168.0
	slowPackHours = 72.0

	// WarnShare of a budget is where the warning begins.
	WarnShare = 0.75
	// graceHours without a record count as none (house).
	graceHours = 0.25
	// passed is by how much of itself a limit is passed: exactly four hours are still four hours.
	passed = 1e-6
	// ProofDays is how long fish that never was warm proves anything: some
	// bacteria make histamine at 0 to 5 °C over a week.
	ProofDays = 7.0
)

// HistamineRules names the rules wherever they are applied.
const HistamineRules refs.Cited = "[FDA-hazards, chapter 7]; the same in all rules"

// State is where a histamine budget stands.
type State string

// The states, from best to worst. Unknown and Stop hold the lot.
const (
	StateOff     State = "off" // it does not run
	StateOK      State = "ok"
	StateWarn    State = "warn"
	StateUnknown State = "unknown"
	StateStop    State = "stop"
)

// Stretch is what is known of the fish over a time after it was chilled.
type Stretch struct {
	Hours    float64 // above ChilledC by the records
	Warm     bool    // some of them above HalvingC
	Unknown  float64 // hours without a record: they count in full, as above ChilledC
	Extended bool    // after a long frozen storage
	Slow     float64 // hours above SlowC up to ChilledC
	NoOxygen bool    // in a pack without oxygen
}

// StretchOf reads a stretch off an exposure.
func StretchOf(e coldchain.Exposure, unknownHours float64, extended bool) Stretch {
	return Stretch{Hours: e.HoursAbove(ChilledC), Warm: e.HoursAbove(HalvingC) > 0, Unknown: unknownHours, Extended: extended,
		Slow: e.HoursAbove(SlowC) - e.HoursAbove(ChilledC)}
}

// HistamineFacts is what is known of a histamine former since its death.
type HistamineFacts struct {
	Death     *time.Time // nil where nobody knows
	Chilled   *time.Time // put into ice, slurry or refrigerated water; nil where nobody knows
	ChilledBy *time.Time // the first time it was known to be at ChilledC or colder
	Waiting   bool       // not chilled yet: the way to chilling goes on until Until
	Gutted    bool       // gilled and gutted before it was chilled
	AmbientC  *float64   // the warmest of water and air until then; nil where nobody knows: the strict allowance
	After     []Stretch  // since it was chilled
	Until     time.Time
	Cleared   *HistamineClearance // what a manager let it go by
	Dealt     bool                // it came from a dealer: the harvest went through a first receiver's gate
	Held      string              // why it is held whatever is on record since; "" for nothing
}

// HistamineClearance is what ends a hold of the clock. An explanation answers for what was
// not recorded, never for what was; a test that was met answers for all before
// it. (The hours of an explanation are given in After as recorded ones.)
type HistamineClearance struct {
	Explained bool // the way from death to chilling is explained
	Tested    bool // a sampling plan was met at the end of After[Before-1]
	Before    int  // stretches that the test answers for
}

// Hours are hours used of hours allowed.
type Hours struct {
	Used    *float64 `json:"used_hours"` // nil where nobody knows
	Allowed float64  `json:"allowed_hours"`
	Unknown float64  `json:"unknown_hours,omitempty"` // of those used: not recorded, counted in full
	// Answered says that an explanation or a test stands for the hours: they are a
	// length of time and no exposure.
	Explained bool `json:"answered,omitempty"`
}

// Share is the part used; NaN where nobody knows.
func (h Hours) Share() float64 {
	if h.Used == nil {
		return math.NaN()
	}
	return *h.Used / h.Allowed
}

// Budget is a histamine clock as it stands.
type Budget struct {
	ToChill Hours    `json:"to_chill"`
	After   Hours    `json:"after"`
	Share   float64  `json:"share"` // of the time after chilling, over all allowances, unrecorded time in full
	State   State    `json:"state"`
	Reasons []string `json:"reasons"`
	// the two budgets apart
	Chilling Part `json:"-"`
	Chilled  Part `json:"-"`
}

// Part is one of two budgets of the clock.
type Part struct {
	State   State
	Reasons []string
}

// Text is the part with its reasons, under a name; "" where it is in order.
func (p Part) Text(name string) string {
	if p.State == StateOK {
		return ""
	}
	word := map[State]string{StateWarn: "near its limit", StateUnknown: "record missing", StateStop: "limit passed"}[p.State]
	return name + ": " + word + ": " + strings.Join(p.Reasons, "; ")
}

// Holds reports whether the clock holds the lot.
func (b Budget) Holds() bool { return b.State == StateUnknown || b.State == StateStop }

// LargestShare is the share of the budget that is used most, unrecorded time in full.
func (b Budget) LargestShare() float64 {
	if b.ToChill.Used == nil || b.ToChill.Explained {
		return b.Share
	}
	return math.Max(b.Share, b.ToChill.Share())
}

// Text is the state with its reasons.
func (b Budget) Text() string {
	word := map[State]string{StateOK: "histamine clock: in order", StateWarn: "histamine clock: near its limit",
		StateUnknown: "histamine clock: record missing", StateStop: "histamine clock: limit passed"}[b.State]
	if len(b.Reasons) == 0 {
		return word
	}
	return word + ": " + strings.Join(b.Reasons, "; ")
}

// Histamine reads the clock. There are two budgets [FDA-hazards, chapter 7]:
// hours from death to chilling, at most 6 where water or air was above 28.3 °C,
// else 9, and 12 for fish that was gilled and gutted first; and hours above
// 4.4 °C afterwards, in all at most 4 where any of them was above 21.1 °C, else
// 8; 12 and 24 for what comes after 24 weeks of frozen storage, on top of the
// share used before. Recorded hours that fill a budget stop the lot; time that
// nobody recorded counts in full and makes the clock unknown, until a manager
// answers for it.
func Histamine(f HistamineFacts) Budget {
	b := Budget{State: StateOK, Reasons: []string{}, Chilling: Part{State: StateOK}, Chilled: Part{State: StateOK}}
	part := &b.Chilling
	worsen := func(s State, format string, args ...any) {
		why := fmt.Sprintf(format, args...)
		b.Reasons, part.Reasons = append(b.Reasons, why), append(part.Reasons, why)
		if rank(s) > rank(b.State) {
			b.State = s
		}
		if rank(s) > rank(part.State) {
			part.State = s
		}
	}
	cleared := HistamineClearance{}
	if f.Cleared != nil {
		cleared = *f.Cleared
	}
	if !f.Dealt {
		b.toChill(f, cleared, worsen)
	}
	part = &b.Chilled
	if f.Held != "" && !cleared.Tested {
		worsen(StateUnknown, "%s", f.Held)
	}
	b.after(f, cleared, worsen)
	if f.Death != nil && f.Until.Sub(*f.Death).Hours() > ProofDays*24 {
		b.Reasons = append(b.Reasons, fmt.Sprintf(
			"more than %.0f days since death: some bacteria make histamine at 0 to 5 °C, so hours above %.1f °C "+
				"prove nothing", ProofDays, ChilledC))
	}
	return b
}

func rank(s State) int {
	return map[State]int{StateWarn: 1, StateUnknown: 2, StateStop: 3}[s]
}

type worsenFunc func(s State, format string, args ...any)

// toChill fills in the first budget.
func (b *Budget) toChill(f HistamineFacts, cleared HistamineClearance, worsen worsenFunc) {
	b.ToChill.Allowed = ChillHours
	switch {
	case f.Gutted:
		b.ToChill.Allowed = ChillGuttedHours
	case f.AmbientC == nil:
		b.ToChill.Allowed = ChillHotHours
		b.Reasons = append(b.Reasons, fmt.Sprintf("water and air temperature not recorded: taken as above %.1f °C",
			HotC))
	case *f.AmbientC > HotC:
		b.ToChill.Allowed = ChillHotHours
	}
	if f.Death == nil {
		if !cleared.Explained && !cleared.Tested {
			worsen(StateUnknown, "time of death not recorded")
		}
		return
	}
	end := f.Until
	switch {
	case f.Chilled != nil:
		end = *f.Chilled
	case f.ChilledBy != nil && !f.Waiting:
		end = *f.ChilledBy
	}
	used := math.Max(0, end.Sub(*f.Death).Hours())
	b.ToChill.Used = &used
	unrecorded := f.Chilled == nil && !f.Waiting
	if unrecorded && !cleared.Explained && !cleared.Tested {
		b.ToChill.Unknown = used
	}
	if cleared.Tested || cleared.Explained && unrecorded {
		b.ToChill.Explained = true
		return
	}
	share := used / b.ToChill.Allowed
	switch {
	case unrecorded && f.ChilledBy != nil:
		worsen(StateUnknown, "chilling not recorded: first known to be cold %.1f h after death, of %.0f h allowed",
			used, b.ToChill.Allowed)
	case unrecorded:
		worsen(StateUnknown, "chilling not recorded")
	case share > 1+passed:
		worsen(StateStop, "%.1f h from death %s, of %.0f h allowed", used, f.chilling(), b.ToChill.Allowed)
	case share >= WarnShare:
		worsen(StateWarn, "%.1f h from death %s, of %.0f h allowed", used, f.chilling(), b.ToChill.Allowed)
	}
}

func (f HistamineFacts) chilling() string {
	if f.Chilled == nil {
		return "and not chilled yet"
	}
	return "to chilling"
}

// after fills in the second budget.
func (b *Budget) after(f HistamineFacts, cleared HistamineClearance, worsen worsenFunc) {
	b.After.Allowed = AfterHours
	var recorded, full, hours, unknown, slowly float64 // the first two are shares
	var warm, sinceTest bool
	// any warm hour halves the allowance of all on its side of the freezer
	for _, extended := range []bool{false, true} {
		side := slices.ContainsFunc(f.After, func(s Stretch) bool { return s.Extended == extended && s.Warm })
		for i, s := range f.After {
			if s.Extended != extended {
				continue
			}
			tested := cleared.Tested && i < cleared.Before
			if tested {
				s.Unknown = 0 // the test answers for it
			}
			limit := allowance(extended, side)
			slow := s.Slow / slowHours
			if s.NoOxygen {
				slow = s.Slow / slowPackHours
			}
			slowly += s.Slow
			recorded += s.Hours/limit + slow
			full += (s.Hours+s.Unknown)/limit + slow
			hours += s.Hours + s.Unknown
			unknown += s.Unknown
			sinceTest = sinceTest || !tested && (s.Hours > passed || s.Unknown > graceHours)
			b.After.Allowed, warm = limit, side
		}
	}
	if unknown <= graceHours {
		hours, unknown, full = hours-unknown, 0, recorded
	}
	b.After.Used, b.After.Unknown, b.Share = &hours, unknown, full
	limits := fmt.Sprintf("%.1f h above %.1f °C after chilling, of %.0f h allowed", hours-unknown, ChilledC,
		b.After.Allowed)
	if warm {
		limits += fmt.Sprintf(" since some of it was above %.1f °C", HalvingC)
	}
	if slowly > 0.05 {
		limits += fmt.Sprintf(", and %.0f h above %.0f °C", slowly, SlowC)
	}
	spent := recorded > 1+passed
	if unknown > 0 {
		worsen(StateUnknown, "%.1f h without a temperature record", unknown)
	}
	switch {
	case spent && cleared.Tested && !sinceTest:
		worsen(StateWarn, "%s: let go on its test; any more of it stops the lot", limits)
	case spent:
		worsen(StateStop, "%s", limits)
	case recorded >= WarnShare-1e-9:
		worsen(StateWarn, "%s", limits)
	}
}

// allowance is how long a former may be above ChilledC in all, h.
func allowance(extended, warm bool) float64 {
	switch {
	case extended && warm:
		return afterFrozenWarmHours
	case extended:
		return afterFrozenHours
	case warm:
		return WarmAllowance
	}
	return AfterHours
}
