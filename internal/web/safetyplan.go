package web

import (
	"context"
	"fmt"
	"strconv"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/haccp"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// safetyPlanView is the kitchen's safety plan, a version of it.
type safetyPlanView struct {
	form.Back
	kitchen.SafetyPlan
	Versions []kitchen.SafetyPlan
	InForce  bool
	Outdated bool // the rules set other limits now
	Own      string
}

// planStep are the lines of a step of the work.
type planStep struct {
	Step  string
	Lines []haccp.Line
}

// Steps are the lines by step, in the order of the work.
func (v safetyPlanView) Steps() (steps []planStep) {
	for _, l := range v.Lines {
		if n := len(steps); n > 0 && steps[n-1].Step == l.Step {
			steps[n-1].Lines = append(steps[n-1].Lines, l)
			continue
		}
		steps = append(steps, planStep{l.Step, []haccp.Line{l}})
	}
	return steps
}

// LimitText is the limit of a line: as the rules have it now, in the unit of who reads, or as it was signed.
func (v safetyPlanView) LimitText(p page, l haccp.Line) string {
	if v.InForce && !v.Outdated {
		return l.LimitBy(p.Profile, p.Actor.Temps())
	}
	return l.Limit
}

// Fields are the texts of a line that a kitchen writes, with their labels.
func (safetyPlanView) Fields(l haccp.Line) []form.Option {
	fields := []form.Option{{ID: "own", Name: "Beyond the rules"}, {ID: "watch", Name: "How it is watched"}, {ID: "action",
		Name: "Where it fails"},
		{ID: "verify", Name: "Who verifies"}, {ID: "record", Name: "Record"}}
	if l.IsOwn() {
		fields = append([]form.Option{{ID: "step", Name: "Step"}, {ID: "hazard", Name: "Hazard"}, {ID: "limit", Name: "Limit"}}, fields[1:]...)
	}
	return fields
}

// Text is what a field of a line says.
func (safetyPlanView) Text(l haccp.Line, field string) string { return *lineText(&l, field) }

func lineText(l *haccp.Line, field string) *string {
	return map[string]*string{"own": &l.Own, "watch": &l.Watch, "action": &l.Action, "verify": &l.Verify, "record": &l.Record,
		"step": &l.Step, "hazard": &l.Hazard, "limit": &l.Limit}[field]
}

// Wrong reports whether a field of a line is wrong: its fold is open then.
func (v safetyPlanView) Wrong(l haccp.Line) bool {
	for _, x := range v.Fields(l) {
		if v.Form("").Err(x.ID+"-"+l.ID) != "" {
			return true
		}
	}
	return false
}

// Source says what the plan rests on.
func (safetyPlanView) Source() string { return haccp.Sources.String() }

func (s *Server) safetyPlan(c *gin.Context) {
	v := safetyPlanView{}
	var err error
	if v.Versions, err = s.kitchen.SafetyPlans(c.Request.Context()); err == nil {
		v.SafetyPlan, err = s.kitchen.SafetyPlan(c.Request.Context())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v.InForce = true
	if n, err := strconv.Atoi(c.Query("version")); err == nil && n != v.Version {
		i := len(v.Versions) - n
		if n < 1 || i < 0 {
			s.fail(c, kitchen.ErrNotFound)
			return
		}
		v.SafetyPlan, v.InForce = v.Versions[i], false
	}
	p := s.page(c, "Safety plan", "records", nil)
	v.Outdated = haccp.Outdated(v.Lines, p.Profile)
	p.Data = v
	s.show(c, v.Status(), "safetyplan", p)
}

func (s *Server) safetyPlanForm(c *gin.Context) { s.showSafetyPlanForm(c, form.Back{}) }

func (s *Server) showSafetyPlanForm(c *gin.Context, back form.Back) {
	v := safetyPlanView{Back: back, InForce: true}
	var err error
	if v.SafetyPlan, err = s.kitchen.SafetyPlan(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	v.Lines = append(v.Lines, haccp.Line{ID: ownLine(v.Lines)})
	p := s.page(c, "A new version of the plan", "records", v)
	p.InForm = true
	s.show(c, v.Status(), "safetyplanedit", p)
}

// ownLine is the id of the next line that a kitchen adds.
func ownLine(lines []haccp.Line) string {
	n := 1
	for _, l := range lines {
		if l.IsOwn() {
			n++
		}
	}
	return fmt.Sprint(haccp.OwnPrefix, n)
}

// signSafetyPlan signs a new version: every line as it was sent.
func (s *Server) signSafetyPlan(c *gin.Context) {
	f := posted(c)
	last, err := s.kitchen.SafetyPlan(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	in := kitchen.NewSafetyPlan{After: f.MustWhole("after"), Note: f.Text("note")}
	for _, l := range append(last.Lines, haccp.Line{ID: ownLine(last.Lines)}) {
		said := false
		for _, x := range (safetyPlanView{}).Fields(l) {
			text := f.Text(x.ID + "-" + l.ID)
			*lineText(&l, x.ID), said = text, said || text != ""
		}
		if said || !l.IsOwn() { // an own line of which all was deleted goes
			in.Lines = append(in.Lines, l)
		}
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/records/inspector/plan", s.kitchen.SignSafetyPlan(ctx, in)
	}, func(back form.Back) { s.showSafetyPlanForm(c, back) })
}
