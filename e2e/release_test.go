package e2e

import (
	"strings"
	"testing"
)

func TestRelease_FromTheBuildToTheNextOne(t *testing.T) {
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
	if _, errs := s.run(t, 1, "release", "mark-deployed", "-p", p, "--release", "3.0.0", "--environment", "production"); !strings.Contains(errs, "nothing was heard of release") {
		t.Errorf("a release nobody announced says %s", errs)
	}
	s.post(t, key, "["+harbourEvent("LaneError", "shut", "laneOf", "board", "car", "p-1")+"]")
	s.settle(t)
	out, _ := s.run(t, 0, "release", "show", "-p", p, "2.9.0")
	for _, want := range []string{"built from 85314830023f", "1 event of 1 issue", "deployed to production", "LaneError", "nothing came back"} {
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
	if out, _ := s.run(t, 0, "release", "order", "-p", p, "2.8.0", "2.9.0"); !strings.Contains(out, "2.8.0 comes after 2.9.0: nothing was heard of 2.8.0 yet") {
		t.Errorf("order by announcement says %s", out)
	}
}
