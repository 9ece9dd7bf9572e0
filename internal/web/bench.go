package web

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// benchView is what waits for the knife, the nose and the scale.
type benchView struct {
	dueView
	kitchen.OnBench
	Shown []kitchen.Row // of what can be cut
	More  int           // that is folded away
	Bench kitchen.BenchState
	Cuts  []cutLine // of the last days
}

// cutLine is a cut in a list.
type cutLine struct {
	kitchen.CutRow
	Cutter string
}

// Fish is the address of a small picture of a lot.
func (benchView) Fish(p page, r kitchen.Row) string {
	return boardRow{Subject: drawing.Subject{Figure: r.Species.Figure, Form: r.Form}}.Fish(p.Version)
}

// benchShown is how much of what can be cut is in sight at first.
const benchShown = 24

// cutsShown is how far back the bench lists what was cut.
const cutsShown = 36 * time.Hour

// bench shows what can be cut, what was, and what is due on the fish itself in the next day.
func (s *Server) bench(c *gin.Context) {
	p := s.page(c, "Bench", "bench", nil)
	ctx := c.Request.Context()
	due, err := s.kitchen.DueBy(ctx, p.Now.Add(24*time.Hour))
	if err != nil {
		s.fail(c, err)
		return
	}
	due = slices.DeleteFunc(due, func(d kitchen.Due) bool { return d.LotID == uuid.Nil })
	v := benchView{dueView: newDueView(p, due)}
	if v.OnBench, err = s.kitchen.OnBench(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if v.More = len(v.ToCut) - benchShown; v.More > 0 && c.Query("all") == "" {
		v.Shown = v.ToCut[:benchShown]
	} else {
		v.Shown, v.More = v.ToCut, 0
	}
	if v.Bench, err = s.kitchen.Bench(ctx); err != nil {
		s.fail(c, err)
		return
	}
	cuts, err := s.kitchen.Cuts(ctx, p.Now.Add(-cutsShown))
	if err != nil {
		s.fail(c, err)
		return
	}
	names, err := s.kitchen.Names(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, cut := range cuts {
		v.Cuts = append(v.Cuts, cutLine{cut, names[cut.CutterID]})
	}
	p.Data = v
	s.show(c, http.StatusOK, "bench", p)
}

// cleanDown writes that the bench was cleaned down.
func (s *Server) cleanDown(c *gin.Context) {
	f := posted(c)
	id := f.UUID("new_id")
	s.post(c, f, func(ctx context.Context) (string, error) { return "/bench", s.kitchen.CleanDown(ctx, id) },
		func(form.Back) { s.bench(c) })
}
