package moves_test

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/symbolstore"
	"firethorn/internal/testbed"
)

// twoSources maps column 0 on to src/tides.ts:17 and column 18 on to
// src/draw.ts:4, both of which stand in a function of the same name.
var twoSources = fmt.Sprintf(`{"version":3,"sources":["src/tides.ts","src/draw.ts"],"sourcesContent":[%q,%q],"names":[],"mappings":"AAgBA,kBCbA"}`,
	"function a(): number {"+strings.Repeat("\n", 16)+"return 1 }", "function a(): number {"+strings.Repeat("\n", 3)+"return 1 }")

func TestReadAgain_EventsGoWhereTheyBelong(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Raws(
		testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-1", ID: "", Column: 5}, testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-2", ID: "", Column: 5}, testbed.Raw{Message: "no tide", Release: "4.2.1", User: "p-1", ID: "", Column: 5},
		testbed.Raw{Message: "no day", Release: "4.2.0", User: "p-3", ID: "", Column: 5}, testbed.Raw{Message: "no day", Release: "4.2.0", User: "p-3", ID: "", Column: 20}, testbed.Raw{Message: "no day", Release: "4.2.0", User: "p-4", ID: "", Column: 20},
	)
	b.WantCounts(1, 3, 2)
	b.WantCounts(2, 3, 2)
	unread, err := b.Ingest.UnreadReleases(t.Context(), b.Project.ID)
	if err != nil || len(unread) != 2 {
		t.Fatalf("%+v, %v", unread, err)
	}
	b.PushMap("4.2.0", twoSources)
	b.Reread()
	b.Recounted()
	b.WantCounts(1, 1, 1) // of 4.2.1, whose map is not there
	b.WantCounts(2, 2, 2) // stays with the bug that most of it was
	b.WantCounts(3, 3, 3)
	b.WantHeadline(2, "TypeError in a", "src/draw.ts:4")
	b.WantHeadline(3, "TypeError in a", "src/tides.ts:17")
	// What comes now is readable, and goes to the same issues.
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-9", ID: "", Column: 5}, testbed.Raw{Message: "no day", Release: "4.2.0", User: "p-9", ID: "", Column: 20}, testbed.Raw{Message: "no tide", Release: "4.2.1", User: "p-9", ID: "", Column: 5})
	b.WantCounts(1, 2, 2)
	b.WantCounts(2, 3, 3)
	b.WantCounts(3, 4, 4)
	b.PushMap("4.2.1", twoSources)
	b.Reread()
	b.Recounted()
	b.WantCounts(3, 6, 4)
	if is := b.Issue(1); is.Number != 3 || is.LastRelease != "4.2.1" {
		t.Errorf("the emptied issue leads to %d, last seen in %s", is.Number, is.LastRelease)
	}
	if from, err := b.Issues.MergedFrom(t.Context(), b.Issue(3).ID); err != nil || len(from) != 0 {
		t.Errorf("it is shown as merged by hand: %v, %v", from, err)
	}
	if unread, err = b.Ingest.UnreadReleases(t.Context(), b.Project.ID); err != nil || len(unread) != 0 {
		t.Errorf("still unread: %+v, %v", unread, err)
	}
	// A release without symbols begins a raw issue of its own again.
	b.Raws(testbed.Raw{Message: "no tide", Release: "5.0.0", User: "p-1", ID: "", Column: 5})
	b.WantCounts(3, 6, 4)
	if n := b.One("SELECT COUNT(*) FROM issue_list"); n != 3 {
		t.Errorf("%d issues, want 3", n)
	}
}

// An event that was read a moment before the push, and processed a moment after, is
// not forgotten.
func TestReadAgain_IncludesEventsProcessedDuringThePush(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-1", ID: "", Column: 5})
	one := b.One("SELECT symbols_version FROM project_counter")
	b.PushMap("4.2.0", twoSources)
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-1", ID: "", Column: 20}) // believes for a second that there are none
	if again := b.One("SELECT again FROM variant ORDER BY id DESC LIMIT 1"); again != 1 || one == b.One("SELECT symbols_version FROM project_counter") {
		t.Fatalf("the variant is to be looked at again: %d", again)
	}
	b.Reread()
	b.Recounted()
	if n := b.One("SELECT COUNT(*) FROM variant WHERE provisional=1 OR again=1"); n != 0 {
		t.Errorf("%d variants are left", n)
	}
}

func TestReadAgain_ByDebugIDOfAnotherRelease(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	id := "0b7c1f5e-0000-4000-a000-000000000001"
	b.Raws(testbed.Raw{Message: "no tide", Release: "canary-17", User: "p-1", ID: id, Column: 5}, testbed.Raw{Message: "no tide", Release: "canary-18", User: "p-1", ID: "", Column: 5})
	hashes, err := b.Symbols.PutSymbols(t.Context(), b.Project.ID, [][]byte{[]byte(twoSources)})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.Symbols.AddSymbolFiles(t.Context(), b.Project.ID, "4.2.0", []symbolstore.PushedFile{{Address: "elsewhere.js", Map: hashes[0], DebugID: id}}); err != nil {
		t.Fatal(err)
	}
	b.Reread()
	b.Recounted()
	b.WantCounts(2, 1, 1)
	b.WantHeadline(2, "TypeError in a", "src/tides.ts:17")
	b.WantCounts(1, 1, 1)
}

// People's decisions hold: a target that is fixed regresses by what comes from
// a release with the fix, and what was split stays split.
func TestReadAgain_MeetsDecisions(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.PushMap("4.1.0", twoSources)
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.1.0", User: "p-1", ID: "", Column: 5}, testbed.Raw{Message: "the pier is shut", Release: "4.1.0", User: "p-1", ID: "", Column: 5})
	b.WantCounts(1, 2, 1)
	if n, err := b.Split(1, "message", "", "the pier is shut"); err != nil || n != 2 {
		t.Fatal(n, err)
	}
	b.LookedThrough()
	if err := b.Triage.Act(t.Context(), b.Issue(1).ID, testbed.FixedIn("4.2.0"), "", testbed.Maren, 0); err != nil {
		t.Fatal(err)
	}
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-2", ID: "", Column: 5}, testbed.Raw{Message: "the pier is shut", Release: "4.2.0", User: "p-3", ID: "", Column: 5})
	if st := b.Issue(1).State; st != issue.Fixed {
		t.Fatalf("before the push it is %s", st)
	}
	b.PushMap("4.2.0", twoSources)
	b.Reread()
	b.Recounted()
	b.WantCounts(1, 2, 2)
	b.WantCounts(2, 2, 2)
	if st := b.Issue(1).State; st != issue.Regressed {
		t.Errorf("it is %s, want regressed", st)
	}
	// Undo means what people did, not what symbols did.
	if err := b.Undo(1); err != nil {
		t.Fatal(err)
	}
	if n := b.One("SELECT COUNT(*) FROM move WHERE kind='symbols' AND undone_by IS NOT NULL"); n != 0 {
		t.Error("an undo took the symbols back")
	}
}

func TestReadAgain_StopsAnywhere(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var list []testbed.Raw
	for i := range 60 {
		list = append(list, testbed.Raw{Message: fmt.Sprint("message ", string(rune('a'+i%20))), Release: "4.2.0", User: fmt.Sprint("p-", i%7), ID: "", Column: []int{5, 20}[i%2] + i/20})
	}
	b.Raws(list...)
	before := b.One("SELECT COUNT(*) FROM issue_list")
	b.PushMap("4.2.0", twoSources)
	b.Moves.Chunk = 3
	for more, i := true, 0; more; i++ {
		var err error
		b.Units.Forget(b.Project.ID)
		if more, err = b.Moves.ReadAgain(t.Context(), b.Project, b.Reader()); err != nil {
			t.Fatal(err)
		}
		if i%3 == 0 {
			if _, err := b.Moves.FollowMove(t.Context(), b.Project.ID); err != nil {
				t.Fatal(err)
			}
			b.Raws(testbed.Raw{Message: "message a", Release: "4.2.0", User: "p-1", ID: "", Column: 5})
		}
	}
	b.Reread()
	b.Recounted()
	if n := b.One("SELECT COUNT(*) FROM issue_list"); n != 2 || before != 20 {
		t.Errorf("%d issues of %d are left, want 2", n, before)
	}
}

func TestAddSymbolFiles_NeverTheWrongMap(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	other := strings.ReplaceAll(twoSources, "src/", "old/")
	if p := b.PushMap("4.2.0", twoSources); p.Added != 1 || len(p.Builds) != 0 {
		t.Errorf("%+v", p)
	}
	if p := b.PushMap("4.2.0", twoSources); p.Already != 1 || len(p.Builds) != 0 {
		t.Errorf("pushed twice: %+v", p)
	}
	if p := b.PushMap("4.2.0", other); p.Added != 1 || len(p.Builds) != 1 {
		t.Errorf("another build: %+v", p)
	}
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-1", ID: "", Column: 5})
	is := b.Issue(1)
	if strings.Contains(is.Place, "tides.ts") {
		t.Errorf("of two builds one was taken: %s", is.Place)
	}
	e, err := b.Events.IssueEvent(t.Context(), b.Project, is.ID, "newest")
	if err != nil {
		t.Fatal(err)
	}
	body, err := b.Events.EventBody(t.Context(), e)
	if err != nil {
		t.Fatal(err)
	}
	r, err := b.Reader()(t.Context(), body)
	if err != nil || !strings.Contains(r.Frames[0][0].WhyRaw, "2 different builds of https://q.example/assets/app.js") {
		t.Errorf("%+v, %v", r.Frames, err)
	}
	// Symbols of another project are nobody else's.
	if _, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30}); err != nil {
		t.Fatal(err)
	}
	gangway, err := b.Projects.Project(t.Context(), "gangway")
	if err != nil {
		t.Fatal(err)
	}
	f, _, err := b.Symbols.ReleaseFiles(t.Context(), gangway.ID, "4.2.0", "app.js")
	if h := sha256.Sum256([]byte(twoSources)); err != nil || len(f) != 0 {
		t.Errorf("%v, %v", f, err)
	} else if have, err := b.Symbols.HaveSymbols(t.Context(), gangway.ID, [][32]byte{h}); err != nil || len(have) != 0 {
		t.Errorf("another project's content is said to be there: %v, %v", have, err)
	}
}

func TestPutSymbolPart_PutsACutOffContentTogether(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	content := bytes.Repeat([]byte("0123456789abcdef"), (symbolstore.SymbolPart*2+1000)/16)
	h := sha256.Sum256(content)
	part := func(i int) []byte {
		return content[i*symbolstore.SymbolPart : min((i+1)*symbolstore.SymbolPart, len(content))]
	}
	put := func(i int, raw []byte) (bool, error) {
		return b.Symbols.PutSymbolPart(t.Context(), b.Project.ID, h, int64(len(content)), i, raw)
	}
	for _, i := range []int{2, 0} {
		if done, err := put(i, part(i)); done || err != nil {
			t.Fatalf("part %d: %v, %v", i, done, err)
		}
	}
	if there, err := b.Symbols.PartsOf(t.Context(), b.Project.ID, [][32]byte{h}); err != nil || fmt.Sprint(there[h]) != "[0 2]" {
		t.Errorf("there are %v, %v", there[h], err)
	}
	if _, err := put(1, part(1)[:100]); err == nil || !strings.Contains(err.Error(), "part 1 of") {
		t.Errorf("a part that is cut off: %v", err)
	}
	if done, err := put(1, part(1)); !done || err != nil {
		t.Fatalf("the last part: %v, %v", done, err)
	}
	if got, err := b.Symbols.SymbolContent(t.Context(), b.Project.ID, h); err != nil || !bytes.Equal(got, content) {
		t.Errorf("%d bytes come back of %d, %v", len(got), len(content), err)
	}
	// One that was changed on the way is dropped, and can be sent again.
	h = sha256.Sum256([]byte("another"))
	for i := range 3 {
		_, err := put(i, part(i))
		if f, ok := errors.AsType[*problem.Error](err); i == 2 && (!ok || f.Code != problem.BadInput || !strings.Contains(f.Pub, "was changed while it was sent")) {
			t.Errorf("a content that is another: %v", err)
		}
	}
	if n := b.One("SELECT COUNT(*) FROM symbol_part") + b.One("SELECT COUNT(*) FROM symbol_upload"); n != 3 {
		t.Errorf("%d rows are left, want the 3 parts of the first", n)
	}
}

func TestDropSymbols_AfterTheirLastUse(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.PushMap("4.1.0", twoSources)
	b.PushMap("4.2.0", strings.ReplaceAll(twoSources, "src/", "app/"))
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-1", ID: "", Column: 5})
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{KeepSymbols: 10}); err != nil {
		t.Fatal(err)
	}
	b.Now = testbed.Noon.Add(9 * 24 * time.Hour)
	if err := b.Units.WriteUsed(t.Context()); err != nil {
		t.Fatal(err)
	}
	b.Now = testbed.Noon.Add(12 * 24 * time.Hour)
	if err := b.Symbols.DropSymbols(t.Context()); err != nil {
		t.Fatal(err)
	}
	costs, err := b.Symbols.SymbolCosts(t.Context(), b.Project.ID, "", 10)
	if err != nil || len(costs) != 1 || costs[0].Release != "4.2.0" || costs[0].Bytes == 0 || costs[0].Alone != costs[0].Bytes || !costs[0].Until.Equal(testbed.Noon.Add(19*24*time.Hour)) {
		t.Errorf("%+v, %v", costs, err)
	}
	for _, table := range []string{"symbol_content", "symbol_part", "symbol_unit", "symbol_page", "symbol_file"} {
		if n := b.One("SELECT COUNT(*) FROM " + table); n != 1 {
			t.Errorf("%d rows in %s, want 1", n, table)
		}
	}
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{KeepSymbols: -1}); err == nil {
		t.Error("symbols can be kept for no time")
	}
}

// A kept body that is not as it was written stands in nobody's way.
func TestReadAgain_PassesADamagedBodyBy(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Raws(testbed.Raw{Message: "no tide", Release: "4.2.0", User: "p-1", ID: "", Column: 5}, testbed.Raw{Message: "no day", Release: "4.2.0", User: "p-1", ID: "", Column: 20})
	if _, err := b.DB.Exec("UPDATE exemplar SET body=(SELECT x.body FROM (SELECT ? body) x) ORDER BY variant LIMIT 1", pipeline.Compress([]byte("no body"))); err != nil {
		t.Fatal(err)
	}
	b.PushMap("4.2.0", twoSources)
	b.Reread()
	b.Recounted()
	b.WantHeadline(2, "TypeError in a", "src/draw.ts:4")
	if n := b.One("SELECT COUNT(*) FROM variant WHERE again=1"); n != 0 {
		t.Errorf("%d variants are looked at for ever", n)
	}
}
