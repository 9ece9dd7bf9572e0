package web

import (
	"errors"
	"fmt"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// setupView is the form of a new kitchen: the first of an installation, which
// makes its owner too, or another one of an owner.
type setupView struct {
	form.Back
	First    bool
	Key      string // of the set-up link
	Profiles []safety.Profile
}

// Readings are how temperatures may be read.
func (setupView) Readings() []form.Option {
	return []form.Option{{ID: "hand", Name: "by hand, in some places at least"},
		{ID: "logger", Name: "by a logger in every place that holds fish"}}
}

// ProfileChoices are the sets of rules.
func (v setupView) ProfileChoices() []form.Option {
	var list []form.Option
	for _, p := range v.Profiles {
		name := fmt.Sprintf("%s: receive chilled ≤ %g °C", p.Name, p.ReceiveMaxC)
		if p.NeedsLoggers() {
			name += ", only where every place logs"
		}
		list = append(list, form.Option{ID: p.ID, Name: name})
	}
	return list
}

// Action is where the form is sent.
func (v setupView) Action(base string) string {
	if v.First {
		return "/setup"
	}
	return base + "/kitchens/new"
}

// setupStart is what the form begins with.
func setupStart() form.Back {
	return form.Back{Values: map[string][]string{"service": {"19:00"}, "checks": {"07:00 22:30"},
		"places": {"Dock, dock, 6\nWalk-in, walk_in, 1\nFish drawer, drawer, 0\nIce tote, tote, 0\nFreezer, freezer, -20"}}}
}

// setupForm opens a new installation, by the link that the terminal shows.
func (s *Server) setupForm(c *gin.Context) {
	key := c.Query("key")
	if err := s.kitchen.SetupOpen(c.Request.Context(), key); err != nil {
		s.fail(c, err)
		return
	}
	s.showSetup(c, setupView{Back: setupStart(), First: true, Key: key})
}

func (s *Server) showSetup(c *gin.Context, v setupView) {
	v.Profiles = safety.Profiles()
	if v.First {
		s.render(c, v.Status(), "setup", "layout", s.page(c, "Set up your kitchen", "", v))
		return
	}
	s.show(c, v.Status(), "setup", s.page(c, "Another kitchen", "", v))
}

// setup makes the first kitchen with its owner, and signs them in.
func (s *Server) setup(c *gin.Context) {
	f, ctx := posted(c), c.Request.Context()
	key := f.Text("key")
	if err := s.kitchen.SetupOpen(ctx, key); err != nil {
		s.fail(c, err)
		return
	}
	in := f.setup()
	owner := kitchen.NewPerson{Name: f.Text("owner"), Role: string(access.Owner),
		UserName: strings.ToLower(f.Text("user_name")), Password: c.PostForm("password")}
	for _, e := range owner.Check(in.Name) {
		if e.Field == "name" {
			e.Field = "owner"
		}
		f.Bad = append(f.Bad, e)
	}
	in.People = []kitchen.NewPerson{owner}
	f.Bad = append(f.Bad, in.CheckKitchen()...)
	site, err := kitchen.Site{}, f.Err()
	if err == nil {
		site, err = s.kitchen.Install(ctx, key, in)
	}
	if errors.As(err, &f.Bad) {
		withoutSecrets(f.Values)
		s.showSetup(c, setupView{Back: form.Back{Values: f.Values, Errors: f.Bad, Sent: true}, First: true, Key: key})
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
	s.leadOn(c, "/k/"+site.Slug+"/people")
}

func (s *Server) kitchenForm(c *gin.Context) {
	s.showSetup(c, setupView{Back: setupStart()})
}

// openKitchen makes another kitchen of an owner.
func (s *Server) openKitchen(c *gin.Context) {
	f := posted(c)
	in := f.setup()
	f.Bad = append(f.Bad, in.CheckKitchen()...)
	site, err := kitchen.Site{}, f.Err()
	if err == nil {
		site, err = s.kitchen.OpenKitchen(c.Request.Context(), in)
	}
	switch {
	case errors.As(err, &f.Bad):
		s.showSetup(c, setupView{Back: form.Back{Values: f.Values, Errors: f.Bad, Sent: true}})
	case err != nil:
		s.fail(c, err)
	default:
		s.leadOn(c, "/k/"+site.Slug+"/board")
	}
}

// setup reads a kitchen without its people.
func (f *input) setup() kitchen.Setup {
	in := kitchen.Setup{Name: f.Text("name"), TimeZone: f.Text("time_zone"), Profile: f.Text("profile"),
		Service: f.hours("service"), Checks: f.hours("checks")}
	switch f.Text("readings") {
	case "hand":
		in.ByHand = true
	case "logger":
	default:
		f.Bad.Add("readings", "choose how temperatures are read")
	}
	for line := range strings.Lines(f.Text("places")) {
		parts := strings.Split(strings.TrimSpace(line), ",")
		place := kitchen.NewPlace{Name: strings.TrimSpace(parts[0])}
		var err error
		if len(parts) == 3 {
			place.Kind = strings.TrimSpace(parts[1])
			place.SetC, err = unit.ParseCelsius(parts[2], unit.CelsiusScale)
		}
		if len(parts) != 3 || err != nil {
			f.Bad.Add("places", "%q: write name, kind, set temperature in °C", strings.TrimSpace(line))
			continue
		}
		in.Places = append(in.Places, place)
	}
	return in
}
