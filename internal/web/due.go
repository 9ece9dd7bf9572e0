package web

import (
	"context"
	"fmt"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// dueView is what is to be done, gathered by what is done in one go.
type dueView struct {
	Late, Today []dueGroup
	Notes       []kitchen.Note // of the shifts before
	form.Back                  // of a core temperature that is logged on the list, named core-<lot>; or note
}

// dueGroup is a line of the list.
type dueGroup struct {
	kitchen.DueGroup
	Href string
	Of   string // whose fish it is, or where it lies
}

// Core reports whether it is done with a temperature of the core, on the list itself.
func (g dueGroup) Core() bool {
	d := g.First()
	return d.LotID != uuid.Nil && d.PlanID == uuid.Nil && (d.Do == "Measure the core temperature again" || d.Do == "Log temperature")
}

// newDueView parts what is late from what is to come.
func newDueView(p page, list []kitchen.Due) dueView {
	var v dueView
	for _, g := range kitchen.GatherDue(list) {
		group := dueGroup{DueGroup: g, Href: dueHref(p, g.First())}
		switch first := g.First(); {
		case g.Alone(), first.Approval, first.PlanID != uuid.Nil:
		case first.Service != uuid.Nil:
			group.Href = fmt.Sprintf("%s/service?one=%s", p.Base, first.Service)
		case g.ByDelivery():
			group.Of, group.Href = first.From, fmt.Sprintf("%s/deliveries/%s", p.Base, first.NoteID)
		case first.Path == "ageing":
			group.Of, group.Href = first.At, p.Base+"/cold/ageing"
		default:
			group.Of, group.Href = first.At, fmt.Sprintf("%s/cold/places/%d", p.Base, first.PlaceID)
		}
		if g.First().Due.Before(p.Now) {
			v.Late = append(v.Late, group)
		} else {
			v.Today = append(v.Today, group)
		}
	}
	return v
}

// dueSoon is how far what is due is listed at least: at night the morning comes into sight.
const dueSoon = 6 * time.Hour

// due lists what is to be done until the day ends, and in the next hours.
func (s *Server) due(c *gin.Context) { s.showDue(c, form.Back{}) }

func (s *Server) showDue(c *gin.Context, back form.Back) {
	p := s.page(c, "What is due", "", nil)
	until := assess.DayEnd(p.Now.Add(time.Hour), p.Zone)
	if soon := p.Now.Add(dueSoon); until.Before(soon) {
		until = soon
	}
	list, err := s.kitchen.DueBy(c.Request.Context(), until)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := newDueView(p, list)
	v.Back = back
	if v.Notes, err = s.kitchen.Notes(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, back.Status(), "due", p)
}

// leaveNote leaves a note to the next shift.
func (s *Server) leaveNote(c *gin.Context) {
	f := posted(c)
	f.form = "note"
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/due", s.kitchen.LeaveNote(ctx, f.UUID("new_id"), f.Text("text"))
	}, func(back form.Back) { s.showDue(c, back) })
}

// readNote notes that a note was read.
func (s *Server) readNote(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	if err := s.kitchen.ReadNote(c.Request.Context(), id); err != nil {
		s.fail(c, err)
		return
	}
	s.leadOn(c, s.base(c)+"/due")
}
