package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/rigor"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// harvestView is what the lot card says of the way from death to dock.
type harvestView struct {
	Drawing  template.HTML // "" where the time of death was not written down
	Death    lot.Moment
	Known    bool // anything was written down
	Bleeding *lot.Bleeding
	Rigor    *lot.Rigor
	Bans     []lot.Ban
	Where    string
	Source   string
}

// newHarvest gathers it.
func newHarvest(p page, card kitchen.Card) *harvestView {
	s, a := card.State, card.Account
	v := &harvestView{Known: s.Harvest.Known(), Bleeding: a.Bleeding, Rigor: a.Rigor, Bans: a.Bans(), Source: rigor.Source()}
	death, ok := s.Death()
	if !ok || !v.Known {
		return v
	}
	v.Death = death
	d := drawing.Harvest{Death: death.At, Now: a.At, Zone: p.Zone, Steps: harvestSteps(s)}
	if r := a.Rigor; r != nil {
		d.Onset, d.End = [2]time.Time{r.At(r.Onset.Lo()), r.At(r.Onset.Hi())}, [2]time.Time{r.MayBeOver(), r.Over()}
	}
	if b := a.Histamine; b != nil {
		d.Chill, d.ChillFor = death.At.Add(inHours(b.ToChill.Allowed)), fmt.Sprintf("chill within %.0f h", b.ToChill.Allowed)
	}
	v.Drawing = d.Draw()
	if c := s.Harvest.Caught; c != nil {
		v.Where = p.step(c.Did, card.Places)
	}
	return v
}

// harvestSteps are the steps as the drawing shows them, the assumed ones too.
func harvestSteps(s *lot.State) []drawing.HarvestStep {
	h := s.Harvest
	var steps []drawing.HarvestStep
	add := func(k lot.Kind, at time.Time, until *time.Time) {
		step := drawing.HarvestStep{Name: k.Name(), At: at}
		if until != nil {
			step.Until = *until
		}
		steps = append(steps, step)
	}
	if h.Caught != nil {
		add(lot.KindCaught, h.Caught.At, nil)
	}
	if h.Killed != nil {
		add(lot.KindKilled, h.Killed.At, nil)
	} else if death, ok := s.Death(); ok {
		steps = append(steps, drawing.HarvestStep{Name: "Died", At: death.At, Assumed: true})
	}
	if h.Bled != nil && h.Bled.Did.How != "none" {
		add(lot.KindBled, h.Bled.At, h.Bled.Did.Until)
	}
	if h.Gutted != nil {
		add(lot.KindGutted, h.Gutted.At, nil)
	}
	if h.Washed != nil {
		add(lot.KindWashed, h.Washed.At, nil)
	}
	if h.Iced != nil {
		add(lot.KindIced, h.Iced.At, nil)
	}
	if !s.Received.Deck {
		add(lot.KindReceived, s.ReceivedAt, nil)
	}
	slices.SortStableFunc(steps, func(a, b drawing.HarvestStep) int { return a.At.Compare(b.At) })
	return steps
}

// step says what a step of the harvest says.
func (p page) step(payload lot.Payload, places map[int64]lot.Place) string {
	var words []string
	say := func(text string) {
		if text != "" {
			words = append(words, text)
		}
	}
	switch x := payload.(type) {
	case lot.Caught:
		say(x.Vessel)
		say(x.Area)
		for _, a := range lot.FAOAreas {
			if a.Code == x.FAO {
				say(fmt.Sprintf("FAO %d, %s", a.Code, a.Name))
			}
		}
		say(strings.ToLower(lot.NameOf(lot.Gears, x.Gear)))
		if x.WaterC != nil {
			say("water " + p.Temp(*x.WaterC))
		}
		if x.AirC != nil {
			say("air " + p.Temp(*x.AirC))
		}
		if x.GearSetAt != nil {
			say("gear set " + p.Stamp(*x.GearSetAt))
		}
	case lot.Killed:
		say(lot.NameOf(lot.KillMethods, x.Method))
		if x.Calm != nil {
			say(map[bool]string{true: "calm", false: "it fought"}[*x.Calm])
		}
	case lot.Bled:
		say(lot.NameOf(lot.BleedCuts, x.How))
		say(strings.ToLower(lot.NameOf(lot.BleedMedia, x.Medium)))
		say(strings.ToLower(lot.NameOf(lot.BleedSchools, x.School)))
		if x.Until != nil {
			say("until " + p.Clock(*x.Until))
		}
	case lot.Gutted:
		say(map[bool]string{true: "gills out too", false: "gills left in"}[x.Gilled])
	case lot.Washed:
		say(lot.NameOf(lot.Washes, x.With))
	case lot.Iced:
		way, _ := icing.GetWay(x.Way)
		say(way.Name)
		if x.IceKg != nil && *x.IceKg > 0 {
			say(p.Mass(*x.IceKg) + " of ice")
		}
		say(places[x.PlaceID].Name)
	}
	return strings.Join(words, ", ")
}

// recordView is the form of the harvest record.
type recordView struct {
	cardView
	FAO   []lot.FAOArea
	Ways  []icing.Way
	Lists map[string][]lot.Choice
}

var harvestLists = map[string][]lot.Choice{"gear": lot.Gears, "method": lot.KillMethods, "how": lot.BleedCuts, "medium": lot.BleedMedia, "school": lot.BleedSchools, "with": lot.Washes}

// harvestForm shows the record as it stands.
func (s *Server) harvestForm(c *gin.Context) { s.showHarvest(c, http.StatusOK, nil, nil) }

func (s *Server) showHarvest(c *gin.Context, status int, values url.Values, err error) {
	id, e := uuid.Parse(c.Param("id"))
	if e != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	v := recordView{FAO: lot.FAOAreas, Ways: icing.Ways, Lists: harvestLists}
	if v.Card, e = s.kitchen.Card(c.Request.Context(), id); e != nil {
		s.fail(c, e)
		return
	}
	p := s.page(c, "Harvest record", "dock", nil)
	v.Species, v.Seen, v.Values = v.State.Species(), v.State.Seq, values
	v.Harvest = newHarvest(p, v.Card)
	var changed *kitchen.Changed
	switch {
	case err == nil:
		v.Values = recordValues(p, v.State)
	case errors.As(err, &v.Errors):
	case errors.As(err, &changed):
		v.Conflict, v.Seen = changed.Events, changed.Seq
	default:
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, status, "harvest", p)
}

// V and E serve the fields.
func (v recordView) V(field string) string { return v.Values.Get(field) }
func (v recordView) E(field string) string { return v.Errors.On(field) } // E: see V.

// recordValues writes the record into the fields of its form.
func recordValues(p page, s *lot.State) url.Values {
	v := url.Values{}
	temp := func(field string, c *float64) {
		if c != nil {
			v.Set(field, strings.Fields(p.Temp(*c))[0])
		}
	}
	when := func(field string, t *time.Time) {
		if t != nil {
			v.Set(field, p.Local(*t))
		}
	}
	h := s.Harvest
	if c := h.Caught; c != nil {
		v.Set("area", c.Did.Area)
		v.Set("fao", strconv.Itoa(c.Did.FAO))
		v.Set("gear", c.Did.Gear)
		v.Set("vessel", c.Did.Vessel)
		temp("water", c.Did.WaterC)
		temp("air", c.Did.AirC)
		when("gear_set", c.Did.GearSetAt)
		when("caught_at", &c.At)
	}
	if k := h.Killed; k != nil {
		v.Set("method", k.Did.Method)
		if k.Did.Calm != nil {
			v.Set("calm", map[bool]string{true: "yes", false: "no"}[*k.Did.Calm])
		}
		when("killed_at", &k.At)
	}
	if b := h.Bled; b != nil {
		v.Set("how", b.Did.How)
		v.Set("medium", b.Did.Medium)
		v.Set("school", b.Did.School)
		when("bled_at", &b.At)
		when("until", b.Did.Until)
	}
	if g := h.Gutted; g != nil {
		v.Set("gilled", map[bool]string{true: "1"}[g.Did.Gilled])
		when("gutted_at", &g.At)
	}
	if w := h.Washed; w != nil {
		v.Set("with", w.Did.With)
		when("washed_at", &w.At)
	}
	if i := h.Iced; i != nil {
		v.Set("way", i.Did.Way)
		when("iced_at", &i.At)
	}
	return v
}

// recorded reads the steps of the form: nil for a step whose time is empty.
func (f *form) recorded() map[lot.Kind]kitchen.Write {
	steps := map[lot.Kind]kitchen.Write{}
	add := func(field string, p lot.Payload) {
		if at := f.at(field); at != nil {
			steps[p.Kind()] = kitchen.Write{HappenedAt: *at, Payload: p}
		}
	}
	fao, _ := strconv.Atoi(f.text("fao"))
	add("caught_at", lot.Caught{Area: f.text("area"), FAO: fao, Gear: f.text("gear"), Vessel: f.text("vessel"), WaterC: f.celsius("water"), AirC: f.celsius("air"), GearSetAt: f.at("gear_set")})
	add("killed_at", lot.Killed{Method: f.text("method"), Calm: f.calm()})
	add("bled_at", lot.Bled{How: f.text("how"), Medium: f.text("medium"), School: f.text("school"), Until: f.at("until")})
	add("gutted_at", lot.Gutted{Gilled: f.text("gilled") != ""})
	add("washed_at", lot.Washed{With: f.text("with")})
	add("iced_at", lot.Iced{Way: f.text("way")})
	return steps
}

func (f *form) calm() *bool {
	if f.text("calm") == "" {
		return nil
	}
	calm := f.text("calm") == "yes"
	return &calm
}

// harvest takes the form in: a step that is new is written, one that changed is
// voided and written again, with the reason given, all in one.
func (s *Server) harvest(c *gin.Context) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	card, err := s.kitchen.Card(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	f := newForm(c)
	seen := f.whole("seen")
	steps := f.recorded()
	var voids, writes []kitchen.Write
	write := func(w kitchen.Write) kitchen.Write {
		w.EventID, w.LotID, w.Seen = kitchen.NewID(), id, seen
		return w
	}
	stands := standing(card.State)
	for _, kind := range []lot.Kind{lot.KindCaught, lot.KindKilled, lot.KindBled, lot.KindGutted, lot.KindWashed, lot.KindIced} {
		step, given := steps[kind]
		old, had := stands[kind]
		if had && given && same(old, step) {
			continue
		}
		if had && old.EventID != uuid.Nil {
			voids = append(voids, write(kitchen.Write{HappenedAt: s.kitchen.Now(), Payload: lot.Voided{EventID: old.EventID, Reason: f.text("reason")}}))
		}
		if given {
			if iced, ok := step.Payload.(lot.Iced); ok && had { // the form does not ask for the box again
				was := old.Payload.(lot.Iced)
				iced.PlaceID, iced.IceKg = was.PlaceID, was.IceKg
				step.Payload = iced
			}
			writes = append(writes, write(step))
		}
	}
	if len(voids) > 0 && f.text("reason") == "" {
		f.bad.Add("reason", "you change what was written down: say why")
	}
	if len(steps) == 0 && len(voids) == 0 {
		f.bad.Add("killed_at", "give at least one time")
	}
	err = f.bad.Err()
	if err == nil {
		err = s.kitchen.AppendAll(c.Request.Context(), slices.Concat(voids, writes)...)
	}
	if err != nil {
		status := http.StatusUnprocessableEntity
		if errors.As(err, new(*kitchen.Changed)) {
			status = http.StatusConflict
		}
		s.showHarvest(c, status, c.Request.PostForm, err)
		return
	}
	c.Redirect(http.StatusSeeOther, s.base(c)+"/lots/"+id.String())
}

// standing are the steps that stand, as the writes that they were.
func standing(s *lot.State) map[lot.Kind]kitchen.Write {
	out := map[lot.Kind]kitchen.Write{}
	h := s.Harvest
	note(out, h.Caught)
	note(out, h.Killed)
	note(out, h.Bled)
	note(out, h.Gutted)
	note(out, h.Washed)
	note(out, h.Iced)
	return out
}

func note[P lot.Payload](out map[lot.Kind]kitchen.Write, step *lot.Step[P]) {
	if step != nil {
		out[step.Did.Kind()] = kitchen.Write{EventID: step.EventID, HappenedAt: step.At, Payload: step.Did}
	}
}

// same reports whether two steps say the same, to the minute; of an icing, the
// box and its ice are no part of the form.
func same(a, b kitchen.Write) bool {
	plain := func(p lot.Payload) string {
		if iced, ok := p.(lot.Iced); ok {
			p = lot.Iced{Way: iced.Way}
		}
		text, _ := json.Marshal(p)
		return string(text)
	}
	return a.HappenedAt.Truncate(time.Minute).Equal(b.HappenedAt.Truncate(time.Minute)) && plain(a.Payload) == plain(b.Payload)
}
