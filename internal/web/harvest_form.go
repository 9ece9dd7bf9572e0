package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// recordView is the form of the harvest record.
type recordView struct {
	cardView
	Methods []icing.Method
	Lists   map[string][]lot.Choice
}

var harvestLists = map[string][]lot.Choice{"gear": lot.Gears, "method": lot.KillMethods, "how": lot.BleedCuts,
	"medium": lot.BleedMedia, "school": lot.BleedMethods, "with": lot.Washes}

// harvestForm shows the record as it stands.
func (s *Server) harvestForm(c *gin.Context) { s.showHarvest(c, form.Back{}) }

func (s *Server) showHarvest(c *gin.Context, back form.Back) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	var e error
	v := recordView{Methods: icing.Methods, Lists: harvestLists}
	if v.Card, e = s.kitchen.Card(c.Request.Context(), id); e != nil {
		s.fail(c, e)
		return
	}
	p := s.page(c, "Harvest record", "deliveries", nil)
	p.InForm = true
	v.Back, v.Species, v.Harvest = back, v.State.Species(), newHarvest(p, v.Card)
	if !v.Sent {
		v.Values = recordValues(p, v.State)
	}
	p.Data = v
	s.show(c, v.Status(), "harvest", p)
}

// Calm is how the fish died.
func (recordView) Calm() []form.Option {
	return []form.Option{{Name: "as the method says"}, {ID: "yes", Name: "calm"}, {ID: "no", Name: "it fought"}}
}

// faoAreas are the fishing areas to choose from.
func faoAreas() []form.Option {
	var list []form.Option
	for _, a := range lot.FAOAreas {
		list = append(list, form.Option{ID: strconv.Itoa(a.Code), Name: fmt.Sprintf("%d %s", a.Code, a.Name)})
	}
	return list
}

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
func (f *input) recorded() map[lot.Kind]kitchen.Write {
	steps := map[lot.Kind]kitchen.Write{}
	add := func(field string, p lot.Payload) {
		if at := f.At(field); at != nil {
			steps[lot.KindOf(p)] = kitchen.Write{HappenedAt: *at, Payload: p}
		}
	}
	add("caught_at", f.caught())
	add("killed_at", lot.Killed{Method: f.Text("method"), Calm: f.calm()})
	add("bled_at", lot.Bled{How: f.Text("how"), Medium: f.Text("medium"), Method: f.Text("school"),
		Until: f.At("until")})
	add("gutted_at", lot.Gutted{Gilled: f.Text("gilled") != ""})
	add("washed_at", lot.Washed{With: f.Text("with")})
	add("iced_at", lot.Iced{Method: f.Text("way")})
	return steps
}

// caught reads how the fish came on deck.
func (f *input) caught() lot.Caught {
	fao, _ := strconv.Atoi(f.Text("fao_area"))
	return lot.Caught{Area: f.Text("area"), FAO: fao, Gear: f.Text("gear"), Vessel: f.Text("vessel"),
		WaterC: f.Celsius("water_celsius"), AirC: f.Celsius("air_celsius"), GearSetAt: f.At("gear_set_at")}
}

func (f *input) calm() *bool {
	if f.Text("calm") == "" {
		return nil
	}
	calm := f.Text("calm") == "yes"
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
	f := posted(c)
	seen := f.MustWhole("seen")
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
				Payload: lot.Voided{EventID: old.EventID, Reason: f.Text("reason")}}))
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
	if len(voids) > 0 && f.Text("reason") == "" {
		f.Bad.Add("reason", "you change what was written down: say why")
	}
	if len(steps) == 0 && len(voids) == 0 {
		f.Bad.Add("killed_at", "give at least one time")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/lots/" + id.String(), s.kitchen.AppendAll(ctx, slices.Concat(voids, writes)...)
	}, func(back form.Back) { s.showHarvest(c, back) })
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
