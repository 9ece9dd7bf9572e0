package web

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"slices"
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
	"leancatch/internal/web/form"
	"leancatch/internal/wording"
)

// thawView is what thaws, and what is planned to.
type thawView struct {
	form.Back
	Thaws  []thawPlan
	Loose  []kitchen.Row // pulled or thawed without a plan that is open
	Policy thawing.Policy
}

// Policies, Methods and ForbiddenMethods are what a kitchen chooses from, and what
// it never does.
func (thawView) Policies() []thawing.Policy                  { return thawing.Policies() }
func (thawView) Methods() []thawing.Method                   { return thawing.Methods() }
func (thawView) ForbiddenMethods() []thawing.ForbiddenMethod { return thawing.ForbiddenMethods() }

// PolicyChoices are the policies with what they do.
func (v thawView) PolicyChoices(p page) []form.Option {
	var list []form.Option
	for _, x := range v.Policies() {
		list = append(list, form.Option{ID: x.ID, Name: x.Name, Note: fmt.Sprintf(
			"%s: fridge %s, water %s, keeps %.0f h, %.0f min out of the cold. %s.", v.MethodNames(x), p.Temp(x.FridgeC),
			p.Temp(x.WaterC), x.HoldHours, x.OutMinutes, x.Source)})
	}
	return list
}

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
	form.Back
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
	title := fmt.Sprintf("%d × %.0f g of %s, %s", t.Portions, 1000*t.PortionKg, t.Species.Name,
		strings.ToLower(lot.FormName(t.Thaw.Form)))
	if short := t.Short(); short > 0 {
		title += fmt.Sprintf(": %d short", short)
	}
	return title
}

// FormError is what is wrong with a form that the page does not have any more: its
// step was replanned.
func (t thawPlan) FormError() string {
	for _, l := range t.Lines {
		for _, s := range l.Steps {
			if t.Came == fmt.Sprintf("step-%d-%d", l.N, s.Seq) && s.DoneAt == nil {
				return ""
			}
		}
	}
	return t.Errors.On("step")
}

// Use is what becomes of it.
func (t thawPlan) Use() string { return "to be " + wording.ThawedFor(thawing.EndUse(t.EndUse)) }

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

func (s *Server) thaw(c *gin.Context) { s.showThaw(c, form.Back{}) }

func (s *Server) showThaw(c *gin.Context, back form.Back) {
	p := s.page(c, "Thaw", "cold", nil)
	v := thawView{Back: back, Policy: p.Actor.ThawPolicy()}
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
	s.show(c, v.Status(), "thaw", p)
}

// setThawPolicy chooses how the kitchen thaws.
func (s *Server) setThawPolicy(c *gin.Context) {
	f := posted(c)
	f.form = "policy"
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/thaw", s.kitchen.SetThawPolicy(ctx, f.Text("school"))
	}, func(back form.Back) { s.showThaw(c, back) })
}

// thawOrderView plans a thaw.
type thawOrderView struct {
	form.Back
	Stock    []kitchen.FrozenStock
	Proposal *kitchen.ThawProposal
	Chart    template.HTML
	Policy   thawing.Policy
}

// Methods are what may be asked for.
func (thawOrderView) Methods() []thawing.Method { return thawing.Methods() }

// EndUses are what becomes of it.
func (thawOrderView) EndUses() []form.Option {
	return []form.Option{{ID: string(thawing.Cook), Name: "Cooked"}, {ID: string(thawing.Raw), Name: "Served raw"}}
}

// What is frozen, to choose from.
func (v thawOrderView) What(p page) []form.Option {
	var list []form.Option
	for _, x := range v.Stock {
		list = append(list, form.Option{ID: x.Species.ID + "/" + x.Form,
			Name: fmt.Sprintf("%s, %s · %s in %d pieces", x.Species.Name, lot.FormName(x.Form), p.Mass(x.Kg), x.Pieces)})
	}
	return list
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
	s.showThawOrder(c, unsent(c))
}

func (s *Server) showThawOrder(c *gin.Context, back form.Back) {
	p := s.page(c, "Plan a thaw", "cold", nil)
	p.InForm = true
	v := thawOrderView{Back: back, Policy: p.Actor.ThawPolicy()}
	ctx := c.Request.Context()
	var err error
	if v.Stock, err = s.kitchen.FrozenStock(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if service, _, _ := p.serviceOf(""); !v.Sent {
		v.Suggest("serve_at", p.Local(service))
	}
	f := inputOf(c, v.Values)
	order := f.thawOrder()
	bad := f.Bad
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
	v.Mark(bad)
	p.Data = v
	s.show(c, v.Status(), "thawplan", p)
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
func (f *input) thawOrder() kitchen.ThawOrder {
	o := kitchen.ThawOrder{EndUse: thawing.EndUse(f.Text("end_use")), Method: f.Text("method"),
		OneFace: f.Has("one_face"), KeepPacked: f.Has("keep_packed"), Portions: f.MustWhole("portions")}
	o.SpeciesID, o.Form, _ = strings.Cut(f.Text("what"), "/")
	if _, ok := f.actor.Site.Catalogue().Get(o.SpeciesID); !ok {
		f.Bad.Add("what", "choose what is thawed")
	}
	o.PortionKg = f.MustNumber("portion", "g") / 1000
	o.ServeAt = f.MustAt("serve_at")
	o.MM = f.Number("thickness_mm", "mm")
	return o
}

// saveThaw keeps a plan.
func (s *Server) saveThaw(c *gin.Context) {
	f := posted(c)
	id, order := f.UUID("new_id"), f.thawOrder()
	if !f.Seen() {
		s.showThawOrder(c, f.preview())
		return
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/thaw/plans/" + id.String(), s.kitchen.SaveThaw(ctx, id, order)
	}, func(back form.Back) {
		s.showThawOrder(c, back)
	})
}

func (s *Server) thawPlan(c *gin.Context) {
	s.showThawPlan(c, "thawing", form.Back{})
}

// thawSheet is the plan to print.
func (s *Server) thawSheet(c *gin.Context) {
	s.showThawPlan(c, "thawsheet", form.Back{})
}

func (s *Server) showThawPlan(c *gin.Context, view string, back form.Back) {
	p := s.page(c, "Thaw", "cold", nil)
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
	v.Back = back
	p.Data = v
	s.show(c, v.Status(), view, p)
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
	f := posted(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	in := kitchen.ThawStepDone{PlanID: id, N: f.ID("line"), Seq: f.ID("seq"), EventID: f.UUID("event"),
		At: f.AtOr("happened_at", s.kitchen.Now()), CoreC: f.Cooked("core_celsius"), PlaceID: f.ID("place_id"),
		Exit: f.Text("exit"), Note: f.Text("note")}
	in.LeftKg = f.MassOrNone("left")
	in.DripKg, in.GlazeKg = f.Grams("drip_kg")/1000, f.Grams("glaze_kg")/1000
	f.form = fmt.Sprintf("step-%d-%d", in.N, in.Seq)
	s.postThaw(c, id, f, func(ctx context.Context) error { return s.kitchen.CompleteThawStep(ctx, in) })
}

// correctThawStep puts a step right that was noted as done.
func (s *Server) correctThawStep(c *gin.Context) {
	f := posted(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	in := kitchen.ThawStepCorrection{ID: f.UUID("new_id"), PlanID: id, N: f.ID("line"), Seq: f.ID("seq"),
		CoreC: f.Cooked("core_celsius"), Undone: f.Has("undone"), Reason: f.Text("reason")}
	f.form = fmt.Sprintf("correct-%d-%d", in.N, in.Seq)
	s.postThaw(c, id, f, func(ctx context.Context) error { return s.kitchen.CorrectThawStep(ctx, in) })
}

// replanThaw replans the rest of a line.
func (s *Server) replanThaw(c *gin.Context) {
	f := posted(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	in := kitchen.ThawReplan{PlanID: id, N: f.ID("line"), Method: f.Text("method"), ServeAt: f.At("serve_at"),
		EventID: f.UUID("event")}
	f.form = f.Text("form")
	s.postThaw(c, id, f, func(ctx context.Context) error { return s.kitchen.ReplanThaw(ctx, in) })
}

func (s *Server) dropThaw(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		f := posted(c)
		f.form = "drop"
		s.postThaw(c, id, f, func(ctx context.Context) error { return s.kitchen.DropThaw(ctx, id) })
	}
}

// postThaw ends a form of a thaw's page.
func (s *Server) postThaw(c *gin.Context, id uuid.UUID, f *input, do func(context.Context) error) {
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/thaw/plans/" + id.String(), do(ctx)
	}, func(back form.Back) { s.showThawPlan(c, "thawing", back) })
}
