package web

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
)

// setupView is the form of a new kitchen: the first of an installation, which
// makes its owner too, or another one of an owner.
type setupView struct {
	formInput
	First    bool
	Key      string // of the set-up link
	Profiles []safety.Profile
}

// setupStart is what the form begins with.
func setupStart() formInput {
	return formInput{Values: map[string][]string{"service": {"19:00"},
		"places": {"Dock, dock, 6\nWalk-in, walk_in, 1\nFish drawer, drawer, 0\nIce tote, tote, 0\nFreezer, freezer, -20"}}}
}

// setupForm opens a new installation, by the link that the terminal shows.
func (s *Server) setupForm(c *gin.Context) {
	key := c.Query("key")
	if err := s.kitchen.SetupOpen(c.Request.Context(), key); err != nil {
		s.fail(c, err)
		return
	}
	s.showSetup(c, http.StatusOK, setupView{formInput: setupStart(), First: true, Key: key})
}

func (s *Server) showSetup(c *gin.Context, status int, v setupView) {
	v.Profiles = safety.Profiles()
	if v.First {
		s.render(c, status, "setup", "layout", s.page(c, "Set up your kitchen", "", v))
		return
	}
	s.show(c, status, "setup", s.page(c, "Another kitchen", "", v))
}

// setup makes the first kitchen with its owner, and signs them in.
func (s *Server) setup(c *gin.Context) {
	f, ctx := newForm(c), c.Request.Context()
	key := f.text("key")
	if err := s.kitchen.SetupOpen(ctx, key); err != nil {
		s.fail(c, err)
		return
	}
	in := f.setup()
	owner := kitchen.NewPerson{Name: f.text("owner"), Role: string(access.Owner),
		UserName: strings.ToLower(f.text("user_name")), Password: c.PostForm("password")}
	for _, e := range owner.Check(in.Name) {
		if e.Field == "name" {
			e.Field = "owner"
		}
		f.bad = append(f.bad, e)
	}
	in.People = []kitchen.NewPerson{owner}
	site, err := s.makeKitchen(f, in, func(in kitchen.Setup) (kitchen.Site, error) {
		return s.kitchen.Install(ctx, key, in)
	})
	if errors.As(err, &f.bad) {
		values := c.Request.PostForm
		withoutSecrets(values)
		s.showSetup(c, http.StatusUnprocessableEntity,
			setupView{formInput: formInput{values, f.bad}, First: true, Key: key})
		return
	}
	var signedIn kitchen.SignedIn
	if err == nil {
		signedIn, err = s.kitchen.SignInWithPassword(ctx, owner.UserName, owner.Password, "", origin(c))
	}
	if err == nil {
		s.setCookie(c, knownCookie, signedIn.Known, int(kitchen.BrowserKept.Seconds()))
		err = s.startSession(c, signedIn.Secret)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/k/"+site.Slug+"/people")
}

func (s *Server) kitchenForm(c *gin.Context) {
	s.showSetup(c, http.StatusOK, setupView{formInput: setupStart()})
}

// openKitchen makes another kitchen of an owner.
func (s *Server) openKitchen(c *gin.Context) {
	f := newForm(c)
	site, err := s.makeKitchen(f, f.setup(), func(in kitchen.Setup) (kitchen.Site, error) {
		return s.kitchen.OpenKitchen(c.Request.Context(), in)
	})
	switch {
	case errors.As(err, &f.bad):
		s.showSetup(c, http.StatusUnprocessableEntity, setupView{formInput: formInput{c.Request.PostForm, f.bad}})
	case err != nil:
		s.fail(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/k/"+site.Slug+"/board")
	}
}

// makeKitchen makes it where the form could be read.
func (s *Server) makeKitchen(f *form, in kitchen.Setup, do func(kitchen.Setup) (kitchen.Site, error)) (kitchen.Site,
	error) {
	if err := append(f.bad, in.CheckKitchen()...).Err(); err != nil {
		return kitchen.Site{}, err
	}
	return do(in)
}

// setup reads a kitchen without its people.
func (f *form) setup() kitchen.Setup {
	in := kitchen.Setup{Name: f.text("name"), TimeZone: f.text("time_zone"), Profile: f.text("profile"),
		Service: strings.Fields(strings.ReplaceAll(f.text("service"), ",", " "))}
	switch f.text("readings") {
	case "hand":
		in.ByHand = true
	case "logger":
	default:
		f.bad.Add("readings", "choose how temperatures are read")
	}
	for line := range strings.Lines(f.text("places")) {
		parts := strings.Split(strings.TrimSpace(line), ",")
		place := kitchen.NewPlace{Name: strings.TrimSpace(parts[0])}
		var err error
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
	return in
}
