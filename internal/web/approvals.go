package web

import (
	"context"
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// approvalsView is what waits for a manager, to be answered in one go.
type approvalsView struct {
	Requests []request
	May      bool // the person approves: a manager, or the deputy of the shift
	Deputy   *kitchen.Deputy
	People   []form.Option // who may be named
	form.Back
}

// request is an entry that waits.
type request struct {
	kitchen.Request
	Card  kitchen.Card // of its lot
	Fish  template.HTML
	Error string
}

// approvals lists what waits for a manager.
func (s *Server) approvals(c *gin.Context) { s.showApprovals(c, form.Back{}) }

func (s *Server) showApprovals(c *gin.Context, back form.Back) {
	ctx := c.Request.Context()
	p := s.page(c, "Waits for a manager", "", nil)
	v := approvalsView{Back: back}
	list, err := s.kitchen.Requests(ctx)
	if err == nil {
		v.May, err = s.kitchen.Approves(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, r := range list {
		card, err := s.kitchen.Card(ctx, r.LotID)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Requests = append(v.Requests, request{r, card, fishAsSeen(card), back.Errors.On("request-" + r.ID.String())})
	}
	if deputy, err := s.kitchen.DeputyNow(ctx); err == nil {
		v.Deputy = &deputy
	}
	if p.May(access.Manage) {
		people, err := s.kitchen.Members(ctx)
		if err != nil {
			s.fail(c, err)
			return
		}
		for _, m := range people {
			if role := access.Role(m.Role); !m.Left() && role.May(access.Write) && !role.May(access.Manage) {
				v.People = append(v.People, form.Option{ID: strconv.FormatInt(m.ID, 10), Name: m.Name, Note: m.Role})
			}
		}
	}
	p.Data = v
	s.show(c, back.Status(), "approvals", p)
}

// Wants says what is asked for.
func (p page) Wants(r kitchen.Request, card kitchen.Card) string {
	if i, ok := r.Payload.(lot.Inspected); ok {
		return fmt.Sprintf("%s: %s (%s, score %s of %d; proposed: %s)", i.Decision.Name(), i.Reason, plural(len(i.Fish), "fish"),
			unit.Number(i.Reading.Index, 1), i.Reading.IndexMax, i.Proposed.Decision.Name())
	}
	return r.Name() + ": " + p.Says(r.Payload, card)
}

// fishAsSeen draws a lot's fish as it was inspected last.
func fishAsSeen(card kitchen.Card) template.HTML {
	return drawing.Picture{Subject: drawing.Subject{Figure: card.State.Species().Figure, Form: card.State.Form, Frozen: card.State.Frozen()},
		Features: card.Seen}.Draw()
}

// answerRequests takes what a manager says to some of what waits.
func (s *Server) answerRequests(c *gin.Context) {
	f := posted(c)
	f.form = "answers"
	in := kitchen.Answers{Approve: f.Text("answer") == "approve", Reason: f.Text("reason")}
	for _, text := range f.All("requests") {
		if id, err := uuid.Parse(text); err == nil {
			in.IDs = append(in.IDs, id)
		}
	}
	s.post(c, f, func(ctx context.Context) (string, error) { return "/approvals", s.kitchen.AnswerRequests(ctx, in) },
		func(back form.Back) { s.showApprovals(c, back) })
}

// nameDeputy names who approves beside the managers until the day ends.
func (s *Server) nameDeputy(c *gin.Context) {
	f := posted(c)
	f.form = "deputy"
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/approvals", s.kitchen.NameDeputy(ctx, f.UUID("new_id"), f.ID("deputy"))
	}, func(back form.Back) { s.showApprovals(c, back) })
}

// holdLabelView is the red label of a lot on hold.
type holdLabelView struct {
	kitchen.Card
	Requests []kitchen.Request
	Since    kitchen.Entry // the entry that put it on hold
	form.Back
}

// Tape is what is written on tape where nothing prints.
func (v holdLabelView) Tape() string {
	return "HOLD · " + strings.ToUpper(v.State.Species().Name) + " " + v.State.Received.Code + " · do not use · ask a manager"
}

// holdLabel shows the red label of a lot on hold; of another, its card.
func (s *Server) holdLabel(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	ctx := c.Request.Context()
	var v holdLabelView
	var err error
	if v.Card, err = s.kitchen.Card(ctx, id); err != nil {
		s.fail(c, err)
		return
	}
	if v.State.Hold == "" {
		s.leadOn(c, s.base(c)+"/lots/"+id.String())
		return
	}
	if v.Requests, err = s.kitchen.RequestsOf(ctx, v.State); err != nil {
		s.fail(c, err)
		return
	}
	for _, e := range slices.Backward(v.Entries) {
		if e.Kind == "held" || e.Kind == "inspected" {
			v.Since = e
			break
		}
	}
	p := s.page(c, "Red label", "", nil)
	p.Data = v
	s.show(c, v.Status(), "label", p)
}
