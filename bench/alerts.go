package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"firethorn/internal/contract"
)

// alerting measures what 200 alert rules cost the processing of events, in turns with none, and
// how long it takes from an event to its webhook at -rate events a second.
func alerting(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	if err := s.known(s.issues); err != nil {
		return err
	}
	if err := s.manyIssues(opt.issues - int(s.issues)); err != nil {
		return err
	}
	fmt.Printf("%d issues\n", s.count("SELECT COUNT(*) FROM issue_list"))
	hook, err := listenHook(ctx)
	if err != nil {
		return err
	}
	var made any
	if err := s.cli(ctx, &made, "destination", "create", "hook", "--kind", "webhook", "--url", "http://"+hook.address,
		"--allow-inside"); err != nil {
		return err
	}
	head()
	for range opt.rounds {
		for _, n := range []int{0, 200} {
			if err := s.pushAlerts(ctx, n); err != nil {
				return err
			}
			f, err := s.timed(load{fmt.Sprintf("processed, 2 senders of 50, %d alert rules", n), opt.span, 2, 50},
				func() error { return s.post(50, s.event) }, s.drained)
			if err != nil {
				return err
			}
			f.print(0)
		}
	}
	if opt.rounds == 0 { // else they were pushed for the last measurement
		if err := s.pushAlerts(ctx, 200); err != nil {
			return err
		}
	}
	return s.fromEventToHook(ctx, opt, hook)
}

// pushAlerts lets so many alert rules act: nine in ten ask what an issue became, one in ten
// counts.
func (s *scene) pushAlerts(ctx context.Context, n int) error {
	var b strings.Builder
	b.WriteString("alerts: []\n")
	if n > 0 {
		b.Reset()
		b.WriteString("alerts:\n  - {name: probes, when: 'became(\"new\") && exception.type.startsWith(\"Probe\")', to: [hook]}\n")
	}
	for i := 1; i < n; i++ {
		if i%10 == 0 {
			fmt.Fprintf(
				&b,
				"  - {name: many %d, when: 'exception.type == \"TypeError%d\" && environment == \"production\"', users: 1000000, within: 1h, to: [hook]}\n",
				i,
				i,
			)
			continue
		}
		fmt.Fprintf(
			&b,
			"  - {name: rule %d, when: 'became(\"new\") && environment == \"production\" && in_newest_release && origin.path.glob(\"src/part%d/*\")', to: [hook]}\n",
			i,
			i,
		)
	}
	file := filepath.Join(s.dir, "alerts.yaml")
	if err := os.WriteFile(file, []byte(b.String()), 0o600); err != nil {
		return err
	}
	var pushed any
	if err := s.cli(ctx, &pushed, "rules", "push", "--project", "quayside", file); err != nil {
		return err
	}
	time.Sleep(6 * time.Second) // every process looks at rules after five
	return nil
}

// hooked are the webhooks that came, by what is in their headline.
type hooked struct {
	address string
	mu      sync.Mutex
	at      map[string]time.Time
}

func listenHook(ctx context.Context) (*hooked, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	h := &hooked{address: l.Addr().String(), at: map[string]time.Time{}}
	server := &http.Server{ReadHeaderTimeout: 5 * time.Second, Handler: http.HandlerFunc(h.take)}
	go func() { _ = server.Serve(l) }()
	context.AfterFunc(ctx, func() { _ = server.Close() })
	return h, nil
}

func (h *hooked) take(_ http.ResponseWriter, r *http.Request) {
	var e struct {
		Data struct {
			Issue  struct{ Headline string }
			Alerts []struct{ Text string }
		}
	}
	if json.NewDecoder(r.Body).Decode(&e) != nil {
		return
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	kind, _, _ := strings.Cut(e.Data.Issue.Headline, " ")
	h.at[kind] = time.Now()
}

// fromEventToHook sends at a rate, and now and then an error that is new.
func (s *scene) fromEventToHook(ctx context.Context, opt settings, h *hooked) error {
	stop, flow := s.traffic(opt.rate)
	defer stop()
	sent := map[string]time.Time{}
	const apart = 7 * time.Second // closer, they become one message
	probes := max(1, int(time.Duration(opt.minutes)*time.Minute/apart))
	for i := range probes {
		kind := fmt.Sprintf("Probe%c%c", 'a'+i/26, 'a'+i%26)
		sent[kind] = time.Now()
		if err := s.post(1, func() []byte { return s.eventOf(kind, "p-1") }); err != nil {
			return err
		}
		time.Sleep(apart)
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	time.Sleep(5 * time.Second)
	stop()
	h.mu.Lock()
	defer h.mu.Unlock()
	var took []time.Duration
	for kind, at := range sent {
		if came, ok := h.at[kind]; ok {
			took = append(took, came.Sub(at))
		}
	}
	if len(took) == 0 {
		return fmt.Errorf("no webhook came")
	}
	if err := s.triedAgain(ctx); err != nil {
		return err
	}
	slices.Sort(took)
	fmt.Printf(
		"from event to webhook: p50 %s, p99 %s, %d of %d came; meanwhile %s\n",
		took[len(took)/2].Round(time.Millisecond),
		took[len(took)*99/100].Round(time.Millisecond),
		len(took),
		probes,
		flow(),
	)
	return nil
}

// triedAgain prints the deliveries that did not arrive at the first attempt, with each
// attempt's error: they explain a late or missing webhook.
func (s *scene) triedAgain(ctx context.Context) error {
	var page contract.Deliveries
	if err := s.cli(ctx, &page, "delivery", "list", "--limit", "200"); err != nil {
		return err
	}
	for _, d := range page.Deliveries {
		if d.State == "sent" && d.Attempts == 1 {
			continue
		}
		var v contract.DeliveryDetail
		if err := s.cli(ctx, &v, "delivery", "show", d.ID); err != nil {
			return err
		}
		fmt.Printf(
			"  %s: %s after %d attempts: %s %+v\n",
			d.Created.Format(time.TimeOnly),
			d.State,
			d.Attempts,
			d.Subject,
			v.Tries,
		)
	}
	return nil
}
