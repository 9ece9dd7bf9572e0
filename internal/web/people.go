package web

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
)

// peopleView is the page of the people of a kitchen, its tablets and sessions.
type peopleView struct {
	namedFormInput
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

func (s *Server) people(c *gin.Context) { s.showPeople(c, http.StatusOK, peopleView{}) }

func (s *Server) showPeople(c *gin.Context, status int, v peopleView) {
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
	s.show(c, status, "people", s.page(c, "People", "records", v))
}

// answerPeople ends a form of the page of people.
func (s *Server) answerPeople(c *gin.Context, form string, err error) {
	s.answer(c, err, "/people", func(t formInput) {
		withoutSecrets(t.Values)
		s.showPeople(c, http.StatusUnprocessableEntity, peopleView{namedFormInput: namedFormInput{t, form}})
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
	f := newForm(c)
	s.answerPeople(c, "new", s.kitchen.AddPerson(c.Request.Context(),
		kitchen.NewPerson{Name: f.text("name"), Role: f.text("role"), PIN: f.text("pin"),
			UserName: strings.ToLower(f.text("user_name")), Password: c.PostForm("password")}))
}

func (s *Server) setRole(c *gin.Context) {
	if id, ok := s.pathNumber(c); ok {
		s.answerPeople(c, c.Param("id"), s.kitchen.SetRole(c.Request.Context(), id, newForm(c).text("role")))
	}
}

func (s *Server) setPIN(c *gin.Context) {
	if id, ok := s.pathNumber(c); ok {
		s.answerPeople(c, c.Param("id"), s.kitchen.SetPIN(c.Request.Context(), id, newForm(c).text("pin")))
	}
}

func (s *Server) setLogin(c *gin.Context) {
	if id, ok := s.pathNumber(c); ok {
		s.answerPeople(c, c.Param("id"), s.kitchen.SetLogin(c.Request.Context(), id,
			strings.ToLower(newForm(c).text("user_name")), c.PostForm("password")))
	}
}

// changePerson unlocks a person, lets them go, or back.
func (s *Server) changePerson(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	err := kitchen.ErrNotFound
	switch c.Param("what") {
	case "unlock":
		err = s.kitchen.Unlock(c.Request.Context(), id)
	case "leave":
		err = s.kitchen.Leave(c.Request.Context(), id)
	case "return":
		err = s.kitchen.Return(c.Request.Context(), id)
	}
	s.answerPeople(c, c.Param("id"), err)
}

// deviceKept is how long a tablet keeps that it is one: browsers keep no longer.
const deviceKept = 400 * 24 * 3600

// enrol makes this browser a shared tablet: it asks for a name and a PIN from
// then on.
func (s *Server) enrol(c *gin.Context) {
	secret, err := s.kitchen.EnrolDevice(c.Request.Context(), newForm(c).text("device"))
	if err != nil {
		s.answerPeople(c, "device", err)
		return
	}
	s.setCookie(c, deviceCookie, secret, deviceKept)
	s.setCookie(c, sessionCookie, "", 0)
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (s *Server) setLock(c *gin.Context) {
	f := newForm(c)
	minutes := f.whole("lock_minutes", "min")
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.SetLock(c.Request.Context(), minutes)
	}
	s.answerPeople(c, "lock", err)
}

func (s *Server) revokeDevice(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.answerPeople(c, "device", s.kitchen.RevokeDevice(c.Request.Context(), id))
	}
}

// tokensView is the page of the tokens of the JSON API.
type tokensView struct {
	formInput
	Tokens []kitchen.TokenEntry
	Probes []kitchen.Probe
	Scopes []access.Scope
	Token  string // one just made: shown this once
}

func (s *Server) tokens(c *gin.Context) { s.showTokens(c, http.StatusOK, tokensView{}) }

func (s *Server) showTokens(c *gin.Context, status int, v tokensView) {
	ctx := c.Request.Context()
	var err error
	v.Scopes = access.Scopes
	if v.Tokens, err = s.kitchen.Tokens(ctx); err == nil {
		v.Probes, err = s.kitchen.ProbeList(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, status, "tokens", s.page(c, "Tokens", "records", v))
}

func (s *Server) addToken(c *gin.Context) {
	f := newForm(c)
	n := kitchen.NewToken{Name: f.text("name")}
	for _, scope := range f.all("scope") {
		n.Scopes = append(n.Scopes, access.Scope(scope))
	}
	for _, text := range f.all("probe") {
		id, _ := strconv.ParseInt(text, 10, 32)
		n.ProbeIDs = append(n.ProbeIDs, id)
	}
	token, err := s.kitchen.AddToken(c.Request.Context(), n)
	var bad invalid.Errors
	switch {
	case errors.As(err, &bad):
		s.showTokens(c, http.StatusUnprocessableEntity, tokensView{formInput: formInput{c.Request.PostForm, bad}})
	case err != nil:
		s.fail(c, err)
	default:
		s.showTokens(c, http.StatusOK, tokensView{Token: token})
	}
}

func (s *Server) revokeToken(c *gin.Context) {
	if id, ok := s.pathNumber(c); ok {
		s.answer(c, s.kitchen.RevokeToken(c.Request.Context(), id), "/tokens", func(formInput) { s.tokens(c) })
	}
}
