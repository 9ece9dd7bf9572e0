// Package api is the face of the application for programs: the JSON API and the
// calculators, described by openapi.json. A handler binds, calls the kitchen or the
// core, and answers; it knows no SQL.
package api

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"golang.org/x/time/rate"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/httpx"
	"leancatch/internal/intake"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// Path is where the addresses of the API begin.
const Path = "/api/v1"

// The most bytes of a body.
const (
	calcBytes     = 256 << 10
	readingsBytes = 16 << 20
)

// Sessions knows who calls from a browser, without a token.
type Sessions interface {
	// SessionActor returns who is signed in, in the kitchen that the request names;
	// kitchen.ErrNoActor for nobody.
	SessionActor(c *gin.Context) (kitchen.Actor, error)
}

// API answers programs.
type API struct {
	kitchen  *kitchen.Kitchen
	sessions Sessions
	log      *slog.Logger
	limits   *limiter
	heavy    *httpx.Heavy
}

// New makes the API. Long computations take turns in heavy.
func New(k *kitchen.Kitchen, sessions Sessions, heavy *httpx.Heavy, log *slog.Logger) *API {
	return &API{kitchen: k, sessions: sessions, log: log, limits: newLimiter(), heavy: heavy}
}

// Routes are the addresses of the API, each behind the guard of its right.
func (a *API) Routes() []httpx.Route {
	get, post := httpx.Get, httpx.Post
	list := func(path string, v any) httpx.Route { // of what never changes: written out once
		text := sync.OnceValues(func() ([]byte, error) { return json.Marshal(v) })
		return get(path, access.Anyone, func(c *gin.Context) {
			body, err := text()
			if err != nil {
				a.fail(c, err)
				return
			}
			c.Data(http.StatusOK, "application/json", body)
		})
	}
	calc := func(path string, handle gin.HandlerFunc) httpx.Route {
		return post("/calc/"+path, access.Anyone, a.limits.then(handle)).Takes(calcBytes)
	}
	by := calculator{species.Builtin()}
	routes := []httpx.Route{
		get("/openapi.json", access.Anyone, a.document),
		get("/events/schema", access.Anyone, a.eventSchemas),
		list("/species", by.species.All()),
		list("/explanations", freshness.Explanations()),
		list("/findings", freshness.Findings()),
		list("/schemes", freshness.Schemes()),
		calc("exposure", calcHandler(by.exposure)),
		calc("freshness", calcHandler(by.freshness)),
		calc("rigor", calcHandler(by.rigor)),
		calc("ice", calcHandler(by.ice)),
		calc("histamine", calcHandler(by.histamine)),
		calc("parasite", calcHandler(by.parasite)),
		calc("frozen-life", calcHandler(by.frozenLife)),
		calc("thaw", calcHandler(by.thaw)),
		calc("ageing", calcHandler(by.ageing)),
		calc("heat", calcWithin(a.heavy, by.heat)),
		calc("properties", calcHandler(by.properties)),
		calc("yield", calcHandler(by.yield)),
		calc("portion", calcHandler(by.portion)),
		calc("split-cost", calcHandler(by.splitCost)),
		calc("order", calcHandler(by.order)),
		calc("history", calcWithin(a.heavy, interchange.JudgeHistory)).Takes(interchange.HistoryBytes),
		get("/lots", access.Read, a.lots),
		get("/lots/:id", access.Read, a.lot),
		get("/lots/:id/events", access.Read, a.events),
		post("/lots/:id/events", access.Write, a.append),
		get("/lots/:id/exposure", access.Read, a.exposure),
		get("/lots/:id/epcis", access.Read, a.epcis),
		get("/due.ics", access.Anyone, a.limits.then(a.calendar)),
		get("/export/:file", access.Read, a.Export),
		get("/places", access.Read, a.places),
		get("/alarms", access.Read, a.alarms),
		post("/readings", access.Send, a.readings).Takes(readingsBytes),
	}
	for i := range routes {
		routes[i].Path = Path + routes[i].Path
	}
	return routes
}

// Chain is what a route of the API runs: the limit of its body, the guard of its
// right, its handler.
func (a *API) Chain(r httpx.Route) []gin.HandlerFunc {
	chain := []gin.HandlerFunc{r.Bound(a.fail)}
	if r.Right != access.Anyone {
		chain = append(chain, a.guard(r.Right))
	}
	return append(chain, r.Handle)
}

// Fail answers an error with problem details. Errors that no caller caused are logged.
func Fail(c *gin.Context, log *slog.Logger, err error) {
	var fields invalid.Errors
	var changed *kitchen.Changed
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &fields):
		httpx.WriteProblem(c, http.StatusUnprocessableEntity, "some fields are wrong", fields)
	case errors.As(err, &changed):
		httpx.WriteProblem(c, http.StatusConflict, changed.Error(), nil)
	case errors.As(err, &tooLarge):
		httpx.WriteProblem(c, http.StatusRequestEntityTooLarge, "the body is too large", nil)
	case errors.Is(err, httpx.ErrFiles):
		httpx.WriteProblem(c, http.StatusUnsupportedMediaType, err.Error(), nil)
	case errors.Is(err, httpx.ErrBody), errors.Is(err, intake.ErrSenML):
		httpx.WriteProblem(c, http.StatusBadRequest, err.Error(), nil)
	case kitchen.IsUnstorable(err):
		httpx.WriteProblem(c, http.StatusUnprocessableEntity,
			"there is a character or a number in it that cannot be kept", nil)
	case errors.Is(err, kitchen.ErrNotFound):
		httpx.WriteProblem(c, http.StatusNotFound, "there is nothing here", nil)
	case errors.Is(err, kitchen.ErrRight), errors.Is(err, kitchen.ErrManager):
		httpx.WriteProblem(c, http.StatusForbidden, err.Error(), nil)
	case c.Request.Context().Err() != nil:
		c.Abort()
	case kitchen.IsAway(err):
		outage.Do(func() { log.Error("the database does not answer", "path", c.Request.URL.Path, "error", err) })
		c.Header("Retry-After", "5")
		httpx.WriteProblem(c, http.StatusServiceUnavailable, "the database does not answer; "+stored(c), nil)
	default:
		log.Error("request failed", "path", c.Request.URL.Path, "error", err)
		httpx.WriteProblem(c, http.StatusInternalServerError, "something broke here; "+stored(c), nil)
	}
}

// outage is one line of the log a second.
var outage = rate.Sometimes{Interval: time.Second}

// stored says what became of what was sent, as far as it is known.
func stored(c *gin.Context) string {
	if c.Request.Method == http.MethodGet || kitchen.NothingStored(c.Request.Context()) {
		return "nothing was stored"
	}
	return "perhaps it was stored: send it again, it counts once"
}

func (a *API) fail(c *gin.Context, err error) { Fail(c, a.log, err) }

// guard finds out who calls, by the token or by the session of a browser, and
// lets through who has the right.
func (a *API) guard(right access.Right) gin.HandlerFunc {
	return func(c *gin.Context) {
		actor, err := a.caller(c)
		switch {
		case errors.Is(err, kitchen.ErrNoActor):
			c.Header("WWW-Authenticate", `Bearer realm="leancatch"`)
			httpx.WriteProblem(c, http.StatusUnauthorized, "send a token that is in force: Authorization: Bearer …",
				nil)
			c.Abort()
			return
		case err != nil:
			a.fail(c, err)
			c.Abort()
			return
		}
		c.Request = c.Request.WithContext(kitchen.WithActor(c.Request.Context(), actor))
		if !actor.May(right) {
			if err := a.kitchen.RecordAudit(c.Request.Context(), kitchen.ActRefused, c.Request.Method+" "+
				c.FullPath()); err != nil {
				a.log.Error("writing the audit", "error", err)
			}
			httpx.WriteProblem(c, http.StatusForbidden, "this is not among what this token may do", nil)
			c.Abort()
		}
	}
}

// caller is who calls: by a token, or by the session of a browser.
func (a *API) caller(c *gin.Context) (kitchen.Actor, error) {
	if token, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok {
		return a.kitchen.ActorOfToken(c.Request.Context(), strings.TrimSpace(token))
	}
	return a.sessions.SessionActor(c)
}

// lotID reads the lot of the address; it answers 404 where that is not an id.
func (a *API) lotID(c *gin.Context) (uuid.UUID, bool) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		a.fail(c, kitchen.ErrNotFound)
	}
	return id, err == nil
}
