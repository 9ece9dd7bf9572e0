package web

import (
	"cmp"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/kitchen"
)

// freshDaysView is where the fresh days of what left in some days went.
type freshDaysView struct {
	spanAsked
	ByMoney bool
	kitchen.FreshDays
}

// freshRow is a row of it: shares of the longest, in percent.
type freshRow struct {
	kitchen.FreshCause
	InIce, Warm float64
}

// Rows are the causes, the most warmth first, by kilograms or by money.
func (v freshDaysView) Rows() []freshRow {
	list := slices.Clone(v.Where)
	slices.SortStableFunc(list, func(a, b kitchen.FreshCause) int { return cmp.Compare(v.Of(b.Warmth()), v.Of(a.Warmth())) })
	longest := 1e-9
	for _, c := range list {
		longest = max(longest, v.Of(c.Spent), v.Of(c.InIce))
	}
	rows := make([]freshRow, len(list))
	for i, c := range list {
		rows[i] = freshRow{c, 100 * max(0, min(v.Of(c.InIce), v.Of(c.Spent))) / longest, 100 * max(0, v.Of(c.Warmth())) / longest}
	}
	return rows
}

// Of is a sum as it is weighed on the page.
func (v freshDaysView) Of(s kitchen.FreshSum) float64 {
	if v.ByMoney {
		return s.Cents
	}
	return s.KgDays
}

// Amount is a sum in words.
func (v freshDaysView) Amount(p page, s kitchen.FreshSum) string {
	if v.ByMoney {
		return p.Actor.Site.Money(int64(s.Cents))
	}
	return strings.NewReplacer(".00 ", " ", ".0 ", " ").Replace(p.Mass(math.Round(s.KgDays))) + "·days"
}

// Said are the shares that stand above the table: before it came, at the door, and in the worst warm spell; those that round to nothing
// are left out.
func (v freshDaysView) Said() (said []string) {
	say := func(share float64, where string) {
		if percent := math.Round(100 * share); percent >= 1 {
			said = append(said, fmt.Sprintf("%.0f %% %s", percent, where))
		}
	}
	say(v.Share(func(c kitchen.FreshCause) bool { return !c.Arrived }), "before it came")
	say(v.Share(func(c kitchen.FreshCause) bool { return c.Door }), "at the door")
	if i := slices.IndexFunc(v.Where, func(c kitchen.FreshCause) bool { return c.Spell }); i >= 0 {
		worst := v.Where[i].Where
		say(v.Share(func(c kitchen.FreshCause) bool { return c.Where == worst }), worst)
	}
	return said
}

func (s *Server) freshDays(c *gin.Context) {
	p := s.page(c, "Fresh days", "records", nil)
	v := freshDaysView{ByMoney: c.Query("by") == "money"}
	var ok bool
	if v.spanAsked, ok = s.daysAsked(c, p); !ok {
		p.Data = v
		s.show(c, http.StatusUnprocessableEntity, "freshdays", p)
		return
	}
	var err error
	if v.FreshDays, err = s.kitchen.FreshDays(c.Request.Context(), v.Span); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, http.StatusOK, "freshdays", p)
}
