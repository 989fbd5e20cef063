package owners

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestFind(t *testing.T) {
	f, bad := Parse(`# who owns what
*                      @everyone
*.md                   docs@marrowsound.example # words
/quayside/             @maren.holt
/quayside/src/berths/  @oke
docs/*                 @sunniva
apps/**/test           @quality
/exact.txt             @one
src/a\ b/              @blank
/quayside/free/
quai-?.md              @guide

!/quayside/x           @bad
/x[ab]                 @bad
/y                     nobody
[Section]
/a**b                  @bad
`)
	if len(bad) != 5 || bad[0].Line != 13 || !strings.Contains(bad[2].Why, `"nobody" is no owner`) {
		t.Errorf("bad lines: %+v", bad)
	}
	for path, want := range map[string]string{
		"main.go": "@everyone", "README.md": "docs@marrowsound.example", "deep/in/x.md": "docs@marrowsound.example",
		"quayside/src/main.ts": "@maren.holt", "quayside/src/berths/map.ts": "@oke", "gangway/quayside/x": "@everyone", "quayside/README.md": "@maren.holt",
		"docs/a.txt": "@sunniva", "docs/deep/a.txt": "@everyone", "apps/a/b/test/x.ts": "@quality", "apps/test": "@quality", "apps/tests": "@everyone",
		"exact.txt": "@one", "in/exact.txt": "@everyone", "src/a b/c": "@blank", "quayside/free/x": "", "quai-é.md": "@guide", "quai-12.md": "docs@marrowsound.example",
	} {
		r, ok := f.Find(path)
		if got := strings.Join(r.Owners, " "); !ok || got != want {
			t.Errorf("%s is owned by %q (%s), want %q", path, got, r.Pattern, want)
		}
	}
	if _, ok := (File{}).Find("x"); ok {
		t.Error("an empty file owns something")
	}
}

// Thousands of lines and patterns made to be slow are answered at once.
func TestFind_Hostile(t *testing.T) {
	var b strings.Builder
	for i := range 5000 {
		fmt.Fprintf(&b, "/part%d/**/a*a*a*a*a*a*a*b @x\n", i)
	}
	b.WriteString("**/" + strings.Repeat("*a", 15) + "/**/" + strings.Repeat("?", 50) + "/z @y\n")
	f, bad := Parse(b.String())
	if len(bad) != 0 {
		t.Fatalf("%+v", bad[0])
	}
	done := make(chan bool, 1)
	go func() {
		f.Find(strings.Repeat("aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa/", 60) + "c")
		done <- true
	}()
	select {
	case <-done:
	case <-time.After(20 * time.Second):
		t.Fatal("it goes on for ever")
	}
}

func TestPropose(t *testing.T) {
	now := time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC)
	people := []Person{{Name: "Maren Holt", Email: "maren.holt@marrowsound.example"}, {Name: "Oke Farrow", Email: "oke.farrow@marrowsound.example"}, {Name: "Sunniva Bray", Email: "sunniva.bray@marrowsound.example"}}
	loaded := func(n float64) []Person {
		p := slices.Clone(people)
		p[0].Load = n
		return p
	}
	line := Touch{"OKE.farrow@marrowsound.example", "Oke Farrow", now.AddDate(0, 0, -3), true}
	for name, c := range map[string]struct {
		f    Facts
		want string
		why  string
	}{
		"CODEOWNERS":                 {Facts{Rule: &Rule{Line: 4, Pattern: "/quayside/", Owners: []string{"@maren.holt"}}, Touches: []Touch{line}, People: people}, "Maren Holt", "CODEOWNERS, line 4: /quayside/"},
		"by name":                    {Facts{Rule: &Rule{Owners: []string{"@sunniva-bray"}}, People: people}, "Sunniva Bray", "CODEOWNERS"},
		"who changed the line":       {Facts{Touches: []Touch{line, {"maren.holt@marrowsound.example", "", now, false}}, People: people}, "Oke Farrow", "changed the line last, 3 days ago"},
		"owner, line and fix":        {Facts{Rule: &Rule{Owners: []string{"@maren.holt"}}, Touches: []Touch{line}, FixedBy: []string{"Oke Farrow"}, People: people}, "Oke Farrow", "fixed it before"},
		"who fixed its like":         {Facts{Alike: []Alike{{"quayside/1", 0.6, "Oke Farrow"}, {"quayside/2", 0.8, "Oke Farrow"}, {"quayside/3", 0.9, ""}}, Touches: []Touch{{"maren.holt@marrowsound.example", "", now, false}}, People: people}, "Oke Farrow", "fixed quayside/2, which is 80 % like it"},
		"a line of years ago":        {Facts{Touches: []Touch{{"oke.farrow@marrowsound.example", "", now.AddDate(-4, 0, 0), true}, {"maren.holt@marrowsound.example", "", now, false}}, People: people}, "Maren Holt", "changed lines around it"},
		"carries much: the next one": {Facts{Rule: &Rule{Owners: []string{"@maren.holt", "@oke.farrow"}}, People: loaded(300)}, "Oke Farrow", "CODEOWNERS"},
		"a team":                     {Facts{Rule: &Rule{Owners: []string{"@ferries/harbour-crew"}}, People: append(slices.Clone(people), Person{Name: "Harbour Crew", Team: true})}, "Harbour Crew", "CODEOWNERS"},
		"a group is no person":       {Facts{Rule: &Rule{Owners: []string{"@ferries/maren.holt"}}, People: people}, "", ""},
		"nobody knows":               {Facts{Rule: &Rule{Owners: []string{"@ferries/timetable"}}, People: people}, "", ""},
	} {
		c.f.Now = now
		list, _ := Propose(c.f)
		if c.want == "" {
			if len(list) != 0 {
				t.Errorf("%s: %+v", name, list)
			}
			continue
		}
		if len(list) == 0 || list[0].Name != c.want || !strings.Contains(strings.Join(list[0].Reasons, "; "), c.why) || list[0].Score <= 0 || list[0].Score > 100 {
			t.Errorf("%s: %+v, want %s because %q", name, list, c.want, c.why)
		}
	}
	_, strangers := Propose(Facts{Rule: &Rule{Owners: []string{"@ferries/timetable"}}, Touches: []Touch{{"a@b.example", "Ada", now, true}}, People: people, Now: now})
	if fmt.Sprint(strangers) != "[@ferries/timetable Ada <a@b.example>]" {
		t.Errorf("strangers: %q", strangers)
	}
}
