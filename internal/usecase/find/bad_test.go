package find_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/query"
	"firethorn/internal/records"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/indexing"
)

// berth is an event with attributes.
func berth(at time.Time, attributes map[string]any) map[string]any {
	return map[string]any{"time": at.Format(time.RFC3339Nano), "attributes": attributes,
		"exceptions": []any{map[string]any{"type": "TypeError", "message": "no berth", "frames": []any{map[string]any{"function": "berthOf", "file": "src/berths.ts", "line": 3}}}}}
}

func ask(b *testbed.Bench, text string) find.Ask {
	return find.Ask{Project: b.Project, Text: text, Window: &find.Window{}, Asker: find.Asker{Now: b.Now}}
}

// found counts the events that fit.
func found(b *testbed.Bench, text string) int {
	b.T.Helper()
	page, err := b.Find.FindEvents(b.T.Context(), find.EventAsk{Ask: ask(b, text), Limit: 500})
	if err != nil {
		b.T.Fatalf("%s: %v", text, err)
	}
	return len(page.Events)
}

func TestSearch_SaysWhatIsWrong(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(1, func(int) map[string]any {
		return berth(testbed.Noon, map[string]any{"berth.zone": "C", "plan": "gold"})
	})
	for text, want := range map[string]struct {
		column  int
		nearest string
	}{
		strings.Repeat("x", 10_000):    {query.MaxLength + 1, ""},
		strings.Repeat("(", 500) + "x": {query.MaxDepth + 1, ""},
		strings.Repeat("plan:a ", 65):  {64*7 + 1, ""},
		"brower.name:Firefox":          {1, "browser.name"},
		"plan:gold berth.zoen:C":       {11, "berth.zone"},
		"severity:loud":                {1, ""},
		"users:many":                   {1, ""},
		"first:soon":                   {1, ""},
		"state:neww":                   {1, "new"},
		"plan:gold user:p-*":           {11, ""},
		"session:*":                    {1, ""},
		"owner:me":                     {1, ""},
		"saved:nothing":                {1, ""},
		`plan:"gold`:                   {6, ""},
		"(plan:gold":                   {0, ""},
		"user:>3":                      {1, ""},
	} {
		_, err := b.Find.FindIssues(t.Context(), find.IssueAsk{Ask: ask(b, text), States: issue.States, Order: issues.ByImpact, Limit: 5})
		f, ok := errors.AsType[*problem.Error](err)
		if !ok || f.Code != problem.BadSearch || f.Pub == "" || f.Nearest != want.nearest || want.column != 0 && f.Column != want.column {
			t.Errorf("%.40q: %v (%+v), want column %d and nearest %q", text, err, f, want.column, want.nearest)
		}
	}
	for _, text := range []string{"plan:*old", "*", "plan:*", "-plan:* -berth.zone:*", "plan:-gold", "os.name:iOS"} {
		_ = found(b, text) // wildcards in front, and names that may still come, are fine
	}
}

func TestSearch_OddNamesAndValues(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	names := []string{"a.b.c", `say "hi"`, "x:y", "שם", "two words", "-minus", "(round)", "ünïcode"}
	b.Many(len(names)*2, func(i int) map[string]any {
		value := any("שלום: \"x\", y")
		if i%2 == 1 {
			value = 7
		}
		return berth(testbed.Noon, map[string]any{names[i/2]: value})
	})
	for _, name := range names {
		text := query.String(query.Term{Name: name, Values: []query.Value{query.Exactly(`שלום: "x", y`)}})
		if n := found(b, text); n != 1 {
			t.Errorf("%s finds %d events, want 1", text, n)
		}
		if n := found(b, query.String(query.Range{Name: name, From: query.Bound{Text: "6"}})); n != 1 {
			t.Errorf("%s above 6: %d events, want the number alone", name, n)
		}
		if n := found(b, query.String(query.Term{Name: name, Values: []query.Value{{Parts: []string{"", ""}}}})); n != 2 {
			t.Errorf("%s is there in %d events, want 2", name, n)
		}
	}
}

func TestSearch_ManyValuesAndManyNames(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Indexing.Sizes.Rows = 3
	b.Many(2000, func(i int) map[string]any {
		return berth(testbed.Noon.Add(-time.Duration(i)*time.Second), map[string]any{"request.number": fmt.Sprintf("r-%d", i), fmt.Sprintf("name.%d", i%300): i})
	})
	for more := true; more; {
		var err error
		if more, err = b.Indexing.Merge(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	f, err := b.Find.Facets(t.Context(), find.FacetAsk{Ask: ask(b, ""), By: []string{"request.number"}, Limit: 3})
	if err != nil || f.Events != 2000 || len(f.Facets[0].Values) != 3 || f.Facets[0].Others != 1997 || f.Facets[0].Absent != 0 {
		t.Errorf("%+v, %v", f, err)
	}
	if n := found(b, "request.number:r-1234"); n != 1 {
		t.Errorf("one of 2,000 values finds %d events", n)
	}
	if n := b.One("SELECT COUNT(*) FROM attribute"); n > 205 {
		t.Errorf("%d names have a column; there are places for 200 of one's own", n)
	}
	if n := b.Received("capped", "attributes that are searched"); n < 500 {
		t.Errorf("%d events are said to have names without a place", n)
	}
	b.Recounted()
}

func TestSearch_NothingThere(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	f, err := b.Find.Facets(t.Context(), find.FacetAsk{Ask: ask(b, ""), Limit: 3})
	if err != nil || f.Events != 0 || f.Users != 0 {
		t.Errorf("a project without an event: %+v, %v", f, err)
	}
	b.File(testbed.Event{Function: "tideAt", At: testbed.Noon})
	if h, err := b.Find.Histogram(t.Context(), find.HistogramAsk{Ask: ask(b, "")}); err != nil || len(h.Series) != 1 {
		t.Errorf("%+v, %v", h, err)
	}
	if _, err := b.Find.User(t.Context(), b.Project, find.Asker{Now: b.Now}, "nobody"); testbed.Code(err) != problem.NotFound {
		t.Errorf("a user of whom nothing is known: %v", err)
	}
}

func TestUser_ByAnyName(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	who := []map[string]any{
		{"user.id": "p-1", "user.email": "ines@quay.example"}, {"user.id": "p-1"}, {"user.id": "p-2", "user.name": "Anna Moss"},
		{"user.id": "p-3", "user.name": "Anna Moss"}, {"user.id": "p-3"},
	}
	b.Many(len(who), func(i int) map[string]any { return berth(testbed.Noon.Add(-time.Duration(i)*time.Hour), who[i]) })
	u, err := b.Find.User(t.Context(), b.Project, find.Asker{Now: b.Now}, "ines@quay.example")
	if err != nil || u.Events != 2 || len(u.Issues) != 1 || u.Identities["user.id"][0] != "p-1" || len(u.Recent) != 2 {
		t.Fatalf("an address finds %+v, %v; want also the event that carried the id alone", u, err)
	}
	u, err = b.Find.User(t.Context(), b.Project, find.Asker{Now: b.Now}, "Anna Moss")
	if err != nil || len(u.Several) != 2 || u.Several[0].Identities["user.id"][0] != "p-3" {
		t.Fatalf("two people of one name: %+v, %v", u, err)
	}
	if _, err := b.Retention.Erase(t.Context(), b.Project, "p-1", "Maren Holt"); err != nil {
		t.Fatal(err)
	}
	if err := b.Retention.EraseNext(t.Context(), b.Project.ID); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"p-1", "ines@quay.example"} {
		if _, err := b.Find.User(t.Context(), b.Project, find.Asker{Now: b.Now}, name); testbed.Code(err) != problem.NotFound {
			t.Errorf("%s was erased, and is found: %v", name, err)
		}
		if n := found(b, query.String(query.Term{Name: "user", Values: []query.Value{query.Exactly(name)}})); n != 0 {
			t.Errorf("%s was erased, and %d events are found by it", name, n)
		}
	}
	c, err := b.Find.Complete(t.Context(), b.Project, find.Asker{Now: b.Now}, "user.id:", 100, 20)
	if err != nil || len(c.Offers) != 2 {
		t.Errorf("of three users one was erased; offered are %+v, %v", c, err)
	}
	b.Recounted()
}

func TestSearch_DamagedSegmentIsReportedAndRebuilt(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(60, func(i int) map[string]any { return berth(testbed.Noon, map[string]any{"plan": "gold"}) })
	b.Many(40, func(i int) map[string]any { return berth(testbed.Noon, map[string]any{"plan": "gold"}) })
	if _, err := b.DB.Exec("UPDATE segment SET body=INSERT(body, 40, 1, 'X') WHERE first_position=1"); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		page, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, "plan:gold"), Limit: 500})
		if err != nil || len(page.Events) != 40 || len(page.Warnings) != 1 || !strings.Contains(page.Warnings[0], "60 events are left out") {
			t.Fatalf("%d events, said: %v, %v", len(page.Events), page.Warnings, err)
		}
	}
	for more := true; more; {
		var err error
		if more, err = b.Indexing.Fill(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	if n := found(b, "plan:gold"); n != 100 {
		t.Errorf("made anew, %d events are found, want 100", n)
	}
	b.Recounted()
}

// What differs from the events is found by recount, and rebuilt by its repair.
func TestRepair_MendsTheIndex(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for range 3 {
		b.Many(20, func(int) map[string]any { return berth(testbed.Noon, map[string]any{"plan": "gold"}) })
	}
	for _, q := range []string{"DELETE FROM segment WHERE first_position=21", "UPDATE event SET variant=variant+0, stands_for=2 WHERE filing=3", "UPDATE segment SET first_position=42 WHERE first_position=41",
		"UPDATE variant SET events=events+1", "UPDATE issue_list SET events=events+1", "UPDATE issue_day SET events=events+1", "UPDATE issue_hour SET events=events+1", "UPDATE issue_env SET events=events+1", "UPDATE issue_trend SET events=events+1", "UPDATE issue_list SET window_events=window_events+1"} {
		if _, err := b.DB.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	list, _, err := b.Retention.Recount(t.Context())
	if err != nil || len(list) != 2 || list[0].Stored != 20 || list[1].Stored != 1 {
		t.Fatalf("%+v, %v; want 20 events missing and one with another weight", list, err)
	}
	if _, err := b.Retention.Repair(t.Context(), list); err != nil {
		t.Fatal(err)
	}
	for more := true; more; {
		if more, err = b.Indexing.Fill(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	b.Recounted()
	if n := found(b, "plan:gold"); n != 60 {
		t.Errorf("%d events are found, want 60", n)
	}
}

func TestFill_EventsFromBeforeTheIndex(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(150, func(i int) map[string]any {
		return berth(testbed.Noon.Add(-time.Duration(i)*time.Minute), map[string]any{"plan": "gold", "user.id": fmt.Sprintf("p-%d", i%7), "user.email": fmt.Sprintf("p-%d@quay.example", i%7)})
	})
	for _, q := range []string{"DELETE FROM segment", "DELETE FROM user_number", "DELETE FROM user_identity", "DELETE FROM variant_fact", "UPDATE variant SET facts=0",
		"UPDATE project_counter SET indexed=0, users=0, memberships=memberships+1"} {
		if _, err := b.DB.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	b.Many(1, func(int) map[string]any { return berth(testbed.Noon, map[string]any{"plan": "silver"}) })
	page, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, "plan:*"), Limit: 500})
	if err != nil || len(page.Events) != 1 || page.CompleteFrom.IsZero() {
		t.Fatalf("%d events, complete from %s, %v", len(page.Events), page.CompleteFrom, err)
	}
	b.Recounted() // what is missing is known to be
	anew, err := records.Open(t.Context(), records.Options{DSN: b.DSN, Now: func() time.Time { return b.Now }})
	if err != nil {
		t.Fatal(err)
	}
	defer anew.Close()
	for more := true; more; {
		if more, err = anew.Indexing.Fill(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.Indexing.NoteFacts(t.Context(), b.Project, b.Units); err != nil {
		t.Fatal(err)
	}
	b.Recounted()
	page, err = b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, "type:TypeError plan:*"), Limit: 500})
	// Of 150 events the first hundred bodies are kept, and the newest one.
	if kept := b.One("SELECT COUNT(*) FROM event e WHERE has_body=1 OR filing=151 OR EXISTS (SELECT 1 FROM newest_body n WHERE n.filing=e.filing)"); err != nil || int64(len(page.Events)) != kept || !page.CompleteFrom.IsZero() {
		t.Errorf("%d events of %d kept, complete from %s, %v", len(page.Events), kept, page.CompleteFrom, err)
	}
	if n := found(b, "-plan:gold -plan:silver"); n != 0 {
		t.Errorf("of an event without a body nothing is known, and %d fit a term that does not hold", n)
	}
	if n := found(b, "-user:p-1@quay.example user:*"); n < 120 {
		t.Errorf("%d events of others", n)
	}
	if u, err := b.Find.User(t.Context(), b.Project, find.Asker{Now: b.Now}, "p-1@quay.example"); err != nil || u.Events < 20 {
		t.Errorf("%+v, %v", u, err)
	}
}

func TestSave(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(3, func(i int) map[string]any {
		return berth(testbed.Noon, map[string]any{"plan": []string{"gold", "silver", "gold"}[i]})
	})
	maren := accounts.Actor{Kind: "person", ID: 101, Name: "Maren Holt"}
	a := find.Ask{Project: b.Project, Asker: find.Asker{Now: b.Now, Person: 101}}
	save := func(name, text string, shared bool) ([]string, error) {
		return b.Find.Save(t.Context(), a, find.Saved{Name: name, Search: text, Shared: shared}, maren)
	}
	if warnings, err := save("gold", "plan:gold", true); err != nil || len(warnings) != 0 {
		t.Fatal(warnings, err)
	}
	if warnings, err := save("later", "cabin.deck:3", false); err != nil || len(warnings) != 1 {
		t.Errorf("a name that may still come: %v, %v; want a warning", warnings, err)
	}
	if _, err := save("mine", "saved:gold -plan:silver", false); err != nil {
		t.Error(err)
	}
	if n := found(b, "saved:gold"); n != 2 {
		t.Errorf("a shared search finds %d events for anybody, want 2", n)
	}
	q := ask(b, "saved:mine OR plan:silver")
	q.Person = 101
	if page, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: q, Limit: 10}); err != nil || len(page.Events) != 3 {
		t.Errorf("one's own search: %+v, %v", page, err)
	}
	if _, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, "saved:mine"), Limit: 10}); testbed.Code(err) != problem.BadSearch {
		t.Errorf("somebody else's search is seen: %v", err)
	}
	if _, err := save("gold", "saved:gold", true); testbed.Code(err) != problem.BadInput {
		t.Errorf("a search that names itself: %v", err)
	}
	if _, err := save("", "plan:gold", true); testbed.Code(err) != problem.BadInput {
		t.Errorf("a search without a name: %v", err)
	}
	if err := b.Find.DeleteSaved(t.Context(), b.Project.ID, 101, "gold", false); testbed.Code(err) != problem.NotFound {
		t.Errorf("a shared search is deleted as one's own: %v", err)
	}
	if err := b.Find.DeleteSaved(t.Context(), b.Project.ID, 101, "gold", true); err != nil {
		t.Error(err)
	}
	if list, err := b.Find.SavedSearches(t.Context(), b.Project.ID, 101); err != nil || len(list) != 2 {
		t.Errorf("%+v, %v", list, err)
	}
}

func TestAttributes_DroppedAndTakenBack(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	gold := func(int) map[string]any { return berth(testbed.Noon, map[string]any{"plan": "gold"}) }
	b.Many(5, gold)
	if err := b.Find.DropAttribute(t.Context(), b.Project, "plan", true); err != nil {
		t.Fatal(err)
	}
	b.Many(5, gold)
	if _, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, "plan:gold"), Limit: 50}); testbed.Code(err) != problem.BadSearch {
		t.Errorf("a name that was dropped is searched: %v", err)
	}
	b.Recounted()
	list, places, err := b.Find.Attributes(t.Context(), b.Project.ID)
	if err != nil || places != 200 || len(list) != 2 || list[1].Name != "plan" || !list[1].Dropped {
		t.Errorf("%+v, %d, %v", list, places, err)
	}
	b.Now = b.Now.Add(time.Minute)
	if err := b.Find.DropAttribute(t.Context(), b.Project, "plan", false); err != nil {
		t.Fatal(err)
	}
	b.Many(5, gold)
	if n := found(b, "plan:gold"); n != 15 { // no segment was merged meanwhile
		t.Errorf("%d events are found, want 15", n)
	}
	b.Recounted()
	if err := b.Find.DropAttribute(t.Context(), b.Project, "cabin.deck", true); testbed.Code(err) != problem.NotFound {
		t.Errorf("a name that nobody uses: %v", err)
	}
}

// A saved search that names somebody goes with them.
func TestErase_TakesSavedSearchesAlong(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	a := find.Ask{Project: b.Project, Asker: find.Asker{Now: b.Now}}
	for name, text := range map[string]string{"hers": "-plan:gold (user.email:Ines@quay.example OR plan:x)", "all": "user.email:*@quay.example"} {
		if _, err := b.Find.Save(t.Context(), a, find.Saved{Name: name, Search: text, Shared: true}, accounts.Service); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.Retention.Erase(t.Context(), b.Project, "ines@quay.example", "Maren Holt"); err != nil {
		t.Fatal(err)
	}
	if list, err := b.Find.SavedSearches(t.Context(), b.Project.ID, 0); err != nil || len(list) != 1 || list[0].Name != "all" {
		t.Errorf("%+v, %v", list, err)
	}
}

// Of a merged segment in which a user was erased, every attribute is compared, also
// those that are read after the first.
func TestAgainst_AfterAnErasure(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Indexing.Sizes = indexing.Sizes{Rows: 2, Middle: 10, Large: 20, Limit: 400}
	for batch := range 12 {
		b.Many(10, func(i int) map[string]any {
			i += 10 * batch
			a := map[string]any{"user.id": fmt.Sprintf("p-%d", i%40), "berth.zone": "A", "plan": "silver"}
			release := "1.0.0"
			if i < 40 {
				a["berth.zone"], a["plan"], release = "C", "gold", "2.0.0"
			}
			e := berth(testbed.Noon.Add(-time.Duration(i)*time.Second), a)
			e["resource"] = map[string]any{"service.version": release}
			return e
		})
	}
	for more := true; more; {
		var err error
		if more, err = b.Indexing.Merge(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.Retention.Erase(t.Context(), b.Project, "p-3", "Maren Holt"); err != nil {
		t.Fatal(err)
	}
	if err := b.Retention.EraseNext(t.Context(), b.Project.ID); err != nil {
		t.Fatal(err)
	}
	if n := b.One("SELECT COUNT(*) FROM segment WHERE tier=2"); n == 0 {
		t.Fatal("no segment is large")
	}
	got, err := b.Find.Against(t.Context(), find.FacetAsk{Ask: ask(b, "release:2.0.0"), By: []string{"berth.zone", "plan"}, Limit: 9})
	if err != nil || len(got.Values) != 2 {
		t.Fatalf("%+v, %v", got, err)
	}
	for _, v := range got.Values {
		if v.Here != 39 || v.HereOf != 40 || v.Elsewhere != 0 || v.ElseOf != 80 {
			t.Errorf("%s %s: %d of %d, elsewhere %d of %d; the erased event has none", v.Name, v.Value, v.Here, v.HereOf, v.Elsewhere, v.ElseOf)
		}
	}
}
