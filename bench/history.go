package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// madeCommits and madeFiles are how large the repository of the scene is.
const (
	madeCommits = 50_000
	madeFiles   = 3000
	madeLines   = 80
	lastFew     = 100 // that are sent on their own
)

// history makes a repository with 50,000 commits, sends it, and measures what
// is asked of it: order, likely changes, blame.
func history(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	dir := filepath.Join(s.dir, "code")
	began := time.Now()
	if err := makeRepository(dir); err != nil {
		return err
	}
	git := func(args ...string) string {
		out, _ := exec.Command("git", append([]string{"-C", dir}, args...)...).Output() // what is empty shows below
		return strings.TrimSpace(string(out))
	}
	fmt.Printf("a repository of %s commits and %s files made in %s\n", git("rev-list", "--count", "main"),
		fmt.Sprint(madeFiles), time.Since(began).Round(100*time.Millisecond))
	announce := func(version, revision string) (time.Duration, error) {
		began := time.Now()
		var v any
		err := s.cli(ctx, &v, "release", "announce", "--project", "quayside", "--release", version, "--repo", dir,
			"--commit", git("rev-parse", revision))
		return time.Since(began), err
	}
	first, err := announce("1.0.0", fmt.Sprintf("main~%d", 3000))
	if err != nil {
		return err
	}
	fmt.Printf("sent up to 3,000 steps before the end: %s; %d commits, %d MB of bundles\n", first.Round(100*time.Millisecond), s.count("SELECT COUNT(*) FROM app_commit"), s.count("SELECT SUM(bytes) FROM bundle")>>20)
	for i, revision := range []string{fmt.Sprintf("main~%d", lastFew), "main"} {
		before := s.count("SELECT COUNT(*) FROM app_commit")
		took, err := announce(fmt.Sprintf("1.%d.0", i+1), revision)
		if err != nil {
			return err
		}
		fmt.Printf("sent %d more: %s\n", s.count("SELECT COUNT(*) FROM app_commit")-before,
			took.Round(10*time.Millisecond))
	}
	rng := rand.New(rand.NewPCG(5, 5))
	for n := range 20 {
		var frames []string
		for f := range 4 {
			file := rng.IntN(madeFiles)
			frames = append(frames,
				fmt.Sprintf(`{"function":"f%d_%d","file":"%s","line":%d,"own":true}`, n, f,
					strings.TrimPrefix(fileName(file), "web/"), 1+rng.IntN(madeLines)))
		}
		e := fmt.Sprintf(`{"exceptions":[{"type":"Error","message":"x","frames":[%s]}],"resource":{"service.version":"%s"}}`, strings.Join(frames, ","), []string{"1.1.0", "1.2.0"}[n%2])
		if err := s.post(1, func() []byte { return []byte(e) }); err != nil {
			return err
		}
	}
	if err := s.drained(); err != nil {
		return err
	}
	if err := s.asked("order of releases by commit", "/api/projects/quayside/release/order?a=1.0.0&b=1.2.0&n=%d",
		20); err != nil {
		return err
	}
	if err := s.asked("likely changes and blame, ranges of 100 and of some 3,000 commits", "/api/issues/quayside/%d/likely", 20); err != nil {
		return err
	}
	return s.asked("a release with its commits", "/api/projects/quayside/release?version=1.1.0&n=%d", 20)
}

func fileName(n int) string { return fmt.Sprintf("web/src/part%d/module%d.ts", n/50, n) }

// makeRepository writes a history through git's own way in: lines of files
// change at random, one branch in twenty commits is merged again.
func makeRepository(dir string) error {
	if out, err := exec.Command("git", "init", "--quiet", "--bare", "--initial-branch=main",
		dir).CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	c := exec.Command("git", "-C", dir, "fast-import", "--quiet")
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	c.Stderr = os.Stderr
	if err := c.Start(); err != nil {
		return err
	}
	w := bufio.NewWriterSize(in, 1<<20)
	writeHistory(w)
	if err := w.Flush(); err != nil {
		return err
	}
	if err := in.Close(); err != nil {
		return err
	}
	return c.Wait()
}

func writeHistory(w io.Writer) {
	rng := rand.New(rand.NewPCG(1, 9))
	files := make([][]string, madeFiles)
	authors := []string{"Maren Holt <maren.holt@marrowsound.example>", "Oke Farrow <oke.farrow@marrowsound.example>",
		"Sunniva Bray <sunniva.bray@marrowsound.example>"}
	at := time.Now().Unix() - madeCommits*600
	mark := 0
	commit := func(branch, parents string, changed []int) {
		mark++
		at += 500
		message := fmt.Sprintf("Change %d\n", mark)
		fmt.Fprintf(w, "commit refs/heads/%s\nmark :%d\nauthor %s %d +0000\ncommitter %s %d +0000\ndata %d\n%s%s", branch, mark, authors[mark%3], at, authors[mark%3], at, len(message), message, parents)
		for _, f := range changed {
			text := strings.Join(files[f], "\n") + "\n"
			fmt.Fprintf(w, "M 100644 inline %s\ndata %d\n%s\n", fileName(f), len(text), text)
		}
		fmt.Fprintln(w)
	}
	all := make([]int, madeFiles)
	for i := range files {
		all[i] = i
		for l := range madeLines {
			files[i] = append(files[i], fmt.Sprintf("  line %d of module %d", l, i))
		}
	}
	commit("main", "", all)
	tip := mark
	edit := func() (changed []int) {
		for range 1 + rng.IntN(3) {
			f := rng.IntN(madeFiles)
			files[f][rng.IntN(madeLines)] = fmt.Sprintf("  changed by %d", mark+1)
			changed = append(changed, f)
		}
		return changed
	}
	for mark < madeCommits {
		if mark%20 != 0 {
			commit("main", fmt.Sprintf("from :%d\n", tip), edit())
			tip = mark
			continue
		}
		base := tip // a branch of three, merged again
		var side []int
		for n := range 3 {
			changed := edit()
			parent := base
			if n > 0 {
				parent = mark
			}
			commit("side", fmt.Sprintf("from :%d\n", parent), changed)
			side = append(side, changed...)
		}
		commit("main", fmt.Sprintf("from :%d\nmerge :%d\n", tip, mark), side)
		tip = mark
	}
}
