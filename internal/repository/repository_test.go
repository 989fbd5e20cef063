package repository

import (
	"bytes"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/problem"
	"firethorn/internal/git"
	"firethorn/internal/records"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

var builder = accounts.Actor{Kind: "token", Name: "build"}

func open(t *testing.T) (*Keeper, *records.Records, *projects.Project) {
	t.Helper()
	s, err := records.Open(t.Context(), records.Options{DSN: testdb.DSN(t)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	p, _, err := s.Projects.CreateProject(t.Context(), projects.NewProject{Name: "quayside", KeepDays: 30})
	if err != nil {
		t.Fatal(err)
	}
	return New(t.TempDir(), s, slog.New(slog.DiscardHandler), git.Hosts{}), s, p
}

// code is a repository that grows by commits of one file.
type code struct {
	t   *testing.T
	dir string
}

func newCode(t *testing.T) *code {
	c := &code{t, t.TempDir()}
	c.git("init", "--quiet", "--initial-branch=main", ".")
	return c
}

func (c *code) git(args ...string) string {
	c.t.Helper()
	cmd := exec.Command("git", append([]string{"-C", c.dir, "-c", "user.name=Oke Farrow", "-c", "user.email=oke@marrowsound.example"}, args...)...)
	out, err := cmd.CombinedOutput()
	if err != nil {
		c.t.Fatalf("git %v: %v\n%s", args, err, out)
	}
	return strings.TrimSpace(string(out))
}

func (c *code) commit(message, path, text string) string {
	c.t.Helper()
	file := filepath.Join(c.dir, path)
	if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755), os.WriteFile(file, []byte(text), 0o644)); err != nil {
		c.t.Fatal(err)
	}
	c.git("add", "--all")
	c.git("commit", "--quiet", "-m", message)
	return c.git("rev-parse", "HEAD")
}

func (c *code) bundle(commit string, known ...string) *bytes.Buffer {
	c.t.Helper()
	r, _ := git.Working(c.t.Context(), c.dir)
	var b bytes.Buffer
	if _, err := r.Bundle(c.t.Context(), commit, known, &b); err != nil {
		c.t.Fatal(err)
	}
	return &b
}

func numbered(n, changed int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "line %d", i+1)
		if i+1 == changed {
			b.WriteString(" changed")
		}
		b.WriteByte('\n')
	}
	return b.String()
}

func TestKeeper_RanksAndBlames(t *testing.T) {
	k, _, p := open(t)
	ctx, c := t.Context(), newCode(t)
	first := c.commit("Tides", "web/src/tides.ts", numbered(60, 0))
	far := c.commit("Far away", "web/src/tides.ts", numbered(60, 5))
	culprit := c.commit("Read new tables", "web/src/tides.ts", strings.Replace(numbered(60, 5), "line 42\n", "line 42 new\n", 1))
	last := c.commit("Words", "README.md", "words\n")
	got, err := k.Receive(ctx, p, c.bundle(last), builder)
	if err != nil || got.Commits != 4 || got.Tip != last {
		t.Fatalf("%+v, %v", got, err)
	}
	places := []Place{{Source: "../src/tides.ts", Line: 42}, {Source: "src/main.ts", Line: 3}}
	for _, keeper := range []*Keeper{k, New(t.TempDir(), k.store, k.log, git.Hosts{})} { // another process makes its own mirror
		l, err := keeper.Likely(ctx, p, first, last, slices.Clone(places), 5)
		if err != nil || l.Range != 3 || len(l.List) != 2 || l.List[0].Hash != culprit || l.List[1].Hash != far {
			t.Fatalf("%+v, %v", l, err)
		}
		if l.Places[0].Path != "web/src/tides.ts" || l.Places[1].Path != "" || !strings.Contains(l.Places[1].How, "no file of this name") {
			t.Errorf("places: %+v", l.Places)
		}
	}
	line, found, err := k.Line(ctx, p, last, "src/tides.ts", 42)
	if err != nil || line == nil || line.Commit != culprit || line.Author != "Oke Farrow" || found.Path != "web/src/tides.ts" {
		t.Errorf("%+v, %+v, %v", line, found, err)
	}
	if line, found, err := k.Line(ctx, p, last, "src/tides.ts", 999); err != nil || line != nil || !strings.Contains(found.How, "no line 999") {
		t.Errorf("a line that is not there: %+v, %+v, %v", line, found, err)
	}
}

func TestKeeper_ReadsSources(t *testing.T) {
	k, _, p := open(t)
	ctx, c := t.Context(), newCode(t)
	first := c.commit("Tides", "web/src/tides.ts", "old\n")
	c.commit("A large one", "web/src/large.ts", strings.Repeat("x", maxText+1))
	last := c.commit("Read new tables", "web/src/tides.ts", "new\n")
	if _, err := k.Receive(ctx, p, c.bundle(last), builder); err != nil {
		t.Fatal(err)
	}
	for commit, want := range map[string]string{first: "old\n", last: "new\n"} {
		got, err := k.Texts(ctx, p, commit, []string{"../src/tides.ts", "src/nowhere.ts", "src/large.ts"})
		if err != nil || len(got) != 1 || got["../src/tides.ts"] != want {
			t.Errorf("%.60q, %v", got, err)
		}
	}
	if _, err := k.Texts(ctx, p, strings.Repeat("0", 40), []string{"src/tides.ts"}); err == nil {
		t.Error("a commit that is not there")
	}
}

func TestKeeper_KnowsWhoIsAround(t *testing.T) {
	k, _, p := open(t)
	ctx, c := t.Context(), newCode(t)
	c.commit("Tides", "web/src/tides.ts", numbered(30, 0))
	c.commit("Owners", "docs/CODEOWNERS", "* @everyone\n/web/ @maren.holt\n!/x @bad\n")
	last := c.commit("Read new tables", "web/src/tides.ts", numbered(30, 28))
	if _, err := k.Receive(ctx, p, c.bundle(last), builder); err != nil {
		t.Fatal(err)
	}
	a, err := k.Around(ctx, p, last, "src/tides.ts", 28)
	if err != nil || a.Path != "web/src/tides.ts" || a.Rule == nil || a.Rule.Line != 2 || len(a.Bad) != 1 || a.At != 10 || a.Lines[a.At].Commit != last || a.Lines[0].Commit == last {
		t.Errorf("%+v, %v", a, err)
	}
	if a, err := k.Around(ctx, p, last, "src/tides.ts", 99); err != nil || a.At != -1 || a.Rule == nil {
		t.Errorf("a line that is not there: %+v, %v", a, err)
	}
	if a, err := k.Around(ctx, p, last, "src/gone.ts", 1); err != nil || a.Path != "" || a.Rule != nil {
		t.Errorf("a file that is not there: %+v, %v", a, err)
	}
}

func TestKeeper_TakesMoreAndTheSameAgain(t *testing.T) {
	k, s, p := open(t)
	ctx, c := t.Context(), newCode(t)
	a := c.commit("a", "x", "1\n")
	b := c.commit("b", "x", "2\n")
	if _, err := k.Receive(ctx, p, c.bundle(a), builder); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, err := k.Receive(ctx, p, c.bundle(b, a), builder); err != nil {
			t.Fatal(err)
		}
	}
	if n, bytes, err := s.Releases.CountCommits(ctx, p.ID); n != 2 || bytes == 0 || err != nil {
		t.Errorf("%d commits, %d bytes, %v", n, bytes, err)
	}
	if err := os.RemoveAll(filepath.Join(k.path(p.ID), "objects")); err != nil { // the disk was lost
		t.Fatal(err)
	}
	if line, _, err := k.Line(ctx, p, b, "x", 1); err != nil || line == nil || line.Text != "2" {
		t.Errorf("after the mirror broke: %+v, %v", line, err)
	}
}

func TestKeeper_ExplainsRefusals(t *testing.T) {
	k, s, p := open(t)
	ctx, c := t.Context(), newCode(t)
	a := c.commit("a", "x", "1\n")
	b := c.commit("b", "x", "2\n")
	for name, x := range map[string]struct {
		body *bytes.Buffer
		code problem.Code
		says string
	}{
		"no bundle":              {bytes.NewBufferString("hello"), problem.BadInput, "no git bundle"},
		"builds on what is gone": {c.bundle(b, a), problem.Conflict, "builds on commit " + a},
		"cut off":                {bytes.NewBuffer(c.bundle(b).Bytes()[:200]), problem.BadInput, "git refuses the bundle"},
	} {
		_, err := k.Receive(ctx, p, x.body, builder)
		f, ok := errors.AsType[*problem.Error](err)
		if !ok || f.Code != x.code || !strings.Contains(f.Pub, x.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if n, _, err := s.Releases.CountCommits(ctx, p.ID); n != 0 || err != nil {
		t.Errorf("%d commits of refused bundles, %v", n, err)
	}
	if _, _, err := k.Line(ctx, p, a, "x", 1); err == nil || !strings.Contains(err.Error(), "firethorn release announce") {
		t.Errorf("nothing was sent, and it says %v", err)
	}
	p.Repository = "https://code.marrowsound.example/quayside"
	if _, err := k.Fetch(ctx, p, a, builder); err == nil || !strings.Contains(err.Error(), "--fetch-from") {
		t.Errorf("a host that nobody allowed: %v", err)
	}
}
