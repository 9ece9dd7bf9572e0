package freshness

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// Decision is what becomes of a lot at the door.
type Decision string

// The decisions.
const (
	Accept      Decision = "accept"
	AcceptCook  Decision = "accept_cook"  // cook only
	AcceptToday Decision = "accept_today" // today only
	AcceptStock Decision = "accept_stock" // stock and trim
	Hold        Decision = "hold"         // waits for a record, a test, a second pair of eyes
	Refuse      Decision = "refuse"
)

// Decisions lists them from the best to the worst.
var Decisions = []Decision{Accept, AcceptCook, AcceptToday, AcceptStock, Hold, Refuse}

// Name is the decision in words.
func (d Decision) Name() string {
	return map[Decision]string{Accept: "Accept", AcceptCook: "Accept, cook only", AcceptToday: "Accept, today only",
		AcceptStock: "Accept, stock pot and trim", Hold: "Hold", Refuse: "Refuse"}[d]
}

// Accepted reports whether the lot comes in.
func (d Decision) Accepted() bool { return d != Hold && d != Refuse }

// Facts is all that a verdict rests on.
type Facts struct {
	Scheme      Scheme
	Species     species.Species
	Profile     safety.Profile
	Frozen      bool
	CoreC       *float64 // core at receipt, °C, or as measured again in time; nil where nobody took it
	Fish        []Fish   // must pass CheckFish
	Quick       []Fish   // the sample as it was looked at quickly, by QuickScheme; Fish are of the same sample
	QuickScheme Scheme
	Count       int // fish in the lot; 0 where those inspected are all of them
	Reading     Reading
	DeclaredAge *Age
	Clock       *safety.Budget // of a histamine former; nil where it is judged elsewhere

	CoreUnasked bool // the temperature is judged elsewhere: do not hold for want of it
}

// Verdict is a proposal; the person decides.
type Verdict struct {
	Decision  Decision   `json:"verdict"`
	Rule      string     `json:"rule"`                     // the rule that decided
	Reasons   []string   `json:"reasons"`                  // all that spoke, the deciding one first
	Against   []string   `json:"against,omitempty"`        // what is wrong with the fish, as its supplier may read it
	HardStops []string   `json:"hard_stops"`               // override needs a manager
	Mixed     []Mixed    `json:"mixed_evidence"`           // signs that disagree with the others of their fish
	Each      []Decision `json:"fish_verdicts,omitempty"`  // of each fish by its own signs, where there are several
	OpenAll   bool       `json:"open_whole_box,omitempty"` // a hard stop in the sample: inspect every fish
}

// Judge proposes a verdict. The rules are tried in the order of their weight;
// the first that fires decides, and all that fire are among the reasons.
func Judge(f Facts) Verdict {
	v := Verdict{Decision: Accept, Rule: "no rule speaks against it", Reasons: []string{}, HardStops: []string{},
		Mixed: f.Scheme.Mixed(f.Species, f.Fish)}
	fire := func(d Decision, rule, format string, args ...any) {
		reason := fmt.Sprintf(format, args...)
		if says := f.against(rule, reason); worse(d, Accept) && says != "" && !slices.Contains(v.Against, says) {
			v.Against = append(v.Against, says)
		}
		if worse(d, v.Decision) {
			v.Decision, v.Rule = d, rule
			v.Reasons = slices.Insert(v.Reasons, 0, reason)
		} else if !slices.Contains(v.Reasons, reason) {
			v.Reasons = append(v.Reasons, reason)
		}
	}
	stop := func(d Decision, reason string) {
		v.HardStops = append(v.HardStops, reason)
		fire(d, "hard stop", "%s", reason)
	}
	if limit := f.Profile.ReceiveLimit(f.Species); !f.Frozen && f.CoreC != nil && *f.CoreC > limit {
		warm := fmt.Sprintf("core temperature %.1f °C is above %.1f °C, the receiving limit of the rules %s", *f.CoreC, limit,
			f.Profile.Name)
		if again, within := f.Profile.AgainLimit(f.Species); *f.CoreC <= again {
			fire(Hold, "measure again", "%s: ice it and measure again within %g h of its receipt", warm, within.Hours())
		} else {
			stop(Refuse, warm)
		}
	}
	if f.Clock != nil && f.Clock.State == safety.StateStop {
		stop(Refuse, f.Clock.Text())
	}
	if f.Species.Sale == species.SaleRefuse {
		stop(Refuse, f.Species.Name+" may not be sold: "+f.Species.Origin["sale"].String())
	}
	sightings := f.sightings()
	v.OpenAll = f.inspected() < f.Count && slices.ContainsFunc(sightings, func(s sighting) bool { return s.Hard })
	if v.OpenAll { // before a verdict is proposed by one of its fish
		fire(Hold, "open the whole box", "a hard stop in the sample: inspect all %d fish", f.Count)
	}
	for _, s := range sightings {
		switch {
		case s.Hard && v.OpenAll:
			v.HardStops = append(v.HardStops, s.text())
			fire(Hold, "hard stop", "%s", s.text())
		case s.Hard:
			stop(s.Decision, s.text())
		}
	}
	f.judgeAge(fire)
	for _, s := range sightings {
		if !s.Hard {
			fire(s.Decision, s.reason, "%s", s.text())
		}
	}
	for _, m := range v.Mixed {
		fire(Accept, "mixed evidence", "mixed evidence: %s%s", m.Text(), m.couldBe())
	}
	if few := f.Scheme.MinSigns; f.Reading.SignsSeen < few {
		fire(AcceptCook, "few signs", "only %s seen, fewer than %d: at best to cook", wereSigns(f.Reading.SignsSeen),
			few)
	}
	switch {
	case f.CoreC == nil && !f.CoreUnasked:
		fire(Hold, "no core temperature", "no core temperature was taken at receipt")
	case f.Frozen && f.CoreC != nil && *f.CoreC > f.Profile.FrozenMaxC:
		fire(Hold, "frozen limit", "core temperature %.1f °C is above %.0f °C, the limit for frozen fish of the rules %s",
			*f.CoreC, f.Profile.FrozenMaxC, f.Profile.Name)
	}
	if f.Species.Sale == species.SaleWarn {
		fire(Accept, "sale", "%s may be sold only with a warning to the guest: %s", f.Species.Name,
			f.Species.Origin["sale"])
	}
	if f.Clock != nil && f.Clock.State == safety.StateUnknown { // it holds the lot by itself
		fire(Accept, "histamine record", "%s; it holds the lot until a manager explains the missing hours",
			f.Clock.Text())
	}
	if f.Species.Ciguatera {
		fire(Accept, "ciguatera", "ciguatera concern: ask the reef it came from")
	}
	if f.Species.Mercury {
		fire(Accept, "mercury", "methylmercury: some guests are advised against it")
	}
	if n := SampleSize(f.Count); f.inspected() < n {
		fire(Accept, "sample", "%d of %d fish inspected: the sample for %d is %d", f.inspected(), f.Count, f.Count, n)
	}
	if len(f.Fish) > 1 {
		for _, fish := range f.Fish {
			v.Each = append(v.Each, f.alone(fish))
		}
	}
	if text := f.worst(); text != "" {
		v.Reasons = append(v.Reasons, text)
	}
	if len(v.Reasons) == 0 {
		v.Reasons = append(v.Reasons, f.plainly())
	}
	return v
}

// against is what a rule that fired says of the fish to its supplier; "" where it speaks of
// our own work.
func (f Facts) against(rule, reason string) string {
	switch rule {
	case "open the whole box", "few signs", "no core temperature", "last day":
		return ""
	case "measure again":
		reason, _, _ = strings.Cut(reason, ": ice it")
	case "age gap":
		return fmt.Sprintf("by its signs %.1f fresh days old, by its papers %.1f", f.Reading.Age.Days, f.DeclaredAge.Days)
	case "no life left":
		return "nothing is left of the days that fish of its kind keeps in ice"
	}
	return reason
}

// judgeAge fires the rules of age and life.
func (f Facts) judgeAge(fire func(Decision, string, string, ...any)) {
	if f.Frozen {
		return // the clock paused while frozen
	}
	evidence := Evidence{ReadAge: f.Reading.Age, DeclaredAge: f.DeclaredAge}
	_, basis := evidence.Used()
	left := evidence.Left(f.Species.ShelfLife).Days
	if f.Reading.Age != nil && f.Reading.Age.AtLeast {
		fire(Refuse, "rejection score", "freshness score %.1f is at or past the rejection score %.1f",
			f.Reading.Index, f.Scheme.Rejection())
	}
	if left <= 0 {
		fire(Refuse, "no life left", "nothing left of the %.0f fresh days that the species keeps at least",
			f.Species.ShelfLife.Lo)
	} else if left <= 1 {
		fire(AcceptToday, "last day", "%.1f fresh days left: today only", left)
	}
	if basis == BasisOlder {
		z := Gap(*evidence.ReadAge, *evidence.DeclaredAge)
		if z > 0 {
			fire(Hold, "age gap", "%s", GapText(z))
		} else {
			fire(Accept, "age gap", "%s", GapText(z))
		}
	}
}

// plainly is the reason for a verdict that nothing spoke against.
func (f Facts) plainly() string {
	if f.Frozen {
		return "the pack is " + f.Reading.Grade
	}
	left := Evidence{ReadAge: f.Reading.Age, DeclaredAge: f.DeclaredAge}.Left(f.Species.ShelfLife)
	if math.IsNaN(left.Days) {
		return "nothing speaks against it; its age is not known"
	}
	return fmt.Sprintf("%.1f fresh days left of %.0f", left.Days, f.Species.ShelfLife.Lo)
}

// inspected is how many fish of the lot were looked at.
func (f Facts) inspected() int { return max(len(f.Fish), len(f.Quick)) }

// quickly are the facts of the fish that were looked at quickly.
func (f Facts) quickly() Facts {
	f.Fish, f.Scheme, f.Quick = f.Quick, f.QuickScheme, nil
	return f
}

// worst names the worst fish of a sample and its share; "" where none is worse than it may be, or there
// is one.
func (f Facts) worst() string {
	of := f
	if len(f.Quick) > len(f.Fish) {
		of = f.quickly()
	}
	at, share, d := of.worstFish()
	if d == Accept || len(of.Fish) < 2 {
		return ""
	}
	return fmt.Sprintf("the worst of %d fish is fish %d: %s; %d of %d are so", len(of.Fish), at+1, strings.ToLower(d.Name()), share,
		len(of.Fish))
}

// worstFish is the first of the fish that are worst by their own signs, how many are so, and the decision
// on each of them.
func (f Facts) worstFish() (at, share int, worst Decision) {
	worst = Accept
	for i, fish := range f.Fish {
		switch d := f.alone(fish); {
		case worse(d, worst):
			at, share, worst = i, 1, d
		case d == worst:
			share++
		}
	}
	return at, share, worst
}

// sighting is an effect with the number of fish that show it, of those that were looked at for it.
type sighting struct {
	Effect
	reason   string
	fish, of int
}

func (s sighting) text() string {
	if s.of > 1 {
		return fmt.Sprintf("%s (%d of %d fish)", s.Note, s.fish, s.of)
	}
	return s.Note
}

// sightings collects what the signs of the fish do to the verdict: effects of
// levels, tallies, and grades that refuse, each once.
func (f Facts) sightings() []sighting {
	var list []sighting
	for _, fish := range f.Fish {
		for _, s := range f.on(fish) {
			if i := slices.IndexFunc(list, func(x sighting) bool { return x.Effect == s.Effect }); i >= 0 {
				list[i].fish++
			} else {
				s.of = len(f.Fish)
				list = append(list, s)
			}
		}
	}
	if len(f.Quick) == 0 {
		return list
	}
	for _, s := range f.quickly().sightings() {
		if !slices.ContainsFunc(list, func(x sighting) bool { return x.Effect == s.Effect }) {
			list = append(list, s)
		}
	}
	return list
}

// on lists what the signs of one fish do to the verdict.
func (f Facts) on(fish Fish) []sighting {
	var list []sighting
	for _, e := range f.Scheme.effects(fish) {
		list = append(list, sighting{Effect: e, reason: e.rule(), fish: 1})
	}
	// One red flag is for cooking only, two are held, unless they are explained (common practice,
	// no source).
	if flags, explained := f.Scheme.redFlags(fish); len(flags) > 0 {
		e := Effect{Decision: AcceptCook, Note: strings.Join(flags, ", ")}
		if len(flags) > 1 && !explained {
			e.Decision = Hold
		}
		list = append(list, sighting{Effect: e, reason: "red flags", fish: 1})
	}
	signs := fish.read(f.Scheme)
	for _, t := range f.Scheme.Tally {
		n := 0
		for _, level := range signs {
			if level >= t.Level {
				n++
			}
		}
		if n >= t.AtLeast {
			list = append(list, sighting{Effect: Effect{Decision: t.Decision, Note: t.Note}, reason: t.Rule, fish: 1})
		}
	}
	index, _ := f.Scheme.Index(signs)
	if grade := f.Scheme.gradeOf(fish, index); grade == f.Scheme.worst() && grade != "" {
		list = append(list, sighting{Effect: Effect{Decision: Refuse, Note: "grade: " + grade}, reason: "grade", fish: 1})
	}
	return list
}

// alone is the decision on one fish by its own signs.
func (f Facts) alone(fish Fish) Decision {
	d := Accept
	for _, s := range f.on(fish) {
		if worse(s.Decision, d) {
			d = s.Decision
		}
	}
	if f.Scheme.Calibration != nil {
		if index, _ := f.Scheme.Index(fish.read(f.Scheme)); index >= f.Scheme.Rejection() {
			d = Refuse
		}
	}
	return d
}

// worse reports whether a is further down the list of decisions than b.
func worse(a, b Decision) bool { return slices.Index(Decisions, a) > slices.Index(Decisions, b) }

func wereSigns(n int) string {
	if n == 1 {
		return "1 sign was"
	}
	return fmt.Sprintf("%d signs were", n)
}
