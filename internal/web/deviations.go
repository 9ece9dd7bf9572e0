package web

import (
	"context"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/haccp"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// deviationsView are the deviations of the last weeks: those that wait for a second person first.
type deviationsView struct {
	form.Back
	Waiting, Read []deviationLine
	May           bool // the one who looks may read some of them
}

// deviationLine is one with its line of the plan.
type deviationLine struct {
	kitchen.Deviation
	Plan haccp.Line
	Mine bool // who looks acted on it: another reads it
}

func (s *Server) deviations(c *gin.Context) { s.showDeviations(c, form.Back{}) }

func (s *Server) showDeviations(c *gin.Context, back form.Back) {
	p, ctx := s.page(c, "Deviations", "records", nil), c.Request.Context()
	list, err := s.kitchen.Deviations(ctx, coldchain.Span{From: p.Now.Add(-kitchen.DeviationsBack), To: p.Now.Add(time.Minute)})
	if err != nil {
		s.fail(c, err)
		return
	}
	plan, err := s.kitchen.SafetyPlan(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := deviationsView{Back: back}
	for _, d := range list {
		line := deviationLine{d, plan.Line(d.Line), len(d.Done) > 0 && !d.ReadBy(p.Actor.Person.Name)}
		if d.Read != nil {
			v.Read = append(v.Read, line)
			continue
		}
		v.May = v.May || p.Writes() && d.ReadBy(p.Actor.Person.Name)
		v.Waiting = append(v.Waiting, line)
	}
	p.Data = v
	s.show(c, v.Status(), "deviations", p)
}

// readDeviations says that the one who is signed in read them, as the second person.
func (s *Server) readDeviations(c *gin.Context) {
	f := posted(c)
	var ids []uuid.UUID
	for _, text := range f.All("deviations") {
		id, err := uuid.Parse(text)
		if err != nil {
			f.Bad.Add("deviations", "is not known")
			continue
		}
		ids = append(ids, id)
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/records/inspector/deviations", s.kitchen.ReadDeviations(ctx, ids, f.Text("note"))
	}, func(back form.Back) { s.showDeviations(c, back) })
}
