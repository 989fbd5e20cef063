package main

import (
	"context"
	"fmt"
	"net/url"
	"time"
)

// healthPages measures what the pages of releases ask for, with -events sessions of 500
// releases in 30 days, while sessions go on arriving.
func healthPages(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	began := time.Now()
	if err := s.known(s.issues); err != nil {
		return err
	}
	if err := s.manySessions(ctx, opt.events); err != nil {
		return err
	}
	fmt.Printf("%d sessions counted after %s: %d rows by hour, %d by user and day, %d of durations, %d of devices\n",
		s.count("SELECT SUM(sessions) FROM session_day"), time.Since(began).Round(time.Second),
		s.count("SELECT COUNT(*) FROM session_hour"), s.count("SELECT COUNT(*) FROM session_user"),
		s.count("SELECT COUNT(*) FROM session_took"), s.count("SELECT COUNT(*) FROM session_trait"))
	var token struct{ Token string }
	if err := s.cli(ctx, &token, "token", "create", "bench", "--scope", "read"); err != nil {
		return err
	}
	stop, flow := s.traffic(100)
	defer stop()
	a := &asker{s.url, token.Token}
	for _, t := range releasePages(a) {
		for i := range 60 {
			if err := t.once(i); err != nil {
				return err
			}
		}
		t.tell()
	}
	stop()
	fmt.Println("meanwhile", flow())
	return s.explain(
		"SELECT app_release, outcome, SUM(sessions) FROM session_hour WHERE project=1 AND hour>=490000 AND hour<490168 GROUP BY 1,2",
	)
}

// explain prints the plan of a statement.
func (s *scene) explain(query string) error {
	rows, err := s.db.Query("EXPLAIN FORMAT=JSON " + query)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var plan string
		if err := rows.Scan(&plan); err != nil {
			return err
		}
		fmt.Println(plan)
	}
	return rows.Err()
}

// manySessions writes what n sessions of 30 days leave in the tables of counts: of 500
// releases, each used for about a day and a half.
func (s *scene) manySessions(ctx context.Context, n int) error {
	const releases, days, atOnce = 500, 30, 25
	lines := make([]string, 0, releases)
	for i := range releases {
		x := &ran{id: i, started: time.Now().UTC(), duration: time.Second, outcome: 1, release: i, user: i}
		lines = append(lines, x.messages(1)...)
	}
	if err := s.sendSession([]byte(joined(lines))); err != nil {
		return err
	}
	if err := s.drained(); err != nil {
		return err
	}
	setUp := []string{
		"SET GLOBAL innodb_flush_log_at_trx_commit=0",
		fmt.Sprintf("INSERT IGNORE INTO app_release (project, hash, name, first_seen) SELECT 1, UNHEX(LEFT(SHA2(CONCAT('4.',x.seq,'.0'),256),32)), CONCAT('4.',x.seq,'.0'), 1"+
			" FROM seq_0_to_%d x", releases-1), // more than may be new in an hour
		"CREATE TABLE seed_release (n INT UNSIGNED NOT NULL PRIMARY KEY, id INT UNSIGNED NOT NULL)" +
			" SELECT CAST(SUBSTRING_INDEX(SUBSTRING_INDEX(name,'.',2),'.',-1) AS UNSIGNED) n, id FROM app_release WHERE name LIKE '4.%.0'",
		"UPDATE app_release r JOIN seed_release s ON s.id=r.id SET r.first_seen=(UNIX_TIMESTAMP()-(500-s.n)*5184)*1000000",
	}
	if err := s.all(ctx, setUp); err != nil {
		return err
	}
	defer func() { _, _ = s.db.Exec("SET GLOBAL innodb_flush_log_at_trx_commit=1") }()
	env := s.count("SELECT id FROM environment WHERE name='production'")
	value := s.count("SELECT MIN(id) FROM session_value")
	today := time.Now().Unix() / 86400
	for d := range int64(days) {
		newest := releases - 1 - (days-1-int(d))*releases/days
		rel := fmt.Sprintf("(SELECT id FROM seed_release WHERE n BETWEEN %d AND %d) r", newest-atOnce+1, newest)
		if err := s.all(ctx, dayOfSessions(today-days+1+d, env, value, rel, n/days/atOnce)); err != nil {
			return err
		}
	}
	return nil
}

// all runs statements in their order.
func (s *scene) all(ctx context.Context, list []string) error {
	for _, q := range list {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("%.80s: %w", q, err)
		}
	}
	return nil
}

// dayOfSessions are the statements that write a day: so many sessions of each release.
func dayOfSessions(day, env, value int64, releases string, each int) []string {
	return []string{
		fmt.Sprintf("INSERT INTO session_user SELECT 1, %d, r.id, %d, u.seq*7+r.id%%7, 1, u.seq%%125=0, u.seq%%500=0"+
			" FROM %s, seq_1_to_%d u ON DUPLICATE KEY UPDATE sessions=1", day, env, releases, each),
		fmt.Sprintf("INSERT INTO session_hour SELECT 1, %d+h.seq, r.id, %d, o.seq, GREATEST(1,FLOOR(%d*ELT(o.seq,0.95,0.04,0.008,0.002)))"+
			" FROM %s, seq_0_to_23 h, seq_1_to_4 o ON DUPLICATE KEY UPDATE sessions=VALUES(sessions)", day*24, env, each/24, releases),
		fmt.Sprintf("INSERT INTO session_day SELECT project, hour DIV 24, app_release, environment, outcome, SUM(sessions) FROM session_hour"+
			" WHERE project=1 AND hour>=%d AND hour<%d GROUP BY 1,2,3,4,5 ON DUPLICATE KEY UPDATE sessions=VALUES(sessions)", day*24, day*24+24),
		fmt.Sprintf("INSERT INTO session_took SELECT 1, %d, r.id, %d, o.seq, 100+b.seq, 1+b.seq%%40"+
			" FROM %s, seq_1_to_150 b, seq_1_to_3 o ON DUPLICATE KEY UPDATE sessions=VALUES(sessions)", day, env, releases),
		fmt.Sprintf("INSERT INTO session_trait SELECT 1, %d, r.id, %d, k.seq, %d, o.seq, 100"+
			" FROM %s, seq_1_to_3 k, seq_1_to_4 o ON DUPLICATE KEY UPDATE sessions=VALUES(sessions)", day, env, value, releases),
	}
}

// releasePages are what the pages of releases ask for.
func releasePages(a *asker) []*timed {
	ask := func(path string, pairs ...string) func(i int) error {
		q := url.Values{}
		for i := 0; i < len(pairs); i += 2 {
			q.Add(pairs[i], pairs[i+1])
		}
		return func(int) error { return a.get("/api/projects/quayside/" + path + "?" + q.Encode()) }
	}
	return []*timed{
		{what: "releases of 7 days", ask: ask("quality")},
		{what: "releases of 30 days", ask: ask("quality", "window", "30d")},
		{what: "uptake", ask: ask("quality/uptake")},
		{what: "one release", ask: ask("release/quality", "version", "4.499.0")},
		{
			what: "one release, production",
			ask:  ask("release/quality", "version", "4.499.0", "environment", "production"),
		},
		{what: "devices of a release", ask: ask("release/devices", "version", "4.499.0")},
		{what: "issues of a release", ask: ask("release/issues", "version", "4.499.0")},
		{what: "two releases compared", ask: ask("release/compare", "a", "4.499.0", "b", "4.498.0")},
		{what: "check of a release", ask: ask("release/check", "version", "4.499.0", "max_new", "0")},
		{what: "list of releases", ask: ask("releases")},
		{what: "first page", ask: func(int) error { return a.get("/api/overview") }},
	}
}
