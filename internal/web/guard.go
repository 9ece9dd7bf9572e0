package web

import (
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
)

// The cookies: who is signed in, which shared tablet this is, and that somebody signed in here before.
const (
	sessionCookie = "lc_session"
	deviceCookie  = "lc_device"
	knownCookie   = "lc_known"
)

// cookieName is the name under which a browser keeps a cookie: by https one that
// it takes from this host alone.
func (s *Server) cookieName(name string) string {
	if s.opts.TLS {
		return "__Host-" + name
	}
	return name
}

func (s *Server) cookie(c *gin.Context, name string) string {
	text, _ := c.Cookie(s.cookieName(name))
	return text
}

// setCookie keeps a secret in the browser, for some seconds; 0 takes it away.
func (s *Server) setCookie(c *gin.Context, name, value string, seconds int) {
	if seconds == 0 {
		seconds = -1
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: s.cookieName(name), Value: value, Path: "/", MaxAge: seconds,
		HttpOnly: true, Secure: s.opts.TLS, SameSite: http.SameSiteLaxMode})
}

func origin(c *gin.Context) kitchen.Origin {
	return kitchen.Origin{Address: httpx.Address(c), Agent: c.Request.UserAgent()}
}

// IsLoopback reports whether a host, without its port, is this machine alone.
func IsLoopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// onThisMachine reports whether the browser runs where the server does, and asks
// for it by that: not through a proxy, nor by a name that somebody else made lead here.
func onThisMachine(c *gin.Context) bool {
	asked := url.URL{Host: c.Request.Host}
	return IsLoopback(c.RemoteIP()) && IsLoopback(asked.Hostname()) && c.GetHeader("X-Forwarded-For") == "" &&
		c.GetHeader("Forwarded") == ""
}

// navigates reports whether a person opens a page, rather than a page that is
// open asking for a part of itself.
func navigates(c *gin.Context) bool {
	dest := c.GetHeader("Sec-Fetch-Dest")
	return c.Request.Method == http.MethodGet && !isPart(c) && (dest == "" || dest == "document") &&
		!strings.Contains(c.GetHeader("Accept"), "event-stream")
}

// guard finds out who acts in the kitchen of the address, and lets through who
// has the right. Without a session it leads to the sign-in page; after long idleness it asks for the secret again;
// an action of a manager can be approved by one on the spot.
func (s *Server) guard(right access.Right) gin.HandlerFunc {
	return func(c *gin.Context) {
		a, err := s.visitor(c)
		if errors.Is(err, kitchen.ErrNoActor) && asks(c) == "sign-in" {
			if a, err = s.signInHere(c); err != nil {
				s.askSignIn(c, err)
				c.Abort()
				return
			}
		}
		if errors.Is(err, kitchen.ErrNoActor) {
			s.signInFirst(c)
			c.Abort()
			return
		} else if err != nil {
			s.fail(c, err)
			c.Abort()
			return
		}
		// who stands in has no secret to ask for
		a.SignIn.Quiet = a.SignIn.Quiet && (a.SignIn.OnDevice || !s.opts.Demo || !onThisMachine(c))
		s.actAs(c, a)
		switch {
		case !s.requireFresh(c), !s.approved(c), !s.allowed(c, right):
			c.Abort()
			return
		}
		if navigates(c) || c.Request.Method != http.MethodGet {
			if err := s.kitchen.NoteActivity(c.Request.Context()); err != nil {
				s.log.Error("noting a touch", "error", err)
			}
		}
	}
}

func (s *Server) actAs(c *gin.Context, a kitchen.Actor) {
	c.Request = c.Request.WithContext(kitchen.WithActor(c.Request.Context(), a))
}

// visitor is who is signed in at the kitchen of the address. In the demo it is
// the kitchen's manager where nobody is, on this machine.
func (s *Server) visitor(c *gin.Context) (kitchen.Actor, error) {
	ctx, slug := c.Request.Context(), c.Param("site")
	if secret := s.cookie(c, sessionCookie); secret != "" {
		return s.kitchen.ActorOfSession(ctx, secret, slug)
	}
	if !s.opts.SignedIn || !onThisMachine(c) || s.cookie(c, deviceCookie) != "" {
		return kitchen.Actor{}, kitchen.ErrNoActor
	}
	return s.kitchen.FirstManager(ctx, slug)
}

// signInFirst answers where nobody is signed in, or only elsewhere.
func (s *Server) signInFirst(c *gin.Context) {
	if sites, err := s.kitchen.SitesOf(c.Request.Context(), s.cookie(c, sessionCookie)); err == nil && len(sites) > 0 {
		if a, err := s.kitchen.ActorOfSession(c.Request.Context(), s.cookie(c, sessionCookie),
			sites[0].Slug); err == nil {
			s.actAs(c, a)
			s.recordAudit(c, kitchen.ActRefused, c.Request.Method+" "+c.Request.URL.Path)
		}
		s.problem(c, http.StatusNotFound,
			"There is nothing here for you: the address is wrong, or it is another kitchen's.")
		return
	}
	if navigates(c) {
		c.Redirect(http.StatusSeeOther, "/sign-in?next="+url.QueryEscape(c.Request.URL.RequestURI()))
		return
	}
	if isPlainForm(c) {
		s.askSignIn(c, nil)
		return
	}
	s.problem(c, http.StatusUnauthorized, "Nobody is signed in any more. Sign in on another page, then press again: what you typed stays here.")
}

// askSignIn asks who it is before a form is taken that somebody sent without being
// signed in; the form goes along. An error is what was wrong with the secret.
func (s *Server) askSignIn(c *gin.Context, err error) {
	v := askView{For: "sign-in", Action: c.Request.URL.RequestURI(), Person: c.PostForm("ask-person"), User: c.PostForm("ask-user"),
		Carried: carriedOf(c), Back: "/sign-in"}
	if err != nil {
		if v.Error = s.wrong(c, err); v.Error == "" {
			s.fail(c, err)
			return
		}
	}
	if device, err := s.kitchen.DeviceOf(c.Request.Context(), s.cookie(c, deviceCookie)); err == nil {
		if v.People, err = s.kitchen.PINHolders(c.Request.Context(), device.Site); err != nil {
			s.fail(c, err)
			return
		}
		v.OnDevice = true
	}
	s.render(c, http.StatusUnauthorized, "confirm", "layout", s.page(c, "Sign in", "", v))
}

// signInHere signs somebody in by the fields that askSignIn asks for.
func (s *Server) signInHere(c *gin.Context) (kitchen.Actor, error) {
	ctx := c.Request.Context()
	secret := ""
	if person := c.PostForm("ask-person"); person != "" {
		device, err := s.kitchen.DeviceOf(ctx, s.cookie(c, deviceCookie))
		if err == nil {
			id, _ := strconv.ParseInt(person, 10, 64)
			secret, err = s.kitchen.SignInWithPIN(ctx, device, id, c.PostForm("ask-secret"), origin(c))
		}
		if err != nil {
			return kitchen.Actor{}, err
		}
	} else {
		in, err := s.kitchen.SignInWithPassword(ctx, strings.TrimSpace(c.PostForm("ask-user")), c.PostForm("ask-secret"),
			s.cookie(c, knownCookie), origin(c))
		if err != nil {
			return kitchen.Actor{}, err
		}
		s.setCookie(c, knownCookie, in.Known, int(kitchen.BrowserKept.Seconds()))
		secret = in.Secret
	}
	if err := s.startSession(c, secret); err != nil {
		return kitchen.Actor{}, err
	}
	return s.kitchen.ActorOfSession(ctx, secret, c.Param("site"))
}

// recordAudit writes into the audit of the actor's kitchen.
func (s *Server) recordAudit(c *gin.Context, act kitchen.Act, subject string) {
	if err := s.kitchen.RecordAudit(c.Request.Context(), act, subject); err != nil {
		s.log.Error("writing the audit", "act", act, "error", err)
	}
}

// exempt are the addresses that an idle session may still use: the one that asks
// again, signing out, and what only calculates.
func exempt(path string) bool {
	return strings.HasSuffix(path, "/confirm") || strings.HasSuffix(path, "/sign-out") || strings.HasSuffix(path,
		"/inspect/preview")
}

// requireFresh asks for the secret again where nothing was touched for long. An open
// page goes on showing what is; a form waits, with all that was typed.
func (s *Server) requireFresh(c *gin.Context) bool {
	a := kitchen.ActorFrom(c.Request.Context())
	if !a.SignIn.Quiet || exempt(c.FullPath()) {
		return true
	}
	if c.Request.Method == http.MethodGet {
		if navigates(c) {
			c.Redirect(http.StatusSeeOther, s.base(c)+"/confirm?next="+url.QueryEscape(c.Request.URL.RequestURI()))
		}
		return !navigates(c)
	}
	if asked := asks(c); asked != "again" {
		s.ask(c, askView{For: "again"})
		return false
	}
	if _, err := s.kitchen.Confirm(c.Request.Context(), a.Person.ID, c.PostForm("ask-secret")); err != nil {
		s.askAgain(c, err, askView{For: "again"})
		return false
	}
	return true
}

// approved takes a manager's approval that comes with a form, or that it shall wait for one.
func (s *Server) approved(c *gin.Context) bool {
	if asks(c) != "approve" {
		return true
	}
	if c.PostForm("ask-later") != "" {
		a := kitchen.ActorFrom(c.Request.Context())
		a.Asks = true
		s.actAs(c, a)
		return true
	}
	view := askView{For: "approve", Why: c.PostFormArray("ask-why"), Person: c.PostForm("ask-person"), Later: c.PostForm("ask-wait") != ""}
	f := posted(c)
	a, err := s.kitchen.Approve(c.Request.Context(), f.ID("ask-person"), c.PostForm("ask-secret"), c.Request.Method+
		" "+c.FullPath())
	if err != nil {
		s.askAgain(c, err, view)
		return false
	}
	s.actAs(c, a)
	return true
}

// allowed lets through who has the right. A manager's action by somebody else waits
// for a manager's approval.
func (s *Server) allowed(c *gin.Context, right access.Right) bool {
	a := kitchen.ActorFrom(c.Request.Context())
	if a.May(right) {
		return true
	}
	if right == access.Manage && a.May(access.Write) && s.askApproval(c, kitchen.ErrManager) {
		return false
	}
	s.recordAudit(c, kitchen.ActRefused, c.Request.Method+" "+c.FullPath())
	s.fail(c, kitchen.ErrRight)
	return false
}

// askApproval reports whether the error means that a manager's approval is all that is
// missing, and asks for it: the form waits, with all that was typed.
func (s *Server) askApproval(c *gin.Context, err error) bool {
	var bad invalid.Errors
	why := []string{}
	switch {
	case errors.As(err, &bad) && bad.OnlyManager():
		for _, e := range bad {
			why = append(why, e.Message)
		}
	case errors.Is(err, kitchen.ErrManager):
		why = append(why, err.Error())
	default:
		return false
	}
	a := kitchen.ActorFrom(c.Request.Context())
	if a.IsManager() || !isPlainForm(c) {
		return false
	}
	s.ask(c, askView{For: "approve", Why: why, Later: kitchen.CanWait(err)})
	return true
}

// isPlainForm reports whether a form was posted that can be carried along.
func isPlainForm(c *gin.Context) bool {
	return c.Request.Method == http.MethodPost && c.ContentType() == "application/x-www-form-urlencoded"
}

// asks is what a form answers that was asked: "again", "approve", "sign-in", or "".
func asks(c *gin.Context) string {
	if !isPlainForm(c) {
		return ""
	}
	return c.PostForm("ask-for")
}

// askView asks for a secret and carries the form along that waits for it.
type askView struct {
	For      string // "again": one's own; "approve": a manager's; "sign-in": anybody's
	Why      []string
	Later    bool   // a manager may approve it later: the lot is on hold until then
	Person   string // who was chosen
	User     string // the user name that was typed
	OnDevice bool   // a shared tablet, where people have a PIN
	People   []kitchen.Member
	Action   string
	Next     string
	Carried  []carried
	Error    string
	Back     string
}

type carried struct{ Name, Value string }

// carriedOf is a form that was posted, without its secrets.
func carriedOf(c *gin.Context) []carried {
	var list []carried
	for name, values := range c.Request.PostForm {
		if strings.HasPrefix(name, "ask-") || slices.Contains(secretFields, name) {
			continue
		}
		for _, value := range values {
			list = append(list, carried{name, value})
		}
	}
	return list
}

// ask shows the page that asks for a secret.
func (s *Server) ask(c *gin.Context, v askView) {
	if c.Request.Method == http.MethodPost && !isPlainForm(c) {
		s.problem(c, http.StatusForbidden,
			"You were quiet for long. Open a page, give your PIN or password, then come back and send the file again.")
		return
	}
	var err error
	if v.For == "approve" {
		if v.People, err = s.kitchen.Approvers(c.Request.Context()); err != nil {
			s.fail(c, err)
			return
		}
	}
	if v.Action == "" {
		v.Action = c.Request.URL.RequestURI()
	}
	v.Carried = carriedOf(c)
	v.Back = s.base(c) + "/board"
	if from, err := url.Parse(c.Request.Referer()); err == nil && from.Host == c.Request.Host &&
		strings.HasPrefix(from.Path, s.base(c)+"/") {
		v.Back = from.RequestURI()
	}
	title, status := "Is it still you?", http.StatusUnprocessableEntity
	switch {
	case v.For == "approve" && !isPart(c):
		title, status = "This needs a manager", http.StatusForbidden
	case c.Request.Method == http.MethodGet:
		status = http.StatusOK
	}
	if isPart(c) { // htmx puts it in place of the page
		c.Header("HX-Retarget", "#main")
		c.Header("HX-Reselect", "#main")
		c.Header("HX-Reswap", "outerHTML")
	}
	s.show(c, status, "confirm", s.page(c, title, "", v))
}

// askAgain says what was wrong with the secret.
func (s *Server) askAgain(c *gin.Context, err error, v askView) {
	text := s.wrong(c, err)
	if text == "" {
		s.fail(c, err)
		return
	}
	v.Error = text
	s.ask(c, v)
}

// wrong is what to say of a secret that did not open, "" for other errors.
func (s *Server) wrong(c *gin.Context, err error) string {
	var locked kitchen.Locked
	var slowed kitchen.Slowed
	switch {
	case errors.As(err, &slowed):
		c.Header("Retry-After", strconv.Itoa(int(slowed.For.Seconds())+1))
		return fmt.Sprintf("Too many tries failed here or at this user name. Wait %d s, then try again.", int(slowed.For.Seconds())+1)
	case errors.As(err, &locked):
		zone := kitchen.ActorFrom(c.Request.Context()).Zone()
		return "Locked after too many failures, until " + locked.Until.In(zone).Format("15:04") +
			". A manager can unlock it under Records, People."
	case errors.Is(err, kitchen.ErrWrongSecret), errors.Is(err, kitchen.ErrNotFound):
		return "That is not right. Try again."
	case errors.Is(err, kitchen.ErrManager):
		return "Only a manager can approve this."
	}
	return ""
}

// askSecret asks somebody for their own secret, before the page that they want.
func (s *Server) askSecret(c *gin.Context) {
	s.ask(c, askView{For: "again", Action: s.base(c) + "/confirm", Next: local(c.Query("next"))})
}

// confirmed takes it, and leads on.
func (s *Server) confirmed(c *gin.Context) {
	next := local(c.PostForm("ask-next"))
	if _, err := s.kitchen.Confirm(c.Request.Context(), kitchen.ActorFrom(c.Request.Context()).Person.ID,
		c.PostForm("ask-secret")); err != nil {
		s.askAgain(c, err, askView{For: "again", Action: s.base(c) + "/confirm", Next: next})
		return
	}
	s.leadOn(c, next)
}

// local is an address of ours to lead on to; "/" for any other.
func local(next string) string {
	u, err := url.Parse(next)
	if err != nil || u.Scheme != "" || u.Host != "" || u.User != nil || !strings.HasPrefix(next, "/") ||
		strings.HasPrefix(next, "//") || strings.ContainsAny(next, "\\\r\n\t") {
		return "/"
	}
	return next
}

// startSession begins a session in this browser, after ending the one that it had.
func (s *Server) startSession(c *gin.Context, secret string) error {
	if err := s.kitchen.EndSessionOf(c.Request.Context(), s.cookie(c, sessionCookie)); err != nil {
		return err
	}
	s.setCookie(c, sessionCookie, secret, int(kitchen.SessionLife.Seconds()))
	return nil
}

// SessionActor is who calls the API from a browser: its session names the kitchen as
// ?site= where it opens several. It implements api.Sessions.
func (s *Server) SessionActor(c *gin.Context) (kitchen.Actor, error) {
	secret := s.cookie(c, sessionCookie)
	slug := c.Query("site")
	if slug == "" && secret != "" {
		sites, err := s.kitchen.SitesOf(c.Request.Context(), secret)
		if err != nil || len(sites) != 1 {
			return kitchen.Actor{}, errors.Join(err, kitchen.ErrNoActor)
		}
		slug = sites[0].Slug
	}
	a, err := s.kitchen.ActorOfSession(c.Request.Context(), secret, slug)
	if a.SignIn.Quiet {
		err = kitchen.ErrNoActor
	}
	return a, err
}
