package web

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
)

// shiftView is the page of who is on shift: their own settings and secrets.
type shiftView struct {
	namedFormInput
	Sessions  []kitchen.SessionEntry
	Sites     []kitchen.Site
	DemoSites []kitchen.Person // the people of the demo, to stand in for
}

func (s *Server) shift(c *gin.Context) { s.showShift(c, http.StatusOK, shiftView{}) }

func (s *Server) showShift(c *gin.Context, status int, v shiftView) {
	ctx := c.Request.Context()
	var err error
	if v.Sessions, err = s.kitchen.OwnSessions(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if v.Sites, err = s.openSites(c); err != nil {
		s.fail(c, err)
		return
	}
	if s.opts.Demo && onThisMachine(c) && !kitchen.ActorFrom(ctx).SignIn.OnDevice {
		if v.DemoSites, err = s.kitchen.DemoPeople(ctx, kitchen.ActorFrom(ctx).Site.ID); err != nil {
			s.fail(c, err)
			return
		}
	}
	s.show(c, status, "shift", s.page(c, "On shift", "", v))
}

// setScales keeps the person's units, and the theme of this browser.
func (s *Server) setScales(c *gin.Context) {
	f := newForm(c)
	err := s.kitchen.SetScales(c.Request.Context(), unit.TempScale(f.text("temp_scale")),
		unit.MassScale(f.text("mass_scale")), f.text("senses"))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.setTheme(c, f.text("theme"))
	c.Redirect(http.StatusSeeOther, "/k/"+f.actor.Site.Slug+"/shift")
}

func (s *Server) setTheme(c *gin.Context, theme string) {
	if theme != "dark" {
		theme = "light"
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: "theme", Value: theme, Path: "/", MaxAge: 365 * 24 * 3600,
		HttpOnly: true, Secure: s.opts.TLS, SameSite: http.SameSiteLaxMode})
}

// ownPIN and ownPassword change the person's own, by the one before.
func (s *Server) ownPIN(c *gin.Context) {
	f := newForm(c)
	s.answerShift(c, "pin", s.kitchen.ChangePIN(c.Request.Context(), c.PostForm("old_pin"), f.text("pin")))
}

func (s *Server) ownPassword(c *gin.Context) {
	s.answerShift(c, "password", s.kitchen.ChangePassword(c.Request.Context(), c.PostForm("old_password"),
		c.PostForm("password")))
}

func (s *Server) answerShift(c *gin.Context, form string, err error) {
	s.answer(c, s.besideField(c, err, "old_"+form), "/shift", func(t formInput) {
		withoutSecrets(t.Values)
		s.showShift(c, http.StatusUnprocessableEntity, shiftView{namedFormInput: namedFormInput{t, form}})
	})
}

// endSession ends one of the sessions that the person sees.
func (s *Server) endSession(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	to := "/shift"
	if c.PostForm("from") == "people" {
		to = "/people"
	}
	err := s.kitchen.RevokeSession(c.Request.Context(), id)
	if err == nil {
		s.hub.hangUp(id)
	}
	s.answer(c, err, to, func(formInput) { s.shift(c) })
}
