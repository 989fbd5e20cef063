package issue

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/release"
)

// story is one case: what a repository and releases look like, what somebody
// called fixed, and an event that comes.
type story struct {
	name     string
	repo     string // chains a-b-c, merges m=c+h, the same change h~c, what says that it makes one again h^c, reverts h!c
	releases string // VERSION or VERSION@COMMIT, in the order they are known, an hour apart
	policy   release.Policy
	fix      string // "in VERSION", "next", "next after VERSION", "commit HASH", "commit HASH out in VERSION", "now"
	event    string // the release of the event, "" for none
	thrown   int    // hours after the fix
	known    bool   // the issue had been seen in this release before
	env      string
	want     Kind
}

const (
	line     = "a-b-c-d-e"
	hotfix   = "a-b-c-d-e, b-h-i"             // h and i on a branch of b
	merged   = "a-b-c-d-e, b-h-i, m=e+i, m-n" // which comes back at m
	pickedH  = "a-b-c-d-e, b-h-i, i~d"        // the fix d, applied again as i
	trunk    = "4.1.0@b 4.2.0@d 4.3.0@e"
	branched = "4.1.0@b 4.2.0@d 4.1.1@i"
)

var stories = []story{
	// By version.
	{"an older release", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.1.0", 2, true, "", SeenOlder},
	{"the release of the fix", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.2.0", 2, false, "", CameBack},
	{"a newer release", "", "4.1.0 4.2.0 4.2.1", "", "in 4.2.0", "4.2.1", 2, false, "", CameBack},
	{"a newer major release, heard of before", "", "5.0.0 4.2.0", "", "in 4.2.0", "5.0.0", 2, false, "", CameBack},
	{"4.10 comes after 4.9", "", "4.10.0 4.9.0", "", "in 4.9.0", "4.10.0", 2, false, "", CameBack},
	{"a release candidate of the fix", "", "4.2.0-rc.1 4.2.0", "", "in 4.2.0", "4.2.0-rc.1", 2, true, "", SeenOlder},
	{"fixed in a release candidate, seen in the release", "", "4.2.0-rc.2 4.2.0", "", "in 4.2.0-rc.2", "4.2.0", 2, false, "", CameBack},
	{"an alpha of the next", "", "4.2.0 4.3.0-alpha", "", "in 4.2.0", "4.3.0-alpha", 2, false, "", CameBack},
	{"rc.11 comes after rc.2", "", "4.2.0-rc.11 4.2.0-rc.2", "", "in 4.2.0-rc.2", "4.2.0-rc.11", 2, false, "", CameBack},
	{"a later build of one version", "", "4.2.0+9 4.2.0+10", "", "in 4.2.0+9", "4.2.0+10", 2, false, "", CameBack},
	{"an earlier build of one version", "", "4.2.0+9 4.2.0+10", "", "in 4.2.0+10", "4.2.0+9", 2, true, "", SeenOlder},
	{"with the application's name before it", "", "quayside@4.1.0 quayside@4.2.0", "", "in quayside@4.2.0", "quayside@4.1.0", 2, true, "", SeenOlder},
	{"four numbers", "", "10.4.2.999 10.4.2.1093", "", "in 10.4.2.1093", "10.4.2.999", 2, true, "", SeenOlder},
	{"dates", "", "2026.11.20 2026.11.23", "", "in 2026.11.20", "2026.11.23", 2, false, "", CameBack},
	{"two on one day", "", "2026.11.23.1 2026.11.23.2", "", "in 2026.11.23.2", "2026.11.23.1", 2, true, "", SeenOlder},
	{"build numbers", "", "1523 1524", "", "in 1524", "1523", 2, true, "", SeenOlder},
	{"a fix in a release nobody heard of yet", "", "4.1.0", "", "in 4.2.0", "4.1.0", 2, true, "", SeenOlder},
	{"4.2 and 4.2.0 are one version", "", "4.2 4.2.0", "", "in 4.2", "4.2.0", 2, false, "", CameBack},

	// Without versions, or by what the project says.
	{"names, seen later", "", "nightly-a nightly-b", "", "in nightly-a", "nightly-b", 2, false, "", CameBack},
	{"names, seen before", "", "nightly-a nightly-b", "", "in nightly-b", "nightly-a", 2, true, "", SeenOlder},
	{"names, by version alone", "", "nightly-a nightly-b", release.Versions, "in nightly-a", "nightly-b", 2, false, "", SeenUnknown},
	{"two schemes, by version alone", "", "2026.11.20 4.2.0", release.Versions, "in 2026.11.20", "4.2.0", 2, false, "", SeenUnknown},
	{"two schemes", "", "2026.11.20 4.2.0", "", "in 2026.11.20", "4.2.0", 2, false, "", CameBack},
	{"a higher version that was announced before, by announcement", "", "4.3.0 4.2.0", release.Announcement, "in 4.2.0", "4.3.0", 2, true, "", SeenOlder},
	{"a lower version that was announced later, by announcement", "", "4.2.0 4.1.9", release.Announcement, "in 4.2.0", "4.1.9", 2, false, "", CameBack},
	{"no release at all", "", "4.1.0", "", "in 4.2.0", "", 2, false, "", SeenNone},
	{"no release at all, fixed in the next", "", "4.1.0", "", "next after 4.1.0", "", 2, false, "", SeenNone},
	{"hashes as versions, without a repository", "", "9f1c2ab 85314830", "", "in 85314830", "9f1c2ab", 2, true, "", SeenOlder},

	// By commit: one line, branches, merges.
	{"descends from the release of the fix", line, trunk, "", "in 4.2.0", "4.3.0", 2, false, "", CameBack},
	{"the release of the fix descends from it", line, trunk, "", "in 4.2.0", "4.1.0", 2, true, "", SeenOlder},
	{"commits decide against versions", line, "4.2.0@b 4.1.0@d", "", "in 4.1.0", "4.2.0", 2, true, "", SeenOlder},
	{"versions alone decide against commits", line, "4.2.0@b 4.1.0@d", release.Versions, "in 4.1.0", "4.2.0", 2, true, "", CameBack},
	{"names are ordered by commit", line, "blue@b green@d", "", "in green", "blue", 2, true, "", SeenOlder},
	{"names, by commit alone", line, "blue@d green@b", release.Commits, "in green", "blue", 2, false, "", CameBack},
	{"no commit, by commit alone", line, "4.1.0 4.2.0@d", release.Commits, "in 4.2.0", "4.1.0", 2, true, "", SeenUnknown},
	{"two versions of one commit", line, "4.2.0@d 4.2.0-again@d", "", "in 4.2.0", "4.2.0-again", 2, false, "", CameBack},
	{"a maintenance branch that never got it", hotfix, branched, "", "in 4.2.0", "4.1.1", 2, false, "", SeenApart},
	{"fixed on the branch, trunk never got it", hotfix, "4.1.0@b 4.1.1@i 4.2.0@d", "", "in 4.1.1", "4.2.0", 2, false, "", CameBack},
	{"the branch was merged, and it is back behind the merge", merged, "4.1.0@b 4.1.1@i 4.2.0@n", "", "in 4.1.1", "4.2.0", 2, false, "", CameBack},
	{"the merge itself", merged, "4.1.0@b 4.1.1@i 4.2.0@m", "", "in 4.1.1", "4.2.0", 2, false, "", CameBack},
	{"every change of the branch was picked to trunk", "a-b-c-d-e, b-h-i, d~h, e~i", "4.1.0@b 4.1.1@i 4.2.0@e", "", "in 4.1.1", "4.2.0", 2, false, "", CameBack},
	{"one of two changes was picked to trunk", "a-b-c-d-e, b-h-i, d~h", "4.1.0@b 4.1.1@i 4.2.0@e", "", "in 4.1.1", "4.2.0", 2, false, "", CameBack},
	{"trunk before the merge", merged, "4.1.0@b 4.1.1@i 4.1.9@e", "", "in 4.1.1", "4.1.9", 2, true, "", CameBack},
	{"the newer release's commit is not known: by version", line, "4.1.0@b 4.2.0@d 4.3.0@x", "", "in 4.2.0", "4.3.0", 2, false, "", CameBack},
	{"neither commit is known: by version", "", trunk, "", "in 4.2.0", "4.1.0", 2, true, "", SeenOlder},

	// Fixed by a commit.
	{"the release descends from the commit", line, trunk, "", "commit c", "4.2.0", 2, false, "", CameBack},
	{"the release is the commit", line, trunk, "", "commit d", "4.2.0", 2, false, "", CameBack},
	{"the release was made before the commit", line, trunk, "", "commit c", "4.1.0", 2, true, "", SeenOlder},
	{"the commit is on another branch", hotfix, branched, "", "commit d", "4.1.1", 2, false, "", SeenApart},
	{"the commit was picked to the branch", pickedH, branched, "", "commit d", "4.1.1", 2, false, "", CameBack},
	{"the branch before the pick", pickedH, "4.1.0@b 4.1.1@h", "", "commit d", "4.1.1", 2, false, "", SeenApart},
	{"the pick is called the fix, trunk has the first", pickedH, branched, "", "commit i", "4.2.0", 2, false, "", CameBack},
	{"fixed on the branch by commit, merged later", merged, "4.1.0@b 4.2.0@n", "", "commit h", "4.2.0", 2, false, "", CameBack},
	{"the commit was not pushed yet", line, trunk, "", "commit f", "4.2.0", 2, false, "", SeenUnknown},
	{"the release's commit is not known", line, "4.2.0 4.3.0@e", "", "commit c", "4.2.0", 2, false, "", SeenUnknown},
	{"the release's commit is not known, the fix is out in an older one", line, "4.2.0@d 4.3.0", "", "commit c out in 4.2.0", "4.3.0", 2, false, "", CameBack},
	{"the release's commit is not known, the fix came out later", line, "4.1.0 4.2.0@d", "", "commit c out in 4.2.0", "4.1.0", 2, true, "", SeenOlder},
	{"no repository at all", "", "4.1.0 4.2.0", "", "commit c", "4.2.0", 2, false, "", SeenUnknown},

	// Fixed in the next release.
	{"the same release goes on", "", "4.1.0 4.2.0", "", "next after 4.1.0", "4.1.0", 2, true, "", SeenOlder},
	{"the next one", "", "4.1.0 4.2.0", "", "next after 4.1.0", "4.2.0", 2, false, "", CameBack},
	{"a patch of an older line", "", "4.0.9 4.1.0", "", "next after 4.1.0", "4.0.9", 2, false, "", SeenOlder},
	{"the one after next, by commit", line, trunk, "", "next after 4.1.0", "4.3.0", 2, false, "", CameBack},
	{"a candidate of the next", "", "4.1.0 4.2.0-rc.1", "", "next after 4.1.0", "4.2.0-rc.1", 2, false, "", CameBack},
	{"there was no release then", "", "4.1.0", "", "next", "4.1.0", 60, false, "", CameBack},
	{"names, in the next", "", "nightly-a nightly-b", "", "next after nightly-a", "nightly-b", 2, false, "", CameBack},
	{"names, by version alone, in the next", "", "nightly-a nightly-b", release.Versions, "next after nightly-a", "nightly-b", 2, false, "", SeenUnknown},

	// As of now, late events, clocks.
	{"thrown after", "", "4.1.0", "", "now", "4.1.0", 1, true, "", CameBack},
	{"thrown before, came after", "", "4.1.0", "", "now", "4.1.0", -3, true, "", SeenEarlier},
	{"thrown at the moment", "", "4.1.0", "", "now", "4.1.0", 0, true, "", SeenEarlier},
	{"thrown after, without a release", "", "", "", "now", "", 1, false, "", CameBack},
	{"late, of a release in which it was known when it was called fixed there", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.2.0", -3, true, "", SeenEarlier},
	{"late, of a release in which nobody had seen it: the fix does not work", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.2.0", -3, false, "", CameBack},
	{"known there before, thrown after", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.2.0", 3, true, "", CameBack},
	{"late, of an older release", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.1.0", -30, true, "", SeenOlder},
	{"a release heard of only by this event", "", "4.2.0", "", "in 4.2.0", "4.2.7", 2, false, "", CameBack},

	// Environments: each has its releases, the fix is one.
	{"in staging first", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.2.0", 2, false, "staging", CameBack},
	{"production still runs the older one", "", "4.1.0 4.2.0", "", "in 4.2.0", "4.1.0", 2, true, "production", SeenOlder},
	{"staging runs the next, from a branch", hotfix, branched, "", "in 4.2.0", "4.1.1", 2, false, "staging", SeenApart},
	{"as of now, in production", "", "4.1.0", "", "now", "4.1.0", 2, true, "production", CameBack},
}

// repository makes a graph of a story's.
func repository(text string) *commits.Graph {
	nodes := map[string]*commits.Node{}
	node := func(name string) *commits.Node {
		if nodes[name] == nil {
			nodes[name] = &commits.Node{Hash: name, Patch: "patch " + name}
		}
		return nodes[name]
	}
	for _, part := range strings.Split(text, ",") {
		part = strings.TrimSpace(part)
		if m, sides, ok := strings.Cut(part, "="); ok {
			node(m).Parents, node(m).Patch = strings.Split(sides, "+"), ""
			continue
		}
		if revert, of, ok := strings.Cut(part, "!"); ok {
			node(revert).Reverts = append(node(revert).Reverts, of)
			continue
		}
		if again, first, ok := strings.Cut(part, "^"); ok {
			node(again).Picks = append(node(again).Picks, first)
			continue
		}
		if again, first, ok := strings.Cut(part, "~"); ok {
			node(again).Patch = node(first).Patch
			continue
		}
		chain := strings.Split(part, "-")
		for i := 1; i < len(chain); i++ {
			node(chain[i]).Parents = []string{node(chain[i-1]).Hash}
		}
	}
	var list []commits.Node
	for _, n := range nodes {
		list = append(list, *n)
	}
	return commits.NewGraph(list)
}

func TestRegressions(t *testing.T) {
	if n := len(stories) + len(cutStories); n < 120 {
		t.Errorf("there are %d cases", n)
	}
	var b strings.Builder
	var names []string
	for _, st := range slices.Concat(stories, cutStories) {
		if slices.Contains(names, st.name) {
			t.Errorf("two cases are called %q", st.name)
		}
		names = append(names, st.name)
		k := ReleaseFacts{Policy: st.policy}
		if st.repo != "" {
			k.Commits = repository(st.repo)
		}
		var list []release.Release
		for i, r := range strings.Fields(st.releases) {
			version, commit := r, ""
			if at := strings.LastIndexByte(r, '@'); at > 0 && len(r)-at == 2 {
				version, commit = r[:at], r[at+1:]
			}
			version = strings.ReplaceAll(version, "_", " ")
			list = append(list, release.Release{Version: version, Commit: commit, FirstSeen: monday.Add(time.Duration(i) * time.Hour)})
		}
		k.Release = known(list...).Release
		called := monday.AddDate(0, 0, 1)
		if st.fix == "next" {
			called = monday.Add(-time.Hour)
		}
		st.event, st.fix = strings.ReplaceAll(st.event, "_", " "), strings.ReplaceAll(st.fix, "_", " ")
		s := Status{State: Fixed, Owner: "Maren Holt", Fix: fixOf(st.fix)}
		s.FixedAt, s.FixedBy = called, "Oke Farrow"
		o := Occurrence{Release: k.Release(st.event), Environment: st.env, Thrown: called.Add(time.Duration(st.thrown) * time.Hour), KnownBefore: st.known}
		if st.event == "4.2.7" {
			o.Release.FirstSeen = o.Thrown
		}
		next, e, changed := k.Seen(s, o)
		if e == nil || e.Kind != st.want || changed != (st.want == CameBack) || changed != (next.State == Regressed) {
			t.Errorf("%s: %+v, %+v, want %s", st.name, next, e, st.want)
			continue
		}
		if back, told := st.want == CameBack, slices.Contains(e.Notify, "Oke Farrow") && slices.Contains(e.Notify, "Maren Holt"); back && !told || !back && st.want != SeenApart && len(e.Notify) > 0 {
			t.Errorf("%s: it tells %q", st.name, e.Notify)
		}
		fmt.Fprintf(&b, "%s\n", st.name)
		if st.repo != "" {
			fmt.Fprintf(&b, "  commits:  %s\n", st.repo)
		}
		fmt.Fprintf(&b, "  releases: %s\n  fixed:    %s", strings.Join(strings.Fields(st.releases), ", "), st.fix)
		if st.policy != "" {
			fmt.Fprintf(&b, " (the project orders by %s)", st.policy)
		}
		fmt.Fprintf(&b, "\n  decision: %s: %s\n", e.Kind, e.Text)
	}
	compare(t, "testdata/regressions.txt", b.String())
}

func fixOf(text string) Fix {
	switch rest := strings.TrimPrefix(text, "in "); {
	case text == "now":
		return Fix{Kind: FixNow}
	case text == "next":
		return Fix{Kind: FixNext}
	case strings.HasPrefix(text, "next after "):
		return Fix{Kind: FixNext, After: strings.TrimPrefix(text, "next after ")}
	case strings.HasPrefix(text, "commit "):
		commit, out, _ := strings.Cut(strings.TrimPrefix(text, "commit "), " out in ")
		return Fix{Kind: FixCommit, Commit: commit, FixedIn: out}
	default:
		return Fix{Kind: FixRelease, FixedIn: rest}
	}
}
