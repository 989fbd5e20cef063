package main

import (
	"context"
	"fmt"
)

// bySenders measures storing alone with ever more senders.
func bySenders(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	flags := []string{"--store-only"}
	if opt.profile != "" {
		flags = append(flags, "--cpu-profile", opt.profile)
	}
	if err := s.again(flags...); err != nil {
		return err
	}
	head()
	for _, n := range []int{1, 2, 4, 8, 16, 32, 64} {
		f, err := s.timed(load{fmt.Sprintf("stored: %d senders of 1", n), opt.span / 2, n, 1}, func() error {
			return s.post(1, s.event)
		}, nil)
		if err != nil {
			return err
		}
		f.print(0)
		if _, err := s.db.Exec("TRUNCATE TABLE inbox"); err != nil {
			return err
		}
	}
	return nil
}

// byIssues measures the whole way with ever more issues.
func byIssues(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	if opt.profile != "" {
		if err := s.again("--cpu-profile", opt.profile); err != nil {
			return err
		}
	}
	head()
	for _, n := range []int64{10, 100, 1000, 10_000} {
		if opt.only != "" && opt.only != fmt.Sprint(n) {
			continue
		}
		s.issues = n
		if err := s.known(n); err != nil { // the issues are there before
			return err
		}
		l := load{fmt.Sprintf("stored and processed: 2 of 50, %d issues", n), opt.span, 2, 50}
		f, err := s.timed(l, func() error {
			return s.post(50, s.event)
		}, s.drained)
		if err != nil {
			return err
		}
		f.print(0)
	}
	return nil
}

// known files one event of each issue.
func (s *scene) known(issues int64) error {
	for sent := int64(0); sent < issues; sent += 100 {
		if err := s.post(int(min(100, issues-sent)), s.event); err != nil {
			return err
		}
	}
	return s.drained()
}

// byStore measures processing and reading with an empty store and with many events
// in it.
func byStore(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	if err := s.known(s.issues); err != nil {
		return err
	}
	head()
	measure := func(name string) error {
		f, err := s.timed(load{name, opt.span, 2, 50}, func() error { return s.post(50, s.event) }, s.drained)
		if err != nil {
			return err
		}
		f.print(0)
		return nil
	}
	if err := measure("stored and processed: an empty store"); err != nil {
		return err
	}
	if err := s.seed(ctx, opt.events, 50_000, true); err != nil {
		return err
	}
	for _, name := range []string{"stored and processed: the full store", "the same again, warm"} {
		if err := measure(name); err != nil {
			return err
		}
	}
	fmt.Printf("on disk: %.0f bytes an event whose body is not kept\n",
		float64(s.disk())/float64(s.count("SELECT COUNT(*) FROM event")))
	if err := s.reads(ctx); err != nil {
		return err
	}
	return s.recounted(ctx)
}
