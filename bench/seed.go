package main

import (
	"context"
	"fmt"
	"sync"
	"time"
)

// seed writes events straight into the tables, spread over the last 28 days
// and over the issues that are there, with all that is derived from them, as
// processing would have left it. It takes minutes where processing takes hours.
// users are met evenly, or, with uneven, some far oftener than others.
func (s *scene) seed(ctx context.Context, events, users int, uneven bool) error {
	began := time.Now()
	// What is written here need not survive a crash.
	if _, err := s.db.ExecContext(ctx, "SET GLOBAL innodb_flush_log_at_trx_commit=0"); err != nil {
		return err
	}
	defer func() { _, _ = s.db.Exec("SET GLOBAL innodb_flush_log_at_trx_commit=1") }()
	project := s.count("SELECT id FROM project WHERE name='quayside'")
	position := s.count("SELECT filing FROM project_counter")
	days := int64(28)
	today := time.Now().Unix() / 86400
	per := int64(events) / days
	if _, err := s.db.ExecContext(ctx, "CREATE TABLE seed_variant (n INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY, variant INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL) SELECT id variant, issue FROM variant ORDER BY id"); err != nil {
		return err
	}
	variants := s.count("SELECT COUNT(*) FROM seed_variant")
	env, release := s.count("SELECT MIN(id) FROM environment"), s.count("SELECT MIN(id) FROM app_release")
	power := 1
	if uneven {
		power = 3
	}
	insert := func(day int64) error {
		at := (today - day) * 86400 * 1_000_000
		_, err := s.db.ExecContext(ctx, fmt.Sprintf(`INSERT INTO event (project, filing, keep_day, store_day, id, thrown, received, variant, app_release, environment, user, resource, session, trace, handled, odd_time, has_body, stands_for)
			SELECT %[1]d, %[2]d+x.seq, %[3]d, %[4]d, UNHEX(MD5(CONCAT(%[4]d,'-',x.seq))), %[5]d+x.seq*%[6]d, %[5]d+x.seq*%[6]d+1000, v.variant, %[7]d, %[8]d, CONV(SUBSTR(MD5(FLOOR(POW(CONV(SUBSTR(MD5(CONCAT(%[4]d,'u',x.seq)),1,8),16,10)/4294967296,%[11]d)*%[12]d)),1,15),16,10), NULL, NULL, NULL, 0, 0, 0, 1
			FROM seq_1_to_%[9]d x JOIN seed_variant v ON v.n=1+FLOOR(POW(CONV(SUBSTR(MD5(CONCAT(%[4]d,'i',x.seq)),1,8),16,10)/4294967296,%[11]d)*%[10]d)`,
			project, position+day*per, today-day+30, today-day, at, 86400*1_000_000/per, release, env, per, variants,
			power, users))
		return err
	}
	var wg sync.WaitGroup
	errs := make(chan error, days)
	slots := make(chan struct{}, 2)
	var mu sync.Mutex
	done := int64(0)
	for d := int64(1); d <= days; d++ {
		wg.Go(func() {
			slots <- struct{}{}
			defer func() { <-slots }()
			if err := insert(d); err != nil {
				errs <- err
				return
			}
			mu.Lock()
			defer mu.Unlock()
			if done += per; done%(per*7) == 0 {
				fmt.Printf("  %d of %d events written after %s\n", done, events, time.Since(began).Round(time.Second))
			}
		})
	}
	wg.Wait()
	select {
	case err := <-errs:
		return err
	default:
	}
	fmt.Printf("  events written after %s; now what is derived\n", time.Since(began).Round(time.Second))
	return s.derive(ctx, position+(days+1)*per, began)
}

// derive makes every derived row again from all events: day by day and in the
// order of its key what has a row for each user, the rest at once.
func (s *scene) derive(ctx context.Context, position int64, began time.Time) error {
	rows, err := s.db.QueryContext(ctx, "SELECT DISTINCT keep_day FROM event")
	if err != nil {
		return err
	}
	defer rows.Close()
	var days []int64
	for rows.Next() {
		var d int64
		if err := rows.Scan(&d); err != nil {
			return err
		}
		days = append(days, d)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	from := "event e JOIN variant v ON v.id=e.variant WHERE e.keep_day=?"
	// Two tables at a time, each day by day.
	var wg sync.WaitGroup
	errs := make(chan error, 5)
	slots := make(chan struct{}, 2)
	for _, q := range []string{
		"INSERT INTO issue_user (issue, user, variant, last_day) SELECT v.issue, e.user, e.variant, MAX(e.thrown DIV 86400000000) d FROM " + from + " AND e.user IS NOT NULL GROUP BY 1,2,3 ORDER BY 1,2,3 ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, VALUES(last_day))",
		"INSERT IGNORE INTO issue_user_day (issue, day, user, variant) SELECT DISTINCT v.issue, e.thrown DIV 86400000000, e.user, e.variant FROM " + from + " AND e.user IS NOT NULL ORDER BY 1,2,3",
		"REPLACE INTO issue_hour (issue, hour, variant, events) SELECT v.issue, e.thrown DIV 3600000000, e.variant, SUM(e.stands_for) FROM " + from + " GROUP BY 1,2,3",
		"REPLACE INTO issue_day (issue, day, variant, events) SELECT v.issue, e.thrown DIV 86400000000, e.variant, SUM(e.stands_for) FROM " + from + " GROUP BY 1,2,3",
	} {
		wg.Go(func() {
			slots <- struct{}{}
			defer func() { <-slots }()
			for _, d := range days {
				if _, err := s.db.ExecContext(ctx, q, d); err != nil {
					errs <- fmt.Errorf("%.70s: %w", q, err)
					return
				}
			}
			fmt.Printf("  one of 5 derived tables is there after %s\n", time.Since(began).Round(time.Second))
		})
	}
	wg.Wait()
	select {
	case err := <-errs:
		return err
	default:
	}
	return s.deriveTotals(ctx, position, began)
}

func (s *scene) deriveTotals(ctx context.Context, position int64, began time.Time) error {
	from := "event e JOIN variant v ON v.id=e.variant"
	for _, q := range []string{
		"REPLACE INTO issue_release (issue, app_release, variant, events, first_seen, last_seen) SELECT v.issue, e.app_release, e.variant, SUM(e.stands_for), MIN(e.thrown), MAX(e.thrown) FROM " + from + " WHERE e.app_release IS NOT NULL GROUP BY 1,2,3",
		"REPLACE INTO issue_env (issue, environment, variant, events, first_seen, last_seen) SELECT v.issue, e.environment, e.variant, SUM(e.stands_for), MIN(e.thrown), MAX(e.thrown) FROM " + from + " GROUP BY 1,2,3",
		"REPLACE INTO issue_trend (issue, day, events, users) SELECT d.issue, d.day, SUM(d.events), COALESCE((SELECT COUNT(DISTINCT u.user) FROM issue_user_day u WHERE u.issue=d.issue AND u.day=d.day),0) FROM issue_day d GROUP BY 1,2",
		"UPDATE variant v JOIN (SELECT variant, SUM(stands_for) n FROM event GROUP BY variant) x ON x.variant=v.id SET v.events=x.n",
		`UPDATE issue_list l SET l.events=(SELECT SUM(events) FROM variant WHERE issue=l.issue), l.users=(SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=l.issue),
			l.window_events=(SELECT COALESCE(SUM(events),0) FROM issue_trend WHERE issue=l.issue AND day>l.window_day-14), l.window_users=(SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=l.issue AND last_day>l.window_day-14)`,
		"INSERT INTO active_user (project, user, last_day) SELECT project, user, MAX(thrown DIV 86400000000) d FROM event WHERE user IS NOT NULL GROUP BY 1,2 ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, VALUES(last_day))",
		fmt.Sprintf("UPDATE project_counter SET filing=%d", position),
		"DROP TABLE seed_variant", "REPLACE INTO event_span SELECT project, keep_day, MIN(filing), MAX(filing) FROM event GROUP BY 1,2", "REPLACE INTO release_total SELECT app_release, SUM(events), MIN(first_seen), 1 FROM issue_release GROUP BY 1",
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("%.70s: %w", q, err)
		}
	}
	fmt.Printf("  all there after %s: %d events, %d pairs of issue and user\n", time.Since(began).Round(time.Second), s.count("SELECT COUNT(*) FROM event"), s.count("SELECT COUNT(*) FROM issue_user"))
	return nil
}

// recounted compares every counter with its rows.
func (s *scene) recounted(ctx context.Context) error {
	began := time.Now()
	var v struct {
		Compared    int   `json:"compared"`
		Differences []any `json:"differences"`
	}
	err := s.cli(ctx, &v, "recount")
	fmt.Printf("recount: %d kinds compared, %d differences, in %s\n", v.Compared, len(v.Differences),
		time.Since(began).Round(100*time.Millisecond))
	return err
}
