// Package metrics counts what the service does, in the form that Prometheus
// reads.
package metrics

import (
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Meter counts deployments. It is safe for many goroutines.
type Meter struct {
	registry    *prometheus.Registry
	deployments *prometheus.CounterVec
	sent        *prometheus.CounterVec
	phases      *prometheus.HistogramVec
	outages     *prometheus.CounterVec
}

// New makes a meter that has counted nothing yet.
func New() *Meter {
	m := &Meter{registry: prometheus.NewRegistry(),
		deployments: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "restless_deployments_total", Help: "Runs and undos that ended, by how."}, []string{"server", "state"}),
		sent:        prometheus.NewCounterVec(prometheus.CounterOpts{Name: "restless_sent_bytes_total", Help: "Bytes of files sent to servers."}, []string{"server"}),
		phases: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "restless_phase_seconds", Help: "How long the phases of finished deployments took.",
			Buckets: prometheus.ExponentialBuckets(0.1, 3, 9)}, []string{"phase"}),
		outages: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "restless_lost_lines_total", Help: "Lines to hosts that were lost in a deployment."}, []string{"server"}),
	}
	m.registry.MustRegister(m.deployments, m.sent, m.phases, m.outages, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Ended counts a run or an undo that ended in a state, and what it sent.
func (m *Meter) Ended(server, state string, sent int64) {
	m.deployments.WithLabelValues(server, state).Inc()
	m.sent.WithLabelValues(server).Add(float64(sent))
}

// Phase counts how long a phase took.
func (m *Meter) Phase(phase string, took time.Duration) {
	m.phases.WithLabelValues(phase).Observe(took.Seconds())
}

// LostLine counts a line that was lost.
func (m *Meter) LostLine(server string) { m.outages.WithLabelValues(server).Inc() }

// Handler answers with everything counted.
func (m *Meter) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}
