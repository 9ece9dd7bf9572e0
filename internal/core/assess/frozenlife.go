package assess

import (
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// Declaration is a supplier's paper on parasites, on file.
type Declaration struct {
	ID         uuid.UUID
	Kind       DeclarationKind
	SupplierID int64
	SpeciesID  string
	IssuedOn   time.Time
	ValidTo    time.Time // deliveries until then
	Reference  string    // its number, and who signed it
	// Of frozen fish: the supplier's lot, and how it was frozen against parasites.
	SupplierLot string
	RouteC      float64
	RouteHours  float64
}

// DeclarationKind says what a letter states.
type DeclarationKind string

// The kinds.
const (
	DeclaredFarmed  DeclarationKind = "farmed"         // farmed so that it holds no parasites
	DeclaredFrozen  DeclarationKind = "frozen"         // frozen by the supplier along one of the routes
	DeclaredHarvest DeclarationKind = "harvest_record" // the catcher's record: chilled in time
)

// DeclarationKinds lists them.
var DeclarationKinds = []DeclarationKind{DeclaredFarmed, DeclaredFrozen, DeclaredHarvest}

// Name is the kind in words.
func (k DeclarationKind) Name() string {
	return map[DeclarationKind]string{DeclaredFarmed: "Farmed, free of parasites",
		DeclaredFrozen:  "Frozen by the supplier against parasites",
		DeclaredHarvest: "Chilled in time, by the catcher's record"}[k]
}

// covers reports whether the letter covers the lot under the rules: of its supplier and species,
// within its dates; a farmed letter covers fish that is recorded as farmed, a freezing letter the lot
// of the supplier that it names, where its route is one of the rules.
func (l Declaration) covers(s *lot.State, rules safety.ParasiteRules) bool {
	if l.SupplierID != s.Received.SupplierID || l.SpeciesID != s.Received.SpeciesID || s.Species().Sale == species.SaleRefuse ||
		s.ReceivedAt.Before(l.IssuedOn) || !s.ReceivedAt.Before(l.ValidTo.AddDate(0, 0, 1)) {
		return false
	}
	switch l.Kind {
	case DeclaredFarmed:
		return s.Declared.Origin == lot.Farmed
	case DeclaredFrozen:
		return s.Received.Frozen && l.SupplierLot != "" && l.SupplierLot == s.Received.SupplierLot &&
			rules.MetBy(l.RouteC, l.RouteHours)
	}
	return true
}

// ParasiteClearance is what is known of parasites in a lot.
type ParasiteClearance struct {
	safety.Parasite
	Predicted   bool          // no core was measured as cold as the route asks: the heat model says so
	Margin      time.Duration // that is added for it
	Declaration *Declaration  // that the clearance rests on; nil for none
}

// Text is the clearance in words.
func (c ParasiteClearance) Text() string {
	checked := ""
	if c.Checked {
		checked = ", checked twice a day"
	}
	switch {
	case c.Declaration != nil && c.Declaration.Kind == DeclaredFrozen:
		return "frozen by the supplier, declaration " + c.Declaration.Reference
	case c.Exempt != "":
		return c.Exempt
	case c.Met && c.Predicted:
		return fmt.Sprintf("parasite freezing done: %s%s (predicted core temperature, with %s of margin)", c.Route.Name(), checked,
			hoursText(c.Margin))
	case c.Met:
		return "parasite freezing done: " + c.Route.Name() + checked
	case c.Since.IsZero():
		return "no parasite freezing or exemption on record"
	}
	return fmt.Sprintf("parasite freezing: %s of %s left", leftText(c.Remaining), c.Route.Name())
}

func leftText(d time.Duration) string {
	if d >= 48*time.Hour {
		return fmt.Sprintf("%.1f days", d.Hours()/24)
	}
	return hoursText(d)
}

// mostUnrecorded is the longest time without a record that frozen fish comes
// through unchanged.
const mostUnrecorded = 15 * time.Minute

// parasites reads the parasite clock: along the core as it was measured, or as
// the heat model has it in air that was. What only the model says is given a
// margin of freezing.Margin of the time since the fish went in, or since the
// stretch before it broke.
func (t assessor) parasites() ParasiteClearance {
	s := t.state
	facts := safety.ParasiteFacts{Species: s.Species(), ThicknessMM: s.Piece().ThicknessMM}
	if n := len(s.FrozenStays); n > 0 { // it may have been cut since
		facts.ThicknessMM = s.PieceAt(s.FrozenStays[n-1].From).ThicknessMM
	}
	var out ParasiteClearance
	for i, l := range t.env.Declarations {
		if l.Kind != DeclaredHarvest && l.covers(s, t.env.Profile.Parasite) && (out.Declaration == nil || l.Kind == DeclaredFarmed) {
			out.Declaration = &t.env.Declarations[i]
		}
	}
	facts.Letter = out.Declaration != nil && out.Declaration.Kind == DeclaredFarmed
	for _, b := range t.fish {
		if b.freezing {
			facts.Core = append(facts.Core, b.core(b.logged)...)
			facts.Checked = append(facts.Checked, b.core(b.checked)...)
		}
	}
	facts.Core, facts.Checked = joined(facts.Core), joined(facts.Checked)
	out.Parasite = t.env.Profile.Parasites(facts)
	if l := out.Declaration; l != nil && l.Kind == DeclaredFrozen && !out.Met {
		out.Met, out.Remaining = true, 0
		return out
	}
	if out.Exempt == "" {
		out.Declaration = nil
	}
	if out.Since.IsZero() || out.Exempt != "" {
		return out
	}
	until := t.at
	if out.Met {
		until = out.MetAt
	}
	out.Predicted = !slices.ContainsFunc(s.CoreReadings, func(x coldchain.Reading) bool {
		return x.Celsius <= out.Route.HoldC && !x.At.Before(out.Since.Add(-time.Hour)) && !x.At.After(until)
	})
	if out.Predicted {
		begun := out.Since
		if stay, _ := frozenStayAt(s, out.Since); stay != nil {
			begun = stay.From
		}
		for _, broken := range out.Broken {
			if broken.At.Before(out.Since) && broken.At.After(begun) {
				begun = broken.At
			}
		}
		out.Margin = time.Duration(freezing.Margin * float64(out.Since.Sub(begun)))
		if out.Met {
			out.MetAt = out.MetAt.Add(out.Margin)
			if out.MetAt.After(t.at) {
				out.Met, out.Remaining, out.MetAt = false, out.MetAt.Sub(t.at), time.Time{}
			}
		} else {
			out.Remaining += out.Margin
		}
	}
	return out
}

// core is the body's own line in the spans in which its surroundings were recorded.
func (b body) core(spans []coldchain.Span) [][]coldchain.Reading {
	var list [][]coldchain.Reading
	for _, span := range spans {
		var stretch []coldchain.Reading
		b.line.Walk(span, func(part coldchain.Span, from, to float64, known bool) {
			if known {
				stretch = append(stretch, coldchain.Reading{At: part.From, Celsius: from},
					coldchain.Reading{At: part.To, Celsius: to})
			}
		})
		if len(stretch) > 0 {
			list = append(list, stretch)
		}
	}
	return list
}

// joined joins stretches that lie no further apart than frozen fish minds.
func joined(list [][]coldchain.Reading) [][]coldchain.Reading {
	var out [][]coldchain.Reading
	for _, stretch := range list {
		if n := len(out); n > 0 {
			if last := out[n-1]; stretch[0].At.Sub(last[len(last)-1].At) <= mostUnrecorded {
				out[n-1] = append(last, stretch...)
				continue
			}
		}
		out = append(out, stretch)
	}
	return out
}

// FrozenLife is the clock of a lot while it is frozen.
type FrozenLife struct {
	frozen.Use
	Fat        frozen.Fat
	LeftMonths float64   // at the temperature now; NaN where no life is known there
	BestBefore time.Time // zero where none is known
	WarmDays   float64   // above the freezer's set temperature, by more than a kelvin
	WarmCost   float64   // share of the life that those cost more than at the set temperature
}

// frozenLife follows the fish through its frozen times; nil where it has none.
func (t assessor) frozenLife(nowC float64) *FrozenLife {
	s := t.state
	solids := t.frozenSpans(frozen.WarmestC) // on its way down it is not warm
	if len(solids) == 0 {
		return nil
	}
	life := FrozenLife{Use: frozen.Use{Mean: math.NaN()}, Fat: s.FatClass(), LeftMonths: math.NaN()}
	t.eachLeg(coldchain.Span{From: solids[0].From, To: t.at}, func(l leg) {
		b := t.bodyIn(l.Span)
		if b == nil {
			return
		}
		set := l.assumed
		if l.placeID != 0 {
			set -= AssumedMargin
		}
		for _, solid := range solids {
			span := solid.Clip(l.Span)
			if span.Len() <= 0 {
				continue
			}
			b.line.Walk(span, func(part coldchain.Span, from, to float64, known bool) {
				use := frozen.Ramp(life.Fat, from, to, part.Len())
				life.Use = life.Use.Add(use)
				if (from+to)/2 > set+1 {
					life.WarmDays += part.Len().Hours() / 24
					life.WarmCost += use.Share - frozen.Ramp(life.Fat, set, set, part.Len()).Share
				}
			})
		}
	})
	if left, err := life.LeftAt(life.Fat, nowC); err == nil {
		life.LeftMonths = left
		if s.Frozen() {
			life.BestBefore = t.at.Add(time.Duration(left * float64(frozen.Month)))
		}
	}
	return &life
}

// thawDeadline fills in by when what was thawed is used.
func (t assessor) thawDeadline(a *Assessment) {
	thaw := t.state.Thaw()
	if thaw == nil {
		return
	}
	ready := t.thawedFrom(thaw)
	a.ThawReady = ready
	keeps := t.env.Profile.Thawed.CookHours // as the rules say, or less where it was planned so
	if planned := thaw.Pull.Keeps; planned > 0 {
		keeps = math.Min(keeps, planned)
	}
	a.KeepTo = ready.Add(inHours(keeps))
}

// thawedC is the core from which fish counts as thawed, °C.
const thawedC = -1.0

// thawedFrom is when a thaw is over: as a core was found, or as the heat model has it in what was
// measured around the fish, whichever is sooner; before that as it was forecast.
func (t assessor) thawedFrom(thaw *lot.FrozenStay) time.Time {
	ready := thaw.PullAt.Add(inHours(thaw.Pull.IceFree))
	var free time.Time
	followed := false
	for _, b := range t.fish {
		if b.steps != nil && !b.From.Before(thaw.PullAt) {
			followed = true
			if free.IsZero() {
				free = b.iceFree
			}
		}
	}
	switch {
	case !free.IsZero():
		ready = free
	case followed:
		ready = laterOf(ready, t.at)
	}
	if thaw.Thawed != nil {
		ready = earlierOf(ready, thaw.ThawedAt)
	}
	for _, x := range t.state.CoreReadings {
		switch {
		case !x.At.After(thaw.PullAt) || x.At.After(t.at):
		case x.Celsius < thawedC:
			ready = laterOf(ready, x.At)
		default:
			return earlierOf(ready, x.At)
		}
	}
	return ready
}

// frozenBreak finds the first time at which fish that had been frozen was warmer than that
// while it lay in a freezer, by what is recorded, and how warm it became until now; the zero
// time where it never was.
func (t assessor) frozenBreak() (at time.Time, warmest float64) {
	warmest = math.Inf(-1)
	for _, stay := range t.state.FrozenStays {
		to := stay.To
		if to.IsZero() || to.After(t.at) {
			to = t.at
		}
		solid := stay.Froze == nil // it came so
		for _, b := range t.fish {
			for _, x := range b.line.Readings {
				switch {
				case x.At.Before(stay.From) || x.At.After(to):
				case x.Celsius <= freezing.SolidC:
					solid = true
				case solid:
					if at.IsZero() {
						at = x.At
					}
					warmest = math.Max(warmest, x.Celsius)
				}
			}
		}
	}
	return at, warmest
}

// driedSkin reports whether the fish hung until its skin was ready, so that it is judged as
// aged fish and no more as wet fish.
func (t assessor) driedSkin() bool {
	if len(t.state.Hangings) == 0 {
		return false
	}
	if t.state.Ageing() != nil {
		return true
	}
	return t.aged != nil && t.aged.Loss.Mid >= t.aged.Policy.Skin
}
