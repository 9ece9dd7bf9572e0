package web

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// shiftView is the page of who is on shift: their own settings and secrets.
type shiftView struct {
	form.Back
	Sessions  []kitchen.SessionEntry
	Sites     []kitchen.Site
	DemoSites []kitchen.Person // the people of the demo, to stand in for
}

// TempScales, MassScales and Themes are how a person may read.
func (shiftView) TempScales() []form.Option {
	return []form.Option{{ID: "C", Name: "°C"}, {ID: "F", Name: "°F"}}
}
func (shiftView) MassScales() []form.Option {
	return []form.Option{{ID: "kg", Name: "kg"}, {ID: "lb", Name: "lb"}}
}
func (shiftView) Themes() []form.Option {
	return []form.Option{{ID: "light", Name: "Light"}, {ID: "dark", Name: "Dark, for the walk-in"}}
}

func (s *Server) shift(c *gin.Context) { s.showShift(c, shiftView{}) }

func (s *Server) showShift(c *gin.Context, v shiftView) {
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
	s.show(c, v.Status(), "shift", s.page(c, "On shift", "", v))
}

// setScales keeps the person's units, and the theme of this browser.
func (s *Server) setScales(c *gin.Context) {
	f := posted(c)
	f.form = "scales"
	s.postShift(c, f, "", func(ctx context.Context) error {
		err := s.kitchen.SetScales(ctx, unit.TempScale(f.Text("temp_scale")), unit.MassScale(f.Text("mass_scale")), f.Text("senses"))
		if err == nil {
			s.setTheme(c, f.Text("theme"))
		}
		return err
	})
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
	f := posted(c)
	f.form = "pin"
	s.postShift(c, f, "old_pin", func(ctx context.Context) error {
		return s.kitchen.ChangePIN(ctx, f.Values.Get("old_pin"), f.Text("pin"))
	})
}

func (s *Server) ownPassword(c *gin.Context) {
	f := posted(c)
	f.form = "password"
	s.postShift(c, f, "old_password", func(ctx context.Context) error {
		return s.kitchen.ChangePassword(ctx, f.Values.Get("old_password"), f.Values.Get("password"))
	})
}

// postShift ends a form of the page; secret is the field of the secret that it asks for.
func (s *Server) postShift(c *gin.Context, f *input, secret string, do func(context.Context) error) {
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/shift", s.besideField(c, do(ctx), secret)
	}, func(back form.Back) {
		withoutSecrets(back.Values)
		s.showShift(c, shiftView{Back: back})
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
	s.post(c, posted(c), func(ctx context.Context) (string, error) {
		err := s.kitchen.RevokeSession(ctx, id)
		if err == nil {
			s.hub.hangUp(id)
		}
		return to, err
	}, func(form.Back) { s.shift(c) })
}
