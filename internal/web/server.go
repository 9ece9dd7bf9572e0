// Package web serves the application to people: Gin routes, forms,
// html/template views and the live channel. It serves the JSON API of package api
// beside its pages. A handler binds, calls the kitchen, renders; it knows no SQL.
package web

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"golang.org/x/time/rate"

	"leancatch/internal/api"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
)

//go:embed all:static/dist
var static embed.FS

// Options of a server.
type Options struct {
	Demo     bool   // shows the banner of the demo, and lets people on this machine stand in for each other
	SignedIn bool   // on this machine the first manager is signed in where nobody is
	TLS      bool   // people reach it by https: cookies are sent by that alone
	URL      string // how people reach it, for codes on labels; "" for as whoever prints them does
	// Proxies are the addresses or networks of proxies in front of it: what they say of where a request
	// comes from (X-Forwarded-For) is believed, and nobody else's word.
	Proxies []string
}

// Server serves one database; any number of them may run side by side.
type Server struct {
	kitchen *kitchen.Kitchen
	hub     *hub
	log     *slog.Logger
	opts    Options
	views   views
	routing *gin.Engine
	api     *api.API
	heavy   *httpx.Heavy
	outage  rate.Sometimes // an outage is one line of the log a second

	readiness readiness
	parts     *rendered
	assets    http.Handler
	metrics   gin.HandlerFunc
	version   string // of the assets, for their addresses
}

// New makes the server. Run must be called for its live channel.
func New(k *kitchen.Kitchen, log *slog.Logger, opts Options) (*Server, error) {
	files, err := fs.Sub(static, "static/dist")
	if err != nil {
		return nil, err
	}
	version, err := fs.ReadFile(files, "version")
	if err != nil {
		return nil, errors.New("styles and scripts are not built: run make build")
	}
	s := &Server{kitchen: k, hub: newHub(), log: log, opts: opts, parts: newRendered(), heavy: httpx.NewHeavy(), outage: rate.Sometimes{Interval: time.Second},
		version: strings.TrimSpace(string(version)), assets: assetHandler(files)}
	s.api = api.New(k, s, s.heavy, log)
	if s.views, err = parseViews(); err != nil {
		return nil, err
	}
	s.routing, err = s.router()
	return s, err
}

// Run listens to the database and keeps projections fresh until the context
// ends. After a lost connection it listens again.
func (s *Server) Run(ctx context.Context) {
	wake := make(chan struct{}, 1)
	go s.kitchen.Project(ctx, wake)
	s.hub.run(ctx, s.kitchen, wake, s.log)
}

// Handler answers all requests. Browsers may post only from our own pages;
// programs send no Origin.
func (s *Server) Handler() http.Handler {
	return http.NewCrossOriginProtection().Handler(httpx.Compress(s.routing.Handler()))
}

// router puts the routes together. It returns an error for a proxy that is no address.
func (s *Server) router() (*gin.Engine, error) {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	if err := r.SetTrustedProxies(s.opts.Proxies); err != nil {
		return nil, fmt.Errorf("the proxies: %w", err)
	}
	r.MaxMultipartMemory = 1 << 20
	registry := s.newRegistry()
	s.metrics = s.serveMetrics(registry)
	r.Use(withOutcome, s.recover, s.observe(registry), s.headers)
	r.NoRoute(s.noRoute)

	s.register(r)
	return r, nil
}

// withOutcome lets a request know what it stored.
func withOutcome(c *gin.Context) {
	c.Request = c.Request.WithContext(kitchen.WithOutcome(c.Request.Context()))
}

// recover answers a panic with a page, and keeps the server running.
func (s *Server) recover(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.log.Error("panic", "error", p, "path", c.Request.URL.Path, "stack", string(debug.Stack()))
			s.problem(c, http.StatusInternalServerError, "Something broke here. "+stored(c))
			c.Abort()
		}
	}()
	c.Next()
}

// observe counts and times requests by route.
func (s *Server) observe(registry *prometheus.Registry) gin.HandlerFunc {
	times := prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "leancatch_http_seconds",
		Help:    "Time to answer a request.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 5}},
		[]string{"route", "method", "status"})
	registry.MustRegister(times)
	return func(c *gin.Context) {
		start := time.Now()
		c.Next()
		route := c.FullPath()
		if route == "" {
			route = "none"
		}
		times.WithLabelValues(route, methodLabel(c.Request.Method), strconv.Itoa(c.Writer.Status())).Observe(
			time.Since(start).Seconds())
		s.log.Debug("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(),
			"took", time.Since(start))
	}
}

// methodLabel is a method as it is counted: a client may name any.
func methodLabel(method string) string {
	switch method {
	case http.MethodGet, http.MethodHead, http.MethodPost:
		return method
	}
	return "other"
}

// headers tell browsers to load nothing from elsewhere, to run no script but
// ours, to put no page into a frame, and to guess no type.
func (s *Server) headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy",
		"default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Permissions-Policy", "camera=(self), geolocation=(), microphone=(), payment=(), usb=()")
	if s.opts.TLS {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	c.Next()
}

// readyFor is for how long an answer is kept, since anybody may ask.
const readyFor = 2 * time.Second

// readiness is what was found when it was last asked.
type readiness struct {
	mu  sync.Mutex
	at  time.Time
	err error
}

// ready tells whether the process can serve, and strangers no more than that: why not is in the log.
func (s *Server) ready(c *gin.Context) {
	s.readiness.mu.Lock()
	defer s.readiness.mu.Unlock()
	if time.Since(s.readiness.at) > readyFor {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Request.Context()), 2*time.Second)
		defer cancel()
		s.readiness.at, s.readiness.err = time.Now(), s.kitchen.Ready(ctx)
	}
	if err := s.readiness.err; err != nil {
		s.outage.Do(func() { s.log.Error("not ready", "error", err) })
		c.String(http.StatusServiceUnavailable, "not ready\n")
		return
	}
	c.String(http.StatusOK, "ready\n")
}

// assetHandler serves the embedded styles and scripts, compressed where they
// were at build time. Their addresses carry the version, so they keep for ever.
func assetHandler(files fs.FS) http.Handler {
	plain := http.FileServerFS(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		name := strings.TrimPrefix(r.URL.Path, "/")
		if !fs.ValidPath(name) || strings.Contains(name, "\x00") {
			http.NotFound(w, r)
			return
		}
		if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
			if data, err := fs.ReadFile(files, name+".gz"); err == nil {
				w.Header().Set("Content-Encoding", "gzip")
				w.Header().Set("Vary", "Accept-Encoding")
				w.Header().Set("Content-Type", contentType(name))
				w.Write(data)
				return
			}
		}
		plain.ServeHTTP(w, r)
	})
}

func contentType(name string) string {
	switch {
	case strings.HasSuffix(name, ".css"):
		return "text/css; charset=utf-8"
	case strings.HasSuffix(name, ".js"):
		return "text/javascript; charset=utf-8"
	}
	return "image/svg+xml"
}
