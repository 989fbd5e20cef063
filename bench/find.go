package main

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"
)

// finding measures searches over -events events with 40 attributes of a million users,
// in -issues issues, while 500 events a second arrive.
func finding(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	began := time.Now()
	if err := s.known(s.issues); err != nil {
		return err
	}
	if err := s.manyIssues(opt.issues/10 - int(s.issues)); err != nil {
		return err
	}
	if err := s.tenfold(ctx); err != nil {
		return err
	}
	if err := s.until("what traces say is noted", "SELECT COUNT(*) FROM variant WHERE facts=0"); err != nil {
		return err
	}
	if err := s.varied(ctx); err != nil {
		return err
	}
	if err := s.until("words are noted", "SELECT COUNT(*) FROM issue_list WHERE worded=0"); err != nil {
		return err
	}
	fmt.Printf("%d issues after %s\n", s.count("SELECT COUNT(*) FROM issue_list"), time.Since(began).Round(time.Second))
	var token struct{ Token string }
	if err := s.cli(ctx, &token, "token", "create", "bench", "--scope", "read"); err != nil {
		return err
	}
	s.stop()
	m, err := s.makeEvents(ctx, opt.events)
	if err != nil {
		return err
	}
	fmt.Printf("%d events after %s\n", s.count("SELECT COUNT(*) FROM event"), time.Since(began).Round(time.Second))
	perEvent := func(where string) float64 {
		return float64(s.count("SELECT SUM(LENGTH(head)+LENGTH(body)) FROM segment_column"+where)) / float64(opt.events)
	}
	fmt.Printf("the index: %.1f bytes an event; %.1f of them what users are told apart by\n", perEvent(""),
		perEvent(" WHERE attribute=0"))
	var flags []string
	if opt.profile != "" {
		flags = []string{"--cpu-profile", opt.profile}
	}
	if err := s.start(flags...); err != nil {
		return err
	}
	stop, flow := s.traffic(500)
	defer stop()
	a := &asker{s.url, token.Token}
	asks := slices.DeleteFunc(s.searches(a, m), func(t *timed) bool { return !strings.Contains(t.what, opt.only) })
	for _, t := range asks {
		if err := t.once(0); err != nil {
			return err
		}
	}
	const turns, inTurn = 10, 4
	for turn := range turns {
		for _, t := range asks {
			for i := range inTurn {
				if err := t.once(1 + turn*inTurn + i); err != nil {
					return err
				}
			}
		}
	}
	for _, t := range asks {
		t.tell()
	}
	if err := s.inBrowser(ctx); err != nil {
		return fmt.Errorf("in the browser: %w", err)
	}
	stop()
	fmt.Printf("meanwhile %s; the service takes %d MiB\n", flow(), resident(s.service.Process.Pid)>>20)
	return s.plansOfSearch(ctx, m)
}

// varied gives issues different words, places and types.
func (s *scene) varied(ctx context.Context) error {
	for _, q := range []string{
		"UPDATE variant_fact SET type=ELT(1+variant%7,'TypeError','RangeError','HttpError','SyntaxError','FeedError','StorageError','TideError'), function=CONCAT('f',variant%5000), file=CONCAT('src/',ELT(1+variant%5,'tides','berths','fares','map','gates'),'/p',variant%800,'.ts'), headline=CONCAT(ELT(1+variant%7,'TypeError','RangeError','HttpError','SyntaxError','FeedError','StorageError','TideError'),' in f',variant%5000)",
		"UPDATE issue_list l JOIN (SELECT v.issue, MIN(v.id) v FROM variant v GROUP BY v.issue) x ON x.issue=l.issue JOIN variant_fact f ON f.variant=x.v SET l.headline=f.headline, l.place=CONCAT(f.file,':',x.v%90), l.search_text=LOWER(CONCAT(f.headline,'\\n',f.file,'\\nno ',ELT(1+x.v%9,'berth','tide','fare','gate','crane','pier','map','ticket','cabin'),' for the ',ELT(1+x.v%11,'spring','neap','evening','morning','night','first','last','north','south','east','west'),' sailing ',x.v)), l.worded=0, l.origin_file=f.file, l.origin_function=f.function",
		"UPDATE issue SET state=ELT(1+id%10,'new','new','new','accepted','accepted','accepted','regressed','dismissed','fixed','new') WHERE id>0",
		"UPDATE issue_list l JOIN issue i ON i.id=l.issue SET l.state=i.state, l.first_seen=l.first_seen-(l.issue%28)*86400000000",
		"UPDATE project_counter SET memberships=memberships+1",
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("%.60s: %w", q, err)
		}
	}
	return nil
}

// searches are what people ask for.
func (s *scene) searches(a *asker, m *made) []*timed {
	get := func(call string, pairs ...string) error {
		q := url.Values{}
		for i := 0; i < len(pairs); i += 2 {
			q.Add(pairs[i], pairs[i+1])
		}
		return a.get("/api/projects/quayside/" + call + "?" + q.Encode())
	}
	of := func(list ...string) func(i int) string { return func(i int) string { return list[i%len(list)] } }
	fields := of(
		"type:TideError owner:none",
		"release:5.3.0",
		"berth state:accepted",
		"function:f123* users:>2",
		"appeared-in:newest",
		"no fare",
		"first:<9d file:src/map/*",
		"crane OR pier",
	)
	two := of(
		"device.type:e.type-2 browser.name:r.name-3",
		"plan:plan-1 berth.zone:h.zone-4",
		"-os.name:s.name-0 booking.vehicle:ehicle-1",
		"url.template:mplate-17 browser.version:>20",
		"ship.name:p.name-7 geo.country.iso_code:o_code-3",
	)
	third := "browser.name:r.name-0 os.name:s.name-0"
	return []*timed{
		{
			what: "list by search on fields (50 ms)",
			ask:  func(i int) error { return get("issues", "search", fields(i), "limit", "50") },
		},
		{
			what: "list by two attributes (200 ms)",
			ask:  func(i int) error { return get("issues", "search", two(i), "limit", "50") },
		},
		{
			what: "events by two attributes",
			ask:  func(i int) error { return get("events", "search", two(i), "limit", "50") },
		},
		{what: "twelve facets, unfiltered (50 ms)", ask: func(int) error { return get("facets") }},
		{what: "twelve facets, of a third (200 ms)", ask: func(int) error { return get("facets", "search", third) }},
		{what: "histogram by hour (100 ms)", ask: func(int) error { return get("histogram", "interval", "1h") }},
		{
			what: "a user, by id or address (50 ms)",
			ask:  func(i int) error { return a.get("/api/projects/quayside/users/" + m.somebody(i)) },
		},
		{
			what: "an issue against the others (300 ms)",
			ask:  func(i int) error { return get("facets/against", "issue", fmt.Sprint(1+(i*7919)%90)) },
		},
		{what: "completion (30 ms)", ask: func(i int) error {
			return get(
				"search/complete",
				"search",
				of("geo.country.iso_code:o", "brow", "url.template:", "release:")(i),
			)
		}},
		{
			what: "everything kept: list by two attributes",
			ask:  func(i int) error { return get("issues", "search", two(i), "window", "all") },
		},
	}
}

// somebody is one of the made-up users, some with many events and some with few.
func (m *made) somebody(i int) string { return fmt.Sprintf("u-%d", m.seen[i*37%len(m.seen)]) }

// plansOfSearch prints how the database reads the index.
func (s *scene) plansOfSearch(ctx context.Context, m *made) error {
	for what, query := range map[string]string{
		"segments of a time": "SELECT keep_day FROM segment WHERE project=1 AND max_time>=1 AND min_time<2 ORDER BY keep_day, first_position",
		"a column":           "SELECT head FROM segment_column WHERE project=1 AND attribute=1004 AND (keep_day=20800 AND first_position IN (1,2) OR keep_day=20801 AND first_position IN (3,4))",
		"words":              "SELECT issue FROM issue_word WHERE project=1 AND word LIKE 'ber%'",
		"releases of issues": "SELECT variant, events FROM issue_release WHERE app_release IN (1,2)",
	} {
		var lines []string
		rows, err := s.db.QueryContext(ctx, "EXPLAIN FORMAT=JSON "+query)
		if err != nil {
			return err
		}
		for rows.Next() {
			var text string
			if err := rows.Scan(&text); err != nil {
				return err
			}
			for line := range strings.Lines(text) {
				for _, key := range []string{`"key"`, `"rows"`, `"access_type"`, `"filesort"`} {
					if strings.Contains(line, key) {
						lines = append(lines, strings.Trim(strings.TrimSpace(line), ","))
					}
				}
			}
		}
		rows.Close()
		fmt.Printf("  %-18s %s\n", what, strings.Join(lines, ", "))
	}
	return nil
}
