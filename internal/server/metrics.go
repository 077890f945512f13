package server

import (
	"context"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"examen/internal/grading"
	"examen/internal/records"
	"examen/internal/work"
)

// registry returns the metrics of the process, and of the parts as they are whenever somebody reads them.
func (s *Server) registry(grader *grading.Grader) *prometheus.Registry {
	r := prometheus.NewRegistry()
	r.MustRegister(
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		gauges{s, grader},
	)
	return r
}

// gauges are read when they are asked for.
type gauges struct {
	*Server
	grader *grading.Grader
}

var (
	serverUp = prometheus.NewDesc(
		"examen_server_up", "Whether a PostgreSQL server answers: 1 or 0.", []string{"server"}, nil,
	)
	diskFree = prometheus.NewDesc(
		"examen_disk_free_bytes", "Room on a server's disk, where it can be told.", []string{"server"}, nil,
	)
	builds = prometheus.NewDesc(
		"examen_builds", "Databases of builds and variants on a practice server.", []string{"server"}, nil,
	)
	copies = prometheus.NewDesc(
		"examen_copies", "Learners' and checks' copies on a practice server.", []string{"server"}, nil,
	)
	seats = prometheus.NewDesc("examen_seats", "Seats of this service.", []string{"server", "kind"}, nil)
	taken = prometheus.NewDesc("examen_seats_in_use", "Seats on which something runs.", []string{"server", "kind"}, nil)
	waits = prometheus.NewDesc("examen_seats_waited_for", "Runs that wait for a seat.", []string{"server", "kind"}, nil)
	tasks = prometheus.NewDesc("examen_tasks", "Tasks in the background.", []string{"queue", "state"}, nil)
	kinds = prometheus.NewDesc(
		"examen_jobs", "Builds and other jobs, by kind and state.", []string{"kind", "state"}, nil,
	)
	pool = prometheus.NewDesc(
		"examen_records_connections", "Connections to the records.", []string{"state"}, nil,
	)
	poolWaits = prometheus.NewDesc(
		"examen_records_waits_total", "Times that a connection to the records was waited for.", nil, nil,
	)
	cached = prometheus.NewDesc(
		"examen_cache_lookups_total", "Lookups in caches, by whether the value was there.", []string{"cache", "found"},
		nil,
	)
	causes = prometheus.NewDesc(
		"examen_causes", "Causes of incorrect attempts that this service looks for, or that wait for their turn.",
		[]string{"state"}, nil,
	)
)

// Describe is of [prometheus.Collector].
func (g gauges) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{
		serverUp, diskFree, builds, copies, seats, taken, waits, tasks, kinds, pool, poolWaits, cached, causes,
	} {
		to <- d
	}
}

// Collect is of [prometheus.Collector]. What a server that is away does not tell is left out.
func (g gauges) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	tell := func(d *prometheus.Desc, value float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	count := func(d *prometheus.Desc, value int64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.CounterValue, float64(value), labels...)
	}
	up := map[bool]float64{true: 1}
	g.practices(ctx, tell, up)
	there := g.records.Ping(ctx) == nil
	tell(serverUp, up[there], "records")
	if free, _ := g.room(); g.clusters != nil && g.clusters[0] != nil {
		tell(diskFree, float64(free), "records")
	}
	if there {
		queued, err := records.Background(ctx, g.records)
		if err == nil {
			for _, q := range queued {
				d := kinds
				if q.Task {
					d = tasks
				}
				tell(d, float64(q.Count), q.Name, q.State)
			}
		}
	}
	p := records.Pool(g.records)
	tell(pool, float64(p.AcquiredConns()), "in use")
	tell(pool, float64(p.IdleConns()), "idle")
	tell(pool, float64(p.MaxConns()), "most")
	count(poolWaits, p.EmptyAcquireCount())
	lookups := func(holds string, found, missed int64) {
		count(cached, found, holds, "yes")
		count(cached, missed, holds, "no")
	}
	records.CacheLookups(g.records, lookups)
	looking, waiting := work.CausesWanted(g.Work)
	tell(causes, float64(looking), "looked for")
	tell(causes, float64(waiting), "waiting")
	for holds, n := range g.grader.Lookups() {
		lookups(holds, n.Found, n.Missed)
	}
}

func (g gauges) practices(
	ctx context.Context, tell func(d *prometheus.Desc, value float64, labels ...string), up map[bool]float64,
) {
	for _, state := range g.practice.Operation().States(ctx) {
		tell(serverUp, up[state.Ready], state.Name)
		if state.Free > 0 {
			tell(diskFree, float64(state.Free), state.Name)
		}
		if state.Ready {
			tell(builds, float64(state.Builds), state.Name)
			tell(copies, float64(state.Copies), state.Name)
		}
	}
	for _, of := range g.practice.Operation().Seats() {
		tell(seats, float64(of.All), of.Server, of.Kind)
		tell(taken, float64(of.InUse), of.Server, of.Kind)
		tell(waits, float64(of.Waiting), of.Server, of.Kind)
	}
}
