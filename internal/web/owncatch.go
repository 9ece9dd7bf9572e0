package web

import (
	"context"
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

// ownCatchView is the deck: the catches, and the form that lands the next one.
type ownCatchView struct {
	form.Back
	Catches []kitchen.Row
	Gears   []lot.Choice
	Places  []lot.Place
}

// Landings are where a catch may come to lie first.
func (v ownCatchView) Landings() []lot.Place {
	return slices.DeleteFunc(slices.Clone(v.Places), func(p lot.Place) bool { return p.Kind != "deck" && p.Kind != "dock" })
}

// ownCatchDays is how far back the deck lists catches.
const ownCatchDays = 3

func (s *Server) ownCatch(c *gin.Context) {
	s.showOwnCatch(c, ownCatchView{})
}

func (s *Server) showOwnCatch(c *gin.Context, v ownCatchView) {
	p := s.page(c, "Own catch", "deliveries", nil)
	var err error
	if v.Catches, err = s.kitchen.Catches(c.Request.Context(), p.Now.AddDate(0, 0, -ownCatchDays)); err != nil {
		s.fail(c, err)
		return
	}
	if v.Places, err = s.kitchen.PlaceList(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	v.Gears = lot.Gears
	if len(v.Catches) > 0 && !v.Sent { // the next one comes from the same boat and water
		card, err := s.kitchen.Card(c.Request.Context(), v.Catches[0].LotID)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Values = url.Values{}
		for field, value := range recordValues(p, card.State) {
			switch field {
			case "area", "fao_area", "gear", "vessel", "water_celsius", "air_celsius":
				v.Values[field] = value
			}
		}
	}
	p.Data = v
	s.show(c, v.Status(), "owncatch", p)
}

// landCatch makes a lot of a catch that comes on deck.
func (s *Server) landCatch(c *gin.Context) {
	f := posted(c)
	in := kitchen.NewCatch{ID: f.UUID("new_id"), SpeciesID: f.species("species").ID, Count: f.MustWhole("count"),
		WeightKg: f.MustMass("weight_kg"), PlaceID: f.ID("place_id"), LandedAt: f.AtOr("landed_at", s.kitchen.Now()),
		Caught: f.caught()}
	in.Unread, f.Bad = f.Bad, nil // the kitchen says it again, with what else is wrong
	s.post(c, f, func(ctx context.Context) (string, error) {
		id, err := s.kitchen.LandCatch(ctx, in)
		return "/lots/" + id.String() + "/own-catch", err
	}, func(back form.Back) { s.showOwnCatch(c, ownCatchView{Back: back}) })
}

// stampsView is one catch with its stamps.
type stampsView struct {
	cardView
	Stamps  []stampView
	Boxes   []lot.Place
	Methods []icing.Method
	Kill    []lot.Choice
	Cuts    []lot.Choice
	Media   []lot.Choice
	CoolKg  float64 // of ice that melts to cool this catch; 0 where nobody knows how warm it is
	Plan    string  // the address of the plan of its ice
}

// AgoChoices are how many minutes ago a stamp may say it was.
func (stampsView) AgoChoices() []form.Option {
	return []form.Option{{ID: "0", Name: "now"}, {ID: "5", Name: "5 min ago"}, {ID: "15", Name: "15"}, {ID: "30", Name: "30"},
		{ID: "60", Name: "1 h"}}
}

// Gills are what gutting may have done with them.
func (stampsView) Gills() []form.Option {
	return []form.Option{{ID: "out", Name: "Gills out too"}, {ID: "in", Name: "Gills left in"}}
}

// stampView is one of the big buttons: to be pressed, or with when it was.
type stampView struct {
	Kind  lot.Kind
	At    time.Time // zero where it was not stamped
	Said  string
	After string // how long after death
	Undo  uuid.UUID
}

// CanUndo reports whether the stamp is this lot's own.
func (v stampView) CanUndo() bool { return v.Undo != uuid.Nil }

// Done reports whether it was stamped.
func (v stampView) Done() bool { return !v.At.IsZero() }

func (s *Server) stamps(c *gin.Context) { s.showStamps(c, form.Back{}) }

func (s *Server) showStamps(c *gin.Context, back form.Back) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	var e error
	var v stampsView
	if v.Card, e = s.kitchen.Card(c.Request.Context(), id); e != nil {
		s.fail(c, e)
		return
	}
	v.Back = back
	p := s.page(c, v.State.Received.Code, "deliveries", nil)
	v.Species = v.State.Species()
	v.Clock, v.Harvest = newClock(p, v.Card), newHarvest(p, v.Card)
	v.Methods, v.Kill, v.Cuts, v.Media = icing.Methods[:2], lot.KillMethods, lot.BleedCuts[:2], lot.BleedMedia
	for _, place := range v.Card.Places {
		if place.Kind == "tote" && !place.Elsewhere {
			v.Boxes = append(v.Boxes, place)
		}
	}
	sortPlaces(v.Boxes)
	if err := s.usualBoxFirst(c, v.Boxes); err != nil {
		s.fail(c, err)
		return
	}
	if warm := v.State.Harvest.AmbientC(); warm != nil {
		if v.CoolKg, e = icing.ToCool(v.Species, v.State.WeightKg, *warm); e != nil {
			s.fail(c, e)
			return
		}
		v.Plan = p.Base + "/cold/ice-plan?" +
			url.Values{"species": {v.Species.ID}, "weight_kg": {p.MassField(v.State.WeightKg)},
				"count": {strconv.Itoa(v.State.Count)},
				"from":  {p.TempField(*warm)}, "outside": {p.TempField(*warm)}, "hours": {"8"},
				"place_id": {strconv.FormatInt(firstPlace(v.Boxes), 10)}}.Encode()
	}
	stands := standing(v.State)
	death, known := v.State.Death()
	var done []stampView
	for _, kind := range []lot.Kind{lot.KindFor[lot.Killed](), lot.KindFor[lot.Bled](), lot.KindFor[lot.Gutted](), lot.KindFor[lot.Iced]()} {
		w, ok := stands[kind]
		if !ok {
			v.Stamps = append(v.Stamps, stampView{Kind: kind})
			continue
		}
		stamp := stampView{kind, w.HappenedAt, p.Says(w.Payload, v.Card), "", w.EventID}
		if known && kind != lot.KindFor[lot.Killed]() {
			stamp.After = lasted(w.HappenedAt.Sub(death.At)) + " after death"
		}
		done = append(done, stamp)
	}
	v.Stamps = append(v.Stamps, done...) // what is still to do stands under the thumb
	p.Data = v
	s.show(c, v.Status(), "stamps", p)
}

// usualBoxFirst puts the box that the last catch went into on top.
func (s *Server) usualBoxFirst(c *gin.Context, boxes []lot.Place) error {
	catches, err := s.kitchen.Catches(c.Request.Context(), s.kitchen.Now().AddDate(0, 0, -ownCatchDays))
	if err != nil {
		return err
	}
	for _, row := range catches {
		if i := slices.IndexFunc(boxes, func(b lot.Place) bool { return b.ID == row.PlaceID }); i >= 0 {
			boxes[0], boxes[i] = boxes[i], boxes[0]
			return nil
		}
	}
	return nil
}

// firstPlace is the id of the first place, 0 where there is none.
func firstPlace(places []lot.Place) int64 {
	if len(places) == 0 {
		return 0
	}
	return places[0].ID
}

// lasted writes a length of time in minutes, or in hours and minutes.
func lasted(d time.Duration) string {
	d = max(0, d).Round(time.Minute)
	if d < time.Hour {
		return fmt.Sprintf("%.0f min", d.Minutes())
	}
	return fmt.Sprintf("%d h %02d", int(d.Hours()), int(d.Minutes())%60)
}

// SinceDeath is how long the fish is dead; "" where nobody knows.
func (v cardView) SinceDeath() string {
	death, ok := v.State.Death()
	if !ok {
		return ""
	}
	return lasted(v.Assessment.At.Sub(death.At))
}

// DeathAssumed is the rule by which the death was assumed; "" where it was
// written down.
func (v cardView) DeathAssumed() string {
	death, _ := v.State.Death()
	return death.Assumed
}

// stamp writes a step down as of now, or of some minutes ago, or takes one back.
func (s *Server) stamp(c *gin.Context) {
	f := posted(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	now := s.kitchen.Now()
	at := f.AtOr("at", now)
	if minutes, err := strconv.Atoi(f.Text("ago")); err == nil && f.Text("at") == "" {
		at = now.Add(-time.Duration(minutes) * time.Minute)
	}
	w := kitchen.Write{EventID: f.UUID("event_id_new"), LotID: id, HappenedAt: at}
	kind := lot.Kind(f.Text("stamp"))
	switch {
	case f.Text("undo") != "":
		w.HappenedAt, w.Payload = now, lot.Voided{EventID: f.UUID("undo"), Reason: "stamped by mistake"}
	case kind == lot.KindFor[lot.Killed]():
		w.Payload = lot.Killed{Method: f.Text("method")}
	case kind == lot.KindFor[lot.Bled]():
		w.Payload = lot.Bled{How: f.Text("how"), Medium: f.Text("medium")}
	case kind == lot.KindFor[lot.Gutted]():
		if !f.Has("gills") {
			f.Bad.Add("gills", "say whether the gills are out")
		}
		w.Payload = lot.Gutted{Gilled: f.Text("gills") == "out"}
	case kind == lot.KindFor[lot.Iced]():
		iced := lot.Iced{Method: f.Text("way"), PlaceID: f.ID("place_id")}
		if f.Text("ice_kg") != "" {
			kg := f.ice("ice_kg")
			iced.IceKg = &kg
		}
		w.Payload = iced
	default:
		f.Bad.Add("stamp", "choose what was done")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/lots/" + id.String() + "/own-catch", s.kitchen.Append(ctx, w)
	}, func(back form.Back) { s.showStamps(c, back) })
}
