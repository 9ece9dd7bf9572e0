package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// actor finds the site of the address and who is on shift there, and puts both
// into the request's context. Until there is sign-in, people choose themselves
// from a list; the choice is a cookie.
func (s *Server) actor(c *gin.Context) {
	ctx := c.Request.Context()
	site, err := s.kitchen.DB.SiteBySlug(ctx, c.Param("site"))
	if err != nil {
		s.fail(c, err)
		c.Abort()
		return
	}
	a := kitchen.Actor{Site: site}
	people, err := s.kitchen.DB.People(ctx, site.ID)
	if err != nil {
		s.fail(c, err)
		c.Abort()
		return
	}
	chosen, _ := c.Cookie(shiftCookie(site))
	for _, p := range people {
		if strconv.FormatInt(p.ID, 10) == chosen || chosen == "" && s.opts.SignedIn && a.Person.ID == 0 && p.Role == "manager" {
			a.Person = p
		}
	}
	c.Request = c.Request.WithContext(kitchen.WithActor(ctx, a))
	if a.Person.ID == 0 && !strings.HasSuffix(c.FullPath(), "/shift") {
		if c.Request.Method == http.MethodGet && !isPart(c) {
			c.Redirect(http.StatusSeeOther, "/k/"+site.Slug+"/shift")
		} else {
			s.fail(c, kitchen.ErrNoActor)
		}
		c.Abort()
		return
	}
	c.Next()
}

func shiftCookie(site store.Site) string { return fmt.Sprintf("shift-%d", site.ID) }

type shiftView struct {
	People []store.Person
	Sites  []store.Site
	Errors invalid.Errors
}

func (s *Server) shift(c *gin.Context) {
	people, err := s.kitchen.DB.People(c.Request.Context(), kitchen.ActorFrom(c.Request.Context()).Site.ID)
	if err != nil {
		s.fail(c, err)
		return
	}
	sites, err := s.kitchen.DB.Sites(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, http.StatusOK, "shift", s.page(c, "On shift", "", shiftView{People: people, Sites: sites}))
}

func (s *Server) takeShift(c *gin.Context) {
	a := kitchen.ActorFrom(c.Request.Context())
	f := newForm(c)
	if _, err := s.kitchen.DB.Person(c.Request.Context(), store.PersonParams{SiteID: a.Site.ID, ID: f.id("person")}); err != nil {
		s.fail(c, err)
		return
	}
	c.SetSameSite(http.SameSiteLaxMode)
	c.SetCookie(shiftCookie(a.Site), f.text("person"), int((12 * time.Hour).Seconds()), "/", "", false, true)
	c.Redirect(http.StatusSeeOther, "/k/"+a.Site.Slug+"/board")
}

// setScales keeps the person's units, and the theme of this browser.
func (s *Server) setScales(c *gin.Context) {
	f := newForm(c)
	if f.actor.Person.ID == 0 {
		s.fail(c, kitchen.ErrNoActor)
		return
	}
	err := s.kitchen.SetScales(c.Request.Context(), unit.TempScale(f.text("temp_scale")), unit.MassScale(f.text("mass_scale")), f.text("senses"))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.SetSameSite(http.SameSiteLaxMode)
	c.SetCookie("theme", f.text("theme"), 365*24*3600, "/", "", false, true)
	c.Redirect(http.StatusSeeOther, "/k/"+f.actor.Site.Slug+"/shift")
}
