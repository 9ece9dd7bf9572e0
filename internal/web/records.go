package web

import (
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/kitchen"
)

type recordsView struct {
	Query  string
	OnHand bool
	kitchen.LotPage
	Checked string // what the chain check found
	Broken  bool
}

// recordsPage is how many lots a page of the records lists.
const recordsPage = 200

// NextPage is the address of the page after it; "" on the last.
func (v recordsView) NextPage() string {
	if v.Next == nil {
		return ""
	}
	q := url.Values{"q": {v.Query}, "after": {v.Next.Code}, "after_at": {v.Next.ReceivedAt.Format(time.RFC3339Nano)}}
	if v.OnHand {
		q.Set("on_hand", "1")
	}
	return "?" + q.Encode()
}

func (s *Server) records(c *gin.Context) { s.showRecords(c, recordsView{}) }

func (s *Server) showRecords(c *gin.Context, v recordsView) {
	v.Query, v.OnHand = strings.TrimSpace(c.Query("q")), c.Query("on_hand") != ""
	q := kitchen.LotQuery{Text: v.Query, OnHand: v.OnHand, Limit: recordsPage}
	var err error
	if q.After.Code = c.Query("after"); q.After.Code != "" {
		if q.After.ReceivedAt, err = time.Parse(time.RFC3339Nano, c.Query("after_at")); err != nil {
			s.fail(c, kitchen.ErrNotFound)
			return
		}
	}
	if v.LotPage, err = s.kitchen.FindLots(c.Request.Context(), q); err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, http.StatusOK, "records", s.page(c, "Records", "records", v))
}

// find answers the find box: a lot's code leads straight to its card.
func (s *Server) find(c *gin.Context) {
	q := strings.TrimSpace(c.Query("q"))
	rows, err := s.kitchen.Find(c.Request.Context(), q, false)
	if err != nil {
		s.fail(c, err)
		return
	}
	if isPart(c) {
		if q == "" {
			rows = nil
		}
		s.render(c, http.StatusOK, "records", "found", s.page(c, "", "", rows[:min(len(rows), 8)]))
		return
	}
	base := "/k/" + kitchen.ActorFrom(c.Request.Context()).Site.Slug
	if len(rows) == 1 || len(rows) > 0 && strings.EqualFold(rows[0].Code, q) {
		c.Redirect(http.StatusSeeOther, base+"/lots/"+rows[0].LotID.String())
		return
	}
	s.records(c)
}

func (s *Server) checkChains(c *gin.Context) {
	n, err := s.kitchen.CheckChains(c.Request.Context(), kitchen.ActorFrom(c.Request.Context()).Site)
	v := recordsView{Checked: "All events of " + plural(n, "lot") + " are whole, in order and unaltered."}
	if err != nil {
		v.Checked, v.Broken = err.Error(), true
	}
	s.showRecords(c, v)
}
