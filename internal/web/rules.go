package web

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/safety"
	"leancatch/internal/kitchen"
)

// rulesView is the page of the sets of rules.
type rulesView struct {
	Profiles []safety.Profile
	Plans    []safety.Plan
	Clock    refs.Cited // where the histamine rules come from
	Manager  bool
	Errors   invalid.Errors
}

func (s *Server) rules(c *gin.Context) { s.showRules(c, http.StatusOK, nil) }

func (s *Server) showRules(c *gin.Context, status int, bad invalid.Errors) {
	v := rulesView{safety.Profiles(), safety.Plans, safety.HistamineRules,
		kitchen.ActorFrom(c.Request.Context()).IsManager(), bad}
	s.show(c, status, "rules", s.page(c, "Rules", "records", v))
}

// setProfile puts another profile in force.
func (s *Server) setProfile(c *gin.Context) {
	err := s.kitchen.SetProfile(c.Request.Context(), newForm(c).text("profile"))
	var bad invalid.Errors
	switch {
	case errors.As(err, &bad):
		s.showRules(c, http.StatusUnprocessableEntity, bad)
	case err != nil:
		s.fail(c, err)
	default:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/rules")
	}
}
