package web

import (
	"context"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// cabinetsView is the cabinets with their fish.
type cabinetsView struct {
	Cabinets []cabinetView
	Plan     *kitchen.AgeingPlan // in force; nil for none
	form.Back
}

// cabinetView is a cabinet with its drawings.
type cabinetView struct {
	kitchen.AgeingCabinet
	Drawing template.HTML
	Trace   template.HTML
}

func (s *Server) ageing(c *gin.Context) { s.showAgeing(c, cabinetsView{}) }

func (s *Server) showAgeing(c *gin.Context, v cabinetsView) {
	p := s.page(c, "Ageing", "cold", nil)
	ctx := c.Request.Context()
	cabinets, err := s.kitchen.AgeingCabinets(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	if v.Plan, err = s.planInForce(c); err != nil {
		s.fail(c, err)
		return
	}
	for _, cabinet := range cabinets {
		v.Cabinets = append(v.Cabinets, newCabinet(p, cabinet))
	}
	p.Data = v
	s.show(c, v.Status(), "ageing", p)
}

func (s *Server) planInForce(c *gin.Context) (*kitchen.AgeingPlan, error) {
	plans, err := s.kitchen.AgeingPlans(c.Request.Context())
	if i := slices.IndexFunc(plans, func(p kitchen.AgeingPlan) bool { return p.StruckAt == nil }); i >= 0 {
		return &plans[i], err
	}
	return nil, err
}

// newCabinet draws a cabinet.
func newCabinet(p page, cabinet kitchen.AgeingCabinet) cabinetView {
	air := cabinet.Now
	d := drawing.Cabinet{Name: cabinet.Name, Air: fmt.Sprintf("%s · %.0f %%", p.Temp(air.Celsius), 100*air.RH),
		Warn: air.Celsius > ageing.MostC || air.RH > ageing.MostRH || air.RH < ageing.LeastRH,
	}
	if p.Writes() {
		d.Link = func(hook int) string {
			return fmt.Sprintf("%s/cold/ageing/start?place_id=%d&hook=%d", p.Base, cabinet.ID, hook)
		}
	}
	for _, r := range cabinet.Fish {
		a := r.AgeingStatus
		next := "target not in sight"
		switch {
		case a.Excursion != "":
			next = "take out now"
		case a.TargetAt != nil && p.Now.After(*a.TargetAt):
			next = "at its target"
		case a.TargetAt != nil:
			next = a.TargetAt.In(p.Zone).Format("Mon 2 Jan")
		}
		d.Fish = append(d.Fish, drawing.HungFish{Subject: drawing.Subject{Figure: figureOf(r), Form: r.Form},
			Hook: a.Hook, Kg: a.StartKg, Loss: a.Loss, Hanging: a.Hanging, Name: r.Species.Name + " " + r.Code,
			Lines: []string{fmt.Sprintf("−%.1f %%", 100*a.Loss),
				fmt.Sprintf("%s, day %.0f", r.Code, p.Now.Sub(a.From).Hours()/24), next},
			Warn: a.Excursion != "" || r.OnHold(), Href: fmt.Sprintf("%s/lots/%s/ageing", p.Base, r.LotID)})
	}
	trace := drawing.CabinetTrace{From: p.Now.Add(-7 * 24 * time.Hour), To: p.Now, Zone: p.Zone,
		Scale: p.Actor.Temps(), Warmth: tracePoints(cabinet.Warmth), Moisture: tracePoints(cabinet.Moisture)}
	return cabinetView{cabinet, d.Draw(), trace.Draw()}
}

// figureOf is the silhouette that a lot is drawn with.
func figureOf(r kitchen.Row) string {
	if r.Species.Figure == "" {
		return "cod"
	}
	return r.Species.Figure
}

// Signed says whether a fish is ahead of its curve.
func (cabinetsView) Signed(share float64) string { return aheadText(share) }

// aheadText writes a share ahead or behind.
func aheadText(share float64) string {
	switch {
	case share > 0.15:
		return fmt.Sprintf("%.0f %% ahead of its curve", 100*share)
	case share < -0.15:
		return fmt.Sprintf("%.0f %% behind its curve", -100*share)
	}
	return "as forecast"
}

// Advice stands wherever fish is aged.
func (cabinetsView) Advice() string { return ageing.PlanAdvice }

// Percent writes a share as people type it.
func (cabinetsView) Percent(share float64) string { return unit.Number(100*share, 0) }

// Grams writes the step of a scale.
func (cabinetsView) Grams(kg float64) string { return unit.Number(1000*kg, 1) }

// Wanted is the air that a cabinet should have.
func (cabinetsView) Wanted(p page) string {
	return fmt.Sprintf("%s to %s, %.0f to %.0f %%", p.Temp(ageing.LeastC), p.Temp(ageing.MostC), 100*ageing.LeastRH,
		100*ageing.MostRH)
}

// setCabinet says what a cabinet is set to.
func (s *Server) setCabinet(c *gin.Context) {
	f := posted(c)
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f.form = c.Param("id")
	set, rh, step := f.MustCelsius("set"), f.MustNumber("rh", "%")/100, f.MustNumber("step", "g")/1000
	speed := f.Number("air_speed", "m/s")
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/ageing", s.kitchen.SetCabinet(ctx, id, set, rh, speed, step)
	}, func(back form.Back) {
		s.showAgeing(c, cabinetsView{Back: back})
	})
}

// startAgeingView checks whether a fish may be aged.
type startAgeingView struct {
	form.Back
	Lots     []kitchen.Row
	Cabinets []kitchen.AgeingCabinet
	Lot      *lot.State // chosen; nil for none yet
	Checks   []ageing.Check
	Hung     lot.Hung
}

// Policies, HangingStyles and Preps are what there is to choose from.
func (startAgeingView) Policies() []ageing.Policy      { return ageing.Policies() }
func (startAgeingView) HangingStyles() []ageing.Choice { return ageing.HangingStyles() }
func (startAgeingView) Preps() []ageing.Choice         { return ageing.Preps() }

// LotChoices are the lots that may be aged.
func (v startAgeingView) LotChoices(p page) []form.Option {
	var list []form.Option
	for _, r := range v.Lots {
		list = append(list, form.Option{ID: r.LotID.String(),
			Name: fmt.Sprintf("%s %s · %d × %s, %s", r.Species.Name, r.Code, r.Count, lot.FormName(r.Form), p.Mass(r.WeightKg))})
	}
	return list
}

// Soft and Hard are how many checks are closed: those that a manager may open, and
// those that nobody may.
func (v startAgeingView) Soft() int { soft, _ := ageing.ClosedChecks(v.Checks); return len(soft) }
func (v startAgeingView) Hard() int { _, hard := ageing.ClosedChecks(v.Checks); return len(hard) }

// Advice stands wherever fish is aged.
func (startAgeingView) Advice() string { return ageing.PlanAdvice }

func (s *Server) startAgeingForm(c *gin.Context) {
	s.showStartAgeing(c, startAgeingView{Back: unsent(c)})
}

func (s *Server) showStartAgeing(c *gin.Context, v startAgeingView) {
	p := s.page(c, "Start ageing", "cold", nil)
	p.InForm = true
	ctx := c.Request.Context()
	var err error
	if v.Cabinets, err = s.kitchen.AgeingCabinets(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if v.Lots, err = s.kitchen.AgeingCandidates(ctx); err != nil {
		s.fail(c, err)
		return
	}
	v.guess(p)
	if id, err := uuid.Parse(v.Val("lot")); err == nil {
		f := inputOf(c, v.Values)
		v.Hung = f.hung()
		at := f.AtOr("happened_at", p.Now)
		v.Mark(f.Bad)
		if v.Lot, v.Checks, err = s.kitchen.EntryChecks(ctx, id, v.Hung, at); err != nil {
			s.fail(c, err)
			return
		}
	}
	p.Data = v
	s.show(c, v.Status(), "startageing", p)
}

// guess fills the fields with what the lot and the cabinet say.
func (v *startAgeingView) guess(p page) {
	for _, cabinet := range v.Cabinets {
		id := strconv.FormatInt(cabinet.ID, 10)
		if len(v.Cabinets) == 1 {
			v.Suggest("place_id", id)
		}
		if v.Val("place_id") == id {
			v.Suggest("hook", strconv.Itoa(cabinet.Free()))
		}
	}
	for _, r := range v.Lots {
		if r.LotID.String() == v.Val("lot") {
			if r.Species.HistamineRules() {
				v.Suggest("school", ageing.ShortDry)
			}
			if r.CostCents > 0 && r.WeightKg > 0 {
				v.Suggest("cents_per_kg", p.priceField(int64(math.Round(r.CostCents/r.WeightKg))))
			}
		}
	}
	if policy, ok := ageing.GetPolicy(v.Val("school")); ok {
		v.Suggest("target", unit.Number(100*policy.Target, 0))
	}
}

// hung reads how a fish is hung.
func (f *input) hung() lot.Hung {
	return lot.Hung{PlaceID: f.ID("place_id"), Hook: f.MustWhole("hook"), Kg: f.MustMass("kg"), Policy: f.Text("school"),
		Target: f.MustNumber("target", "%") / 100, Hanging: f.Text("hanging"), Preps: f.All("prep"),
		Raw: f.Text("raw") != "", Opened: f.Text("opened"), CentsPerKg: f.price("cents_per_kg")}
}

// startAgeing hangs the fish.
func (s *Server) startAgeing(c *gin.Context) {
	f := posted(c)
	in := kitchen.NewHanging{EventID: f.UUID("event"), LotID: f.UUID("lot"),
		At: f.AtOr("happened_at", s.kitchen.Now()), Hung: f.hung()}
	if !f.Seen() {
		s.showStartAgeing(c, startAgeingView{Back: f.preview()})
		return
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		id, err := s.kitchen.StartAgeing(ctx, in)
		return "/lots/" + id.String() + "/ageing", err
	}, func(back form.Back) {
		s.showStartAgeing(c, startAgeingView{Back: back})
	})
}

// ageingFishView is a fish that hangs, or hung.
type ageingFishView struct {
	kitchen.AgeingFish
	Chart  template.HTML
	Fish   []kitchen.Row // that it may be compared with
	Other  *kitchen.AgeingFish
	What   []airChoice
	Places []lot.Place
	form.Back
}

// airChoice is another setting of the cabinet, and what it would do.
type airChoice struct {
	Air     ageing.Air
	Now     bool
	Reaches ageing.Moment
	Good    bool // within what is wanted
}

// DownFields are the weights of a take-down.
func (ageingFishView) DownFields() []ageing.Choice {
	return []ageing.Choice{{ID: "kg", Name: "Fish"}, {ID: "crust_kg", Name: "Crust, trim"},
		{ID: "usable_kg", Name: "Usable flesh"}}
}

// signField is a sign of the daily check, to be tapped.
type signField struct {
	ID, Name string
	Options  []form.Option
}

// SignFields are the taps of the daily check.
func (ageingFishView) SignFields() []signField {
	var list []signField
	for _, sign := range ageing.Signs() {
		list = append(list, signField{"sign-" + sign.ID, sign.Name,
			[]form.Option{{ID: "fine", Name: sign.Fine}, {ID: "stop", Name: sign.Stop}}})
	}
	return list
}

// Signed is said at cabinetsView.
func (ageingFishView) Signed(share float64) string { return aheadText(share) }

// Ahead is how far it is ahead of what was forecast.
func (v ageingFishView) Ahead() float64 {
	return v.Ageing.Loss.Mid/math.Max(v.Ageing.PredictedLoss(v.Ageing.Days), 1e-9) - 1
}

// Hangs reports whether it still does.
func (v ageingFishView) Hangs() bool { return v.Ageing.Stay.Down == nil }

// Reached reports whether its target is behind it.
func (v ageingFishView) Reached(p page) bool {
	return !v.Ageing.Target.Mid.IsZero() && !v.Ageing.Target.Mid.After(p.Now)
}

// Weighs are the weigh-ins, the last first.
func (v ageingFishView) Weighs() []lot.WeighMade {
	list := slices.Clone(v.Ageing.Stay.Weighs)
	slices.Reverse(list)
	return list
}

// DailyChecks are those that say something: the last one, and any that stopped.
func (v ageingFishView) DailyChecks() []lot.DailyCheckMade {
	var list []lot.DailyCheckMade
	for i, look := range slices.Backward(v.Ageing.Stay.DailyChecks) {
		if i == len(v.Ageing.Stay.DailyChecks)-1 || len(look.Stops) > 0 {
			list = append(list, look)
		}
	}
	return list
}

// Between writes the band of a moment.
func (v ageingFishView) Between(p page, m ageing.Moment) string {
	switch {
	case m.Mid.IsZero():
		return fmt.Sprintf("not within %d days in this air", ageing.MostDays)
	case m.Hi.IsZero():
		return "not before " + p.Date(m.Lo)
	}
	return fmt.Sprintf("%s to %s", m.Lo.In(p.Zone).Format("Mon 2 Jan"), m.Hi.In(p.Zone).Format("Mon 2 Jan"))
}

// Short writes the day of a moment.
func (ageingFishView) Short(p page, t time.Time) string {
	if t.IsZero() {
		return "—"
	}
	return t.In(p.Zone).Format("Mon 2 Jan")
}

// Percent writes a share.
func (ageingFishView) Percent(share float64) string { return fmt.Sprintf("%.1f %%", 100*share) }

// Cost writes a cost a kilogram.
func (ageingFishView) Cost(p page, perKg float64) string {
	return p.Cost(100 * perKg)
}

// LossOf is what a weigh-in says was lost.
func (v ageingFishView) LossOf(kg float64) float64 { return 1 - kg/v.Ageing.Stay.Kg }

// Rests says what the forecast rests on.
func (v ageingFishView) Rests() string {
	n := len(v.Ageing.Stay.WeighIns()) - 1
	text := plural(n, "weigh-in")
	switch v.Ageing.SameSpecies {
	case 0:
		return text + "; this cabinet has finished none of this species"
	}
	return fmt.Sprintf("%s; %s of this species finished here", text, plural(v.Ageing.SameSpecies, "fish"))
}

func (s *Server) ageingFish(c *gin.Context) { s.showAgeingFish(c, form.Back{}) }

func (s *Server) showAgeingFish(c *gin.Context, back form.Back) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	var err error
	ctx := c.Request.Context()
	v := ageingFishView{Back: back}
	if v.AgeingFish, err = s.kitchen.AgeingFish(ctx, id); err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, v.State.Received.Code, "cold", nil)
	if other, err := uuid.Parse(c.Query("with")); err == nil {
		fish, err := s.kitchen.AgeingFish(ctx, other)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Other = &fish
	}
	cabinets, err := s.kitchen.AgeingCabinets(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, cabinet := range cabinets {
		for _, r := range slices.Concat(cabinet.Fish, cabinet.Down) {
			if r.LotID != id {
				v.Fish = append(v.Fish, r)
			}
		}
	}
	for _, place := range v.Card.Places {
		if !place.AgeingCabinet() && !place.Freezer() && !place.Elsewhere {
			v.Places = append(v.Places, place)
		}
	}
	sortPlaces(v.Places)
	v.Chart = dryingOf(p, v.AgeingFish, v.Other)
	if v.Hangs() && !v.Reached(p) {
		v.What = airChoices(p.Now, v.AgeingFish)
	}
	p.Data = v
	s.show(c, v.Status(), "ageingfish", p)
}

// dryingOf draws the loss of a fish.
func dryingOf(p page, fish kitchen.AgeingFish, other *kitchen.AgeingFish) template.HTML {
	told := fish.Ageing
	stay := told.Stay
	end := p.Now
	if !stay.To.IsZero() {
		end = stay.To
	}
	for _, t := range []time.Time{told.Target.Mid, told.Target.Hi} {
		if t.After(end) && t.Sub(stay.From) < 30*24*time.Hour {
			end = t
		}
	}
	d := drawing.Drying{From: stay.From, Now: p.Now, Until: end.Add(24 * time.Hour), Zone: p.Zone,
		Target: stay.Target, Reaches: told.Target, Skin: told.Policy.Skin}
	var times []time.Time
	for t := stay.From; !t.After(d.Until); t = t.Add(d.Until.Sub(stay.From) / 60) {
		times = append(times, t)
		d.Predicted = append(d.Predicted, ageing.Point{At: t,
			Band: ageing.Band{Mid: told.PredictedLoss(t.Sub(stay.From).Hours() / 24)}})
	}
	d.Line = told.Fit.Forecast(times...)
	for _, w := range stay.Weighs {
		point := ageing.Point{At: w.At, Band: ageing.Band{Mid: 1 - w.Weighed.Kg/stay.Kg}}
		if w.Aside {
			point.Lo = -1
		}
		d.Weighs = append(d.Weighs, point)
	}
	if other != nil {
		from := other.Ageing.Stay.From
		until := p.Now
		if to := other.Ageing.Stay.To; !to.IsZero() {
			until = to
		}
		d.OtherName = other.State.Species().Name + " " + other.State.Received.Code
		for _, t := range times { // day for day
			if at := from.Add(t.Sub(stay.From)); !at.After(until) {
				point := other.Ageing.Fit.Forecast(at)[0]
				point.At = t
				d.Other = append(d.Other, point)
			}
		}
	}
	return d.Draw()
}

// airChoices is what other settings would do from now on.
func airChoices(now time.Time, fish kitchen.AgeingFish) []airChoice {
	air := fish.Ageing.Air
	var list []airChoice
	for _, change := range []struct{ k, rh float64 }{{0, 0}, {0, -0.05}, {0, 0.05}, {-1, 0}, {1, 0}} {
		other := ageing.Air{Celsius: air.Celsius + change.k, RH: math.Min(0.99, math.Max(0.3, air.RH+change.rh))}
		fit := fish.Ageing.Fit
		past := slices.Clone(fit.Climate.Air)
		fit.Climate = ageing.Climate{Air: slices.DeleteFunc(past, func(a ageing.Air) bool { return a.At.After(now) }),
			Set: other}
		list = append(list, airChoice{Air: other, Now: change.k == 0 && change.rh == 0,
			Reaches: fit.Reaches(fish.Ageing.Stay.Target),
			Good: other.Celsius >= ageing.LeastC && other.Celsius <= ageing.MostC && other.RH >= ageing.LeastRH &&
				other.RH <= ageing.MostRH})
	}
	return list
}

// ageingEvent takes a form of the fish's page in: a weigh-in, the daily check, the
// take-down.
func (s *Server) ageingEvent(c *gin.Context) {
	f := posted(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	w := kitchen.Write{EventID: f.UUID("event"), LotID: id, HappenedAt: f.AtOr("happened_at", s.kitchen.Now())}
	f.form = c.Param("what")
	switch f.form {
	case "weigh":
		w.Payload = lot.Weighed{Kg: f.MustMass("kg"), Because: f.Text("because"),
			Aside: f.Text("aside") != ""}
	case "check":
		looked := lot.DailyCheck{Note: f.Text("note")}
		for _, sign := range ageing.Signs() {
			switch f.Text("sign-" + sign.ID) {
			case "fine":
			case "stop":
				looked.Stops = append(looked.Stops, sign.ID)
			default:
				f.Bad.Add("sign-"+sign.ID, "look, smell, touch: choose one")
			}
		}
		w.Payload = looked
	case "take-out":
		w.Payload = lot.TakenDown{Kg: f.MustMass("kg"), CrustKg: f.MassOrNone("crust_kg"), UsableKg: f.MassOrNone("usable_kg"),
			PlaceID: f.ID("place_id"), Why: f.Text("why")}
	default:
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.Append(ctx, w)
		if err == nil {
			s.offerUndo(c, lot.KindOf(w.Payload).Name(), map[uuid.UUID]uuid.UUID{id: w.EventID})
		}
		return "/lots/" + id.String() + "/ageing", err
	}, func(back form.Back) {
		s.showAgeingFish(c, back)
	})
}

// plansView lists the written plans of ageing.
type plansView struct {
	form.Back
	Plans []kitchen.AgeingPlan
}

// InForce reports whether a plan is the one in force.
func (v plansView) InForce(id uuid.UUID) bool {
	i := slices.IndexFunc(v.Plans, func(p kitchen.AgeingPlan) bool { return p.StruckAt == nil })
	return i >= 0 && v.Plans[i].ID == id
}

// Advice stands wherever fish is aged.
func (plansView) Advice() string { return ageing.PlanAdvice }

func (s *Server) ageingPlans(c *gin.Context) { s.showAgeingPlans(c, form.Back{}) }

func (s *Server) showAgeingPlans(c *gin.Context, back form.Back) {
	p := s.page(c, "Ageing plans", "cold", nil)
	v := plansView{Back: back}
	var err error
	if v.Plans, err = s.kitchen.AgeingPlans(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "ageingplans", p)
}

func (s *Server) addAgeingPlan(c *gin.Context) {
	f := posted(c)
	n := kitchen.NewAgeingPlan{ID: f.UUID("new_id"),
		Plan: ageing.Plan{Reference: f.Text("reference"), MaxDays: f.MustNumber("days", "d", "days"),
			MaxC: f.MustCelsius("celsius"), Raw: f.Text("raw") != "", Formers: f.Text("formers") != ""}}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/ageing/plans", s.kitchen.AddAgeingPlan(ctx, n)
	}, func(back form.Back) {
		s.showAgeingPlans(c, back)
	})
}
