package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// grouping files as many issues as a large project has, one event each, and
// measures what looks at all of them: trials, similar issues, the review, a
// regrouping.
func grouping(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	n := opt.issues
	began := time.Now()
	if err := s.manyIssues(n); err != nil {
		return err
	}
	fmt.Printf("%d issues filed in %s\n", s.count("SELECT COUNT(*) FROM issue_list"),
		time.Since(began).Round(time.Second))
	began = time.Now()
	for s.count("SELECT COUNT(*) FROM variant WHERE sketched=0") > 0 {
		time.Sleep(100 * time.Millisecond)
	}
	fmt.Printf("all of them could be compared %s later; %d features\n", time.Since(began).Round(100*time.Millisecond),
		s.count("SELECT COUNT(*) FROM sketch_feature"))
	if err := s.asked("similar issues", "/api/issues/quayside/%d/beside", n); err != nil {
		return err
	}
	if err := s.asked("what happens together", "/api/issues/quayside/%d/together", n); err != nil {
		return err
	}
	if err := s.asked("the review", "/api/projects/quayside/grouping/review?%d", 3); err != nil {
		return err
	}
	file := filepath.Join(s.dir, "rules.yaml")
	if err := os.WriteFile(file, []byte(twentyRules()), 0o644); err != nil {
		return err
	}
	for _, events := range []int{n / 10, n} {
		began = time.Now()
		var tried struct {
			Grouping struct{ Events, Moved int64 }
		}
		if err := s.cli(ctx, &tried, "rules", "try", "--project", "quayside", "--events", fmt.Sprint(events),
			file); err != nil {
			return err
		}
		d := time.Since(began)
		fmt.Printf("a trial of 20 rules over %d events: %s, %.0f events a second; %d would move\n", tried.Grouping.Events, d.Round(10*time.Millisecond), float64(tried.Grouping.Events)/d.Seconds(), tried.Grouping.Moved)
	}
	began = time.Now()
	var v any
	if err := s.cli(ctx, &v, "rules", "push", "--project", "quayside", file); err != nil &&
		!strings.Contains(err.Error(), "invalid") {
		return err
	}
	if err := s.cli(ctx, &v, "group", "regroup", "--project", "quayside"); err != nil {
		return err
	}
	fmt.Printf("regrouped in %s: %d events moved, %d issues emptied\n", time.Since(began).Round(100*time.Millisecond),
		s.count("SELECT events FROM regroup"), s.count("SELECT emptied FROM regroup"))
	if err := s.recounted(ctx); err != nil {
		return err
	}
	began = time.Now()
	if err := s.cli(ctx, &v, "group", "undo", "--project", "quayside"); err != nil {
		return err
	}
	fmt.Printf("taken back in %s\n", time.Since(began).Round(100*time.Millisecond))
	return s.recounted(ctx)
}

// manyIssues files one event of each of n issues: functions of 500 files, called
// by 2,000 others, that fail in 20 ways and say 300 things.
func (s *scene) manyIssues(n int) error {
	rng := rand.New(rand.NewPCG(1, 1))
	one := func(i int) []byte {
		frames := []any{map[string]any{"function": fmt.Sprintf("step%s", letters(i)),
			"file": fmt.Sprintf("src/part%s.ts", letters(i%500)), "line": i%900 + 1, "own": true}}
		for range 3 + rng.IntN(9) {
			k := rng.IntN(2000)
			frames = append(frames,
				map[string]any{"function": "call" + letters(k), "file": fmt.Sprintf("src/calls%s.ts", letters(k%80)),
					"line": 7, "own": true})
		}
		frames = append(frames, map[string]any{"function": "main", "file": "src/main.ts", "line": 3, "own": true})
		raw, err := json.Marshal(map[string]any{
			"exceptions": []any{map[string]any{"type": "Error" + letters(i%20),
				"message": fmt.Sprintf("no %s of %s for day %d", letters(i%300), letters(i%7), i%366),
				"frames":  frames}},
			"attributes": map[string]any{"user.id": fmt.Sprintf("p-%d", rng.IntN(5000)),
				"session.id": fmt.Sprintf("s-%d", rng.IntN(20_000)), "berth.zone": string("ABCD"[i%4])},
			"resource": map[string]any{"service.version": "4.2.0"},
		})
		if err != nil {
			panic(err) // plain values
		}
		return raw
	}
	for sent := 0; sent < n; {
		k := sent
		if err := s.post(min(100, n-sent), func() []byte { k++; return one(k) }); err != nil {
			return err
		}
		if sent = k; sent%500 == 0 { // the cap on what an hour may make does not count here
			if err := s.drained(); err != nil {
				return err
			}
			if _, err := s.db.Exec("DELETE FROM cap"); err != nil {
				return err
			}
		}
		if sent%20_000 == 0 {
			fmt.Printf("  %d processed\n", sent)
		}
	}
	return s.drained()
}

// letters writes a number without digits, as names have none.
func letters(n int) string {
	out := []byte{'q'}
	for ; n > 0; n /= 20 {
		out = append(out, "bcdfghjklmnpqrstvwxz"[n%20])
	}
	return string(out)
}

func twentyRules() string {
	var b strings.Builder
	b.WriteString("grouping:\n")
	for i := range 18 {
		fmt.Fprintf(&b, "  - {name: r%d, when: 'exception.type == \"Other%d\" && origin.module.glob(\"src/*\")', extend: x}\n", i, i)
	}
	b.WriteString("  - {name: zones, when: 'origin.module == \"src/partqc.ts\"', extend: '${berth.zone}'}\n")
	b.WriteString("  - {name: joined, when: 'message.startsWith(\"no qc \")', replace: 'no qc'}\n")
	return b.String()
}

// asked measures answers of the service: 300 of them, about one number each.
func (s *scene) asked(what, path string, n int) error {
	var token struct {
		Token string `json:"token"`
	}
	if err := s.cli(context.Background(), &token, "token", "create", "bench", "--scope", "admin"); err != nil {
		return err
	}
	rng := rand.New(rand.NewPCG(2, 2))
	var times []time.Duration
	for i := range 320 {
		req, err := http.NewRequest(http.MethodGet, s.url+fmt.Sprintf(path, 1+rng.IntN(n)), nil)
		if err != nil {
			return err
		}
		req.Header.Set("Authorization", "Bearer "+token.Token)
		began := time.Now()
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return err
		}
		raw, err := io.ReadAll(res.Body)
		res.Body.Close()
		if err != nil || res.StatusCode != http.StatusOK {
			return fmt.Errorf("%s: %s %s", what, res.Status, raw)
		}
		if i >= 20 {
			times = append(times, time.Since(began))
		} else if i == 0 {
			fmt.Printf("%s: the first answer after %s\n", what, time.Since(began).Round(time.Millisecond))
		}
	}
	slices.Sort(times)
	fmt.Printf("%s, of %d: p50 %.1f ms, p95 %.1f ms, most %.1f ms\n", what, n, ms(times[len(times)/2]),
		ms(times[len(times)*95/100]), ms(times[len(times)-1]))
	return nil
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
