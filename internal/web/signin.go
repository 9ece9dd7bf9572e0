package web

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// home leads to the first kitchen that the browser may open.
func (s *Server) home(c *gin.Context) {
	sites, err := s.openSites(c)
	switch {
	case err != nil:
		s.fail(c, err)
	case len(sites) > 0:
		c.Redirect(http.StatusSeeOther, "/k/"+sites[0].Slug+"/board")
	default:
		c.Redirect(http.StatusSeeOther, "/sign-in")
	}
}

// openSites are the kitchens that the browser may open.
func (s *Server) openSites(c *gin.Context) ([]kitchen.Site, error) {
	if secret := s.cookie(c, sessionCookie); secret != "" {
		sites, err := s.kitchen.SitesOf(c.Request.Context(), secret)
		if errors.Is(err, kitchen.ErrNoActor) {
			err = nil
		}
		return sites, err
	}
	if s.opts.SignedIn && onThisMachine(c) && s.cookie(c, deviceCookie) == "" {
		return s.kitchen.Sites(c.Request.Context())
	}
	return nil, nil
}

// signInView is the page to sign in: names and a PIN on a shared tablet, a user
// name and a password elsewhere.
type signInView struct {
	form.Back
	Device    *kitchen.Device
	People    []kitchen.Member
	Password  bool // the form of user name and password, on a tablet too
	Next      string
	Wrong     string
	DemoSites []demoSite // the people of the demo, to stand in for
	Fresh     bool       // there is no kitchen yet
}

// demoSite is a kitchen of the demo with its people.
type demoSite struct {
	kitchen.Site
	People []kitchen.Person
}

func (s *Server) signInForm(c *gin.Context) {
	s.showSignIn(c, signInView{Next: local(c.Query("next")), Password: c.Query("with") == "password"})
}

func (s *Server) showSignIn(c *gin.Context, v signInView) {
	ctx := c.Request.Context()
	if secret := s.cookie(c, deviceCookie); secret != "" {
		device, err := s.kitchen.DeviceOf(ctx, secret)
		if err == nil {
			v.Device = &device
			v.People, err = s.kitchen.PINHolders(ctx, device.Site)
		}
		if err != nil && !errors.Is(err, kitchen.ErrNotFound) {
			s.fail(c, err)
			return
		}
	}
	sites, err := s.kitchen.Sites(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Fresh = len(sites) == 0
	if s.opts.Demo && onThisMachine(c) {
		for _, site := range sites {
			people, err := s.kitchen.DemoPeople(ctx, site.ID)
			if err != nil {
				s.fail(c, err)
				return
			}
			v.DemoSites = append(v.DemoSites, demoSite{site, people})
		}
	}
	s.render(c, v.Status(), "signin", "layout", s.page(c, "Sign in", "", v))
}

// signIn takes a PIN, a password or, in the demo, a name.
func (s *Server) signIn(c *gin.Context) {
	f, ctx := posted(c), c.Request.Context()
	v := signInView{Next: local(f.Text("next")), Password: f.Text("with") == "password"}
	var secret string
	var site kitchen.Site
	var err error
	switch {
	case f.Text("stand") != "" && s.opts.Demo && onThisMachine(c):
		if site, err = s.kitchen.SiteBySlug(ctx, f.Text("site")); err == nil {
			secret, err = s.kitchen.Impersonate(ctx, site, f.ID("stand"), origin(c))
		}
	case v.Password:
		var in kitchen.SignedIn
		in, err = s.kitchen.SignInWithPassword(ctx, f.Text("user_name"), c.PostForm("password"), s.cookie(c, knownCookie), origin(c))
		if secret, site = in.Secret, in.Site; err == nil {
			s.setCookie(c, knownCookie, in.Known, int(kitchen.BrowserKept.Seconds()))
		}
	default:
		var device kitchen.Device
		if device, err = s.kitchen.DeviceOf(ctx, s.cookie(c, deviceCookie)); err == nil {
			site = device.Site
			secret, err = s.kitchen.SignInWithPIN(ctx, device, f.ID("person"), c.PostForm("pin"), origin(c))
		}
	}
	if err == nil {
		err = s.startSession(c, secret)
	}
	if err != nil {
		s.actAs(c, kitchen.Actor{Site: site}) // for its clock
		if v.Wrong = s.wrong(c, err); v.Wrong == "" {
			s.fail(c, err)
			return
		}
		s.actAs(c, kitchen.Actor{})
		v.Back = form.Back{Values: f.Values, Sent: true, Errors: invalid.Errors{{Message: v.Wrong}}}
		withoutSecrets(v.Values)
		s.showSignIn(c, v)
		return
	}
	if v.Next == "/" || strings.HasPrefix(v.Next, "/k/") && !strings.HasPrefix(v.Next, "/k/"+site.Slug+"/") {
		v.Next = "/k/" + site.Slug + "/board"
	}
	s.leadOn(c, v.Next)
}

// signOut ends the session; a tablet stays one.
func (s *Server) signOut(c *gin.Context) {
	if err := s.kitchen.SignOut(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	s.hub.hangUp(kitchen.ActorFrom(c.Request.Context()).SignIn.Session)
	s.setCookie(c, sessionCookie, "", 0)
	s.leadOn(c, "/sign-in")
}
