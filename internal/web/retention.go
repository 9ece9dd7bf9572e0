package web

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"leancatch/internal/kitchen"
)

// retentionView is what may go of the records, by the rules in force, and what stays.
type retentionView struct{ List []kitchen.Retained }

func (s *Server) retention(c *gin.Context) {
	p := s.page(c, "What stays, what may go", "records", nil)
	list, err := s.kitchen.Retention(c.Request.Context(), p.Actor.Site)
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = retentionView{list}
	s.show(c, http.StatusOK, "retention", p)
}
