// Package metrics counts what the service does and exposes it in the text format of Prometheus.
// Metrics do not name projects, since their readers may lack permission to see them.
package metrics

import (
	"context"
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"firethorn/internal/db"
	"firethorn/internal/usecase/overview"
)

// Metrics are the counters of one process.
type Metrics struct {
	registry                   *prometheus.Registry
	stored, processed, repeats prometheus.Counter
	failed                     prometheus.Counter
	refused, away              *prometheus.CounterVec
	latency                    prometheus.Histogram
	waiting, oldest, setSide   prometheus.Gauge
	following, databaseUp      prometheus.Gauge
	dbErrors                   prometheus.Counter
	wrongSecrets               *prometheus.CounterVec
	jobs                       *prometheus.HistogramVec
	jobErrors                  *prometheus.CounterVec
}

// Pools says how the connections to the database are used.
type Pools interface{ Pools() map[string]db.PoolUse }

// Drops counts the events that were received and not stored, by cause.
type Drops interface {
	Drops(ctx context.Context) (map[string]int64, error)
}

// New makes the metrics.
func New(pools Pools, drops Drops) *Metrics {
	counter := func(name, help string) prometheus.Counter {
		return prometheus.NewCounter(prometheus.CounterOpts{Name: "firethorn_" + name, Help: help})
	}
	byCause := func(name, help string) *prometheus.CounterVec {
		return prometheus.NewCounterVec(prometheus.CounterOpts{Name: "firethorn_" + name, Help: help},
			[]string{"cause"})
	}
	gauge := func(name, help string) prometheus.Gauge {
		return prometheus.NewGauge(prometheus.GaugeOpts{Name: "firethorn_" + name, Help: help})
	}
	m := &Metrics{
		registry:  prometheus.NewRegistry(),
		stored:    counter("events_stored_total", "Events acknowledged by this process."),
		processed: counter("events_filed_total", "New events processed by this process."),
		repeats:   counter("events_repeated_total", "Deliveries of events that had been processed before."),
		refused:   byCause("events_refused_total", "Events that could not be read, by cause."),
		away:      byCause("requests_turned_away_total", "Requests answered with 429 or 503, by cause."),
		failed:    counter("events_set_aside_total", "Events that failed to be processed."),
		latency: prometheus.NewHistogram(
			prometheus.HistogramOpts{
				Name:    "firethorn_filing_seconds",
				Help:    "From receipt to processed, of the oldest event of each batch.",
				Buckets: []float64{.01, .025, .05, .1, .25, .5, 1, 2, 5, 10, 30, 60, 300, 1800},
			},
		),
		waiting:    gauge("inbox_events", "Events in the processing queue, in the whole database."),
		oldest:     gauge("inbox_oldest_seconds", "Age of the oldest event that waits."),
		setSide:    gauge("set_aside_events", "Failed events that are kept."),
		following:  gauge("moves_following", "Merges and undos whose counts are on their way."),
		databaseUp: gauge("database_up", "1 while the database answers."),
		wrongSecrets: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "firethorn_wrong_secrets_total",
			Help: "Requests with a wrong token or sign-in link."}, []string{"what"}),
		jobs: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "firethorn_job_seconds",
			Help: "Steps of background jobs, by job.", Buckets: []float64{.005, .02, .1, .5, 2, 10, 60, 600}},
			[]string{"job"}),
		jobErrors: prometheus.NewCounterVec(
			prometheus.CounterOpts{
				Name: "firethorn_job_failures_total",
				Help: "Steps of background jobs that failed and are tried again, by job.",
			},
			[]string{"job"},
		),
		dbErrors: counter("database_errors_total", "Times that the database did not answer a look at the inbox."),
	}
	m.registry.MustRegister(
		m.stored,
		m.processed,
		m.repeats,
		m.refused,
		m.away,
		m.failed,
		m.latency,
		m.waiting,
		m.oldest,
		m.setSide,
		m.following,
		m.databaseUp,
		m.dbErrors,
		m.wrongSecrets,
		m.jobs,
		m.jobErrors,
		&storeCollector{pools, drops},
		collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
	)
	for _, cause := range []string{"database_away", "inbox_long", "memory_full", "over_allowance", "logs_busy"} {
		m.away.WithLabelValues(cause) // shown from the start, as 0
	}
	for _, what := range []string{"token", "sign-in link"} {
		m.wrongSecrets.WithLabelValues(what)
	}
	return m
}

// Stored counts acknowledged events.
func (m *Metrics) Stored(events int) { m.stored.Add(float64(events)) }

// Refused counts events that could not be read.
func (m *Metrics) Refused(events int, cause string) {
	m.refused.WithLabelValues(cause).Add(float64(events))
}

// Rejected counts requests that were told to retry later.
func (m *Metrics) Rejected(cause string) { m.away.WithLabelValues(cause).Inc() }

// WrongSecret counts a request with a wrong token or sign-in link.
func (m *Metrics) WrongSecret(what string) { m.wrongSecrets.WithLabelValues(what).Inc() }

// Processed counts what one turn of the worker did.
func (m *Metrics) Processed(events, repeats, failed int, waited time.Duration) {
	m.processed.Add(float64(events))
	m.repeats.Add(float64(repeats))
	m.failed.Add(float64(failed))
	m.latency.Observe(waited.Seconds())
}

// Job counts a step of a background job, and times it.
func (m *Metrics) Job(name string, took time.Duration, err error) {
	m.jobs.WithLabelValues(name).Observe(took.Seconds())
	if err != nil {
		m.jobErrors.WithLabelValues(name).Inc()
	}
}

// Inbox shows how much waits.
func (m *Metrics) Inbox(st overview.InboxState, now time.Time) {
	m.databaseUp.Set(1)
	m.waiting.Set(float64(st.Events))
	m.setSide.Set(float64(st.Failed))
	m.following.Set(float64(st.Following))
	age := 0.0
	if !st.Oldest.IsZero() {
		age = max(0, now.Sub(st.Oldest).Seconds())
	}
	m.oldest.Set(age)
}

// DatabaseAway shows that the database does not answer.
func (m *Metrics) DatabaseAway() {
	m.databaseUp.Set(0)
	m.dbErrors.Inc()
}

// Handler serves the metrics.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{Registry: m.registry})
}

// storeCollector asks the store when the metrics are read.
type storeCollector struct {
	pools Pools
	drops Drops
}

// dropTime is how long the database may take to say what was dropped; without
// its answer that metric is left out.
const dropTime = 2 * time.Second

var (
	poolOpen = prometheus.NewDesc("firethorn_database_connections", "Open connections.", []string{"pool"}, nil)
	poolUsed = prometheus.NewDesc(
		"firethorn_database_connections_in_use",
		"Connections in use.",
		[]string{"pool"},
		nil,
	)
	maxPool = prometheus.NewDesc("firethorn_database_connections_max", "Connections there may be.", []string{"pool"},
		nil)
	dropped = prometheus.NewDesc(
		"firethorn_events_dropped_total",
		"Events that were acknowledged and dropped, and events that clients report as lost, by cause, in the whole database.",
		[]string{"cause"},
		nil,
	)
	poolWait = prometheus.NewDesc("firethorn_database_wait_seconds_total", "Time spent waiting for a connection.",
		[]string{"pool"}, nil)
)

func (c *storeCollector) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{poolOpen, poolUsed, maxPool, poolWait, dropped} {
		ch <- d
	}
}

func (c *storeCollector) Collect(ch chan<- prometheus.Metric) {
	for name, u := range c.pools.Pools() {
		ch <- prometheus.MustNewConstMetric(poolOpen, prometheus.GaugeValue, float64(u.Open), name)
		ch <- prometheus.MustNewConstMetric(poolUsed, prometheus.GaugeValue, float64(u.InUse), name)
		ch <- prometheus.MustNewConstMetric(maxPool, prometheus.GaugeValue, float64(u.Limit), name)
		ch <- prometheus.MustNewConstMetric(poolWait, prometheus.CounterValue, u.Waited.Seconds(), name)
	}
	ctx, cancel := context.WithTimeout(context.Background(), dropTime)
	defer cancel()
	drops, err := c.drops.Drops(ctx)
	if err != nil {
		return // firethorn_database_up says it
	}
	for cause, n := range drops {
		ch <- prometheus.MustNewConstMetric(dropped, prometheus.CounterValue, float64(n), cause)
	}
}
