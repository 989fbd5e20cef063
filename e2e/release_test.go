package e2e

import (
	"strings"
	"testing"
)

func TestRelease_FromTheBuildToTheNextOne(t *testing.T) {
	t.Parallel()
	s, p := shared, "releases"
	key := s.project(t, p)
	if out, _ := s.run(t, 0, "release", "list", "-p", p); !strings.Contains(out, "firethorn release announce") {
		t.Errorf("an empty list does not say what comes next: %s", out)
	}
	s.run(t, 0, "release", "announce", "-p", p, "--release", "2.9.0", "--commit", "85314830023f4cf1")
	if _, errs := s.run(t, 1, "release", "announce", "-p", p, "--release", "2.9.0", "--commit", "9f1c2ab"); !strings.Contains(errs, "another release, and needs another version") {
		t.Errorf("a second build says %s", errs)
	}
	s.run(t, 0, "release", "mark-deployed", "-p", p, "--release", "2.9.0", "--environment", "production")
	if _, errs := s.run(t, 1, "release", "mark-deployed", "-p", p, "--release", "3.0.0", "--environment", "production"); !strings.Contains(errs, "is not known; firethorn release list") {
		t.Errorf("a release nobody announced says %s", errs)
	}
	s.post(t, key, "["+harbourEvent("LaneError", "shut", "laneOf", "board", "car", "p-1")+"]")
	s.settle(t)
	out, _ := s.run(t, 0, "release", "show", "-p", p, "2.9.0")
	for _, want := range []string{"built from 85314830023f", "the history of commit 8531483002 was not sent", "1 event of 1 issue", "deployed to production", "LaneError", "nothing came back"} {
		if !strings.Contains(out, want) {
			t.Errorf("show does not say %q:\n%s", want, out)
		}
	}
	if out, _ := s.run(t, 0, "release", "list", "-p", p); !strings.Contains(out, "production") || !strings.Contains(out, "85314830023f") {
		t.Errorf("list says %s", out)
	}
	if out, _ := s.run(t, 0, "release", "order", "-p", p, "2.10.0", "2.9.0"); !strings.Contains(out, "2.10.0 comes after 2.9.0: by semantic version") {
		t.Errorf("order says %s", out)
	}
	s.run(t, 0, "project", "change", p, "--release-order", "announcement")
	if out, _ := s.run(t, 0, "release", "order", "-p", p, "2.8.0", "2.9.0"); !strings.Contains(out, "2.8.0 comes after 2.9.0: 2.8.0 is not known yet") {
		t.Errorf("order by announcement says %s", out)
	}
}

func TestConsole_ShowsReleases(t *testing.T) {
	t.Parallel()
	s, p := shared, "released"
	key := s.project(t, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/releases")
	eventually(t, tab, "what comes next", `document.body.innerText.includes('firethorn release announce --project `+p+`')`)
	accessible(t, tab, "no releases")
	s.post(t, key, "["+harbourEvent("LaneError", "shut", "laneOf", "board", "car", "p-1")+"]")
	s.settle(t)
	s.run(t, 0, "release", "announce", "-p", p, "--release", "2.10.0", "--repo", "none")
	s.run(t, 0, "release", "mark-deployed", "-p", p, "--release", "2.9.0", "--environment", "production")
	s.run(t, 0, "issue", "fix", p+"/1", "--in", "2.10.0")
	open(t, tab, s.url+"/p/"+p+"/releases")
	eventually(t, tab, "the newest, chosen", `document.querySelector('tr[aria-current]')?.innerText.includes('2.10.0') && document.querySelector('section[aria-label="Fixed in it"]')?.innerText.includes('LaneError in laneOf')`)
	accessible(t, tab, "releases")
	eval[any](t, tab, `[...document.querySelectorAll('td button')].find((b) => b.textContent === '2.9.0').click()`)
	eventually(t, tab, "the other", `document.querySelector('tr[aria-current]')?.innerText.includes('production') && document.querySelector('section[aria-label="New in it"]')?.innerText.includes('LaneError in laneOf')`)
	check()
}
