package web

import (
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
	form.Back
	From, To time.Time // days; both count whole
	Missing  []kitchen.Missing
	Tables   []interchange.Table
}

// The span that the pack has where nobody says, and the longest, in days.
const (
	packDays    = 30
	longestPack = 366
)

func (s *Server) inspector(c *gin.Context) {
	p, ctx := s.page(c, "Inspector", "records", nil), c.Request.Context()
	v := inspectorView{Back: unsent(c), To: localDay(p.Now, p.Zone)}
	v.From = v.To.AddDate(0, 0, -packDays)
	var bad invalid.Errors
	for field, day := range map[string]*time.Time{"from": &v.From, "to": &v.To} {
		if text := v.Val(field); text != "" {
			at, err := time.ParseInLocation(time.DateOnly, text, p.Zone)
			if err != nil {
				bad.Add(field, "give a day")
				continue
			}
			*day = at
		}
	}
	switch days := v.To.Sub(v.From).Hours() / 24; {
	case len(bad) > 0:
	case days < 0:
		bad.Add("to", "lies before the first day")
	case days > longestPack:
		bad.Add("to", "at most a year after the first day")
	}
	if v.Mark(bad); len(bad) > 0 {
		p.Data = v
		s.show(c, http.StatusUnprocessableEntity, "inspector", p)
		return
	}
	span := coldchain.Span{From: v.From, To: v.To.AddDate(0, 0, 1)}
	var err error
	if v.Missing, err = s.kitchen.Missing(ctx, span); err != nil {
		s.fail(c, err)
		return
	}
	v.Tables = interchange.Tables(ctx, s.kitchen, span)
	p.Data = v
	s.show(c, http.StatusOK, "inspector", p)
}

// localDay is the beginning of the day of a moment, on the kitchen's clock.
func localDay(at time.Time, zone *time.Location) time.Time {
	at = at.In(zone)
	return time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, zone)
}

// Export is the address of a table, or of the workbook of all.
func (v inspectorView) Export(p page, file string) string {
	return fmt.Sprintf("%s/records/export/%s?from=%s&to=%s", p.Base, file, v.From.Format(time.DateOnly), v.To.Format(time.DateOnly))
}

// Day is one, for its field.
func (inspectorView) Day(at time.Time) string { return at.Format(time.DateOnly) }
