package server

import (
	"net"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// metrics are what an operator reads, in the text format of Prometheus.
type metrics struct {
	registry  *prometheus.Registry
	requests  *prometheus.CounterVec
	durations *prometheus.HistogramVec
	problems  *prometheus.CounterVec
	panics    prometheus.Counter
	streams   prometheus.Gauge
	cutOff    prometheus.Counter
}

func (s *server) newMetrics() *metrics {
	counter := func(name, help string) prometheus.Counter {
		return prometheus.NewCounter(prometheus.CounterOpts{Namespace: "viandante", Name: name, Help: help})
	}
	m := &metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Namespace: "viandante", Name: "requests_total",
			Help: "Requests by route and status."}, []string{"route", "status"}),
		durations: prometheus.NewHistogramVec(prometheus.HistogramOpts{Namespace: "viandante", Name: "request_seconds",
			Help:    "How long requests took, by route.",
			Buckets: []float64{.0005, .001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 10}}, []string{"route"}),
		problems: prometheus.NewCounterVec(prometheus.CounterOpts{Namespace: "viandante", Name: "problems_total",
			Help: "Requests that were answered with a problem, by its type."}, []string{"type"}),
		panics: counter("panics_total", "Requests that went wrong here."),
		streams: prometheus.NewGauge(
			prometheus.GaugeOpts{Namespace: "viandante", Name: "streams", Help: "Streams of changes that are open."},
		),
		cutOff: counter(
			"streams_cut_off_total",
			"Streams that were ended because their reader was too slow; they can be resumed.",
		),
	}
	read := func(name, help string, value func() int64) prometheus.Collector {
		o := prometheus.CounterOpts{Namespace: "viandante", Name: name, Help: help}
		return prometheus.NewCounterFunc(o, func() float64 { return float64(value()) })
	}
	v := s.Service
	m.registry.MustRegister(
		m.requests,
		m.durations,
		m.problems,
		m.panics,
		m.streams,
		m.cutOff,
		read(
			"region_faults_total",
			"Readings of a region file that failed because it was cut short or its disk fails.",
			v.RegionFaults,
		),
		read("background_panics_total", "What went wrong in the background, and was begun again.", v.Panics),
		read("database_outages_total", "Times that the database was found not to answer.", v.Outages),
		prometheus.NewGaugeFunc(
			prometheus.GaugeOpts{
				Namespace: "viandante",
				Name:      "regions_away",
				Help:      "Regions that should be in use and cannot be read.",
			},
			func() float64 { return float64(s.Service.RegionsAway()) },
		),
		collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
	)
	return m
}

// measured counts requests, by the pattern of their route and not by what was asked for.
func (s *server) measured(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		began := time.Now()
		err := next(c)
		if err != nil {
			s.problem(c, err) // here, so that its status is known
		}
		status := http.StatusOK
		if r, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && r.Status != 0 {
			status = r.Status
		}
		route := c.Path()
		if route == "" {
			route = "none"
		}
		s.metrics.requests.WithLabelValues(route, strconv.Itoa(status)).Inc()
		if route != "/v1/changes" {
			s.metrics.durations.WithLabelValues(route).Observe(time.Since(began).Seconds())
		}
		return nil
	}
}

// serveMetrics answers those who ask on the machine itself, and whoever has a token.
func (s *server) serveMetrics(c *echo.Context) error {
	host, _, err := net.SplitHostPort(c.Request().RemoteAddr)
	if err != nil || !isLoopback(host) || proxied(c.Request()) {
		if _, err := s.whoAsks(c); err != nil {
			return err
		}
	}
	promhttp.HandlerFor(s.metrics.registry, promhttp.HandlerOpts{DisableCompression: true}).
		ServeHTTP(c.Response(), c.Request())
	return nil
}
