package projects

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"runtime"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/errgroup"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/access"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/regroup"
	"firethorn/internal/core/rules"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/similar"
	"firethorn/internal/web"
)

// TryIn asks for a trial.
type TryIn struct {
	calls.ProjectPath
	Body contract.TryRules
}

const (
	tryTime      = 20 * time.Second // how long a trial may take that nobody watches
	tryDays      = 7
	tryEvents    = 2000
	tryAtOnce    = 1 // trials in a process: they must not slow down what comes in
	tryWaits     = 10 * time.Second
	progressPace = 250 * time.Millisecond
)

// trials lets so many trials run at once.
type trials chan struct{}

// begin waits for a place; end gives it back.
func (t trials) begin(ctx context.Context) (end func(), err error) {
	select {
	case t <- struct{}{}:
		return func() { <-t }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(tryWaits):
		return nil, &problem.Error{Op: "api.try", Code: problem.TooMany, Retry: 10 * time.Second,
			Pub: "another trial is running; try again when it is done"}
	}
}

func (a *handlers) trial(t *calls.Table) {
	calls.OnProject(t, "try-rules",
		func(ctx context.Context, p *projects.Project, in *TryIn) (*calls.Body[contract.RulesTried], error) {
			ctx, cancel := context.WithTimeout(ctx, tryTime)
			defer cancel()
			run, err := a.newTrial(ctx, p, in)
			if err != nil {
				return nil, err
			}
			out, err := run.do(ctx, func(int) {})
			if err != nil {
				return nil, err
			}
			return calls.Answer(*out), nil
		})
	calls.OnProject(t, "watch-rules-trial",
		func(ctx context.Context, p *projects.Project, in *TryIn) (*huma.StreamResponse, error) {
			run, err := a.newTrial(ctx, p, in)
			if err != nil {
				return nil, err
			}
			if run.of, err = a.Store.Similar.KeptSince(ctx, run.p.ID, run.since, run.in.Events); err != nil {
				return nil, err
			}
			return &huma.StreamResponse{Body: func(h huma.Context) { run.stream(h) }}, nil
		})
}

// readsBetweenLooks is after how many events a trial asks whether who watches it may
// read them still.
const readsBetweenLooks = 500

// trialRun is one trial.
type trialRun struct {
	a      *handlers
	p      *projects.Project
	in     contract.TryRules
	intake *rules.Trial
	groups *regroup.Trial
	alerts *rules.AlertTrial
	of     int // events to check, for progress
	since  time.Time
}

func (a *handlers) newTrial(ctx context.Context, p *projects.Project, in *TryIn) (*trialRun, error) {
	r := &trialRun{a: a, p: p, in: in.Body}
	now := p.Method()
	then := now
	if in.Body.GroupingVersion != 0 {
		if then.Version = in.Body.GroupingVersion; then.Version < fingerprint.Oldest ||
			then.Version > fingerprint.Version {
			return nil, problem.New(problem.BadInput, "there is no grouping version %d; this service knows %d to %d",
				then.Version, fingerprint.Oldest, fingerprint.Version)
		}
	}
	set := p.Rules
	if in.Body.Text != nil {
		var err error
		if set, err = readRulesFile(*in.Body.Text); err != nil {
			return nil, err
		}
		then.Rules, then.Off = set, nil
	}
	if set == nil {
		set = &rules.Set{}
	}
	if r.in.Days == 0 {
		r.in.Days = tryDays
	}
	if r.in.Events == 0 {
		r.in.Events = tryEvents
	}
	r.since = time.Now().Add(-time.Duration(r.in.Days) * 24 * time.Hour)
	r.intake, r.groups = rules.NewTrial(set), regroup.NewTrial(now, then)
	newest, err := a.Store.Overview.Overview(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	r.alerts = rules.NewAlertTrial(set, newest.Newest)
	return r, nil
}

// do looks at the events: one reads them, others fingerprint them, and one
// counts. progress gets the number of events that were read.
func (r *trialRun) do(ctx context.Context, progress func(looked int)) (*contract.RulesTried, error) {
	end, err := r.a.trials.begin(ctx)
	if err != nil {
		return nil, err
	}
	defer end()
	type looked struct {
		o     *similar.Observation
		tried regroup.Tried
		kept  *pipeline.Kept
	}
	out := &contract.RulesTried{}
	reads, counts := make(chan *similar.Observation, 64), make(chan looked, 64)
	g, gctx := errgroup.WithContext(ctx)
	g.Go(func() (err error) {
		defer close(reads)
		read := 0
		out.All, err = r.a.Store.Similar.Observe(gctx, r.p.ID, r.since, r.in.Events,
			func(o *similar.Observation) error {
				if read++; read%readsBetweenLooks == 0 {
					if err := r.a.Still(gctx, access.ReadEvents, r.p); err != nil {
						return err
					}
				}
				select {
				case reads <- o:
					return nil
				case <-gctx.Done():
					return gctx.Err()
				}
			})
		return err
	})
	printers, pctx := errgroup.WithContext(gctx)
	for range max(1, runtime.GOMAXPROCS(0)/2) {
		printers.Go(func() error {
			for o := range reads {
				kept, err := pipeline.Observe(pctx, r.p.Project, o.Raw, r.a.Units)
				if err != nil {
					return err
				}
				x := looked{o: o, tried: r.groups.Try(o.See(kept.Event, kept.Frames)), kept: kept}
				select {
				case counts <- x:
				case <-pctx.Done():
					return pctx.Err()
				}
			}
			return nil
		})
	}
	g.Go(func() error {
		defer close(counts)
		return printers.Wait()
	})
	n, heads := 0, map[int64]string{}
	for x := range counts {
		o := x.o
		if out.From.IsZero() || o.Received.Before(out.From) {
			out.From = o.Received
		}
		heads[o.Issue] = o.Headline
		r.look(o, x.kept)
		r.groups.Add(x.tried)
		n++
		progress(n)
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	out.Events, out.Kept = r.intake.Events, r.intake.Kept
	out.Intake, out.Scrub = from.TrialRules(r.intake.Intake), from.TrialRules(r.intake.Scrub)
	moments, err := r.a.Store.Alerting.Moments(ctx, r.p, r.since)
	out.Alerts = from.TrialRules(r.alerts.Done(moments))
	out.Grouping = from.Outcome(r.groups.Outcome(func(issue int64) (string, string) { return heads[issue], "" }))
	out.Failed = r.groups.Failed
	return out, err
}

// look tries one event.
func (r *trialRun) look(o *similar.Observation, kept *pipeline.Kept) {
	facts := rules.NewFacts(kept.Event, o.Thrown, kept.StoredFrames)
	example := rules.TrialExample{Event: o.ID, Issue: fmt.Sprintf("%s/%d", r.p.Name, o.Issue), Text: o.Headline}
	r.intake.Try(facts, example, kept.Resource, kept.JSON)
	r.alerts.Try(facts, example, o.User, o.StandsFor)
}

// stream runs the trial while its answer is read.
func (r *trialRun) stream(h huma.Context) {
	h.SetHeader("Content-Type", "text/event-stream")
	w := h.BodyWriter()
	flush := func() {
		if f, ok := w.(http.Flusher); ok {
			f.Flush()
		}
	}
	send := func(event string, v any) {
		raw, err := json.Marshal(v)
		if err != nil {
			r.a.Log.Error("a trial's answer cannot be written", "err", err)
			return
		}
		fmt.Fprintf(w, "event: %s\ndata: %s\n\n", event, raw)
		flush()
	}
	var said time.Time
	out, err := r.do(h.Context(), func(looked int) {
		if now := time.Now(); now.Sub(said) >= progressPace {
			said = now
			send("progress", contract.TrialProgress{Looked: looked, Of: r.of})
		}
	})
	if err == nil {
		send("tried", out)
		return
	}
	if h.Context().Err() == nil {
		p, _ := web.ProblemOf(err)
		if p.Status >= 500 {
			r.a.Log.Error("a trial failed", "project", r.p.Name, "err", err)
		}
		send("problem", p)
	}
}
