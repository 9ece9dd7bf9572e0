package web

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/preparing"
	"leancatch/internal/web/form"
)

// act is something that may be done with a lot: a link, or a form that folds out.
type act struct {
	Name string
	Href string // of a page; "" for a form
	Form string // the kind of event that it writes
	Grim bool   // it ends the lot
}

// acts of a lot: first the one that is its turn, then three more, then the rest.
func (v cardView) acts(p page) []act {
	s := v.State
	base := fmt.Sprintf("%s/lots/%s", p.Base, s.ID)
	form := func(kind, name string) act {
		return act{Name: name, Form: kind, Grim: kind == "discarded" || kind == "refused"}
	}
	link := func(name, href string) act { return act{Name: name, Href: href} }
	cut := link("Cut", p.Base+"/bench/cut/"+s.ID.String())
	move, core := form("moved", "Move"), form("temperature", "Log temperature")
	take, hold := form("taken", "Take"), form("held", "Hold")
	release := form("released", "Release")
	discard, refuse := form("discarded", "Discard"), form("refused", "Refuse")
	inspect := link("Inspect", base+"/inspect")
	if len(s.Inspections) > 0 {
		inspect.Name = "Inspect again"
	}
	cook := form("cooked", "Cook and chill")
	thaw := link("Plan a thaw", fmt.Sprintf("%s/cold/thaw/plan?what=%s/%s", p.Base, s.Received.SpeciesID, s.Form))
	freeze := link("Freeze", p.Base+"/cold/freezer/freeze?lot="+s.ID.String())
	measure, back := form("thawed", "Measure the core temperature"), form("returned", "Back to the freezer")
	var age act
	switch {
	case s.Ageing() != nil:
		age = link("Weigh, check, take out", base+"/ageing")
	case len(s.Hangings) > 0:
		age = link("Its ageing", base+"/ageing")
	default:
		age = link("Start ageing", p.Base+"/cold/ageing/start?lot="+s.ID.String())
	}

	var turn []act
	due := slices.ContainsFunc(v.Due, func(d assess.Action) bool { return d.Path == "inspect" })
	switch {
	case s.Hold != "":
		turn = []act{release, core, move, discard}
	case !s.MeasuredHere():
		turn = []act{link("Receive", base+"/arrival"), core, hold, discard}
	case len(v.Assessment.Stops) > 0:
		turn = []act{discard, core, move, hold}
	case s.Cooked != nil:
		turn = []act{take, core, move, hold}
	case s.Thawing():
		turn = []act{measure, cook, move, hold}
	case s.Frozen():
		turn = []act{thaw, move, core, hold}
	case s.Thaw() != nil:
		turn = []act{take, cook, move, core}
	case s.Ageing() != nil:
		turn = []act{age, move, core, hold}
	case due && v.CanInspect:
		turn = []act{inspect, move, core, hold}
	case len(cutting.PartsOf(v.Species, s.Form)) > 0:
		turn = []act{take, cut, move, hold}
	default:
		turn = []act{take, move, core, hold}
	}
	rest := []act{}
	add := func(may bool, list ...act) {
		for _, a := range list {
			if may && !slices.Contains(turn, a) {
				rest = append(rest, a)
			}
		}
	}
	raw := s.Cooked == nil && !s.Frozen() && s.Thaw() == nil
	add(v.CanInspect, inspect)
	add(true, take)
	add(!s.Frozen() && s.Cooked == nil && len(cutting.PartsOf(v.Species, s.Form)) > 0, cut)
	add(true, move, core)
	add(raw, freeze, age)
	add(s.Frozen() && s.Cooked == nil, thaw)
	add(s.Thawing(), measure)
	add(s.Thawing() && p.Actor.IsManager(), back)
	add(!s.Frozen() && (s.Cooked == nil || s.ParCooked != nil), cook)
	add(!s.Frozen() && s.Cooked == nil, form("par_cooked", "Par-cook"), form("stocked", "Make stock"))
	add(true, link("What if", p.Base+"/cold/whatif?lot="+s.ID.String()), form("packed", "Pack"))
	add(!s.Frozen() && s.Cooked == nil, form("prepared", "Prepare ahead"))
	add(len(v.Alike) > 0, form("merged", "Put together"))
	add(s.Hold == "", hold)
	add(s.Count > 1, form("parted", "Split"))
	add(len(v.Neighbours) > 0 && s.Hold == "" && len(s.Hangings) == 0, form("sent", "Send to another kitchen"))
	add(true, refuse, discard, form("checked", "Check the delivery"), form("declared", "Declare origin"),
		link("Import a logger file", p.Base+"/import?lot="+s.ID.String()), link("Exposure", base+"/exposure"),
		link("One back, one forward", base+"/lineage"), link("A guest said …", p.Base+"/records/said?lot="+v.State.ID.String()))
	return append(turn, rest...)
}

// firstActs is how many acts are in sight before the rest is folded out.
const firstActs = 4

// Acts are the first of its acts.
func (v cardView) Acts(p page) []act { return v.acts(p)[:firstActs] }

// MoreActs are the others.
func (v cardView) MoreActs(p page) []act { return v.acts(p)[firstActs:] }

// MoreOpen reports whether the form that stands open is among the others.
func (v cardView) MoreOpen(p page) bool {
	return slices.ContainsFunc(v.MoreActs(p), func(a act) bool { return a.Form != "" && v.Open(a.Form) })
}

// Sentence says in one what a lot on hand may be served as, and until when.
func (v cardView) Sentence(p page) string {
	until := func(i int) string {
		if i+1 < len(v.Outlook) {
			return " until " + p.day(v.Outlook[i+1].From)
		}
		return ""
	}
	frozen := v.State.Frozen() && !v.State.Thawing()
	switch now := v.Outlook[0]; {
	case frozen && len(assess.AgainstRawThawed(v.Uses)) == 0:
		return "Frozen: raw after thawing"
	case frozen:
		return "Frozen: to be cooked"
	case now.Serving == assess.ServeRaw:
		text := "Raw" + until(0)
		if len(v.Outlook) > 1 && v.Outlook[1].Serving == assess.ServeCook {
			text += ", then cook" + until(1)
		}
		return text
	case now.Serving == assess.ServeCook:
		return "Cook" + until(0)
	case v.State.Thawing() && !v.Assessment.ThawReady.IsZero():
		return "Thaws: ready " + p.day(v.Assessment.ThawReady)
	}
	return "Not to be served"
}

// Reason is why it may not be served as better.
func (v cardView) Reason() string {
	text, reasons := "Not raw: ", assess.AgainstRawThawed(v.Uses)
	if v.Outlook[0].Serving == assess.ServeNone && !v.State.Frozen() {
		text, reasons = "", assess.UseFor(v.Uses, lot.GateCook).Reasons
	}
	if len(reasons) == 0 {
		return ""
	}
	return text + strings.Join(reasons, "; ")
}

// TapeLine is what a cook writes on tape.
func (v cardView) TapeLine(p page) string {
	since := "came " + p.tapeDay(v.State.ReceivedAt)
	if cut := v.State.CutAt; !cut.IsZero() {
		since = "cut " + p.tapeDay(cut)
	}
	if n := len(v.State.Preparations); n > 0 {
		m, _ := preparing.Get(v.State.Preparations[n-1].Data.Method)
		since = strings.ToLower(m.Name) + " " + p.tapeDay(v.State.Preparations[n-1].At)
	}
	if what, at := heatedWord(v.State); what != "" {
		since = what + " " + p.tapeDay(at)
	}
	return tapeLine(p, v.Species.Name, v.State.Received.Code, since, v.Outlook, v.State.Frozen())
}

// heatedWord is what was last done to a lot on the stove, and when; "" where it is raw.
func heatedWord(s *lot.State) (string, time.Time) {
	switch {
	case s.Cooked == nil:
		return "", time.Time{}
	case s.ParCooked != nil:
		return "par-cooked", s.Cooked.At
	case s.Stocked != nil:
		return "stock of", s.Cooked.At
	}
	return "cooked", s.Cooked.At
}

// tapeDay is a day as it stands on tape.
func (p page) tapeDay(t time.Time) string { return t.In(p.Zone).Format("Mon 2 Jan") }

// tapeLine is what stands on the tape of a lot: since when it is as it is, and what it may be served as until when.
func tapeLine(p page, name, code, since string, outlook []assess.Spell, frozen bool) string {
	uses := spells(p, outlook)
	if frozen {
		uses = []string{"FROZEN"}
	}
	return strings.Join(append([]string{strings.ToUpper(name) + " " + code, since}, uses...), " · ")
}

// spells are what a lot may be served as until when, in words.
func spells(p page, outlook []assess.Spell) []string {
	var list []string
	for i, s := range outlook {
		switch use := strings.ToUpper(string(s.Serving)); {
		case s.Serving == assess.ServeNone:
		case i+1 < len(outlook):
			list = append(list, use+" to "+p.onTape(outlook[i+1].From))
		default: // longer than anybody looks ahead
			list = append(list, use)
		}
	}
	return list
}

// Days are the entries of the history, day by day.
func (v cardView) Days(p page) []historyDay {
	var days []historyDay
	for i, e := range v.Entries {
		day := e.HappenedAt.In(p.Zone).Format(time.DateOnly)
		if len(days) == 0 || days[len(days)-1].day != day {
			days = append(days, historyDay{day: day, Name: p.Date(e.HappenedAt)})
		}
		last := &days[len(days)-1]
		last.Entries = append(last.Entries, i)
	}
	return days
}

// historyDay is a day of a lot's history: which entries are of it.
type historyDay struct {
	day, Name string
	Entries   []int
}

// prepared reads the form by which a lot was prepared ahead.
func (f *input) prepared() lot.Prepared {
	return lot.Prepared{Method: f.Text("method"), With: f.Text("with"), Allergens: f.All("allergens"), UseBy: f.At("use_by"),
		Note: f.Text("note")}
}

// parCookTime is how long a piece of a thickness takes in steam.
type parCookTime struct {
	MM      int
	Minutes float64
}

// parCookFromC is how cold it goes into the steam (house).
const parCookFromC = 4.0

// parCookTimes keeps them by what the fish is made of.
var parCookTimes sync.Map

// ParCookTimes are the minutes in steam until it is cooked two thirds through, by thickness.
func (v cardView) ParCookTimes() []parCookTime {
	food := heat.Of(v.Species)
	if list, ok := parCookTimes.Load(food); ok {
		return list.([]parCookTime)
	}
	var list []parCookTime
	for _, mm := range []int{10, 15, 20, 25, 30, 40} {
		if t, err := preparing.TwoThirds(food, float64(mm), parCookFromC); err == nil {
			list = append(list, parCookTime{mm, t.Minutes()})
		}
	}
	parCookTimes.Store(food, list)
	return list
}

// Preparations are the ways to prepare it ahead, with the dose for its weight.
func (v cardView) Preparations() []form.Option {
	var list []form.Option
	for _, m := range preparing.Methods() {
		o := form.Option{ID: m.ID, Name: m.Name, Note: fmt.Sprintf("keeps %.0f h", m.Hours)}
		if m.PerKg > 0 {
			o.Note = fmt.Sprintf("%.0f %s of %s, keeps %.0f h", m.Dose(v.State.WeightKg), m.Unit, m.Of, m.Hours)
		}
		list = append(list, o)
	}
	return list
}

// Prepared says how the lot was prepared, when it is ready, and until when it keeps so.
func (v cardView) Prepared(p page) []string {
	var list []string
	for _, step := range v.State.Preparations {
		m, _ := preparing.Get(step.Data.Method)
		text := m.Name + " " + p.When(step.At)
		if ready := step.At.Add(time.Duration(m.ReadyIn * float64(time.Hour))); ready.After(p.Now) {
			text += ", ready " + p.When(ready)
		}
		list = append(list, text+", keeps to "+p.When(step.Data.KeepsTo(step.At)))
	}
	if with := v.State.Allergens(); len(with) > 0 {
		list = append(list, "Allergens beside the fish: "+strings.Join(with, ", "))
	}
	return list
}

// AlikeOptions are the lots that it may be put together with.
func (v cardView) AlikeOptions(p page) []form.Option {
	var list []form.Option
	for _, r := range v.Alike {
		list = append(list, form.Option{ID: r.LotID.String(), Name: fmt.Sprintf("%s, %d of %s", r.Code, r.Count, p.Mass(r.WeightKg))})
	}
	return list
}

// AllergenNames are what may have gone in.
func (cardView) AllergenNames() []string { return preparing.Allergens }

// taken reads the form that takes some of a lot.
func (f *input) taken() lot.Taken {
	p := lot.Taken{EndUse: lot.EndUse(f.Text("end_use")), All: f.Has("all"), WeightKg: f.MassOrNone("weight_kg"), Note: f.Text("note")}
	if n := f.Whole("count"); n != nil {
		p.Count = *n
	}
	if p.EndUse == lot.UsedWaste { // else the field is not in sight
		p.Reason = lot.WasteReason(f.Text("reason"))
	}
	p.CoreC = f.Cooked("core_celsius")
	return p
}
