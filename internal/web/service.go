package web

import (
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/kitchen"
)

// serviceView is what may be served at an hour, and what thaws for it.
type serviceView struct {
	At     time.Time
	Hours  []serviceHour
	Groups []serviceGroup
	Thaws  []thawPlan
}

// serviceHour is a service that is to come.
type serviceHour struct {
	At    time.Time
	Clock string
	Now   bool // the one that is shown
}

// serviceGroup are the lots that are fit for the same.
type serviceGroup struct {
	Name, Glyph string
	Lots        []kitchen.FitLot
}

// Kg is what they weigh together.
func (g serviceGroup) Kg() float64 {
	var kg float64
	for _, l := range g.Lots {
		kg += l.WeightKg
	}
	return kg
}

// Why is what stands against serving a lot raw; for one that may be, what it is held to.
func (g serviceGroup) Why(l kitchen.FitLot) []string {
	if g.Glyph == "hold" {
		return l.Cook.Reasons
	}
	return l.Raw.Reasons
}

// services are the next services of the kitchen, the soonest first: two days of them.
func (p page) services() []time.Time {
	var list []time.Time
	local := p.Now.In(p.Zone)
	for day := range 2 {
		for _, clock := range p.Actor.Site.ServiceHours {
			t, err := time.Parse("15:04", clock)
			if err != nil {
				continue
			}
			at := time.Date(local.Year(), local.Month(), local.Day()+day, t.Hour(), t.Minute(), 0, 0, p.Zone)
			if at.After(p.Now) {
				list = append(list, at)
			}
		}
	}
	slices.SortFunc(list, time.Time.Compare)
	return list
}

// service says what may be served raw, and what cooked, at the next service or another.
func (s *Server) service(c *gin.Context) {
	p := s.page(c, "Service", "service", nil)
	hours := p.services()
	if len(hours) == 0 {
		hours = []time.Time{p.Now.Add(time.Hour).Truncate(time.Hour)}
	}
	v := serviceView{At: hours[0]}
	for _, at := range hours {
		if p.Local(at) == c.Query("at") {
			v.At = at
		}
	}
	for _, at := range hours {
		v.Hours = append(v.Hours, serviceHour{at, p.When(at), at.Equal(v.At)})
	}
	fit, err := s.kitchen.FitAt(c.Request.Context(), v.At)
	if err != nil {
		s.fail(c, err)
		return
	}
	groups := []serviceGroup{{Name: "Raw", Glyph: "ok"}, {Name: "Cook", Glyph: "warn"}, {Name: "Not to be served", Glyph: "hold"}}
	for _, l := range fit {
		at := 2
		switch {
		case l.Raw.OK:
			at = 0
		case l.Cook.OK:
			at = 1
		case l.Frozen: // it is not thawed yet
			continue
		}
		groups[at].Lots = append(groups[at].Lots, l)
	}
	v.Groups = groups
	thaws, err := s.kitchen.Thaws(c.Request.Context(), p.Now)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, t := range thaws {
		if t.ServeAt.Sub(v.At).Abs() < time.Hour {
			v.Thaws = append(v.Thaws, newThaw(p, t))
		}
	}
	p.Data = v
	s.show(c, 200, "service", p)
}
