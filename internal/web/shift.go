package web

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
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
	err := s.kitchen.SetScales(c.Request.Context(), unit.TempScale(f.text("temp_scale")), unit.MassScale(f.text("mass_scale")))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.SetSameSite(http.SameSiteLaxMode)
	c.SetCookie("theme", f.text("theme"), 365*24*3600, "/", "", false, true)
	c.Redirect(http.StatusSeeOther, "/k/"+f.actor.Site.Slug+"/shift")
}

// strip is the shift strip: the day from 00 to 24 with what is due on it.
type strip struct {
	Needle float64 // share of the day that is over, in thousandths
	Pins   []pin
	Late   int
}

// pin is one or more things due at about the same time.
type pin struct {
	X     float64
	Count int
	Late  bool
	Label string
	Href  string
}

// pinWidth is the width of a pin on the strip, in thousandths: what lies closer is one pin.
const pinWidth = 34.0

// strip renders the shift strip, or takes the one that was made for the same
// version and minute.
func (s *Server) strip(c *gin.Context, p page) (template.HTML, error) {
	return cached(s, c, p, "strip", func() (template.HTML, error) {
		var err error
		if p.Data, err = s.stripView(c, p); err != nil {
			return "", err
		}
		var out bytes.Buffer
		err = s.views["due"].ExecuteTemplate(&out, "strip", p)
		return template.HTML(out.String()), err
	})
}

func (s *Server) stripView(c *gin.Context, p page) (strip, error) {
	local := p.Now.In(p.Zone)
	midnight := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, p.Zone)
	end := midnight.AddDate(0, 0, 1)
	due, err := s.kitchen.DueBy(c.Request.Context(), end)
	if err != nil {
		return strip{}, err
	}
	share := func(t time.Time) float64 {
		return 1000 * math.Max(0, t.Sub(midnight).Seconds()) / end.Sub(midnight).Seconds()
	}
	out := strip{Needle: share(p.Now)}
	for _, d := range due {
		late := d.Due.Before(p.Now)
		if late {
			out.Late++
		}
		x := share(d.Due)
		if n := len(out.Pins); n > 0 && x-out.Pins[n-1].X < pinWidth {
			out.Pins[n-1].Count++
			out.Pins[n-1].Late = out.Pins[n-1].Late || late
			out.Pins[n-1].Href = p.Base + "/due"
			out.Pins[n-1].Label = fmt.Sprintf("%d things due about %s", out.Pins[n-1].Count, p.Clock(d.Due))
			continue
		}
		out.Pins = append(out.Pins, pin{X: x, Count: 1, Late: late, Label: fmt.Sprintf("%s: %s %s, %s", p.Clock(d.Due), d.Do, d.Name, d.Code), Href: dueHref(p, d)})
	}
	return out, nil
}

func dueHref(p page, d kitchen.Due) string {
	href := p.Base + "/lots/" + d.LotID.String()
	if d.Path != "" {
		href += "/" + d.Path
	}
	return href
}

// stripPart sends the strip alone, for the live channel.
func (s *Server) stripPart(c *gin.Context) {
	html, err := s.strip(c, s.page(c, "", "", nil))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	writeCompressed(c, http.StatusOK, "text/html; charset=utf-8", []byte(html))
}

type dueView struct{ Late, Today []dueItem }

type dueItem struct {
	kitchen.Due
	Href string
}

// due lists what the pins of the strip stand for.
func (s *Server) due(c *gin.Context) {
	p := s.page(c, "What is due", "", nil)
	list, err := s.kitchen.DueBy(c.Request.Context(), p.Now.Add(24*time.Hour))
	if err != nil {
		s.fail(c, err)
		return
	}
	var v dueView
	for _, d := range list {
		item := dueItem{d, dueHref(p, d)}
		if d.Due.Before(p.Now) {
			v.Late = append(v.Late, item)
		} else {
			v.Today = append(v.Today, item)
		}
	}
	p.Data = v
	s.show(c, http.StatusOK, "due", p)
}

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
