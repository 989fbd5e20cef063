package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// triage measures a project with -issues issues and -events events while others
// come in: the round, the next issue, decisions, the list by impact, who carries
// what, at a twentieth and at half of -rate; and how long it takes to score all
// issues again, at -rate.
func triage(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	began := time.Now()
	if err := s.known(s.issues); err != nil {
		return err
	}
	filed := opt.issues/10 + int(s.issues)/2 // some of both are alike
	if err := s.manyIssues(filed - int(s.issues)); err != nil {
		return err
	}
	if err := s.tenfold(ctx); err != nil {
		return err
	}
	fmt.Printf("%d issues, a tenth of them processed, the others like them, after %s\n",
		s.count("SELECT COUNT(*) FROM issue_list"), time.Since(began).Round(time.Second))
	if err := s.seed(ctx, opt.events, 200_000, true); err != nil {
		return err
	}
	people, err := s.office(ctx)
	if err != nil {
		return err
	}
	if err := s.until("the issues are scored", staleNow()); err != nil {
		return err
	}
	for n, rate := range []int{opt.rate / 20, opt.rate / 2} {
		if err := s.askWhile(people, rate, 2000+1000*n); err != nil {
			return err
		}
	}
	if err := s.plans(ctx); err != nil {
		return err
	}
	if err := s.drained(); err != nil {
		return err
	}
	for _, q := range []string{
		"INSERT INTO active_user (project, user, last_day) SELECT project, user, MAX(thrown DIV 86400000000) FROM event WHERE user IS NOT NULL GROUP BY project, user ON DUPLICATE KEY UPDATE last_day=VALUES(last_day)",
		"UPDATE issue_list SET stale_at=0",
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return err
		}
	}
	stop, flow := s.traffic(opt.rate)
	defer stop()
	if err := s.rescored("all issues scored anew, all stale at once", staleNow()); err != nil {
		return err
	}
	if err := s.until("the active users are counted", "SELECT COUNT(*) FROM scoring WHERE active<1000"); err != nil {
		return err
	}
	var v any
	if err := s.cli(ctx, &v, "impact", "change", "--project", "quayside", "--weight", "users=50", "--weight",
		"frequency=5"); err != nil {
		return err
	}
	if err := s.rescored("all issues scored anew, by other weights",
		"SELECT COUNT(*) FROM issue_list l JOIN scoring b ON b.project=l.project WHERE l.scoring_version<b.version"); err != nil {
		return err
	}
	stop()
	fmt.Printf("meanwhile %s\n", flow())
	return nil
}

// askWhile asks what people ask in a round, while events come at a rate; the
// issues from a number on are decided about.
func (s *scene) askWhile(people []*asker, rate, from int) error {
	stop, flow := s.traffic(rate)
	defer stop()
	asks := []*timed{
		{what: "the round, 50 of all", ask: func(i int) error {
			return people[i%len(people)].get("/api/round?project=quayside&limit=50")
		}},
		{what: "the round of all projects, the first", ask: func(i int) error {
			return people[i%len(people)].get("/api/round?limit=1")
		}},
		{what: "next: the issue, its newest event", ask: func(i int) error { return people[0].next(i) }},
		{what: "decide", ask: func(i int) error { return people[i%len(people)].decide(from + i) }},
		{what: "the list by impact, 50 open ones", ask: func(i int) error {
			return people[0].get("/api/projects/quayside/issues?limit=50")
		}},
		{what: "who may have one, and why", ask: func(i int) error {
			return people[0].get(fmt.Sprintf("/api/issues/quayside/%d/owners", 1+(i*7919)%900))
		}},
		{what: "who carries what", ask: func(i int) error { return people[0].get("/api/owners") }},
	}
	const turns, inTurn = 25, 20
	for turn := range turns { // in turns: what the service does now and then meets them all alike
		for _, a := range asks {
			for i := range inTurn {
				if err := a.once(turn*inTurn + i); err != nil {
					return err
				}
			}
		}
	}
	trial := &timed{what: "the list by other weights, tried", ask: func(i int) error {
		return people[0].send(http.MethodPost, "/api/projects/quayside/impact/trial", `{"weights":{"users":80}}`, "",
			nil)
	}}
	for i := range 20 {
		if err := trial.once(i); err != nil {
			return err
		}
	}
	for _, a := range append(asks, trial) {
		a.tell()
	}
	stop()
	fmt.Printf("meanwhile %s\n", flow())
	return nil
}

// tenfold makes nine more of each issue, with its variant: processing 100,000 takes
// too long.
func (s *scene) tenfold(ctx context.Context) error {
	n := s.count("SELECT MAX(number) FROM issue")
	for k := int64(1); k < 10; k++ {
		for _, q := range []string{
			fmt.Sprintf("INSERT INTO issue (project, number, state, created) SELECT project, number+%d, state, created FROM issue WHERE number<=%d", k*n, n),
			"INSERT INTO variant (project, grouping_version, hash, issue, fingerprint, provisional, parts, sketched) SELECT v.project, v.grouping_version, UNHEX(MD5(CONCAT(HEX(v.hash),'-',j.id))), j.id, v.fingerprint, 0, v.parts, 1 FROM variant v" + copies(k*n, n),
			"INSERT INTO issue_list (issue, " + listed + ") SELECT j.id, v." + strings.ReplaceAll(listed, ", ",
				", v.") + " FROM (SELECT l.*, i.number FROM issue_list l JOIN issue i ON i.id=l.issue) v JOIN issue j ON j.project=v.project AND j.number=v.number+" + fmt.Sprint(k*n) + " WHERE v.number<=" + fmt.Sprint(n),
		} {
			if _, err := s.db.ExecContext(ctx, q); err != nil {
				return fmt.Errorf("%.60s: %w", q, err)
			}
		}
	}
	_, err := s.db.ExecContext(ctx, "UPDATE project_counter SET last_issue=(SELECT MAX(number) FROM issue)")
	return err
}

// listed are the columns of the list that copies of an issue share.
const listed = "project, state, headline, place, message, search_text, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users, unhandled, impact, first_seen, last_seen, first_release, last_release, first_filing, last_filing"

// copies joins variants to the copies of their issues.
func copies(off, n int64) string {
	return fmt.Sprintf(" JOIN issue i ON i.id=v.issue JOIN issue j ON j.project=i.project AND j.number=i.number+%d WHERE i.number<=%d", off, n)
}

// office makes people who have issues, each with a token.
func (s *scene) office(ctx context.Context) (list []*asker, err error) {
	for i := range 40 {
		name := fmt.Sprintf("Clerk %02d", i)
		var v struct{ Token string }
		if err := s.cli(ctx, &v, "person", "add", name, fmt.Sprintf("clerk.%02d@marrowsound.example", i), "--role",
			"member"); err != nil {
			return nil, err
		}
		if err := s.cli(ctx, &v, "token", "create", name, "--scope", "person", "--person", name); err != nil {
			return nil, err
		}
		list = append(list, &asker{s.url, v.Token})
	}
	for _, q := range []string{ // a third of them waits, the rest somebody has or is done with
		"UPDATE issue SET owner=1+(id DIV 10)%40+(SELECT MIN(p.id) FROM person p WHERE p.name LIKE 'Clerk%')-1, state=ELT(1+id%10,'new','new','new','accepted','accepted','accepted','accepted','dismissed','fixed','parked') WHERE id>0",
		"UPDATE issue SET owner=NULL WHERE state IN ('new','dismissed')",
		"INSERT INTO parked (issue, project) SELECT id, project FROM issue WHERE state='parked'",
		"UPDATE issue SET parked='{\"events\":1000000000}' WHERE state='parked'",
		"UPDATE issue SET fix_kind='now', fix_at=1+1000000*UNIX_TIMESTAMP() WHERE state='fixed'",
		"UPDATE issue_list l JOIN issue i ON i.id=l.issue SET l.state=i.state, l.owner=i.owner, l.needs_decision_at=IF(i.state='new', i.created, IF(i.id%70=3, i.created+1, 0))",
		"INSERT INTO notice (person, project, issue, at, actor, kind, text) SELECT i.owner, i.project, i.id, 1000000*UNIX_TIMESTAMP(), 'Clerk 99', 'assign', 'assigned' FROM issue i WHERE i.state='accepted' AND (i.id DIV 400)%10=0",
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return nil, fmt.Errorf("%.60s: %w", q, err)
		}
	}
	return list, nil
}

// asker is a person who asks the service.
type asker struct{ url, token string }

func (a *asker) send(method, path, body, version string, into any) error {
	req, err := http.NewRequest(method, a.url+path, strings.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+a.token)
	req.Header.Set("Content-Type", "application/json")
	if version != "" {
		req.Header.Set("If-Match", version)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode >= 300 {
		err = fmt.Errorf("%s %s: %d %.300s", method, path, res.StatusCode, raw)
	}
	if err == nil && into != nil {
		err = json.NewDecoder(bytes.NewReader(raw)).Decode(into)
	}
	return err
}

func (a *asker) get(path string) error { return a.send(http.MethodGet, path, "", "", nil) }

// next asks for what a round shows of an issue.
func (a *asker) next(i int) error {
	path := fmt.Sprintf("/api/issues/quayside/%d", 1+(i*7919)%900)
	if err := a.get(path); err != nil {
		return err
	}
	return a.get(path + "/events/newest")
}

// decide assigns a new issue: every tenth is one.
func (a *asker) decide(i int) error {
	path := fmt.Sprintf("/api/issues/quayside/%d", 10*i)
	return a.send(http.MethodPost, path+"/assign", fmt.Sprintf(`{"to":"Clerk %02d"}`, (i+7)%40), "", nil)
}

// timed is something that is asked many times, and how long that took.
type timed struct {
	what string
	ask  func(i int) error
	took []time.Duration
}

func (t *timed) once(i int) error {
	at := time.Now()
	if err := t.ask(i); err != nil {
		return fmt.Errorf("%s: %w", t.what, err)
	}
	t.took = append(t.took, time.Since(at))
	return nil
}

func (t *timed) tell() {
	first := t.took[0]
	slices.Sort(t.took)
	at := func(percent int) time.Duration { return t.took[len(t.took)*percent/100].Round(100 * time.Microsecond) }
	fmt.Printf("%-42s p50 %7s  p95 %7s  p99 %7s  (%d times; the first %s)\n", t.what, at(50), at(95), at(99),
		len(t.took), first.Round(100*time.Microsecond))
}

// traffic sends events at a rate until stop is called; told gives the result.
func (s *scene) traffic(rate int) (stop func(), told func() string) {
	const batch = 50
	var sent atomic.Int64
	var wg sync.WaitGroup
	end := make(chan struct{})
	began := time.Now()
	var most float64
	for range 2 {
		wg.Go(func() {
			for {
				due := began.Add(time.Duration(sent.Add(batch)) * time.Second / time.Duration(rate))
				select {
				case <-end:
					return
				case <-time.After(time.Until(due)):
				}
				if s.post(batch, s.event) != nil {
					return
				}
			}
		})
	}
	wg.Go(func() {
		for {
			select {
			case <-end:
				return
			case <-time.After(250 * time.Millisecond):
				most = max(most, float64(s.count(fmt.Sprintf("SELECT COALESCE(%d-MIN(received),0) FROM inbox",
					time.Now().UnixMicro())))/1e6)
			}
		}
	})
	var once sync.Once
	stop = func() {
		once.Do(func() {
			close(end)
			wg.Wait()
		})
	}
	return stop, func() string {
		return fmt.Sprintf("%d events came, %.0f a second; the oldest in the inbox waited %.1f s at most",
			sent.Load(), float64(sent.Load())/time.Since(began).Seconds(), most)
	}
}

// staleNow counts the issues whose score time has changed.
func staleNow() string {
	return fmt.Sprintf("SELECT COUNT(*) FROM issue_list WHERE stale_at<=%d", time.Now().UnixMicro())
}

// rescored waits until a query counts no issue any more.
func (s *scene) rescored(what, query string) error {
	began, first := time.Now(), s.count(query)
	if err := s.until(what, query); err != nil {
		return err
	}
	took := time.Since(began)
	fmt.Printf("%-42s %d in %s, %.0f a second\n", what, first, took.Round(100*time.Millisecond),
		float64(first)/took.Seconds())
	return nil
}

func (s *scene) until(what, query string) error {
	// Counting takes its time, too.
	for until := time.Now().Add(10 * time.Minute); s.count(query) > 0; time.Sleep(2 * time.Second) {
		if time.Now().After(until) {
			return fmt.Errorf("%s: it does not come to an end", what)
		}
	}
	return nil
}

// plans prints how the database answers what a round asks.
func (s *scene) plans(ctx context.Context) error {
	for what, query := range map[string]string{
		"the round":         "SELECT l.issue, l.impact FROM issue_list l FORCE INDEX (calls) WHERE l.project=1 AND l.needs_decision=1 AND NOT EXISTS (SELECT 1 FROM round_passed r WHERE r.person=2 AND r.issue=l.issue AND r.at>=l.needs_decision_at) ORDER BY l.needs_decision DESC, l.impact DESC, l.issue DESC LIMIT 50",
		"what is mine":      "SELECT DISTINCT l.issue, l.impact FROM notice n FORCE INDEX (in_project) JOIN issue i ON i.id=n.issue JOIN issue_list l ON l.issue=n.issue WHERE n.person=2 AND n.project=1 AND n.at>=1 AND l.state IN ('new','accepted','regressed') AND i.owner=2 ORDER BY l.impact DESC, l.issue DESC LIMIT 50",
		"stale issues":      "SELECT issue FROM issue_list FORCE INDEX (stale) WHERE project=1 AND stale_at<=1 ORDER BY stale_at LIMIT 500",
		"old scores":        "SELECT issue FROM issue_list FORCE INDEX (scored) WHERE project=1 AND scoring_version<3 LIMIT 500",
		"who carries what":  "SELECT l.owner, SUM(l.impact) FROM issue_list l FORCE INDEX (carried) WHERE l.owner IS NOT NULL AND l.state IN ('new','accepted','regressed','parked') GROUP BY l.owner, l.project",
		"surge candidates":  "SELECT issue, SUM(events) n FROM issue_pulse FORCE INDEX (PRIMARY) WHERE project=1 AND slot>1 GROUP BY issue HAVING n>=10",
		"active users":      "SELECT COUNT(*) FROM active_user FORCE INDEX (by_day) WHERE project=1 AND last_day>=1",
		"what a person did": "SELECT h.id FROM history h FORCE INDEX (of_actor) WHERE h.actor='Clerk 01' AND h.actor_kind='person' AND h.at>=1",
	} {
		rows, err := s.db.QueryContext(ctx, "EXPLAIN "+query)
		if err != nil {
			return err
		}
		cols, err := rows.Columns()
		for err == nil && rows.Next() {
			cells, into := make([]*string, len(cols)), make([]any, len(cols))
			for i := range cells {
				into[i] = &cells[i]
			}
			if err = rows.Scan(into...); err != nil {
				break
			}
			var line []string
			for i, c := range cols {
				if cells[i] != nil && slices.Contains([]string{"table", "type", "key", "rows", "Extra"}, c) {
					line = append(line, c+" "+*cells[i])
				}
			}
			fmt.Printf("  %-18s %s\n", what, strings.Join(line, ", "))
		}
		rows.Close()
		if err != nil {
			return err
		}
	}
	return nil
}
