package mariadb

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
)

// twoSources maps column 0 on to src/tides.ts:17 and column 18 on to
// src/draw.ts:4, both of which stand in a function of the same name.
var twoSources = fmt.Sprintf(`{"version":3,"sources":["src/tides.ts","src/draw.ts"],"sourcesContent":[%q,%q],"names":[],"mappings":"AAgBA,kBCbA"}`,
	"function a(): number {"+strings.Repeat("\n", 16)+"return 1 }", "function a(): number {"+strings.Repeat("\n", 3)+"return 1 }")

// pushMap pushes a map for the file that raw events name.
func (b *bench) pushMap(release, content string) Pushed {
	b.t.Helper()
	hashes, err := b.PutSymbols(b.t.Context(), b.project.ID, [][]byte{[]byte(content)})
	if err != nil {
		b.t.Fatal(err)
	}
	done, err := b.AddSymbolFiles(b.t.Context(), b.project.ID, release, []PushedFile{{Address: "https://q.example/assets/app.js", Map: hashes[0]}})
	if err != nil {
		b.t.Fatal(err)
	}
	return done
}

// raw is an event whose one frame is in a built file.
type raw struct {
	message, release, user, id string
	column                     int
}

func (b *bench) raws(list ...raw) {
	b.t.Helper()
	batch := &pipeline.Batch{Received: b.now}
	for _, x := range list {
		e := map[string]any{"time": b.now.Add(-time.Hour).Format(time.RFC3339Nano), "resource": map[string]any{"service.version": x.release}, "attributes": map[string]any{"user.id": x.user},
			"exceptions": []any{map[string]any{"type": "TypeError", "message": x.message, "frames": []any{map[string]any{"function": "a", "file": "https://q.example/assets/app.js", "line": 1, "column": x.column}}}}}
		if x.id != "" {
			e["symbols"] = []any{map[string]any{"file": "https://q.example/assets/app.js", "debug_id": x.id}}
		}
		text, err := json.Marshal(e)
		if err != nil {
			b.t.Fatal(err)
		}
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, text)
	}
	if err := b.Append(b.t.Context(), b.project.ID, batch); err != nil {
		b.t.Fatal(err)
	}
	if _, err := b.File(b.t.Context(), b.filing()); err != nil {
		b.t.Fatal(err)
	}
}

// reread lets events become readable and moves arrive.
func (b *bench) reread() {
	b.t.Helper()
	for more := true; more; {
		b.units.Forget(b.project.ID)
		var err error
		if more, err = b.ReadAgain(b.t.Context(), b.project, b.reader()); err != nil {
			b.t.Fatal(err)
		}
	}
	b.lookedThrough()
}

func (b *bench) wantHeadline(number int64, headline, place string) {
	b.t.Helper()
	if is := b.issue(number); is.Headline != headline || is.Place != place {
		b.t.Errorf("issue %d is %q at %q, want %q at %q", number, is.Headline, is.Place, headline, place)
	}
}

func TestReadAgain_EventsGoWhereTheyBelong(t *testing.T) {
	b := open1(t, noon)
	b.raws(
		raw{"no tide", "4.2.0", "p-1", "", 5}, raw{"no tide", "4.2.0", "p-2", "", 5}, raw{"no tide", "4.2.1", "p-1", "", 5},
		raw{"no day", "4.2.0", "p-3", "", 5}, raw{"no day", "4.2.0", "p-3", "", 20}, raw{"no day", "4.2.0", "p-4", "", 20},
	)
	b.wantCounts(1, 3, 2)
	b.wantCounts(2, 3, 2)
	unread, err := b.UnreadReleases(t.Context(), b.project.ID)
	if err != nil || len(unread) != 2 {
		t.Fatalf("%+v, %v", unread, err)
	}
	b.pushMap("4.2.0", twoSources)
	b.reread()
	b.recounted()
	b.wantCounts(1, 1, 1) // of 4.2.1, whose map is not there
	b.wantCounts(2, 2, 2) // stays with the bug that most of it was
	b.wantCounts(3, 3, 3)
	b.wantHeadline(2, "TypeError in a", "src/draw.ts:4")
	b.wantHeadline(3, "TypeError in a", "src/tides.ts:17")
	// What comes now is readable, and goes to the same issues.
	b.raws(raw{"no tide", "4.2.0", "p-9", "", 5}, raw{"no day", "4.2.0", "p-9", "", 20}, raw{"no tide", "4.2.1", "p-9", "", 5})
	b.wantCounts(1, 2, 2)
	b.wantCounts(2, 3, 3)
	b.wantCounts(3, 4, 4)
	b.pushMap("4.2.1", twoSources)
	b.reread()
	b.recounted()
	b.wantCounts(3, 6, 4)
	if is := b.issue(1); is.Number != 3 || is.LastRelease != "4.2.1" {
		t.Errorf("the emptied issue leads to %d, last seen in %s", is.Number, is.LastRelease)
	}
	if from, err := b.MergedFrom(t.Context(), b.issue(3).ID); err != nil || len(from) != 0 {
		t.Errorf("it is shown as merged by hand: %v, %v", from, err)
	}
	if unread, err = b.UnreadReleases(t.Context(), b.project.ID); err != nil || len(unread) != 0 {
		t.Errorf("still unread: %+v, %v", unread, err)
	}
	// A release without symbols begins a raw issue of its own again.
	b.raws(raw{"no tide", "5.0.0", "p-1", "", 5})
	b.wantCounts(3, 6, 4)
	if n := b.one("SELECT COUNT(*) FROM issue_list"); n != 3 {
		t.Errorf("%d issues, want 3", n)
	}
}

// An event that was read a moment before the push, and filed a moment after, is
// not forgotten.
func TestReadAgain_WhatWasFiledAtTheMomentOfThePush(t *testing.T) {
	b := open1(t, noon)
	b.raws(raw{"no tide", "4.2.0", "p-1", "", 5})
	one := b.one("SELECT symbols_version FROM project_counter")
	b.pushMap("4.2.0", twoSources)
	b.raws(raw{"no tide", "4.2.0", "p-1", "", 20}) // believes for a second that there are none
	if again := b.one("SELECT again FROM variant ORDER BY id DESC LIMIT 1"); again != 1 || one == b.one("SELECT symbols_version FROM project_counter") {
		t.Fatalf("the variant is to be looked at again: %d", again)
	}
	b.reread()
	b.recounted()
	if n := b.one("SELECT COUNT(*) FROM variant WHERE provisional=1 OR again=1"); n != 0 {
		t.Errorf("%d variants are left", n)
	}
}

func TestReadAgain_ByDebugIDOfAnotherRelease(t *testing.T) {
	b := open1(t, noon)
	id := "0b7c1f5e-0000-4000-a000-000000000001"
	b.raws(raw{"no tide", "canary-17", "p-1", id, 5}, raw{"no tide", "canary-18", "p-1", "", 5})
	hashes, err := b.PutSymbols(t.Context(), b.project.ID, [][]byte{[]byte(twoSources)})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.AddSymbolFiles(t.Context(), b.project.ID, "4.2.0", []PushedFile{{Address: "elsewhere.js", Map: hashes[0], DebugID: id}}); err != nil {
		t.Fatal(err)
	}
	b.reread()
	b.recounted()
	b.wantCounts(2, 1, 1)
	b.wantHeadline(2, "TypeError in a", "src/tides.ts:17")
	b.wantCounts(1, 1, 1)
}

// People's decisions hold: a target that is fixed regresses by what comes from
// a release with the fix, and what was split stays split.
func TestReadAgain_MeetsDecisions(t *testing.T) {
	b := open1(t, noon)
	b.pushMap("4.1.0", twoSources)
	b.raws(raw{"no tide", "4.1.0", "p-1", "", 5}, raw{"the pier is shut", "4.1.0", "p-1", "", 5})
	b.wantCounts(1, 2, 1)
	if n, err := b.split(1, "message", "", "the pier is shut"); err != nil || n != 2 {
		t.Fatal(n, err)
	}
	b.lookedThrough()
	if err := b.Act(t.Context(), b.issue(1).ID, fixedIn("4.2.0"), "", maren, 0); err != nil {
		t.Fatal(err)
	}
	b.raws(raw{"no tide", "4.2.0", "p-2", "", 5}, raw{"the pier is shut", "4.2.0", "p-3", "", 5})
	if st := b.issue(1).State; st != issue.Fixed {
		t.Fatalf("before the push it is %s", st)
	}
	b.pushMap("4.2.0", twoSources)
	b.reread()
	b.recounted()
	b.wantCounts(1, 2, 2)
	b.wantCounts(2, 2, 2)
	if st := b.issue(1).State; st != issue.Regressed {
		t.Errorf("it is %s, want regressed", st)
	}
	// Undo means what people did, not what symbols did.
	if err := b.undo(1); err != nil {
		t.Fatal(err)
	}
	if n := b.one("SELECT COUNT(*) FROM move WHERE kind='symbols' AND undone_by IS NOT NULL"); n != 0 {
		t.Error("an undo took the symbols back")
	}
}

func TestReadAgain_StopsAnywhere(t *testing.T) {
	b := open1(t, noon)
	var list []raw
	for i := range 60 {
		list = append(list, raw{fmt.Sprint("message ", string(rune('a'+i%20))), "4.2.0", fmt.Sprint("p-", i%7), "", []int{5, 20}[i%2] + i/20})
	}
	b.raws(list...)
	before := b.one("SELECT COUNT(*) FROM issue_list")
	b.pushMap("4.2.0", twoSources)
	b.chunk = 3
	for more, i := true, 0; more; i++ {
		var err error
		b.units.Forget(b.project.ID)
		if more, err = b.ReadAgain(t.Context(), b.project, b.reader()); err != nil {
			t.Fatal(err)
		}
		if i%3 == 0 {
			if _, err := b.FollowMove(t.Context(), b.project.ID); err != nil {
				t.Fatal(err)
			}
			b.raws(raw{"message a", "4.2.0", "p-1", "", 5})
		}
	}
	b.reread()
	b.recounted()
	if n := b.one("SELECT COUNT(*) FROM issue_list"); n != 2 || before != 20 {
		t.Errorf("%d issues of %d are left, want 2", n, before)
	}
}

func TestAddSymbolFiles_NeverTheWrongMap(t *testing.T) {
	b := open1(t, noon)
	other := strings.ReplaceAll(twoSources, "src/", "old/")
	if p := b.pushMap("4.2.0", twoSources); p.Added != 1 || len(p.Builds) != 0 {
		t.Errorf("%+v", p)
	}
	if p := b.pushMap("4.2.0", twoSources); p.Already != 1 || len(p.Builds) != 0 {
		t.Errorf("pushed twice: %+v", p)
	}
	if p := b.pushMap("4.2.0", other); p.Added != 1 || len(p.Builds) != 1 {
		t.Errorf("another build: %+v", p)
	}
	b.raws(raw{"no tide", "4.2.0", "p-1", "", 5})
	is := b.issue(1)
	if strings.Contains(is.Place, "tides.ts") {
		t.Errorf("of two builds one was taken: %s", is.Place)
	}
	e, err := b.IssueEvent(t.Context(), b.project, is.ID, "newest")
	if err != nil {
		t.Fatal(err)
	}
	body, err := b.EventBody(t.Context(), e)
	if err != nil {
		t.Fatal(err)
	}
	r, err := b.reader()(t.Context(), body)
	if err != nil || !strings.Contains(r.Frames[0][0].WhyRaw, "2 different builds of https://q.example/assets/app.js") {
		t.Errorf("%+v, %v", r.Frames, err)
	}
	// Symbols of another project are nobody else's.
	if _, _, err := b.CreateProject(t.Context(), "gangway", 30); err != nil {
		t.Fatal(err)
	}
	gangway, err := b.Project(t.Context(), "gangway")
	if err != nil {
		t.Fatal(err)
	}
	f, _, err := b.ReleaseFiles(t.Context(), gangway.ID, "4.2.0", "app.js")
	if h := sha256.Sum256([]byte(twoSources)); err != nil || len(f) != 0 {
		t.Errorf("%v, %v", f, err)
	} else if have, err := b.HaveSymbols(t.Context(), gangway.ID, [][32]byte{h}); err != nil || len(have) != 0 {
		t.Errorf("another project's content is said to be there: %v, %v", have, err)
	}
}

func TestPutSymbolPart_PutsACutOffContentTogether(t *testing.T) {
	b := open1(t, noon)
	content := bytes.Repeat([]byte("0123456789abcdef"), (SymbolPart*2+1000)/16)
	h := sha256.Sum256(content)
	part := func(i int) []byte { return content[i*SymbolPart : min((i+1)*SymbolPart, len(content))] }
	put := func(i int, raw []byte) (bool, error) {
		return b.PutSymbolPart(t.Context(), b.project.ID, h, int64(len(content)), i, raw)
	}
	for _, i := range []int{2, 0} {
		if done, err := put(i, part(i)); done || err != nil {
			t.Fatalf("part %d: %v, %v", i, done, err)
		}
	}
	if there, err := b.PartsOf(t.Context(), b.project.ID, [][32]byte{h}); err != nil || fmt.Sprint(there[h]) != "[0 2]" {
		t.Errorf("there are %v, %v", there[h], err)
	}
	if _, err := put(1, part(1)[:100]); err == nil || !strings.Contains(err.Error(), "part 1 of") {
		t.Errorf("a part that is cut off: %v", err)
	}
	if done, err := put(1, part(1)); !done || err != nil {
		t.Fatalf("the last part: %v, %v", done, err)
	}
	if got, err := b.SymbolContent(t.Context(), b.project.ID, h); err != nil || !bytes.Equal(got, content) {
		t.Errorf("%d bytes come back of %d, %v", len(got), len(content), err)
	}
	// One that was changed on the way is dropped, and can be sent again.
	h = sha256.Sum256([]byte("another"))
	for i := range 3 {
		_, err := put(i, part(i))
		if f, ok := errors.AsType[*fault.Error](err); i == 2 && (!ok || f.Code != fault.BadInput || !strings.Contains(f.Pub, "was changed while it was sent")) {
			t.Errorf("a content that is another: %v", err)
		}
	}
	if n := b.one("SELECT COUNT(*) FROM symbol_part") + b.one("SELECT COUNT(*) FROM symbol_upload"); n != 3 {
		t.Errorf("%d rows are left, want the 3 parts of the first", n)
	}
}

func TestDropSymbols_AfterTheirLastUse(t *testing.T) {
	b := open1(t, noon)
	b.pushMap("4.1.0", twoSources)
	b.pushMap("4.2.0", strings.ReplaceAll(twoSources, "src/", "app/"))
	b.raws(raw{"no tide", "4.2.0", "p-1", "", 5})
	if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{KeepSymbols: 10}); err != nil {
		t.Fatal(err)
	}
	b.now = noon.Add(9 * 24 * time.Hour)
	if err := b.units.WriteUsed(t.Context()); err != nil {
		t.Fatal(err)
	}
	b.now = noon.Add(12 * 24 * time.Hour)
	if err := b.dropSymbols(t.Context()); err != nil {
		t.Fatal(err)
	}
	costs, err := b.SymbolCosts(t.Context(), b.project.ID, "", 10)
	if err != nil || len(costs) != 1 || costs[0].Release != "4.2.0" || costs[0].Bytes == 0 || costs[0].Alone != costs[0].Bytes || !costs[0].Until.Equal(noon.Add(19*24*time.Hour)) {
		t.Errorf("%+v, %v", costs, err)
	}
	for _, table := range []string{"symbol_content", "symbol_part", "symbol_unit", "symbol_page", "symbol_file"} {
		if n := b.one("SELECT COUNT(*) FROM " + table); n != 1 {
			t.Errorf("%d rows in %s, want 1", n, table)
		}
	}
	if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{KeepSymbols: -1}); err == nil {
		t.Error("symbols can be kept for no time")
	}
}

// A kept body that is not as it was written stands in nobody's way.
func TestReadAgain_PassesADamagedBodyBy(t *testing.T) {
	b := open1(t, noon)
	b.raws(raw{"no tide", "4.2.0", "p-1", "", 5}, raw{"no day", "4.2.0", "p-1", "", 20})
	if _, err := b.db.Exec("UPDATE exemplar SET body=(SELECT x.body FROM (SELECT ? body) x) ORDER BY variant LIMIT 1", pipeline.Compress([]byte("no body"))); err != nil {
		t.Fatal(err)
	}
	b.pushMap("4.2.0", twoSources)
	b.reread()
	b.recounted()
	b.wantHeadline(2, "TypeError in a", "src/draw.ts:4")
	if n := b.one("SELECT COUNT(*) FROM variant WHERE again=1"); n != 0 {
		t.Errorf("%d variants are looked at for ever", n)
	}
}
