package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// pick applies a commit to the branch that is checked out, with a conflict that
// is settled by hand: the change is another one, and git's own line says of what.
func (c code) pick(commit, path, settled string) string {
	c.t.Helper()
	cmd := exec.Command("git", "-C", c.dir, "-c", "user.name=Oke Farrow", "-c", "user.email=oke.farrow@marrowsound.example", "cherry-pick", "-x", commit)
	if err := cmd.Run(); err == nil {
		c.t.Fatal("the pick met no conflict")
	}
	if err := os.WriteFile(filepath.Join(c.dir, path), []byte(settled), 0o644); err != nil {
		c.t.Fatal(err)
	}
	c.git("add", "--all")
	c.git("-c", "core.editor=true", "cherry-pick", "--continue")
	return c.git("rev-parse", "HEAD")
}

// However teams cut releases: each on a branch with its version alone, hotfixes
// that are carried forward and not, a pick with a conflict, a revert and its
// revert. Every decision is read in the history.
func TestLife_HoweverReleasesAreCut(t *testing.T) {
	t.Parallel()
	s, p, c := shared, "cuts", newCode(t)
	key := s.project(t, p)
	say := func(want int, args ...string) string { t.Helper(); return s.says(t, p, want, args...) }
	has := func(text string, want ...string) { t.Helper(); saysAll(t, text, want...) }
	release := func(version string) {
		t.Helper()
		say(0, "release", "announce", "--release", version, "--repo", c.dir)
	}
	cut := func(version string) { // a branch of its own, with a version that main never gets
		t.Helper()
		c.git("checkout", "--quiet", "-b", "release-"+version)
		c.commit("Version "+version, "VERSION", version+"\n")
		release(version)
		c.git("checkout", "--quiet", "main")
	}
	throw := func(function, release string) {
		t.Helper()
		s.post(t, key, thrownIn(function, release, "p-1"))
		s.settle(t)
	}
	history := func(number string) string { t.Helper(); return say(0, "issue", "history", number) }

	c.commit("Tides", "src/tides.ts", tideCode)
	cut("1.0.0")
	throw("tideAt", "1.0.0")
	c.commit("More", "README.md", "x\n")
	cut("1.1.0")
	say(0, "issue", "fix", "1", "--in", "1.1.0")
	throw("tideAt", "1.0.0")
	has(history("1"), "seen in 1.0.0, which is older than the fix (they were built on different branches; by semantic version)")
	c.commit("And more", "README.md", "y\n")
	cut("1.2.0")
	throw("tideAt", "1.2.0")
	has(history("1"), "came back in 1.2.0, after it was fixed in 1.1.0 (they were built on different branches; by semantic version)")

	// A hotfix on the branch of 1.2.0: fixed in its release it must stay fixed in
	// every later one; fixed by its commit, only where that is.
	c.git("checkout", "--quiet", "release-1.2.0")
	hotfix := c.commit("Mend the tide", "src/tides.ts", strings.Replace(tideCode, "tables[day]", "tables[day] ?? low", 1))
	release("1.2.1")
	c.git("checkout", "--quiet", "main")
	c.commit("Still more", "README.md", "z\n")
	cut("1.3.0")
	say(0, "issue", "fix", "1", "--commit", hotfix)
	throw("tideAt", "1.3.0")
	has(history("1"), "seen in 1.3.0, which does not contain the fix", "was built on a branch without "+hotfix[:10])
	say(0, "issue", "reopen", "1")
	say(0, "issue", "fix", "1", "--in", "1.2.1")
	throw("tideAt", "1.3.0")
	has(history("1"), "came back in 1.3.0, after it was fixed in 1.2.1")

	// Main words the same lines otherwise: the pick meets a conflict.
	c.commit("Say what is asked", "src/tides.ts", strings.Replace(tideCode, "return tables[day]", "return tables[day] // by day", 1))
	picked := c.pick(hotfix, "src/tides.ts", strings.Replace(tideCode, "return tables[day]", "return tables[day] ?? low // by day", 1))
	cut("1.4.0")
	say(0, "issue", "fix", "1", "--commit", hotfix)
	throw("tideAt", "1.4.0")
	has(history("1"), "came back in 1.4.0", "its history holds "+picked[:10]+", which makes the same change as "+hotfix[:10])

	// Taken back, and that undone: contained is what is contained now.
	say(0, "issue", "fix", "1", "--commit", picked)
	c.git("revert", "--no-edit", picked)
	reverted := c.git("rev-parse", "HEAD")
	cut("1.5.0")
	throw("tideAt", "1.5.0")
	has(history("1"), "seen in 1.5.0, which does not contain the fix (its history holds "+reverted[:10]+", which takes "+picked[:10]+" back)")
	c.git("revert", "--no-edit", reverted)
	again := c.git("rev-parse", "HEAD")
	cut("1.6.0")
	throw("tideAt", "1.6.0")
	has(history("1"), "came back in 1.6.0", "its history holds "+again[:10]+", which makes the same change as "+picked[:10])

	// Spellings, commits as names, and releases that nobody heard of.
	has(say(0, "release", "order", "v1.6.0", "cuts@1.6.0"), "are one version")
	has(say(0, "release", "order", "desk@1.0.0", "@harbour/crane@2.0.0"), "versions of two packages")
	throw("stepZoom", again[:8])
	has(say(0, "release", "order", "1.0.0", again[:8]), "built on different branches")
	has(say(0, "release", "order", reverted[:12], again[:8]), "descends from", "by commit")
	out, errs := s.run(t, 0, "issue", "fix", p+"/2", "--in", "1.7.0")
	has(out, "fixed in 1.7.0")
	has(errs, "note: release 1.7.0 of cuts is not known yet; similar known releases: 1.6.0, 1.5.0, 1.4.0")
	if _, errs := s.run(t, 0, "issue", "fix", p+"/2", "--in", "v1.6.0"); errs != "" {
		t.Errorf("another spelling of a release that is known: %s", errs)
	}
	has(say(1, "issue", "fix", "2", "--in", "v1.6.0"), "fixed in v1.6.0 already")
	s.recounted(t)
}
