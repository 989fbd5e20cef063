package guide

import (
	"strings"
	"testing"
)

// Every guide is filled in, says what to do in each step, and reports to the
// project by its key.
func TestFor_FillsEveryGuideIn(t *testing.T) {
	f := Facts{Server: "https://errors.marrowsound.example", Key: "fk_gangway", Project: "gangway", Version: "9.8.7"}
	all, err := Runtimes()
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range all {
		g, err := For(r.ID, f)
		if err != nil {
			t.Fatal(err)
		}
		if g.Name != r.Name || g.Name == "" || g.About == "" || len(g.Steps) < 3 {
			t.Errorf("%s: %+v", r.ID, g)
		}
		var whole strings.Builder
		tested := false
		for _, s := range g.Steps {
			whole.WriteString(s.Title + s.Why + s.Run + s.File + s.Text + "\n")
			if s.Title == "" || s.Run == "" && s.Text == "" && s.Why == "" {
				t.Errorf("%s has a step that says nothing: %+v", r.ID, s)
			}
			tested = tested || s.Title == "Send a test event"
		}
		text := whole.String()
		for _, want := range []string{f.Server, f.Key, f.Project} {
			if !strings.Contains(text, want) {
				t.Errorf("%s does not name %s", r.ID, want)
			}
		}
		if strings.Contains(text, "{{") || strings.Contains(text, "<no value>") || !tested {
			t.Errorf("%s is not filled in, or sends no test event:\n%s", r.ID, text)
		}
	}
}

func TestFor_StartsTheClientWithItsOptions(t *testing.T) {
	g, err := For("node-web", Facts{Server: "http://localhost:7413", Key: "fk_1", Project: "gangway", Version: "0.1.0"})
	if err != nil {
		t.Fatal(err)
	}
	want := "import { start } from '@firethorn/client'\n\nstart({\n  server: 'http://localhost:7413',\n  key: 'fk_1',\n  service: 'gangway',\n" +
		"  release: process.env.RELEASE ?? '1.0.0',\n  environment: 'production',\n  sessions: 'request',\n})\n"
	if g.Steps[1].Text != want || g.Steps[0].Run != "npm install http://localhost:7413/clients/firethorn-client-0.1.0.tgz" {
		t.Errorf("%s\n%s", g.Steps[0].Run, g.Steps[1].Text)
	}
}

func TestFor_KnowsItsRuntimesOnly(t *testing.T) {
	if g, err := For("../guide", Facts{}); err == nil || !strings.Contains(err.Error(), "there is no guide") {
		t.Errorf("%+v %v", g, err)
	}
}
