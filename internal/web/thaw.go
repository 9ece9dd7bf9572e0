package web

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/drawing"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// thawView is what thaws, and what is planned to.
type thawView struct {
	Thaws  []thawPlan
	Loose  []kitchen.Row // pulled or thawed without a plan that is open
	Policy thawing.Policy
}

// Policies, Methods and ForbiddenMethods are what a kitchen chooses from, and what
// it never does.
func (thawView) Policies() []thawing.Policy                  { return thawing.Policies() }
func (thawView) Methods() []thawing.Method                   { return thawing.Methods() }
func (thawView) ForbiddenMethods() []thawing.ForbiddenMethod { return thawing.ForbiddenMethods() }

// MethodNames are the methods of a policy in its order.
func (thawView) MethodNames(s thawing.Policy) string {
	var names []string
	for _, id := range s.Order {
		m, _ := thawing.GetMethod(id)
		names = append(names, strings.ToLower(m.Name))
	}
	return strings.Join(names, ", then ")
}

// thawPlan is a thaw with its drawing.
type thawPlan struct {
	kitchen.Thaw
	Chart template.HTML
	formInput
	Back string // the line or step whose form came back
}

// newThaw draws a thaw.
func newThaw(p page, t kitchen.Thaw) thawPlan {
	d := drawing.Thaws{Serve: t.ServeAt, Zone: p.Zone, Scale: p.Actor.Temps(), Now: p.Now}
	for _, l := range t.Lines {
		if l.Plan.StartBy.IsZero() {
			continue
		}
		d.Bars = append(d.Bars, thawBar(p, l))
	}
	return thawPlan{Thaw: t, Chart: drawThaws(d)}
}

// thawBar is the bar of a line.
func thawBar(p page, l kitchen.ThawLine) drawing.ThawBar {
	start := l.Plan.StartBy
	if l.FromAt != nil {
		start = *l.FromAt
	}
	b := barOf(fmt.Sprintf("%s, %s", l.Row.Code, plural(int(l.Pieces), "piece")), l.Plan, start)
	b.Late, b.Done = l.Late(), l.EndedAt != nil
	if l.ThawedAt != nil {
		b.Ready = *l.ThawedAt
		if b.Workable.After(b.Ready) {
			b.Workable = b.Ready
		}
		if l.Row.FrozenStatus != nil && l.Row.FrozenStatus.KeepTo != nil {
			b.KeepTo = *l.Row.FrozenStatus.KeepTo
		}
	}
	b.Ticks = nil
	for _, s := range l.Steps {
		at := s.At
		if s.DoneAt != nil {
			at = *s.DoneAt
		}
		b.Ticks = append(b.Ticks, drawing.ThawTick{At: at, Label: p.Clock(at) + " " + s.Doing, Done: s.DoneAt != nil,
			Small: s.Step == "change"})
	}
	return b
}

// barOf is the bar of a plan.
func barOf(name string, plan thawing.Plan, start time.Time) drawing.ThawBar {
	b := drawing.ThawBar{Name: name, Method: plan.Method.Name, Start: start, Workable: start, Ready: plan.ReadyAt,
		KeepTo: plan.KeepTo, Curve: plan.Curve}
	if plan.Workable != heat.Never {
		b.Workable = start.Add(plan.Workable)
	}
	for _, s := range plan.Steps {
		b.Ticks = append(b.Ticks, drawing.ThawTick{At: s.At, Label: s.Do, Small: s.ID == "change"})
	}
	return b
}

// drawThaws draws bars over the time that they span.
func drawThaws(d drawing.Thaws) template.HTML {
	if len(d.Bars) == 0 {
		return ""
	}
	d.From, d.To = d.Serve, d.Serve
	for _, b := range d.Bars {
		if b.Start.Before(d.From) {
			d.From = b.Start
		}
		if b.Ready.After(d.To) {
			d.To = b.Ready
		}
	}
	room := max(time.Hour/3, d.To.Sub(d.From)/12)
	d.From, d.To = d.From.Add(-room/2), d.To.Add(room)
	return d.Draw()
}

// Title says what is thawed.
func (t thawPlan) Title() string {
	return fmt.Sprintf("%d × %.0f g of %s, %s", t.Portions, 1000*t.PortionKg, strings.ToLower(t.Species.Name),
		strings.ToLower(lot.FormName(t.Form)))
}

// FormError is what is wrong with a form that the page does not have any more: its
// step was replanned.
func (t thawPlan) FormError() string {
	for _, l := range t.Lines {
		for _, s := range l.Steps {
			if t.Back == fmt.Sprintf("step-%d-%d", l.N, s.Seq) && s.DoneAt == nil {
				return ""
			}
		}
	}
	return t.Err("step")
}

// Use is what becomes of it.
func (t thawPlan) Use() string { return "to be " + endUseName(thawing.EndUse(t.EndUse)) }

// Late reports whether any line is ready only after it is wanted.
func (t thawPlan) Late() bool { return slices.ContainsFunc(t.Lines, kitchen.ThawLine.Late) }

// Overdue is the first step that is over; nil for none.
func (t thawPlan) Overdue(p page) *kitchen.ThawStep {
	for _, l := range t.Lines {
		if over := l.Overdue(p.Now); over != nil {
			return over
		}
	}
	return nil
}

// IsNext reports whether a step is the first that is open on its line.
func (t thawPlan) IsNext(l kitchen.ThawLine, s kitchen.ThawStep) bool {
	next := l.Next()
	return next != nil && next.Seq == s.Seq
}

// Methods are those by which a line could go on.
func (t thawPlan) Methods(l kitchen.ThawLine) []thawing.Method {
	if l.PulledAt == nil {
		return thawing.Methods()
	}
	if l.Method == thawing.Fridge {
		m, _ := thawing.GetMethod(thawing.Water)
		return []thawing.Method{m}
	}
	return nil
}

func (s *Server) thaw(c *gin.Context) {
	p := s.page(c, "Thaw", "cold/thaw", nil)
	v := thawView{Policy: p.Actor.ThawPolicy()}
	ctx := c.Request.Context()
	thaws, err := s.kitchen.Thaws(ctx, p.Now)
	if err != nil {
		s.fail(c, err)
		return
	}
	planned := map[uuid.UUID]bool{}
	for _, t := range thaws {
		v.Thaws = append(v.Thaws, newThaw(p, t))
		for _, l := range t.Lines {
			planned[l.LotID] = true
		}
	}
	if v.Loose, err = s.kitchen.ThawedRows(ctx); err != nil {
		s.fail(c, err)
		return
	}
	v.Loose = slices.DeleteFunc(v.Loose, func(r kitchen.Row) bool { return planned[r.LotID] })
	p.Data = v
	s.show(c, http.StatusOK, "thaw", p)
}

// setThawPolicy chooses how the kitchen thaws.
func (s *Server) setThawPolicy(c *gin.Context) {
	if err := s.kitchen.SetThawPolicy(c.Request.Context(), newForm(c).text("school")); err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, s.base(c)+"/cold/thaw")
}

// thawOrderView plans a thaw; its address is the plan.
type thawOrderView struct {
	formInput
	Stock    []kitchen.FrozenStock
	Proposal *kitchen.ThawProposal
	Chart    template.HTML
	Policy   thawing.Policy
}

// Methods are what may be asked for.
func (thawOrderView) Methods() []thawing.Method { return thawing.Methods() }

// Hidden are the fields that go on with the proposal.
func (thawOrderView) Hidden() []string {
	return []string{"what", "portions", "portion", "serve_at", "end_use", "method", "thickness_mm", "one_face",
		"keep_packed"}
}

// Says is what a method makes of a pick.
func (v thawOrderView) Says(p page, c thawing.Choice) string {
	switch {
	case c.Refused != "":
		return c.Refused
	case c.StartBy.IsZero():
		return "does not thaw"
	case !c.InTime:
		return fmt.Sprintf("too late: it was to be started by %s; from now it is ready %s", p.When(c.StartBy),
			p.When(c.ReadyAt))
	}
	text := "start by " + p.When(c.StartBy)
	if c.IceFree > 0 {
		text += fmt.Sprintf("; workable after %s, free of ice after %s", spanText(c.Workable), spanText(c.IceFree))
	}
	return text
}

// spanText is a length of time in words.
func spanText(d time.Duration) string {
	switch {
	case d < 2*time.Hour:
		return fmt.Sprintf("%.0f min", d.Minutes())
	case d < 48*time.Hour:
		return fmt.Sprintf("%.1f h", d.Hours())
	}
	return fmt.Sprintf("%.1f days", d.Hours()/24)
}

// Warnings are those of all picks, each once.
func (v thawOrderView) Warnings() []string {
	var list []string
	for _, pick := range v.Proposal.Picks {
		if pick.Chosen < 0 {
			continue
		}
		for _, w := range pick.Choices[pick.Chosen].Warnings {
			if !slices.Contains(list, w) {
				list = append(list, w)
			}
		}
	}
	return list
}

func (s *Server) thawOrder(c *gin.Context) {
	s.showThawOrder(c, http.StatusOK, formInput{Values: c.Request.URL.Query()})
}

func (s *Server) showThawOrder(c *gin.Context, status int, back formInput) {
	p := s.page(c, "Plan a thaw", "cold/thaw", nil)
	v := thawOrderView{formInput: back, Policy: p.Actor.ThawPolicy()}
	ctx := c.Request.Context()
	var err error
	if v.Stock, err = s.kitchen.FrozenStock(ctx); err != nil {
		s.fail(c, err)
		return
	}
	asked := v.Values.Has("what")
	if !asked {
		service, _, _ := p.serviceOf("")
		v.Values.Set("serve_at", p.Local(service))
		v.Values.Set("end_use", string(thawing.Cook))
	}
	if asked {
		f := &form{values: v.Values, actor: p.Actor}
		order := f.thawOrder()
		bad := f.bad
		if len(bad) == 0 {
			proposal, err := s.kitchen.ProposeThaw(ctx, order)
			switch {
			case errors.As(err, &bad):
			case err != nil:
				s.fail(c, err)
				return
			default:
				v.Proposal = &proposal
				v.Chart = drawProposal(p, proposal)
			}
		}
		for _, e := range bad {
			if v.Errors.On(e.Field) == "" {
				v.Errors = append(v.Errors, e)
			}
		}
		if len(v.Errors) > 0 {
			status = http.StatusUnprocessableEntity
		}
	}
	p.Data = v
	if isPart(c) {
		s.render(c, status, "thawplan", "thawplan", p)
		return
	}
	s.show(c, status, "thawplan", p)
}

func drawProposal(p page, proposal kitchen.ThawProposal) template.HTML {
	d := drawing.Thaws{Serve: proposal.Order.ServeAt, Zone: p.Zone, Scale: p.Actor.Temps(), Now: p.Now}
	for _, pick := range proposal.Picks {
		if pick.Chosen < 0 || pick.Choices[pick.Chosen].StartBy.IsZero() {
			continue
		}
		chosen := pick.Choices[pick.Chosen]
		start := chosen.StartBy
		if !chosen.InTime {
			start = p.Now
		}
		d.Bars = append(d.Bars, barOf(fmt.Sprintf("%s, %s", pick.Code, plural(pick.Pieces, "piece")), chosen.Plan,
			start))
	}
	return drawThaws(d)
}

// thawOrder reads what is wanted.
func (f *form) thawOrder() kitchen.ThawOrder {
	o := kitchen.ThawOrder{EndUse: thawing.EndUse(f.text("end_use")), Method: f.text("method"),
		OneFace: f.text("one_face") != "", KeepPacked: f.text("keep_packed") != "", Portions: f.whole("portions")}
	o.SpeciesID, o.Form, _ = strings.Cut(f.text("what"), "/")
	if _, ok := f.actor.Site.Catalogue().Get(o.SpeciesID); !ok {
		f.bad.Add("what", "choose what is thawed")
	}
	o.PortionKg = f.mustNumber("portion", "g") / 1000
	if at := f.at("serve_at"); at != nil {
		o.ServeAt = *at
	} else if f.bad.On("serve_at") == "" {
		f.bad.Add("serve_at", "give the day and the hour")
	}
	o.MM = f.number("thickness_mm", "mm")
	return o
}

// saveThaw keeps a plan.
func (s *Server) saveThaw(c *gin.Context) {
	f := newForm(c)
	id, order := f.uuid("id"), f.thawOrder()
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.SaveThaw(c.Request.Context(), id, order)
	}
	s.answer(c, err, "/cold/thaw/plans/"+id.String(), func(back formInput) {
		s.showThawOrder(c, http.StatusUnprocessableEntity, back)
	})
}

func (s *Server) thawPlan(c *gin.Context) {
	s.showThawPlan(c, http.StatusOK, "thawing", formInput{}, "")
}

// thawSheet is the plan to print.
func (s *Server) thawSheet(c *gin.Context) {
	s.showThawPlan(c, http.StatusOK, "thawsheet", formInput{}, "")
}

func (s *Server) showThawPlan(c *gin.Context, status int, view string, form formInput, which string) {
	p := s.page(c, "Thaw", "cold/thaw", nil)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	t, err := s.kitchen.Thaw(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := newThaw(p, t)
	v.formInput, v.Back = form, which
	p.Data = v
	s.show(c, status, view, p)
}

// thawCalendar is the plan as a calendar file.
func (s *Server) thawCalendar(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	t, err := s.kitchen.Thaw(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.export(c, "text/calendar; charset=utf-8", "thaw.ics",
		[]byte(interchange.ThawCalendar(t, kitchen.ActorFrom(c.Request.Context()), s.kitchen.Now())))
}

// completeThawStep notes a step as done.
func (s *Server) completeThawStep(c *gin.Context) {
	f := newForm(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	in := kitchen.ThawStepDone{PlanID: id, N: f.id("line"), Seq: f.id("seq"), EventID: f.uuid("event"),
		At: f.when("happened_at", s.kitchen.Now()), CoreC: f.cooked("core_celsius"), PlaceID: f.id("place_id"),
		Exit: f.text("exit"), Note: f.text("note")}
	if f.text("left") != "" {
		in.LeftKg = f.kilograms("left")
	}
	in.DripKg, in.GlazeKg = f.grams("drip_kg")/1000, f.grams("glaze_kg")/1000
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.CompleteThawStep(c.Request.Context(), in)
	}
	s.thawDone(c, id, err, fmt.Sprintf("step-%d-%d", in.N, in.Seq))
}

// grams reads a weight in grams; 0 for an empty field.
func (f *form) grams(field string) float64 {
	v := f.number(field, "g")
	if v == nil {
		return 0
	}
	if *v < 0 {
		f.bad.Add(field, "must be at least 0")
	}
	return math.Max(0, *v)
}

// replanThaw replans the rest of a line.
func (s *Server) replanThaw(c *gin.Context) {
	f := newForm(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	in := kitchen.ThawReplan{PlanID: id, N: f.id("line"), Method: f.text("method"), ServeAt: f.at("serve_at"),
		EventID: f.uuid("event")}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.ReplanThaw(c.Request.Context(), in)
	}
	s.thawDone(c, id, err, "replan-"+cmp.Or(strconv.FormatInt(in.N, 10), "0"))
}

func (s *Server) dropThaw(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.thawDone(c, id, s.kitchen.DropThaw(c.Request.Context(), id), "drop")
	}
}

// thawDone shows the plan after something was done, or what is wrong with it.
func (s *Server) thawDone(c *gin.Context, id uuid.UUID, err error, which string) {
	s.answer(c, err, "/cold/thaw/plans/"+id.String(), func(back formInput) {
		s.showThawPlan(c, http.StatusUnprocessableEntity, "thawing", back, which)
	})
}
