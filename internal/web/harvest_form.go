package web

import (
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// recordView is the form of the harvest record.
type recordView struct {
	cardView
	FAO     []lot.FAOArea
	Methods []icing.Method
	Lists   map[string][]lot.Choice
}

var harvestLists = map[string][]lot.Choice{"gear": lot.Gears, "method": lot.KillMethods, "how": lot.BleedCuts,
	"medium": lot.BleedMedia, "school": lot.BleedMethods, "with": lot.Washes}

// harvestForm shows the record as it stands.
func (s *Server) harvestForm(c *gin.Context) { s.showHarvest(c, http.StatusOK, nil, nil) }

func (s *Server) showHarvest(c *gin.Context, status int, values url.Values, err error) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	var e error
	v := recordView{FAO: lot.FAOAreas, Methods: icing.Methods, Lists: harvestLists}
	if v.Card, e = s.kitchen.Card(c.Request.Context(), id); e != nil {
		s.fail(c, e)
		return
	}
	p := s.page(c, "Harvest record", "deliveries", nil)
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
func (v recordView) E(field string) string { return v.Errors.On(field) }

// recordValues writes the record into the fields of its form.
func recordValues(p page, s *lot.State) url.Values {
	v := url.Values{}
	temp := func(field string, c *float64) {
		if c != nil {
			v.Set(field, p.TempField(*c))
		}
	}
	when := func(field string, t *time.Time) {
		if t != nil {
			v.Set(field, p.Local(*t))
		}
	}
	h := s.Harvest
	if c := h.Caught; c != nil {
		v.Set("area", c.Data.Area)
		v.Set("fao_area", strconv.Itoa(c.Data.FAO))
		v.Set("gear", c.Data.Gear)
		v.Set("vessel", c.Data.Vessel)
		temp("water_celsius", c.Data.WaterC)
		temp("air_celsius", c.Data.AirC)
		when("gear_set_at", c.Data.GearSetAt)
		when("caught_at", &c.At)
	}
	if k := h.Killed; k != nil {
		v.Set("method", k.Data.Method)
		if k.Data.Calm != nil {
			v.Set("calm", map[bool]string{true: "yes", false: "no"}[*k.Data.Calm])
		}
		when("killed_at", &k.At)
	}
	if b := h.Bled; b != nil {
		v.Set("how", b.Data.How)
		v.Set("medium", b.Data.Medium)
		v.Set("school", b.Data.Method)
		when("bled_at", &b.At)
		when("until", b.Data.Until)
	}
	if g := h.Gutted; g != nil {
		v.Set("gilled", map[bool]string{true: "1"}[g.Data.Gilled])
		when("gutted_at", &g.At)
	}
	if w := h.Washed; w != nil {
		v.Set("with", w.Data.With)
		when("washed_at", &w.At)
	}
	if i := h.Iced; i != nil {
		v.Set("way", i.Data.Method)
		when("iced_at", &i.At)
	}
	return v
}

// recorded reads the steps of the form: nil for a step whose time is empty.
func (f *form) recorded() map[lot.Kind]kitchen.Write {
	steps := map[lot.Kind]kitchen.Write{}
	add := func(field string, p lot.Payload) {
		if at := f.at(field); at != nil {
			steps[lot.KindOf(p)] = kitchen.Write{HappenedAt: *at, Payload: p}
		}
	}
	add("caught_at", f.caught())
	add("killed_at", lot.Killed{Method: f.text("method"), Calm: f.calm()})
	add("bled_at", lot.Bled{How: f.text("how"), Medium: f.text("medium"), Method: f.text("school"),
		Until: f.at("until")})
	add("gutted_at", lot.Gutted{Gilled: f.text("gilled") != ""})
	add("washed_at", lot.Washed{With: f.text("with")})
	add("iced_at", lot.Iced{Method: f.text("way")})
	return steps
}

// caught reads how the fish came on deck.
func (f *form) caught() lot.Caught {
	fao, _ := strconv.Atoi(f.text("fao_area"))
	return lot.Caught{Area: f.text("area"), FAO: fao, Gear: f.text("gear"), Vessel: f.text("vessel"),
		WaterC: f.celsius("water_celsius"), AirC: f.celsius("air_celsius"), GearSetAt: f.at("gear_set_at")}
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
	id, ok := s.pathID(c)
	if !ok {
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
	for _, kind := range []lot.Kind{lot.KindFor[lot.Caught](), lot.KindFor[lot.Killed](), lot.KindFor[lot.Bled](), lot.KindFor[lot.Gutted](), lot.KindFor[lot.Washed](),
		lot.KindFor[lot.Iced]()} {
		step, given := steps[kind]
		old, had := stands[kind]
		if had && given && same(old, step) {
			continue
		}
		if had && old.EventID != uuid.Nil {
			voids = append(voids, write(kitchen.Write{HappenedAt: s.kitchen.Now(),
				Payload: lot.Voided{EventID: old.EventID, Reason: f.text("reason")}}))
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
		out[lot.KindOf(step.Data)] = kitchen.Write{EventID: step.EventID, HappenedAt: step.At, Payload: step.Data}
	}
}

// same reports whether two steps say the same, to the minute; of an icing, the
// box and its ice are no part of the form.
func same(a, b kitchen.Write) bool {
	plain := func(p lot.Payload) string {
		if iced, ok := p.(lot.Iced); ok {
			p = lot.Iced{Method: iced.Method}
		}
		text, _ := json.Marshal(p)
		return string(text)
	}
	return a.HappenedAt.Truncate(time.Minute).Equal(b.HappenedAt.Truncate(time.Minute)) &&
		plain(a.Payload) == plain(b.Payload)
}
