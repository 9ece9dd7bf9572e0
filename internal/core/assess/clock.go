package assess

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// ClockID names a safety clock.
type ClockID string

// The clocks.
const (
	ClockToChill     ClockID = "to_chill"       // from death to ice, of a histamine former
	ClockHistamine   ClockID = "histamine"      // above 4.4 °C after that
	ClockOxygen      ClockID = "reduced_oxygen" // in a pack without oxygen
	ClockOutOfCold   ClockID = "out_of_cold"    // since the kitchen took charge
	ClockFrozenBreak ClockID = "frozen_break"   // warmed in the freezer
	ClockAfterThaw   ClockID = "after_thaw"     // since it was free of ice
	ClockCut         ClockID = "cut"            // since it was filleted or portioned
	ClockPrepared    ClockID = "prepared"       // since it was salted, marinated, cured, assembled
	ClockAgeing      ClockID = "ageing"         // the cabinet's excursions and the last day to serve
	ClockCooling     ClockID = "cooling"        // of cooked fish
	ClockCooked      ClockID = "cooked"         // its date mark, and how cold it was kept
	ClockDecision    ClockID = "decision"       // what people decided, and a warm core at receipt
	ClockBanned      ClockID = "banned"         // a species that may not be sold
	ClockOrigin      ClockID = "origin"         // of reef fish
)

// Name is the clock in words.
func (id ClockID) Name() string {
	return map[ClockID]string{ClockToChill: "From death to ice", ClockHistamine: "Histamine",
		ClockOxygen: "Pack without oxygen", ClockOutOfCold: "Out of the cold", ClockFrozenBreak: "Thawed in the freezer",
		ClockAfterThaw: "Since the thaw", ClockCut: "Since it was cut", ClockPrepared: "Since it was prepared",
		ClockAgeing: "Ageing", ClockCooling: "Cooling",
		ClockCooked: "Cooked and chilled", ClockDecision: "Decisions", ClockBanned: "Banned species",
		ClockOrigin: "Origin"}[id]
}

// Reading is a clock as it stands.
type Reading struct {
	ID      ClockID
	State   safety.State
	Share   float64    // of its budget; NaN where it has none
	Since   time.Time  // of the state; zero where that is not one moment
	Guards  []lot.Gate // the uses that it closes as it stands
	Why     string     // "" while it is off or in order
	Brief   string     // the same in two or three words, where it closes a use
	EndedBy string     // what opens them again; "" for nothing
}

// Closes names the uses that the clock closes, "" where it closes none.
func (r Reading) Closes() string {
	if len(r.Guards) == len(every) {
		return "every use"
	}
	var names []string
	for _, u := range uses {
		if slices.Contains(r.Guards, u.gate) {
			names = append(names, u.name)
		}
	}
	return strings.Join(names, ", ")
}

// every are all uses: what a clock closes that lets a lot only be discarded, sent back or
// sampled.
var every = []lot.Gate{lot.GateRaw, lot.GateCook, lot.GateDryAge, lot.GateFreeze, lot.GateStock}

// cookOnly are the uses that are closed for fish that may only be cooked.
var cookOnly = []lot.Gate{lot.GateRaw, lot.GateDryAge, lot.GateFreeze}

// closing are the uses that a clock closes while it is unknown or stopped; what closes by
// degrees says so itself.
var closing = map[ClockID][]lot.Gate{
	ClockToChill: every, ClockHistamine: every, ClockOxygen: every, ClockBanned: every, ClockOrigin: every,
	ClockAgeing: every, ClockCooling: every, ClockCooked: every,
	ClockFrozenBreak: cookOnly,
	ClockCut:         {lot.GateRaw},
}

// reading makes a reading that closes what its clock closes.
func reading(id ClockID, state safety.State, share float64, why, endedBy string) Reading {
	r := Reading{ID: id, State: state, Share: share, Why: why, EndedBy: endedBy}
	if state == safety.StateUnknown || state == safety.StateStop {
		r.Guards = closing[id]
	}
	return r
}

// off is a clock that does not run.
func off(id ClockID) Reading { return Reading{ID: id, State: safety.StateOff, Share: math.NaN()} }

// passedBy is by how much of itself a limit is passed: exactly four hours are still four hours.
const passedBy = 1e-6

// byShare is the state of a clock that stops beyond a share of 1.
func byShare(share float64) safety.State {
	switch {
	case share > 1+passedBy:
		return safety.StateStop
	case share >= safety.WarnShare-1e-9:
		return safety.StateWarn
	}
	return safety.StateOK
}

// readClocks reads all clocks of a lot as it is assessed.
func (t assessor) readClocks(a *Assessment) []Reading {
	list := []Reading{t.toChillClock(a), t.histamineClock(a), t.oxygenClock(a), t.outOfColdClock(a), t.frozenBreakClock(a),
		t.afterThawClock(a), t.cutClock(), t.preparedClock(), t.ageingClock(a), t.coolingClock(a), t.cookedClock(a), t.decisionClock(a),
		t.bannedClock(), t.originClock()}
	for i := range list {
		if r := &list[i]; len(r.Guards) > 0 && r.Brief == "" {
			r.Brief = briefs[r.ID]
			if r.State == safety.StateUnknown {
				r.Brief = "record missing"
			}
		}
	}
	return list
}

// briefs say in two or three words why a clock closes a use, where it does not say so itself.
var briefs = map[ClockID]string{ClockToChill: "iced too late", ClockHistamine: "histamine limit",
	ClockOxygen: "pack kept too warm", ClockOutOfCold: "was too warm", ClockFrozenBreak: "thawed in the freezer",
	ClockAfterThaw: "thawed for too long", ClockCut: "cut for too long", ClockPrepared: "prepared too long ago",
	ClockAgeing:  "aged for too long",
	ClockCooling: "cooled too slowly", ClockCooked: "past its date", ClockBanned: "may not be sold",
	ClockOrigin: "from ciguatera waters"}

func (t assessor) toChillClock(a *Assessment) Reading {
	b := a.Histamine
	if b == nil || t.dealt() {
		return off(ClockToChill)
	}
	share := math.NaN()
	if b.ToChill.Used != nil {
		share = b.ToChill.Share()
	}
	return reading(ClockToChill, b.Chilling.State, share, b.Chilling.Text("time to chilling"),
		"a manager's explanation where nobody recorded it, or a histamine test that is met")
}

func (t assessor) histamineClock(a *Assessment) Reading {
	b := a.Histamine
	if b == nil {
		return off(ClockHistamine)
	}
	return reading(ClockHistamine, b.Chilled.State, b.Share, b.Chilled.Text("histamine clock"),
		"a manager's explanation of hours that nobody recorded, or a histamine test that is met")
}

func (t assessor) oxygenClock(a *Assessment) Reading {
	o := a.Oxygen
	if o == nil {
		return off(ClockOxygen)
	}
	return reading(ClockOxygen, o.State, o.Share, o.Text(), "")
}

// frozenBreakClock stops fish that was warmer than frozen while it lay in a freezer.
func (t assessor) frozenBreakClock(a *Assessment) Reading {
	if len(t.state.FrozenStays) == 0 {
		return off(ClockFrozenBreak)
	}
	at, warmest := t.frozenBreak()
	if at.IsZero() {
		return reading(ClockFrozenBreak, safety.StateOK, 0, "", "")
	}
	r := reading(ClockFrozenBreak, safety.StateStop, 1,
		fmt.Sprintf("it thawed in the freezer, up to %.1f °C, and froze again", warmest), "")
	r.Since = at
	return r
}

// afterThawClock closes raw service before the pan, and freezing for good.
func (t assessor) afterThawClock(a *Assessment) Reading {
	thaw := t.state.Thaw()
	if thaw == nil || a.ThawReady.IsZero() || t.state.Cooked != nil {
		return off(ClockAfterThaw)
	}
	rules := t.env.Profile.Thawed
	hours := math.Max(0, t.at.Sub(a.ThawReady).Hours())
	whole := a.KeepTo.Sub(a.ThawReady).Hours()
	r := Reading{ID: ClockAfterThaw, State: byShare(hours / whole), Share: hours / whole, Since: a.ThawReady,
		Guards: []lot.Gate{lot.GateFreeze}, Why: "was thawed: raw fish is never frozen twice"}
	switch {
	case t.at.After(a.KeepTo):
		r.State, r.Guards = safety.StateStop, every
		r.Why = fmt.Sprintf("thawed for %s: use it, cook it or discard it within %s; discard it",
			hoursText(t.at.Sub(a.ThawReady)), hoursText(a.KeepTo.Sub(a.ThawReady)))
	case hours > rules.RawHours:
		r.Guards = cookOnly
		r.Why = fmt.Sprintf("thawed for %s: raw within %.0f h, then cooked", hoursText(t.at.Sub(a.ThawReady)), rules.RawHours)
	}
	return r
}

// cutSince is when a knife opened the flesh, as far as it matters here: its receipt where it came cut; zero
// where none did.
func cutSince(s *lot.State) time.Time {
	if s.CutAt.IsZero() && cutting.IsCut(s.Form) {
		return s.ReceivedAt
	}
	return s.CutAt
}

// cutClock counts the hours of cut fish that is not frozen, from the knife or its receipt. Its share
// is that of the hours, or of what grows at the temperatures of its line, whichever is more.
func (t assessor) cutClock() Reading {
	s := t.state
	since := cutSince(s)
	if since.IsZero() || s.Cooked != nil {
		return off(ClockCut)
	}
	hours, unknown := 0.0, 0.0
	var e coldchain.Exposure
	for _, part := range thawedParts(s, coldchain.Span{From: since, To: t.at}) {
		hours += part.Len().Hours()
		known, missing := t.line.Over(part)
		e, unknown = e.Add(known), unknown+coldchain.Total(missing).Hours()
	}
	limit := t.env.Profile.Cut.RawHours
	share := math.Max(hours/limit, safety.CutShare(e))
	switch state := byShare(share); {
	case state == safety.StateStop && hours > limit:
		return reading(ClockCut, state, share, fmt.Sprintf("cut for %.0f h: raw within %.0f h", hours, limit), "")
	case state == safety.StateStop:
		return reading(ClockCut, state, share, "cut, and too warm for too long to be served raw", "")
	case unknown > unknownSlack:
		return reading(ClockCut, safety.StateUnknown, share, fmt.Sprintf("cut, and %s of it without a temperature record",
			hoursText(inHours(unknown))), "a record, or a manager's explanation")
	default:
		return reading(ClockCut, state, share, "", "")
	}
}

// ageingClock stops aged fish after its last day, and what its cabinet spoilt, for good.
func (t assessor) ageingClock(a *Assessment) Reading {
	aged := a.Ageing
	if aged == nil {
		return off(ClockAgeing)
	}
	share := t.at.Sub(aged.Stay.From).Hours() / aged.ServeBy.Sub(aged.Stay.From).Hours()
	switch {
	case aged.Ended():
		r := reading(ClockAgeing, safety.StateStop, share, "its cabinet: "+aged.Excursions[0].Text(), "")
		r.Brief = "cabinet was too warm"
		return r
	case t.at.After(aged.ServeBy):
		return reading(ClockAgeing, safety.StateStop, share, fmt.Sprintf("aged since %s: it was to be served by %s",
			aged.Stay.From.Format(time.DateOnly), aged.ServeBy.Format(time.DateOnly)), "")
	}
	return reading(ClockAgeing, byShare(math.Min(share, 0.99)), share, "", "")
}

// coolingClock stops cooked fish that was not measured cold in time.
func (t assessor) coolingClock(a *Assessment) Reading {
	if a.Cooling == nil {
		return off(ClockCooling)
	}
	return stopped(ClockCooling, a.Cooling.late(t.at))
}

// cookedClock stops cooked fish at its date mark, and where it was not kept cold by the line of its
// places.
func (t assessor) cookedClock(a *Assessment) Reading {
	c := a.Cooling
	if c == nil {
		return off(ClockCooked)
	}
	reasons := c.kept(t.at, t.state.Cooled)
	var unknown float64
	if !c.ThenAt.IsZero() { // else the cooling clock says so
		e, missing := t.placesLine(c.ThenAt).Over(coldchain.Span{From: c.ThenAt, To: t.at})
		unknown = coldchain.Total(missing).Hours()
		if hours := e.HoursAbove(cookedC); hours > cookedHours*(1+passedBy) {
			reasons = append(reasons, fmt.Sprintf("cooked and chilled, then %.1f h above %.0f °C, at most %.0f h: discard it", hours,
				cookedC, cookedHours))
		}
	}
	if len(reasons) == 0 && unknown > unknownSlack {
		return reading(ClockCooked, safety.StateUnknown, math.NaN(), fmt.Sprintf("cooked and chilled, then %s without a temperature record",
			hoursText(inHours(unknown))), "a record, or a manager's explanation")
	}
	return stopped(ClockCooked, reasons)
}

// Cooked and chilled fish is at most cookedHours above cookedC in all [FoodCode, 3-501.16].
const cookedC, cookedHours = 5.0, 4.0

// stopped is a clock that stands by reasons.
func stopped(id ClockID, reasons []string) Reading {
	if len(reasons) == 0 {
		return reading(id, safety.StateOK, math.NaN(), "", "")
	}
	return reading(id, safety.StateStop, math.NaN(), strings.Join(reasons, "; "), "")
}

// decisionClock is what people decided of the lot, and what they have to decide.
func (t assessor) decisionClock(a *Assessment) Reading {
	s, r := t.state, Reading{ID: ClockDecision, State: safety.StateOK, Share: math.NaN()}
	because := func(guards []lot.Gate, brief, endedBy, format string, args ...any) {
		if r.Why != "" {
			r.Why += "; "
		}
		if r.Brief == "" || len(guards) == len(every) { // what closes everything is said first
			r.Brief = brief
		}
		r.State, r.Why, r.EndedBy = safety.StateStop, r.Why+fmt.Sprintf(format, args...), endedBy
		for _, g := range guards {
			if !slices.Contains(r.Guards, g) {
				r.Guards = append(r.Guards, g)
			}
		}
	}
	if s.Received.UseBy == nil && !s.Species().Fish() && len(s.FrozenStays) == 0 {
		because(every, "no use-by day", "a use-by day, set in a correction of its receipt", "nobody set the day by which it is used")
	}
	if by := s.Received.UseBy; by != nil && t.at.After(*by) {
		because(every, "past its use-by day", "", "to be used by %s, as it was set at receipt", by.In(zoneOr(t.env.Zone)).Format("2 Jan"))
	}
	if s.Received.Here {
		because(cookOnly, "here at the start", "", "here before the records began: to be cooked")
	}
	if reviewed := cookOnlyReview(s); reviewed != nil {
		because(cookOnly, "reviewed: to be cooked", "an inspection that accepts it", "to be cooked: reviewed after a failure")
	}
	inspection, inspected := s.Inspection()
	if inspected {
		decided := "decided at the inspection: " + inspection.Decision.Name()
		switch inspection.Decision {
		case freshness.AcceptCook:
			because(cookOnly, "decided: cook", "an inspection that accepts it", "%s", decided)
		case freshness.AcceptToday:
			until := DayEnd(inspection.At, t.env.Zone)
			guards := cookOnly
			if !t.at.Before(until) {
				guards, decided = every, decided+", on "+inspection.At.Format(time.DateOnly)
			}
			because(guards, "decided: today only", "an inspection that accepts it", "%s", decided)
		case freshness.AcceptStock:
			because([]lot.Gate{lot.GateRaw, lot.GateCook, lot.GateDryAge, lot.GateFreeze}, "decided: stock pot",
				"an inspection that accepts it", "%s", decided)
		}
	}
	if core := t.warmReceipt(); core != nil && !(inspected && inspection.Decision.Accepted()) {
		ends := "an inspection, by a manager where it stays so"
		if by := a.MeasureAgain; !by.IsZero() {
			ends = fmt.Sprintf("ice, and a core temperature at the limit or below by %s", by.In(zoneOr(t.env.Zone)).Format("15:04"))
		}
		because(every, "warm on arrival", ends, "core temperature %.1f °C at receipt is above %.1f °C, the limit of the rules %s", *core,
			t.env.Profile.ReceiveLimit(s.Species()), t.env.Profile.Name)
	}
	if !s.MeasuredHere() {
		because(every, "measure its core", "a core temperature, measured here", "came from %s: its core was not measured here yet", s.CameFrom)
	}
	if s.Hold != "" {
		because(every, "on hold", "a release", "on hold: %s", s.Hold)
	}
	return r
}

// warmReceipt is the core of chilled fish that was too warm at its receipt and was not measured
// cold again in time; nil for other fish.
func (t assessor) warmReceipt() *float64 {
	core := t.state.ReceiptCore(t.env.Profile)
	if core == nil || t.state.Received.Frozen || *core <= t.env.Profile.ReceiveLimit(t.state.Species()) {
		return nil
	}
	return core
}

// measureAgainBy is until when fish that came too warm may be iced and measured again; the zero
// time where it may not, no longer, or need not: it was accepted as it is.
func (t assessor) measureAgainBy() time.Time {
	core := t.warmReceipt()
	if i, inspected := t.state.Inspection(); inspected && i.Decision.Accepted() {
		return time.Time{}
	}
	again, within := t.env.Profile.AgainLimit(t.state.Species())
	if by := t.state.ReceivedAt.Add(within); core != nil && *core <= again && t.at.Before(by) {
		return by
	}
	return time.Time{}
}

// DayEnds is the hour of the next morning at which a day of the kitchen ends, and with it what is
// accepted for a day only (house).
const DayEnds = 4

// zoneOr is the zone, UTC where there is none.
func zoneOr(zone *time.Location) *time.Location {
	if zone == nil {
		return time.UTC
	}
	return zone
}

// DayEnd is when the day of the kitchen ends in which a time lies.
func DayEnd(at time.Time, zone *time.Location) time.Time {
	zone = zoneOr(zone)
	local := at.In(zone)
	end := time.Date(local.Year(), local.Month(), local.Day(), DayEnds, 0, 0, 0, zone)
	if !end.After(local) {
		end = time.Date(local.Year(), local.Month(), local.Day()+1, DayEnds, 0, 0, 0, zone)
	}
	return end
}

// bannedClock stops a species that may not be sold: nobody lifts that.
func (t assessor) bannedClock() Reading {
	if sp := t.state.Species(); sp.Sale == species.SaleRefuse {
		return reading(ClockBanned, safety.StateStop, math.NaN(), sp.Name+" may not be sold", "")
	}
	return off(ClockBanned)
}

// originClock holds reef fish until it is known where it comes from.
func (t assessor) originClock() Reading {
	s := t.state
	if !s.Species().Ciguatera {
		return off(ClockOrigin)
	}
	declared := s.Declared
	area := t.env.Profile.CiguateraArea(declared.ReefOrigin)
	switch {
	case declared.Origin == lot.Farmed:
		return reading(ClockOrigin, safety.StateOK, math.NaN(), "", "")
	case area != "":
		return reading(ClockOrigin, safety.StateStop, math.NaN(),
			fmt.Sprintf("reef fish from %s, where ciguatera occurs", declared.ReefOrigin), "")
	case declared.ReefOrigin == "":
		r := reading(ClockOrigin, safety.StateUnknown, math.NaN(), "reef fish: nobody says from which waters",
			"Declare origin, with the paper that says it")
		r.Brief = "waters not known"
		return r
	}
	return reading(ClockOrigin, safety.StateOK, math.NaN(), "", "")
}
