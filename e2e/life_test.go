package e2e

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// code is a repository of a test's application.
type code struct {
	t   *testing.T
	dir string
}

func newCode(t *testing.T) code {
	c := code{t, t.TempDir()}
	c.git("init", "--quiet", "--initial-branch=main", ".")
	return c
}

func (c code) git(args ...string) string {
	c.t.Helper()
	cmd := exec.Command("git", append([]string{"-C", c.dir, "-c", "user.name=Oke Farrow", "-c", "user.email=oke.farrow@marrowsound.example"}, args...)...)
	out, err := cmd.CombinedOutput()
	if err != nil {
		c.t.Fatalf("git %v: %v\n%s", args, err, out)
	}
	return strings.TrimSpace(string(out))
}

func (c code) commit(message, path, text string) string {
	c.t.Helper()
	file := filepath.Join(c.dir, path)
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		c.t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		c.t.Fatal(err)
	}
	c.git("add", "--all")
	c.git("commit", "--quiet", "-m", message)
	return c.git("rev-parse", "HEAD")
}

// thrownIn is an event of a function in a release.
func thrownIn(function, release, user string) string {
	return strings.Replace(event(function, user, release), `"line":17`, `"line":3`, 1)
}

// says is all that a command about a project prints.
func (s *service) says(t *testing.T, project string, want int, args ...string) string {
	t.Helper()
	out, errs := s.run(t, want, append(args, "-p", project)...)
	return out + errs
}

// saysAll looks for all of several texts in what was printed.
func saysAll(t *testing.T, text string, want ...string) {
	t.Helper()
	for _, w := range want {
		if !strings.Contains(text, w) {
			t.Errorf("it does not say %q:\n%s", w, text)
		}
	}
}

const tideCode = "// tides\nexport function tideAt(day) {\n  return tables[day]\n}\n"

// A bug from its release to its fix by a commit, and back: with a real
// repository, at the command line alone.
func TestLife_FixedByACommitAndBack(t *testing.T) {
	t.Parallel()
	s, p, c := shared, "life", newCode(t)
	key := s.project(t, p)
	has := func(text string, want ...string) { t.Helper(); saysAll(t, text, want...) }
	say := func(want int, args ...string) string { t.Helper(); return s.says(t, p, want, args...) }
	announce := func(version string, more ...string) string {
		return say(0, append([]string{"release", "announce", "--release", version, "--repo", c.dir}, more...)...)
	}
	throw := func(function, release string) {
		t.Helper()
		s.post(t, key, thrownIn(function, release, "p-1"))
		s.settle(t)
	}
	c.commit("Tides", "web/src/tideAt.ts", strings.Replace(tideCode, "tables[day]", "tables[day] ?? none", 1))
	has(announce("1.0.0"), "sent 1 commit up to", "1.0.0 is announced, built from")
	c.commit("Other", "README.md", "x\n")
	culprit := c.commit("Look tides up without a check", "web/src/tideAt.ts", tideCode)
	has(announce("1.1.0"), "sent 2 commits up to")
	has(announce("1.1.0"), "1.1.0 is announced") // again: nothing to send
	throw("tideAt", "1.1.0")
	has(say(0, "issue", "likely", "1"), "2 commits since 1.0.0", culprit[:10]+"  Look tides up without a check", "changed the origin's line, tideAt.ts:3", "is web/src/tideAt.ts (by the longest equal end, src/tideAt.ts)", "was changed last by Oke Farrow")
	has(say(0, "issue", "show", "1"), "3    return tables[day]", "from the repository, at commit "+culprit[:10])
	has(say(0, "issue", "owners", "1"), "Named there, but no account here: Oke Farrow <oke.farrow@marrowsound.example>")
	s.run(t, 0, "person", "add", "Oke Farrow", "oke.farrow@marrowsound.example", "--role", "member")
	has(say(0, "issue", "owners", "1"), "Oke Farrow  changed the line last, today", "web/src/tideAt.ts")
	var token struct{ Token string }
	s.json(t, &token, "token", "create", "oke", "--scope", "person", "--person", "Oke Farrow")
	out, _ := s.runIn(t, "q\n", 0, "--token", token.Token, "round", "--project", p)
	has(out, "▶     3    return tables[day]", "g gives it to Oke Farrow", "likely   brought by "+culprit[:10]+" Look tides up without a check, Oke Farrow just now (")
	if code, line := s.get(t, "/api/projects/life/line?release=1.1.0&source=src/tideAt.ts&line=3", true); code != 200 || !strings.Contains(line, culprit) {
		t.Errorf("who changed the line: %d %s", code, line)
	}
	if code, line := s.get(t, "/api/projects/life/line?release=0.9&source=src/tideAt.ts&line=3", true); code != 200 || !strings.Contains(line, "0.9 was announced without a commit") {
		t.Errorf("who changed it in a release nobody knows: %d %s", code, line)
	}
	c.commit("Check the day\n\nFirethorn-Fixes: life/1, gangway/1, nothing", "web/src/tideAt.ts", strings.Replace(tideCode, "tables[day]", "tables[day] ?? low", 1))
	has(announce("1.2.0"), "says it fixes life/1: done", "gangway/1, which is an issue of another project: nothing was changed", `"nothing", which names no issue`)
	throw("tideAt", "1.1.0")
	throw("stepZoom", "1.2.0") // the last good release is one that was seen
	c.commit("Undo it", "web/src/tideAt.ts", tideCode)
	announce("1.3.0")
	throw("tideAt", "1.3.0")
	has(say(0, "issue", "history", "1"), "the commit says so: Check the day", "the fix is out in 1.2.0", "seen in 1.1.0, which is older than the fix", "expected until everybody has updated", "came back in 1.3.0", "since 1.2.0, the last good release: 1 commit")
	has(say(0, "issue", "since", "1"), "1.2.0 came out", "! came back in 1.3.0")
	has(say(0, "release", "show", "1.3.0"), "CAME BACK IN IT", "TypeError in tideAt", "1 commit since then", "Undo it")
	has(say(0, "release", "order", "1.0.0", "1.3.0"), "1.0.0 comes before 1.3.0", "by commit")

	// A branch that never got the fix, then gets it as a cherry-pick.
	c.git("checkout", "--quiet", "-b", "maintenance", culprit)
	c.commit("Words", "README.md", "y\n")
	announce("1.1.1")
	say(0, "issue", "fix", "1", "--commit", c.git("rev-parse", "main~1"))
	throw("tideAt", "1.1.1")
	has(say(0, "issue", "history", "1"), "which does not contain the fix")
	has(say(0, "issue", "show", "1"), "fixed by commit")
	c.git("cherry-pick", "main~1")
	announce("1.1.2")
	throw("tideAt", "1.1.2")
	has(say(0, "issue", "history", "1"), "was made again as commit", "came back in 1.1.2", "which makes the same change as")

	// A shallow clone is told, and does not end the build.
	shallow := filepath.Join(t.TempDir(), "shallow")
	if out, err := exec.Command("git", "clone", "--quiet", "--depth", "1", "file://"+c.dir, shallow).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	s.project(t, "life-shallow")
	out, errs := s.run(t, 0, "release", "announce", "-p", "life-shallow", "--release", "9.0.0", "--repo", shallow)
	has(out+errs, "this clone is shallow", "git fetch --unshallow", "9.0.0 is announced")
	has(say(2, "release", "announce", "--release", "9.9.9", "--repo", t.TempDir()), "is in no git repository")
	has(say(2, "release", "announce", "--release", "9.9.9", "--repo", c.dir, "--commit", "0000000"), "the repository has no commit 0000000")
	has(say(1, "project", "change", p, "--repository", "https://code.marrowsound.example/x"), "--fetch-from")
	has(say(1, "project", "change", p, "--commit-link", "javascript:alert({commit})"), "http or https address")
	say(0, "project", "change", p, "--commit-link", "https://code.marrowsound.example/c/{commit}", "--source-path", "src/=web/src/")
	has(say(0, "issue", "likely", "1", "--in", "1.1.0"), "https://code.marrowsound.example/c/"+culprit, "by the source path src/=web/src/")
	s.recounted(t)
}

func TestLife_ParkCountDeleteAndMany(t *testing.T) {
	t.Parallel()
	s, p := shared, "life-many"
	key := s.project(t, p)
	for _, f := range []string{"tideAt", "stepZoom", "loadDepartures", "follow"} {
		s.post(t, key, event(f, "p-1", "4.2.0"))
	}
	s.settle(t)
	has := func(text string, want ...string) { t.Helper(); saysAll(t, text, want...) }
	say := func(want int, args ...string) string { t.Helper(); return s.says(t, p, want, args...) }
	id := map[string]string{}
	for _, i := range s.issues(t, p) {
		id[strings.TrimPrefix(i.Headline, "TypeError in ")] = i.ID
	}
	has(say(0, "issue", "park", id["tideAt"], "--users", "1", "--why", "one person"), "parked until 1 more user")
	has(say(1, "issue", "park", id["stepZoom"]), "say what wakes it")
	has(say(2, "issue", "park", id["stepZoom"], "--until", "soon"), "is no time to come")
	s.post(t, key, event("tideAt", "p-2", "4.2.0"))
	s.settle(t)
	has(say(0, "issue", "history", id["tideAt"]), "woken: 1 more user was hit", "— one person")
	has(say(0, "issue", "undo", id["tideAt"]), "parked until 1 more user")
	has(say(0, "issue", "count-only", id["follow"]), "dismissed, counted only")
	has(say(0, "issue", "fix", id["loadDepartures"], "--next"), "fixed in the next release after 4.2.0")
	has(say(1, "issue", "accept", id["loadDepartures"]), "this issue is fixed; reopen it")
	has(say(1, "issue", "delete", id["stepZoom"]), "would go for good, with 1 event", "--confirm 1")
	has(say(1, "issue", "delete", id["stepZoom"], "--confirm", "7"), "has 1 events by now, not 7")
	has(say(0, "issue", "delete", id["stepZoom"], "--confirm", "1"), "is deleted, with 1 event")
	has(say(1, "issue", "show", id["stepZoom"]), "was deleted by")
	has(say(1, "issue", "reopen", "--all", "--state", "parked,fixed,dismissed"), "about 3 issues of life-many; nothing was done yet", "--yes")
	out := say(0, "issue", "reopen", "--all", "--state", "parked,fixed,dismissed", "--yes")
	has(out, "done for 3 issues", "issue undo --project life-many --bulk")
	bulk := strings.TrimSpace(out[strings.LastIndex(out, " ")+1:])
	say(0, "issue", "dismiss", id["tideAt"])
	has(say(0, "issue", "undo", "--bulk", bulk), "undone for 2 issues", id["tideAt"]+" stays as it is: it was decided about since")
	until(t, "the deleted issue's events to go", func() bool {
		var e struct{ Events []json.RawMessage }
		s.json(t, &e, "event", "list", "-p", p)
		return len(e.Events) == 4
	})
	s.recounted(t)
}

func TestConsole_SinceWhenParkingAndNotices(t *testing.T) {
	t.Parallel()
	s, p, c := shared, "life-console", newCode(t)
	key := s.project(t, p)
	c.commit("Tides", "src/tideAt.ts", "old\n")
	s.run(t, 0, "release", "announce", "-p", p, "--release", "4.1.0", "--repo", c.dir)
	c.commit("Faster <b>tides</b>", "src/tideAt.ts", tideCode)
	s.run(t, 0, "release", "announce", "-p", p, "--release", "4.2.0", "--repo", c.dir)
	s.run(t, 0, "release", "mark-deployed", "-p", p, "--release", "4.2.0", "--environment", "production")
	s.post(t, key, thrownIn("tideAt", "4.2.0", "p-1")+"\n"+thrownIn("follow", "4.2.0", "p-1"))
	s.settle(t)
	tide := s.issues(t, p, "--text", "tideAt")[0].ID
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/round")
	eventually(t, tab, "the one whose code is known", `[...document.querySelectorAll('[aria-label="What waits"] li button')].find((b) => b.innerText.includes('tideAt'))?.click() === undefined && document.getElementById('in-hand')?.innerText === 'TypeError in tideAt'`)
	eventually(t, tab, "what the repository says, in the round", `document.querySelector('[aria-label="Likely change"]')?.innerText.includes('Faster <b>tides</b>') && document.querySelector('.source .at')?.innerText.includes('return tables[day]') && document.querySelector('[aria-label="Where it broke"]').innerText.includes('from the repository, at commit')`)
	open(t, tab, s.url+"/p/"+strings.Replace(tide, "/", "/issues/", 1))
	eventually(t, tab, "the time line", `document.querySelector('#when svg[role=img]')?.getAttribute('aria-label').includes('4.1.0 on ')`)
	eventually(t, tab, "likely changes, as text", `document.getElementById('when').innerText.includes('Faster <b>tides</b>') && document.getElementById('when').innerText.includes('changed the origin')`)
	press(t, tab, "p")
	eventually(t, tab, "the dialog", `document.querySelector('dialog button.btn-primary')?.disabled === true`)
	accessible(t, tab, "the dialog of parking")
	press(t, tab, "1")
	eventually(t, tab, "what wakes it, on the button", `document.querySelector('dialog button.btn-primary').innerText === 'Park until 1 more user'`)
	press(t, tab, "\r")
	eventually(t, tab, "it is parked", `document.body.innerText.includes('`+tide+`: parked until 1 more user')`)
	time.Sleep(10 * time.Millisecond) // the clock of the wake is behind the one of parking
	s.post(t, key, thrownIn("tideAt", "4.2.0", "p-2"))
	s.settle(t)
	eventually(t, tab, "it woke, without being asked", `document.getElementById('do').innerText.includes('woken: 1 more user was hit')`)
	accessible(t, tab, "an issue with its time line")
	open(t, tab, s.url+"/p/"+p+"/releases?release=4.2.0")
	eventually(t, tab, "the commits of a release", `document.querySelector('section[aria-label=Commits]')?.innerText.includes('Faster <b>tides</b>')`)
	open(t, tab, s.url+"/notices")
	eventually(t, tab, "the notice", `document.querySelector('main')?.innerText.includes('woken: 1 more user was hit') && [...document.querySelectorAll('header a')].some((a) => /Notices\d+/.test(a.innerText.replace(/\s/g, '')))`)
	accessible(t, tab, "notices")
	eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'I have seen them').click()`)
	eventually(t, tab, "none waits", `document.querySelector('main').innerText.includes('You have seen them all.')`)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the list", `document.querySelectorAll('[role=row][aria-selected]').length === 2`)
	eval[any](t, tab, `[...document.querySelectorAll('[role=toolbar] button')].find((b) => b.textContent.startsWith('Delete')).click()`)
	eventually(t, tab, "what goes", `document.querySelector('dialog')?.innerText.includes('This cannot be undone')`)
	accessible(t, tab, "the dialog of a deletion")
	eval[any](t, tab, `document.querySelector('dialog button.btn-primary').click()`)
	eventually(t, tab, "it is gone", `document.querySelectorAll('[role=row][aria-selected]').length === 1 && document.body.innerText.includes('is deleted, with')`)
	check()
}
