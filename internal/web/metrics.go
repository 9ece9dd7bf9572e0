package web

import (
	"context"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// newRegistry is what /metrics answers; docs/operations.md tells of each.
func (s *Server) newRegistry() *prometheus.Registry {
	r := prometheus.NewRegistry()
	r.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), vitals{s})
	return r
}

// serveMetrics answers programs on this machine alone: the figures tell strangers when nobody is there.
func (s *Server) serveMetrics(registry *prometheus.Registry) gin.HandlerFunc {
	handler := gin.WrapH(promhttp.HandlerFor(registry, promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError}))
	return func(c *gin.Context) {
		if !onThisMachine(c) {
			s.noRoute(c)
			return
		}
		handler(c)
	}
}

// vitals are the figures of the installation, read when they are asked for.
type vitals struct{ *Server }

// vitalsTime is how long they may take.
const vitalsTime = 2 * time.Second

func vital(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("leancatch_"+name, help, labels, nil)
}

var (
	vitalUp       = vital("database_up", "1 where the database answers.")
	vitalAge      = vital("projection_age_seconds", "For how long what people see has not been brought up to date.")
	vitalQueue    = vital("projection_queue", "Lots and places that wait to be brought up to date.")
	vitalAlarms   = vital("open_alarms", "Alarms that last, of all kitchens.")
	vitalSilent   = vital("silent_probes", "Probes that should have been heard.")
	vitalStreams  = vital("live_streams", "Pages that listen.")
	vitalBehind   = vital("live_behind_seconds", "For how long the database has not answered.")
	vitalPool     = vital("db_pool_connections", "Connections to the database.", "pool", "state")
	vitalPoolMost = vital("db_pool_connections_max", "How many there may be.", "pool")
	vitalPoolWait = vital("db_pool_wait_seconds_total", "Time spent waiting for a connection.", "pool")
)

// Describe implements prometheus.Collector.
func (vitals) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{vitalUp, vitalAge, vitalQueue, vitalAlarms, vitalSilent, vitalStreams, vitalBehind, vitalPool,
		vitalPoolMost, vitalPoolWait} {
		ch <- d
	}
}

// Collect implements prometheus.Collector.
func (v vitals) Collect(ch chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, value float64, labels ...string) {
		ch <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	ctx, cancel := context.WithTimeout(context.Background(), vitalsTime)
	defer cancel()
	read, err := v.kitchen.Vitals(ctx)
	if err == nil {
		gauge(vitalUp, 1)
		gauge(vitalQueue, float64(read.Queue))
		gauge(vitalAlarms, float64(read.OpenAlarms))
		gauge(vitalSilent, float64(read.SilentProbes))
	} else {
		gauge(vitalUp, 0)
	}
	gauge(vitalAge, read.ProjectionAge.Seconds())
	gauge(vitalStreams, float64(v.hub.streams()))
	if v.hub.readAt.Load() != 0 {
		gauge(vitalBehind, v.hub.behind().Seconds())
	}
	for name, pool := range v.kitchen.Pools() {
		gauge(vitalPool, float64(pool.AcquiredConns()), name, "busy")
		gauge(vitalPool, float64(pool.IdleConns()), name, "idle")
		gauge(vitalPoolMost, float64(pool.MaxConns()), name)
		ch <- prometheus.MustNewConstMetric(vitalPoolWait, prometheus.CounterValue, pool.AcquireDuration().Seconds(), name)
	}
}
