package web

import (
	"context"
	"fmt"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/remark"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// remarksView is what guests said, with what most likely caused the one that is being written down.
type remarksView struct {
	form.Back
	Lots   []form.Option
	LotID  string          // that the page was opened for; "" for none
	Traced *kitchen.Traced // nil while it is not said what of
	List   []kitchen.Remark
	Counts []remarkCounts
}

// remarkCounts are remarks counted by one thing.
type remarkCounts struct {
	By   string
	Rows []kitchen.RemarkCount
}

// Words are those that a guest may have said.
func (remarksView) Words() []form.Option { return named(remark.Words, remark.Word.Name) }

// Source says what the causes rest on.
func (remarksView) Source() string { return remark.Sources.String() }

// causesShown is how many causes are shown at once.
const causesShown = 5

// Likely are the first causes, and Rest how many there are beyond them.
func (v remarksView) Likely() []remark.Cause {
	return v.Traced.Causes[:min(causesShown, len(v.Traced.Causes))]
}

func (s *Server) remarks(c *gin.Context) {
	s.showRemarks(c, remarksView{LotID: c.Query("lot")})
}

func (s *Server) showRemarks(c *gin.Context, v remarksView) {
	p, ctx := s.page(c, "What guests said", "records", nil), c.Request.Context()
	lots, err := s.kitchen.LotsServed(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	there := false
	for _, x := range lots {
		there = there || x.LotID.String() == v.LotID
		v.Lots = append(v.Lots, form.Option{ID: x.LotID.String(), Name: fmt.Sprintf("%s %s, %s, %s", x.Species.Name, x.Code,
			lot.FormName(x.Form), p.When(x.Last))})
	}
	if id, err := uuid.Parse(v.LotID); err == nil && !there {
		card, err := s.kitchen.Card(ctx, id)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Lots = append(v.Lots, form.Option{ID: v.LotID, Name: card.State.Species().Name + " " + card.State.Received.Code})
	}
	if v.List, err = s.kitchen.Remarks(ctx); err != nil {
		s.fail(c, err)
		return
	}
	for _, x := range []struct {
		by string
		of func(kitchen.Remark) string
	}{
		{"Supplier", func(r kitchen.Remark) string { return r.Supplier }},
		{"Where it went wrong", func(r kitchen.Remark) string { return string(r.Cause.Step) }},
		{"Cutter", func(r kitchen.Remark) string { return r.Cutter }},
	} {
		if rows := kitchen.CountRemarks(v.List, x.of); len(rows) > 0 {
			v.Counts = append(v.Counts, remarkCounts{x.by, rows})
		}
	}
	p.Data = v
	s.show(c, v.Status(), "remarks", p)
}

// addRemark writes one down; as it is typed it shows what most likely caused it.
func (s *Server) addRemark(c *gin.Context) {
	f := posted(c)
	in := kitchen.NewRemark{ID: f.UUID("new_id"), Word: remark.Word(f.Text("word")), ServedAt: f.AtOr("served_at", s.kitchen.Now()),
		Raw: f.Has("raw"), Note: f.Text("note")}
	if id, err := uuid.Parse(f.Text("lot_id")); err == nil {
		in.LotID = id
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/records/said", s.kitchen.AddRemark(ctx, in)
	}, func(back form.Back) {
		v := remarksView{Back: back, LotID: f.Text("lot_id")}
		if in.LotID != uuid.Nil && in.Word != "" && len(f.Bad) == 0 && !in.ServedAt.After(s.kitchen.Now().Add(time.Minute)) {
			traced, err := s.kitchen.TraceRemark(c.Request.Context(), in.LotID, in.Word, in.ServedAt, in.Raw)
			if err != nil {
				s.fail(c, err)
				return
			}
			v.Traced = &traced
		}
		s.showRemarks(c, v)
	})
}

// cancelRemark strikes one through.
func (s *Server) cancelRemark(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	s.post(c, posted(c), func(ctx context.Context) (string, error) {
		return "/records/said", s.kitchen.CancelRemark(ctx, id)
	}, func(back form.Back) { s.showRemarks(c, remarksView{Back: back}) })
}
