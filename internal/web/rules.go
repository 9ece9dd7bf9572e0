package web

import (
	"context"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/refs"
	"leancatch/internal/core/safety"
	"leancatch/internal/web/form"
)

// rulesView is the page of the sets of rules.
type rulesView struct {
	Profiles []safety.Profile
	Plans    []safety.Plan
	Clock    refs.Cited // where the histamine rules come from
	form.Back
}

func (s *Server) rules(c *gin.Context) { s.showRules(c, form.Back{}) }

func (s *Server) showRules(c *gin.Context, back form.Back) {
	v := rulesView{safety.Profiles(), safety.Plans, safety.HistamineRules, back}
	s.show(c, v.Status(), "rules", s.page(c, "Rules", "records", v))
}

// setProfile puts another profile in force.
func (s *Server) setProfile(c *gin.Context) {
	f := posted(c)
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/rules", s.kitchen.SetProfile(ctx, f.Text("profile"))
	}, func(back form.Back) { s.showRules(c, back) })
}
