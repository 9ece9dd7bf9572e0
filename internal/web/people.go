package web

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/api"
	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// peopleView is the page of the people of a kitchen, its tablets and sessions.
type peopleView struct {
	form.Back
	Members  []kitchen.Member
	Grants   []access.Role // the roles that the actor may give
	Devices  []kitchen.DeviceEntry
	Sessions []kitchen.SessionEntry
	Enrolled bool // this browser is one of the tablets
}

// MayChange reports whether the actor may change what a person of a role is.
func (v peopleView) MayChange(role string) bool {
	for _, r := range v.Grants {
		if string(r) == role {
			return true
		}
	}
	return false
}

// OpenFor reports whether a form of a person came back.
func (v peopleView) OpenFor(id int64) bool {
	return v.Sent && strings.HasSuffix(v.Came, "-"+strconv.FormatInt(id, 10))
}

func (s *Server) people(c *gin.Context) { s.showPeople(c, peopleView{}) }

func (s *Server) showPeople(c *gin.Context, v peopleView) {
	ctx := c.Request.Context()
	a := kitchen.ActorFrom(ctx)
	for _, role := range access.Roles {
		if access.Role(a.Person.Role).MayGrant(role) {
			v.Grants = append(v.Grants, role)
		}
	}
	v.Enrolled = s.cookie(c, deviceCookie) != ""
	var err error
	if v.Members, err = s.kitchen.Members(ctx); err == nil {
		if v.Devices, err = s.kitchen.Devices(ctx); err == nil {
			v.Sessions, err = s.kitchen.Sessions(ctx)
		}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, v.Status(), "people", s.page(c, "People", "records", v))
}

// postPeople ends a form of the page of people.
func (s *Server) postPeople(c *gin.Context, f *input, do func(context.Context) error) {
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := do(ctx)
		if kitchen.ActorFrom(c.Request.Context()).Person.ID == 0 {
			return "/sign-in", err
		}
		return "/people", err
	}, func(back form.Back) {
		withoutSecrets(back.Values)
		s.showPeople(c, peopleView{Back: back})
	})
}

// secretFields are the fields of forms whose values are never sent back.
var secretFields = []string{"pin", "old_pin", "password", "old_password"}

// withoutSecrets takes them out of a form.
func withoutSecrets(values url.Values) {
	for _, name := range secretFields {
		values.Del(name)
	}
}

// besideField says of a secret that did not open, beside its field.
func (s *Server) besideField(c *gin.Context, err error, field string) error {
	if text := s.wrong(c, err); err != nil && text != "" {
		return invalid.Errors{{Field: field, Message: text}}
	}
	return err
}

func (s *Server) addPerson(c *gin.Context) {
	f := posted(c)
	f.form = "new"
	n := kitchen.NewPerson{Name: f.Text("name"), Role: f.Text("role"), PIN: f.Text("pin"),
		UserName: strings.ToLower(f.Text("user_name")), Password: f.Values.Get("password")}
	s.postPeople(c, f, func(ctx context.Context) error { return s.kitchen.AddPerson(ctx, n) })
}

// postPerson ends a form of one person, named what-<id>.
func (s *Server) postPerson(c *gin.Context, what string, do func(ctx context.Context, id int64, f *input) error) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = what + "-" + c.Param("id")
	s.postPeople(c, f, func(ctx context.Context) error { return do(ctx, id, f) })
}

func (s *Server) setRole(c *gin.Context) {
	s.postPerson(c, "role", func(ctx context.Context, id int64, f *input) error {
		return s.kitchen.SetRole(ctx, id, f.Text("role"))
	})
}

func (s *Server) setPIN(c *gin.Context) {
	s.postPerson(c, "pin", func(ctx context.Context, id int64, f *input) error {
		return s.kitchen.SetPIN(ctx, id, f.Text("pin"))
	})
}

func (s *Server) setLogin(c *gin.Context) {
	s.postPerson(c, "login", func(ctx context.Context, id int64, f *input) error {
		return s.kitchen.SetLogin(ctx, id, strings.ToLower(f.Text("user_name")), f.Values.Get("password"))
	})
}

// changePerson unlocks a person, lets them go, or back.
func (s *Server) changePerson(c *gin.Context) {
	what := c.Param("what")
	s.postPerson(c, what, func(ctx context.Context, id int64, _ *input) error {
		switch what {
		case "unlock":
			return s.kitchen.Unlock(ctx, id)
		case "leave":
			return s.kitchen.Leave(ctx, id)
		case "return":
			return s.kitchen.Return(ctx, id)
		}
		return kitchen.ErrNotFound
	})
}

// deviceKept is how long a tablet keeps that it is one: browsers keep no longer.
const deviceKept = 400 * 24 * 3600

// enrol makes this browser a shared tablet: it asks for a name and a PIN from
// then on.
func (s *Server) enrol(c *gin.Context) {
	f := posted(c)
	f.form = "device"
	s.postPeople(c, f, func(ctx context.Context) error {
		secret, err := s.kitchen.EnrolDevice(ctx, f.Text("device"))
		if err == nil {
			s.setCookie(c, deviceCookie, secret, deviceKept)
			s.setCookie(c, sessionCookie, "", 0)
			s.actAs(c, kitchen.Actor{}) // nobody is signed in here any more
		}
		return err
	})
}

func (s *Server) setLock(c *gin.Context) {
	f := posted(c)
	f.form = "lock"
	minutes := f.MustWhole("lock_minutes", "min")
	s.postPeople(c, f, func(ctx context.Context) error { return s.kitchen.SetLock(ctx, minutes) })
}

func (s *Server) revokeDevice(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		f := posted(c)
		f.form = "device"
		s.postPeople(c, f, func(ctx context.Context) error { return s.kitchen.RevokeDevice(ctx, id) })
	}
}

// tokensView is the page of the tokens of the JSON API.
type tokensView struct {
	form.Back
	Tokens []kitchen.TokenEntry
	Probes []kitchen.Probe
	Token  string // one just made: shown this once
	Feed   string // the address of its calendar; "" where it has none
}

// ScopeChoices are what a token may do.
func (tokensView) ScopeChoices() []form.Option {
	return []form.Option{{ID: string(access.ScopeRead), Name: "read: see lots, places, alarms"},
		{ID: string(access.ScopeWrite), Name: "write: events and readings"},
		{ID: string(access.ScopeReadings), Name: "readings: of these probes only"},
		{ID: string(access.ScopeCalendar), Name: "calendar: what is due, and nothing else"}}
}

func (s *Server) tokens(c *gin.Context) { s.showTokens(c, tokensView{}) }

func (s *Server) showTokens(c *gin.Context, v tokensView) {
	ctx := c.Request.Context()
	var err error
	if v.Tokens, err = s.kitchen.Tokens(ctx); err == nil {
		v.Probes, err = s.kitchen.ProbeList(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, v.Status(), "tokens", s.page(c, "Tokens", "records", v))
}

func (s *Server) addToken(c *gin.Context) {
	f := posted(c)
	n := kitchen.NewToken{Name: f.Text("name")}
	for _, scope := range f.All("scope") {
		n.Scopes = append(n.Scopes, access.Scope(scope))
	}
	for _, text := range f.All("probe") {
		id, _ := strconv.ParseInt(text, 10, 32)
		n.ProbeIDs = append(n.ProbeIDs, id)
	}
	token, err := s.kitchen.AddToken(c.Request.Context(), n)
	back := form.Back{Values: f.Values, Sent: true}
	switch {
	case errors.As(err, &back.Errors):
		s.showTokens(c, tokensView{Back: back})
	case err != nil:
		s.fail(c, err)
	default:
		v := tokensView{Token: token}
		if slices.Contains(n.Scopes, access.ScopeCalendar) {
			v.Feed = fmt.Sprintf("%s%s/due.ics?token=%s", s.reachedAt(c), api.Path, token)
		}
		s.showTokens(c, v)
	}
}

func (s *Server) revokeToken(c *gin.Context) {
	if id, ok := s.pathNumber(c); ok {
		s.post(c, posted(c), func(ctx context.Context) (string, error) {
			return "/tokens", s.kitchen.RevokeToken(ctx, id)
		}, func(form.Back) { s.tokens(c) })
	}
}
