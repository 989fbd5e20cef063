package main

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
)

// ran is a session as the driver knows it.
type ran struct {
	id       int
	started  time.Time
	duration time.Duration
	outcome  session.Outcome
	release  int
	user     int
}

// messages are what an application reports the session: up to three messages, of which
// the last is the worst and the longest.
func (r *ran) messages(n int) (list []string) {
	outcome, took := "running", r.duration/time.Duration(n)
	for i := 1; i <= n; i++ {
		if i == n {
			outcome, took = r.outcome.String(), r.duration
		}
		list = append(list, fmt.Sprintf(`{"id":"s-%d","sequence":%d,"started":%q,"duration_ms":%d,"outcome":%q,`+
			`"attributes":{"user.id":"p-%d","os.name":"Android"},"resource":{"service.version":"4.%d.0","deployment.environment.name":"production"}}`,
			r.id, i, r.started.Format(time.RFC3339Nano), took.Milliseconds(), outcome, r.user, r.release))
	}
	return list
}

// driven are a million messages about sessions in no order, a quarter of them twice.
func driven(r *rand.Rand, messages int, now time.Time) (sessions []*ran, lines []string) {
	for len(lines) < messages {
		x := &ran{
			id:       len(sessions),
			started:  now.Add(-time.Duration(r.IntN(6*3600)+60) * time.Second).Truncate(time.Millisecond),
			duration: time.Duration(1+r.ExpFloat64()*60_000) * time.Millisecond,
			outcome:  session.Clean,
			release:  1 + r.IntN(5),
			user:     r.IntN(40_000),
		}
		switch p := r.Float64(); {
		case p < 0.01:
			x.outcome = session.Crashed
		case p < 0.06:
			x.outcome = session.Faulty
		}
		sessions = append(sessions, x)
		for _, m := range x.messages(1 + r.IntN(3)) {
			lines = append(lines, m)
			if r.IntN(4) == 0 {
				lines = append(lines, m)
			}
		}
	}
	r.Shuffle(len(lines), func(i, j int) { lines[i], lines[j] = lines[j], lines[i] })
	return sessions, lines
}

// sendSessions sends a million messages and compares every count with what the driver
// knows; then 100,000 messages a minute for a while, with what they cost.
func sendSessions(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	now := time.Now().UTC()
	sessions, lines := driven(rand.New(rand.NewPCG(36, 10)), 1_000_000, now)
	began := time.Now()
	lost, err := s.sendAll(lines)
	if err != nil {
		return err
	}
	if err := s.drained(); err != nil {
		return err
	}
	took := time.Since(began)
	fmt.Printf(
		"%d messages about %d sessions, %d of the requests sent again since their answer was lost: %s, %.0f a second\n",
		len(lines),
		len(sessions),
		lost,
		took.Round(time.Second),
		float64(len(lines))/took.Seconds(),
	)
	if err := s.counted(sessions); err != nil {
		return err
	}
	var differences any
	if err := s.cli(ctx, &differences, "recount"); err != nil {
		return err
	}
	fmt.Printf("recount: %v\n", differences)
	return s.everyMinute(opt)
}

// sendAll sends all lines by four senders, 200 at once. Of half of the requests the answer
// is thrown away, and they are sent again.
func (s *scene) sendAll(lines []string) (lost int64, err error) {
	const at = 200
	var next, again atomic.Int64
	var wg sync.WaitGroup
	errs := make(chan error, 4)
	for range 4 {
		wg.Go(func() {
			for {
				from := int(next.Add(at)) - at
				if from >= len(lines) {
					return
				}
				body := []byte(joined(lines[from:min(from+at, len(lines))]))
				times := 1
				if from/at%2 == 0 {
					times = 2
					again.Add(1)
				}
				for range times {
					if err := s.sendSession(body); err != nil {
						errs <- err
						return
					}
				}
			}
		})
	}
	wg.Wait()
	select {
	case err = <-errs:
	default:
	}
	return again.Load(), err
}

func joined(lines []string) string {
	var b bytes.Buffer
	for _, l := range lines {
		b.WriteString(l)
		b.WriteByte('\n')
	}
	return b.String()
}

// sendSession sends a body until it is taken.
func (s *scene) sendSession(body []byte) error {
	for {
		status, answer, err := s.sendTo("/v1/sessions", body)
		switch {
		case err != nil:
			return err
		case status == 202:
			return nil
		case status != 503 && status != 429:
			return fmt.Errorf("%d: %s", status, answer)
		}
		time.Sleep(200 * time.Millisecond)
	}
}

// counted compares every count of sessions with the driver's own.
func (s *scene) counted(list []*ran) error {
	byHour, byUser, byBucket := map[string]int64{}, map[string]int64{}, map[string]int64{}
	for _, x := range list {
		release := fmt.Sprintf("4.%d.0", x.release)
		byHour[fmt.Sprint(release, " ", x.started.Unix()/3600, " ", uint8(x.outcome))]++
		byUser[fmt.Sprint(release, " ", x.started.Unix()/86400, " ", x.user)]++
		byBucket[fmt.Sprint(release, " ", x.started.Unix()/86400, " ", uint8(x.outcome), " ",
			quality.Bucket(x.duration.Milliseconds()))]++
	}
	wrong := 0
	for _, t := range []struct {
		what, query string
		want        map[string]int64
	}{
		{"hours", "SELECT CONCAT(r.name,' ',h.hour,' ',h.outcome), h.sessions FROM session_hour h JOIN app_release r ON r.id=h.app_release WHERE h.sessions<>0", byHour},
		{"durations", "SELECT CONCAT(r.name,' ',h.day,' ',h.outcome,' ',h.bucket), h.sessions FROM session_took h JOIN app_release r ON r.id=h.app_release WHERE h.sessions<>0", byBucket},
	} {
		rows, err := s.db.Query(t.query)
		if err != nil {
			return err
		}
		cells := 0
		for rows.Next() {
			var key string
			var n int64
			if err := rows.Scan(&key, &n); err != nil {
				return err
			}
			if cells++; t.want[key] != n {
				wrong++
			}
		}
		if err := rows.Close(); err != nil {
			return err
		}
		fmt.Printf("%s: %d cells, %d expected\n", t.what, cells, len(t.want))
		wrong += max(cells-len(t.want), len(t.want)-cells)
	}
	users := s.count("SELECT COUNT(*) FROM session_user WHERE sessions>0")
	fmt.Printf("users of a release and day: %d, %d expected\n", users, len(byUser))
	if wrong += int(max(users-int64(len(byUser)), int64(len(byUser))-users)); wrong > 0 {
		return fmt.Errorf("%d counts differ from the driver's", wrong)
	}
	fmt.Println("every count equals the driver's own")
	return nil
}

// everyMinute reports 100,000 new sessions a minute for -span and shows what that costs.
func (s *scene) everyMinute(opt settings) error {
	const rate, at = 100_000, 100
	var n atomic.Int64
	n.Store(100_000_000)
	began := time.Now()
	send := func() error {
		last := n.Add(at)
		due := began.Add(time.Duration(last-100_000_000) * time.Minute / rate)
		time.Sleep(time.Until(due))
		var lines []string
		for i := last - at; i < last; i++ {
			x := &ran{
				id:       int(i),
				started:  time.Now().UTC(),
				duration: time.Second,
				outcome:  session.Clean,
				release:  5,
				user:     int(i % 40_000),
			}
			lines = append(lines, x.messages(1)...)
		}
		return s.sendSession([]byte(joined(lines)))
	}
	f, err := s.timed(load{"100,000 sessions a minute", max(opt.span, 30*time.Second), 4, at}, send, s.drained)
	if err != nil {
		return err
	}
	head()
	f.print(0)
	fmt.Printf(
		"of one core: the service %.0f %%, the database %.0f %%\n",
		100*f.rate*f.service/1e6,
		100*f.rate*f.db/1e6,
	)
	return nil
}
