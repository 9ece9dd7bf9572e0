package web

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/rigor"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/thawing"
	"leancatch/internal/kitchen"
)

type sourcesView struct {
	Groups []refs.Group
	Works  []refs.Work
}

// sources shows rule by rule where each number comes from.
func (s *Server) sources(c *gin.Context) {
	groups := append(safety.Rules(), coldchain.Rules(), freshness.Rules(), rigor.Rules(), icing.Rules(), freezing.Rules(),
		frozen.Rules(), thawing.Rules(), ageing.Rules(), heat.Rules(), assess.Rules(), probe.Rules(), kitchen.ActorFrom(c.Request.Context()).Site.Catalogue().Rules())
	s.show(c, http.StatusOK, "sources", s.page(c, "Sources", "records", sourcesView{groups, refs.Works()}))
}
