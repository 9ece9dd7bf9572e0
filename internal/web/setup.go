package web

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// home leads to the board of the first site, or to the set-up of one.
func (s *Server) home(c *gin.Context) {
	sites, err := s.kitchen.DB.Sites(c.Request.Context())
	switch {
	case err != nil:
		s.fail(c, err)
	case len(sites) == 0:
		c.Redirect(http.StatusSeeOther, "/setup")
	default:
		c.Redirect(http.StatusSeeOther, "/k/"+sites[0].Slug+"/board")
	}
}

type setupView struct {
	Errors   invalid.Errors
	Values   map[string]string
	Profiles []safety.Profile
}

func (v setupView) Val(field string) string { return v.Values[field] }
func (v setupView) Err(field string) string { return v.Errors.On(field) }

// setupForm opens a new installation: it is there only until it has a site.
func (s *Server) setupForm(c *gin.Context) {
	s.showSetup(c, http.StatusOK, setupView{Values: map[string]string{"profile": safety.DefaultProfile, "service": "19:00",
		"people": "", "places": "Dock, dock, 6\nWalk-in, walk_in, 1\nFish drawer, drawer, 0\nIce tote, tote, 0\nFreezer, freezer, -20"}})
}

func (s *Server) showSetup(c *gin.Context, status int, v setupView) {
	sites, err := s.kitchen.DB.Sites(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	if len(sites) > 0 {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	v.Profiles = safety.Profiles()
	s.render(c, status, "setup", "layout", s.page(c, "Set up your kitchen", "", v))
}

func (s *Server) setup(c *gin.Context) {
	f := newForm(c)
	v := setupView{Values: map[string]string{}}
	for _, field := range []string{"name", "time_zone", "profile", "people", "places", "service"} {
		v.Values[field] = f.c.PostForm(field)
	}
	sites, err := s.kitchen.DB.Sites(c.Request.Context())
	if err != nil || len(sites) > 0 {
		s.fail(c, errors.Join(err, kitchen.ErrNotFound))
		return
	}
	in := kitchen.Setup{Name: f.text("name"), TimeZone: f.text("time_zone"), Profile: f.text("profile"), Service: strings.Fields(strings.ReplaceAll(f.text("service"), ",", " "))}
	for line := range strings.Lines(f.text("people")) {
		name, role, _ := strings.Cut(strings.TrimSpace(line), ",")
		if role = strings.TrimSpace(role); role == "" {
			role = "crew"
		}
		in.People = append(in.People, kitchen.NewPerson{Name: strings.TrimSpace(name), Role: role})
	}
	for line := range strings.Lines(f.text("places")) {
		parts := strings.Split(strings.TrimSpace(line), ",")
		place := kitchen.NewPlace{Name: strings.TrimSpace(parts[0])}
		if len(parts) == 3 {
			place.Kind = strings.TrimSpace(parts[1])
			place.SetC, err = unit.ParseCelsius(parts[2], unit.CelsiusScale)
		}
		if len(parts) != 3 || err != nil {
			f.bad.Add("places", "%q: write name, kind, set temperature in °C", strings.TrimSpace(line))
			continue
		}
		in.Places = append(in.Places, place)
	}
	f.bad = append(f.bad, in.Check()...)
	site, err := store.Site{}, f.bad.Err()
	if err == nil {
		site, err = s.kitchen.AddSite(c.Request.Context(), in)
	}
	if errors.As(err, &v.Errors) {
		s.showSetup(c, http.StatusUnprocessableEntity, v)
		return
	} else if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/k/"+site.Slug+"/shift")
}
