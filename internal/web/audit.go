package web

import (
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/kitchen"
)

// auditView is the page of who signed in, what was refused and what was changed.
type auditView struct {
	Acts    []kitchen.Act
	Act     kitchen.Act
	Entries []access.Entry
	More    int64  // the number before which older ones are; 0 where there are none
	Checked string // what the check of the chain found
	Broken  bool
}

func (s *Server) audit(c *gin.Context) { s.showAudit(c, auditView{}) }

func (s *Server) showAudit(c *gin.Context, v auditView) {
	v.Acts, v.Act = kitchen.Acts, kitchen.Act(c.Query("act"))
	if !slices.Contains(v.Acts, v.Act) {
		v.Act = ""
	}
	before, _ := strconv.ParseInt(c.Query("before"), 10, 32)
	var err error
	if v.Entries, err = s.kitchen.Audit(c.Request.Context(), v.Act, before); err != nil {
		s.fail(c, err)
		return
	}
	if n := len(v.Entries); n > 0 && v.Entries[n-1].Seq > 1 {
		v.More = v.Entries[n-1].Seq
	}
	s.show(c, http.StatusOK, "audit", s.page(c, "Audit", "records", v))
}

func (s *Server) checkAudit(c *gin.Context) {
	n, err := s.kitchen.CheckAudit(c.Request.Context(), kitchen.ActorFrom(c.Request.Context()).Site.ID)
	v := auditView{Checked: "All " + strconv.FormatInt(n, 10) + " entries are whole, in order and unaltered."}
	if err != nil {
		v.Checked, v.Broken = err.Error(), true
	}
	s.showAudit(c, v)
}
