package web

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// inspectorView is what an inspector asks for, by dates: what is missing first, then all that there is.
type inspectorView struct {
	spanAsked
	Missing []kitchen.Missing
	Tables  []interchange.Table
}

// spanAsked is the days that a page was asked for.
type spanAsked struct {
	form.Back
	coldchain.Span
}

// First and Last are the days, for their fields.
func (d spanAsked) First() string { return d.From.Format(time.DateOnly) }
func (d spanAsked) Last() string  { return d.To.AddDate(0, 0, -1).Format(time.DateOnly) }

// longestDays is how many days a page is asked for at most.
const longestDays = 366

// daysAsked reads the days that a page is asked for; false where they are wrong, as the page says then.
func (s *Server) daysAsked(c *gin.Context, p page) (spanAsked, bool) {
	d := spanAsked{Back: unsent(c)}
	var err error
	if d.Span, err = kitchen.DaysAsked(p.Actor, p.Now, d.Val("from"), d.Val("to"), longestDays); err == nil {
		return d, true
	}
	var bad invalid.Errors
	errors.As(err, &bad)
	d.Mark(bad)
	return d, false
}

func (s *Server) inspector(c *gin.Context) {
	p, ctx := s.page(c, "Inspector", "records", nil), c.Request.Context()
	var v inspectorView
	var ok bool
	if v.spanAsked, ok = s.daysAsked(c, p); !ok {
		p.Data = v
		s.show(c, http.StatusUnprocessableEntity, "inspector", p)
		return
	}
	var err error
	if v.Missing, err = s.kitchen.Missing(ctx, v.Span); err != nil {
		s.fail(c, err)
		return
	}
	v.Tables = interchange.Tables(ctx, s.kitchen, v.Span)
	p.Data = v
	s.show(c, http.StatusOK, "inspector", p)
}

// Export is the address of a table, or of all of them.
func (v inspectorView) Export(p page, file string) string {
	return fmt.Sprintf("%s/records/export/%s?from=%s&to=%s", p.Base, file, v.First(), v.Last())
}
