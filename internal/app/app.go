package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/pprof"
	"net/url"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"golang.org/x/sync/errgroup"

	"firethorn/client"
	"firethorn/console"
	"firethorn/docs"
	"firethorn/internal/api"
	"firethorn/internal/api/calls"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/geo"
	"firethorn/internal/git"
	"firethorn/internal/handbook"
	"firethorn/internal/intake"
	"firethorn/internal/localdb"
	"firethorn/internal/metrics"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/repository"
	"firethorn/internal/upkeep"
	"firethorn/internal/web"
	"firethorn/internal/worker"
)

// writeTime is how long an answer may take. Streams have no limit.
const writeTime = 5 * time.Minute

// stopTime is how long requests and the worker may take to finish.
const stopTime = 20 * time.Second

// Run runs the service until ctx ends. It prints "ready URL" to out once it
// answers.
func Run(ctx context.Context, c Config, out io.Writer) error {
	if err := c.Validate(); err != nil {
		return err
	}
	tuneCollector()
	unlock, err := lockDir(c.Data)
	if err != nil {
		return err
	}
	defer unlock()
	l, err := listen(c.Listen)
	if err != nil {
		return err
	}
	defer l.Close()
	var side net.Listener // for metrics
	if c.Metrics != "" {
		if side, err = listen(c.Metrics); err != nil {
			return err
		}
		defer side.Close()
	}
	public, err := c.publicURL(l.Addr())
	if err != nil {
		return err
	}
	if public.Scheme == "http" && !onLoopback(l.Addr()) {
		c.Log.Warn("people and tokens reach this service over plain http: put a proxy with https before it and set --public-url https://…", "listen", l.Addr().String())
	}
	dsn := c.Database
	if dsn == "" {
		stop, privateDSN, err := startPrivate(ctx, c)
		if err != nil {
			return err
		}
		defer stop()
		dsn = privateDSN
	}
	store, err := records.Open(ctx,
		records.Options{DSN: dsn, Log: c.Log, Now: c.now, Ahead: c.ClockOffset, NewerSchema: c.NewerSchema,
			SearchMemory: c.SearchMem})
	if err != nil {
		return err
	}
	defer store.Close()
	return serve(ctx, c, store, l, side, public, out)
}

func onLoopback(a net.Addr) bool {
	tcp, ok := a.(*net.TCPAddr)
	return ok && tcp.IP.IsLoopback()
}

func startPrivate(ctx context.Context, c Config) (stop func(), dsn string, err error) {
	pool := cmp.Or(c.DatabasePool, localdb.DefaultPool())
	opt := localdb.Options{Dir: filepath.Join(c.Data, "database"), Listen: c.DatabaseListen, Log: c.Log,
		BufferPool: localdb.Size(pool), LogSize: localdb.Size(cmp.Or(c.DatabaseLog, localdb.LogOf(pool)))}
	if c.SmallDatabase {
		opt.BufferPool, opt.LogSize = "64M", "16M"
	}
	db, err := localdb.Start(ctx, opt)
	if err != nil {
		return nil, "", err
	}
	watch, unwatch := context.WithCancel(context.WithoutCancel(ctx))
	watched := make(chan struct{})
	go func() { db.Watch(watch); close(watched) }()
	return func() {
		unwatch()
		<-watched
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
		defer cancel()
		if err := db.Stop(ctx); err != nil {
			c.Log.Error("the private database did not stop", "err", err)
		}
	}, db.DSN(localdb.Database), nil
}

// defaultSilence is after how long without a word a session counts as cut off.
const defaultSilence = 30 * time.Minute

// serve runs everything above the database.
func serve(ctx context.Context, c Config, store *records.Records, l, side net.Listener, public *url.URL,
	out io.Writer) error {
	first, err := ensureAdmin(ctx, store, c.Data)
	if err != nil {
		return err
	}
	countries, err := geo.Open(c.GeoDatabase)
	if err != nil {
		return err
	}
	defer countries.Close()
	units := pipeline.NewUnits(store.Symbols, c.SymbolMem)
	units.Countries = countries
	owner, err := ownerID(c.Data)
	if err != nil {
		return err
	}
	m := metrics.New(store.DB, store.Inbox)
	code := repository.New(filepath.Join(c.Data, "repositories"), store, c.Log,
		git.Hosts{Public: c.FetchFrom, Private: c.FetchFromPrivate})
	work := worker.New(worker.Needs{Queue: store.Inbox, Projects: store.Projects, Batches: store.Ingest,
		Grouping: store.Regrouping, Symbols: store.Symbols, Units: units, Log: c.Log, Owner: owner, Watch: m})
	store.Alerting.ReachedAt(public.String())
	store.Tickets.ReachedAt(public.String())
	jobs := upkeep.New(work, upkeep.Options{Store: store, Units: units, Log: c.Log, Renames: code.Renames,
		Silence: cmp.Or(c.Silence, defaultSilence), Watch: m.Job})
	handler, a, in, err := routes(c, parts{store, units, code, work, m, public})
	if err != nil {
		return err
	}
	server := &http.Server{
		Handler: web.Headers(public.Scheme == "https", web.Trace(c.Log)(handler)), MaxHeaderBytes: 64 << 10,
		ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 2 * time.Minute, WriteTimeout: writeTime,
		IdleTimeout: 2 * time.Minute,
		ErrorLog:    slog.NewLogLogger(c.Log.Handler(), slog.LevelDebug),
	}
	stopped, stop := context.WithCancel(ctx)
	defer stop()
	server.BaseContext = func(net.Listener) context.Context { return stopped } // live streams end with it

	// The worker goes on while requests drain, so that what they store is processed.
	workCtx, stopWork := context.WithCancel(context.WithoutCancel(ctx))
	defer stopWork()
	var g errgroup.Group
	if !c.StoreOnly {
		g.Go(func() error { return work.Run(workCtx, jobs.Run) })
	}
	g.Go(func() error { return a.Run(stopped) })
	g.Go(func() error { return watchInbox(stopped, c, store, in, m) })
	answer := func(s *http.Server, l net.Listener) {
		g.Go(func() error {
			if err := s.Serve(l); !errors.Is(err, http.ErrServerClosed) {
				stop()
				return err
			}
			return nil
		})
	}
	answer(server, newBoundedListener(l, maxConns, maxByAddress))
	metricsServer := &http.Server{Handler: inside(m.Handler()), ReadHeaderTimeout: 10 * time.Second,
		ErrorLog: server.ErrorLog}
	if side != nil {
		answer(metricsServer, side)
	}
	if err := announce(ctx, c, store, public, out, first); err != nil {
		c.Log.Error("could not announce", "err", err)
	}
	<-stopped.Done()
	c.Log.Info("stopping: finishing requests, then the worker")
	drain, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopTime)
	defer cancel()
	err = errors.Join(server.Shutdown(drain), metricsServer.Close())
	stopWork()
	return errors.Join(err, g.Wait())
}

// inside is what the metrics listener answers: metrics, and profiles of the
// running process for go tool pprof. The command line, which the package would
// show as well, may hold secrets.
func inside(metrics http.Handler) http.Handler {
	mux := http.NewServeMux()
	mux.Handle("/", metrics)
	mux.HandleFunc("/debug/pprof/", pprof.Index)
	mux.HandleFunc("/debug/pprof/profile", pprof.Profile)
	mux.HandleFunc("/debug/pprof/symbol", pprof.Symbol)
	mux.HandleFunc("/debug/pprof/trace", pprof.Trace)
	return mux
}

// watchInbox looks once a second how much waits, for intake, which turns
// senders away by it, and for the metrics.
func watchInbox(ctx context.Context, c Config, store *records.Records, in *intake.Intake, m *metrics.Metrics) error {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		call, cancel := context.WithTimeout(ctx, 5*time.Second)
		st, err := store.Overview.Inbox(call)
		if err == nil {
			err = in.Flush(call)
		}
		cancel()
		if err == nil {
			in.SetBacklog(intake.Backlog{Events: st.Events, ByProject: st.ByProject})
			m.Inbox(st, c.now())
		} else if ctx.Err() == nil {
			m.DatabaseAway()
			if db.Away(err) {
				store.Inbox.SawAway(err)
			}
		}
		select {
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
			defer cancel()
			if err := in.Flush(last); err != nil {
				c.Log.Warn("counts of what was turned away in the last second are lost", "err", err)
			}
			return nil
		case <-tick.C:
		}
	}
}

// ready says whether the service can take events in now.
func ready(ctx context.Context, store *records.Records) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	err := store.Inbox.CanAppend()
	if err == nil {
		err = store.DB.PingContext(ctx)
	}
	if err != nil {
		return &problem.Error{Op: "readyz", Code: problem.Unavailable, Retry: 5 * time.Second, Err: err,
			Pub: "the database does not answer: senders get 503 and retry, and no acknowledged event is lost; see the service's log, and mariadb.log in its data directory or the database's own log"}
	}
	return nil
}

// storesOf gives the API what its calls read and change.
func storesOf(r *records.Records) calls.Stores {
	return calls.Stores{
		Accounts:   r.Accounts,
		Alerting:   r.Alerting,
		Audit:      r.Audit,
		DB:         r.DB,
		Events:     r.Events,
		Find:       r.Find,
		Health:     r.Health,
		Inbox:      r.Inbox,
		Ingest:     r.Ingest,
		Issues:     r.Issues,
		Moves:      r.Moves,
		Overview:   r.Overview,
		Projects:   r.Projects,
		Regrouping: r.Regrouping,
		Releases:   r.Releases,
		Retention:  r.Retention,
		Schema:     r.Schema,
		Scoring:    r.Scoring,
		Similar:    r.Similar,
		Status:     r.Status,
		Symbols:    r.Symbols,
		Tickets:    r.Tickets,
		Trails:     r.Trails,
		Triage:     r.Triage,
	}
}

// parts are what answers are made from.
type parts struct {
	store  *records.Records
	units  *pipeline.Units
	code   *repository.Keeper
	work   *worker.Worker
	m      *metrics.Metrics
	public *url.URL
}

func routes(c Config, p parts) (http.Handler, *api.API, *intake.Intake, error) {
	r := chi.NewRouter()
	r.Get("/healthz", web.Handle(c.Log, func(w http.ResponseWriter, r *http.Request) error {
		return web.WriteJSON(w, http.StatusOK, map[string]string{"status": "ok"})
	}))
	r.Get("/readyz", web.Handle(c.Log, func(w http.ResponseWriter, r *http.Request) error {
		if err := ready(r.Context(), p.store); err != nil {
			return err
		}
		return web.WriteJSON(w, http.StatusOK, map[string]bool{"ready": true})
	}))
	in := intake.New(intake.Options{Projects: p.store.Projects, Inbox: p.store.Inbox, Router: p.store.Ingest,
		Wake: p.work.Wake, Log: c.Log, Limits: c.Limits, Watch: p.m, Now: c.now, Countries: p.units.Countries})
	in.Routes(r)
	opt := api.Options{Store: storesOf(p.store), Code: p.code, Units: p.units, Log: c.Log, PublicURL: p.public,
		Wake: p.work.Wake, Clients: client.Version, Watch: p.m, Metrics: p.m.Handler()}
	if c.Database == "" {
		opt.DiskFree = func() (int64, error) { return diskFree(c.Data) }
	}
	a, err := api.New(r, opt)
	if err != nil {
		return nil, nil, nil, err
	}
	r.Get("/unsubscribe", web.Handle(c.Log, unsubscribe(p.store.Alerting)))
	r.Post("/unsubscribe", web.Handle(c.Log, unsubscribe(p.store.Alerting)))
	r.Post("/hooks/{name}", web.Handle(c.Log, hook(p.store.Tickets)))
	r.Get("/clients/*", client.Handler().ServeHTTP)
	book, err := handbook.NewHandler(docs.Files)
	if err != nil {
		return nil, nil, nil, err
	}
	book.Routes(r)
	pages, err := console.Handler()
	if err != nil {
		c.Log.Warn(err.Error())
	}
	r.NotFound(func(w http.ResponseWriter, req *http.Request) {
		if strings.HasPrefix(req.URL.Path, "/api/") || strings.HasPrefix(req.URL.Path, "/v1/") {
			web.WriteError(w, req, c.Log, problem.New(problem.NotFound,
				"there is no call %s %s; /api/openapi.json lists the calls", req.Method, req.URL.Path))
			return
		}
		pages.ServeHTTP(w, req)
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, req *http.Request) {
		problem := &web.Problem{Type: "about:blank", Title: "Method Not Allowed", Status: http.StatusMethodNotAllowed,
			Detail: fmt.Sprintf("%s does not work on %s", req.Method, req.URL.Path)}
		web.WriteError(w, req, c.Log, problem)
	})
	return r, a, in, nil
}
