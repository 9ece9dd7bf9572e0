// Package web is the face of the application for people and programs: Gin
// routes, forms, html/template views, the live channel and the JSON API. A
// handler binds, calls the kitchen, renders; it knows no SQL.
package web

import (
	"context"
	"embed"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"leancatch/internal/kitchen"
)

//go:embed all:static/dist
var static embed.FS

// Options are what a server can be told.
type Options struct {
	Demo     bool // shows the banner of the demo
	SignedIn bool // the first manager is on shift where nobody was chosen
}

// Server serves one database; any number of them may run side by side.
type Server struct {
	kitchen *kitchen.Kitchen
	hub     *hub
	log     *slog.Logger
	opts    Options
	views   views
	limits  *limiter
	cache   *cache
	assets  http.Handler
	version string // of the assets, for their addresses
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
	s := &Server{kitchen: k, hub: newHub(), log: log, opts: opts, limits: newLimiter(), cache: newCache(), version: strings.TrimSpace(string(version)), assets: assetHandler(files)}
	s.views, err = parseViews()
	return s, err
}

// Run listens to the database and keeps projections fresh until the context
// ends. After a lost connection it listens again.
func (s *Server) Run(ctx context.Context) {
	wake := make(chan struct{}, 1)
	go s.kitchen.Project(ctx, wake)
	s.hub.run(ctx, s.kitchen.DB, wake, s.log)
}

// Handler returns the routes.
func (s *Server) Handler() http.Handler {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.MaxMultipartMemory = 1 << 20
	registry := prometheus.NewRegistry()
	registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	r.Use(s.recover, s.observe(registry), headers)
	r.NoRoute(s.noRoute)

	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", s.ready)
	r.GET("/metrics", gin.WrapH(promhttp.HandlerFor(registry, promhttp.HandlerOpts{})))
	r.GET("/static/*file", gin.WrapH(http.StripPrefix("/static", s.assets)))
	r.GET("/draw/:subject/:zone", s.vignette)
	s.apiRoutes(r.Group("/api/v1"))

	r.GET("/", s.home)
	r.GET("/setup", s.setupForm)
	r.POST("/setup", s.setup)
	k := r.Group("/k/:site", s.actor)
	k.GET("/board", s.board)
	k.GET("/board/rows", s.boardRows)
	k.GET("/strip", s.stripPart)
	k.GET("/live", s.live)
	k.GET("/due", s.due)
	k.GET("/dock", s.dock)
	k.GET("/dock/receive", s.receiveForm)
	k.POST("/dock/receive", s.receive)
	k.GET("/dockets/:id", s.docket)
	k.GET("/species", s.speciesSearch)
	k.GET("/lots/:id", s.lotCard)
	k.POST("/lots/:id/events/:kind", s.lotEvent)
	k.POST("/lots/:id/photos", s.addPhoto)
	k.GET("/lots/:id/claims/:event", s.claimPDF)
	k.GET("/photos/:photo", s.photo)
	k.GET("/trimmed", s.trimmed)
	k.GET("/market", s.market)
	k.POST("/market", s.look)
	k.GET("/dock/order", s.orderForm)
	k.POST("/dock/order", s.order)
	k.GET("/lots/:id/inspect", s.inspectForm)
	k.POST("/lots/:id/inspect/look", s.inspectLook)
	k.POST("/lots/:id/inspect", s.inspect)
	k.GET("/deck", s.deck)
	k.POST("/deck", s.land)
	k.GET("/lots/:id/deck", s.stamps)
	k.POST("/lots/:id/deck", s.stamp)
	k.GET("/lots/:id/harvest", s.harvestForm)
	k.POST("/lots/:id/harvest", s.harvest)
	k.GET("/ice", s.ice)
	k.GET("/ice/plan", s.icePlan)
	k.POST("/ice/places/:id/ice", s.logIce)
	k.POST("/ice/places/:id/box", s.setBox)
	k.POST("/ice/places", s.addPlace)
	k.GET("/ice/places/:id", s.place)
	k.POST("/ice/places/:id", s.setPlace)
	k.POST("/ice/places/:id/plan", s.arrange)
	k.GET("/ice/places/:id/trace", s.trace)
	k.GET("/ice/probes", s.probes)
	k.POST("/ice/probes", s.addProbe)
	k.POST("/ice/watching", s.setWatching)
	k.GET("/ice/probes/:id", s.probe)
	k.POST("/ice/probes/:id/move", s.moveProbe)
	k.POST("/ice/probes/:id/check", s.checkProbe)
	k.POST("/ice/probes/:id/reassign", s.reassign)
	k.POST("/ice/probes/:id/token", s.probeToken)
	k.GET("/ice/whatif", s.whatIf)
	k.POST("/ice/whatif", s.moveAll)
	k.GET("/ice/alarms/:id", s.failure)
	k.POST("/ice/alarms/:id", s.actOnAlarm)
	k.POST("/ice/alarms/:id/review", s.recordFailure)
	k.GET("/alarms", s.alarmPart)
	k.GET("/devices/:kind", s.lastValue)
	k.GET("/lots/:id/exposure", s.exposure)
	k.POST("/ice/places/:id/temperature", s.logPlace)
	k.GET("/freezer", s.freezer)
	k.POST("/freezer/places/:id", s.setFreezer)
	k.GET("/freezer/freeze", s.freezeForm)
	k.POST("/freezer/freeze", s.freeze)
	k.GET("/freezer/batches/:id", s.batch)
	k.POST("/freezer/batches/:id/core", s.batchCore)
	k.GET("/freezer/letters", s.letters)
	k.POST("/freezer/letters", s.addLetter)
	k.POST("/freezer/letters/:id/strike", s.strike(s.kitchen.StrikeLetter, "/freezer/letters"))
	k.GET("/lots/:id/certificate.pdf", s.certificate)
	k.GET("/thaw", s.thaw)
	k.POST("/thaw/school", s.setSchool)
	k.GET("/thaw/plan", s.thawOrder)
	k.POST("/thaw/plan", s.saveThaw)
	k.GET("/thaw/plans/:id", s.thawPlan)
	k.GET("/thaw/plans/:id/sheet", s.thawSheet)
	k.GET("/thaw/plans/:id/thaw.ics", s.thawCalendar)
	k.POST("/thaw/plans/:id/steps", s.tickThaw)
	k.POST("/thaw/plans/:id/replan", s.replanThaw)
	k.POST("/thaw/plans/:id/drop", s.dropThaw)
	k.GET("/ager", s.ager)
	k.POST("/ager/places/:id", s.setAger)
	k.GET("/ager/hang", s.hangForm)
	k.POST("/ager/hang", s.hang)
	k.GET("/ager/plans", s.ageingPlans)
	k.POST("/ager/plans", s.addAgeingPlan)
	k.POST("/ager/plans/:id/strike", s.strike(s.kitchen.StrikeAgeingPlan, "/ager/plans"))
	k.GET("/lots/:id/age", s.age)
	k.POST("/lots/:id/age/:what", s.ageEvent)
	k.GET("/import", s.importForm)
	k.POST("/import", s.importUpload)
	k.GET("/import/:id", s.importPreview)
	k.POST("/import/:id", s.importStore)
	k.GET("/records", s.records)
	k.POST("/records/check", s.checkChains)
	k.GET("/schemes", s.schemes)
	k.POST("/schemes", s.copyScheme)
	k.GET("/schemes/:scheme", s.scheme)
	k.POST("/schemes/:scheme", s.saveScheme)
	k.POST("/schemes/:scheme/calibrate", s.calibrate)
	k.GET("/rules", s.rules)
	k.POST("/rules", s.setProfile)
	k.GET("/suppliers", s.suppliers)
	k.POST("/suppliers", s.setWage)
	k.GET("/suppliers/:id", s.supplier)
	k.GET("/find", s.find)
	k.GET("/shift", s.shift)
	k.POST("/shift", s.takeShift)
	k.POST("/shift/scales", s.setScales)

	// Browsers may post only from our own pages; programs send no Origin.
	return http.NewCrossOriginProtection().Handler(r.Handler())
}

// recover answers a panic with a page, and keeps the server running.
func (s *Server) recover(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.log.Error("panic", "error", p, "path", c.Request.URL.Path, "stack", string(debug.Stack()))
			s.problem(c, http.StatusInternalServerError, "Something broke here. Nothing was stored.")
			c.Abort()
		}
	}()
	c.Next()
}

// observe counts and times requests by route.
func (s *Server) observe(registry *prometheus.Registry) gin.HandlerFunc {
	times := prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "leancatch_http_seconds", Help: "Time to answer a request.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 5}}, []string{"route", "method", "status"})
	registry.MustRegister(times)
	return func(c *gin.Context) {
		start := time.Now()
		c.Next()
		route := c.FullPath()
		if route == "" {
			route = "none"
		}
		times.WithLabelValues(route, c.Request.Method, strconv.Itoa(c.Writer.Status())).Observe(time.Since(start).Seconds())
		s.log.Debug("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "took", time.Since(start))
	}
}

// headers tell browsers to load nothing from elsewhere and to run no script
// but ours.
func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	c.Next()
}

func (s *Server) ready(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), 2*time.Second)
	defer cancel()
	if err := s.kitchen.DB.Migrated(ctx); err != nil {
		c.String(http.StatusServiceUnavailable, "not ready: %v\n", err)
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
