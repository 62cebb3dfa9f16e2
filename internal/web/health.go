package web

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"

	"vastspan/internal/service"
)

// readyTimeout is how long the database is given to answer.
const readyTimeout = 2 * time.Second

// alive answers as long as the service does.
func alive(c *gin.Context) { c.JSON(http.StatusOK, gin.H{"status": "alive"}) }

// ready answers whether requests can be served: whether the database answers, and, where it does not, why.
func ready(s *service.Service) gin.HandlerFunc {
	return func(c *gin.Context) {
		ctx, stop := context.WithTimeout(c.Request.Context(), readyTimeout)
		defer stop()
		if err := s.Ping(ctx); err != nil {
			c.Header("Retry-After", retrySeconds)
			c.JSON(http.StatusServiceUnavailable, gin.H{"status": "not ready", "reason": s.Understood(err).Error()})
			return
		}
		c.JSON(http.StatusOK, gin.H{"status": "ready"})
	}
}

// A gauged is a collector of what the service measures of itself.
type gauged struct {
	service                   *service.Service
	totals, loads, records    *prometheus.Desc
	columns                   *prometheus.Desc
	connections, waits, asked *prometheus.Desc
	questions, busy           *prometheus.Desc
	gates                     map[string]*gate
}

func newGauged(s *service.Service, gates map[string]*gate) *gauged {
	describe := func(name, help string, labels ...string) *prometheus.Desc {
		return prometheus.NewDesc("vastspan_"+name, help, labels, nil)
	}
	return &gauged{
		service: s, gates: gates,
		questions: describe("questions", "Heavy questions and files of records that are being answered, and that wait.",
			"kind", "state"),
		busy:   describe("refused_busy_total", "Questions that were refused since too much was asked at a time.", "kind"),
		totals: describe("totals_total", "Totals that were answered, by where the records are.", "source"),
		loads:  describe("loads_total", "Files that were loaded."), records: describe("loaded_records_total", "Records that were loaded."),
		columns: describe("columns_bytes", "How long the files of columns are that are open, by what they hold.", "kind"),
		connections: describe("database_connections", "Connections to the database, by what they are for and whether they are in use.",
			"pool", "state"),
		waits: describe("database_waits_total", "How often a connection to the database had to be waited for.", "pool"),
		asked: describe("database_wait_seconds_total", "How long connections to the database were waited for.", "pool"),
	}
}

// Describe implements prometheus.Collector.
func (g *gauged) Describe(into chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{
		g.totals, g.loads, g.records, g.columns, g.connections, g.waits, g.asked, g.questions, g.busy,
	} {
		into <- d
	}
}

// Collect implements prometheus.Collector.
func (g *gauged) Collect(into chan<- prometheus.Metric) {
	m := g.service.Measures()
	put := func(d *prometheus.Desc, kind prometheus.ValueType, value float64, labels ...string) {
		into <- prometheus.MustNewConstMetric(d, kind, value, labels...)
	}
	for source, n := range m.Totals {
		put(g.totals, prometheus.CounterValue, float64(n), source)
	}
	put(g.loads, prometheus.CounterValue, float64(m.Loads))
	put(g.records, prometheus.CounterValue, float64(m.LoadedRecords))
	put(g.columns, prometheus.GaugeValue, float64(m.RowBytes), "rows")
	put(g.columns, prometheus.GaugeValue, float64(m.SumBytes), "sums")
	for kind, gate := range g.gates {
		running, waiting := gate.state()
		put(g.questions, prometheus.GaugeValue, float64(running), kind, "running")
		put(g.questions, prometheus.GaugeValue, float64(waiting), kind, "waiting")
		put(g.busy, prometheus.CounterValue, float64(gate.refused.Load()), kind)
	}
	for pool, s := range m.Pools {
		put(g.connections, prometheus.GaugeValue, float64(s.InUse), pool, "in use")
		put(g.connections, prometheus.GaugeValue, float64(s.Idle), pool, "idle")
		put(g.waits, prometheus.CounterValue, float64(s.WaitCount), pool)
		put(g.asked, prometheus.CounterValue, s.WaitDuration.Seconds(), pool)
	}
}

// policy keeps pages to what the service itself serves: no script, style or frame of others, none written into the page.
const policy = "default-src 'self'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; form-action 'self'; " +
	"frame-ancestors 'none'"

// pageHeaders say what pages may do.
func pageHeaders(c *gin.Context) {
	c.Header("Content-Security-Policy", policy)
	c.Header("Referrer-Policy", "same-origin")
	c.Header("X-Frame-Options", "DENY")
}

// quietPaths are asked so often that the log leaves them out.
var quietPaths = []string{"/livez", "/readyz", metricsPath}

func isQuiet(path string) bool { return slices.Contains(quietPaths, path) }
