package projects_test

import (
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
)

const dropTides = "intake:\n- {name: no tides, when: 'frames.exists(f, f.function == \"tideAt\")', do: drop}\n- {name: fails, when: 'exceptions[5].type == \"x\"', do: drop}\nscrub:\n- {name: passes, match: 'MSF-\\d+'}\n"

func codeOf(err error) problem.Code {
	f, ok := errors.AsType[*problem.Error](err)
	if !ok {
		return ""
	}
	return f.Code
}

func TestPushRules_KeepsEveryVersion(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ines := accounts.Actor{Kind: "person", Name: "Ines Marlow"}
	if f, err := b.Projects.Rules(t.Context(), b.Project.ID, 0); err != nil || f.Version != 0 || f.Text != "" {
		t.Errorf("rules of a new project: %+v, %v", f, err)
	}
	for i, text := range []string{"intake: []\n", dropTides} {
		if f, err := b.Projects.PushRules(t.Context(), b.Project.ID, text, "why", i, ines); err != nil || f.Version != i+1 {
			t.Fatalf("push %d: %+v, %v", i, f, err)
		}
	}
	if f, err := b.Projects.PushRules(t.Context(), b.Project.ID, dropTides, "", 2, ines); err != nil || f.Version != 2 {
		t.Errorf("the same again: %+v, %v", f, err)
	}
	if _, err := b.Projects.PushRules(t.Context(), b.Project.ID, "scrub: []\n", "", 1, ines); codeOf(err) != problem.Stale {
		t.Errorf("made from an old version: %v", err)
	}
	if f, err := b.Projects.PushRules(t.Context(), b.Project.ID, "scrub: []\n", "", -1, ines); err != nil || f.Version != 3 {
		t.Errorf("whatever is there: %+v, %v", f, err)
	}
	if f, err := b.Projects.Rules(t.Context(), b.Project.ID, 2); err != nil || f.Text != dropTides || f.Actor != ines || f.Note != "why" || !f.At.Equal(testbed.Noon) {
		t.Errorf("version 2: %+v, %v", f, err)
	}
	if _, err := b.Projects.Rules(t.Context(), b.Project.ID, 9); codeOf(err) != problem.NotFound {
		t.Errorf("version 9: %v", err)
	}
	if list, err := b.Projects.RulesHistory(t.Context(), b.Project.ID, 2); err != nil || len(list) != 2 || list[0].Version != 3 || list[1].Version != 2 {
		t.Errorf("history: %+v, %v", list, err)
	}
}

func TestFile_CountsWhatRulesDrop(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	if _, err := b.Projects.PushRules(t.Context(), b.Project.ID, dropTides, "", -1, accounts.Actor{Kind: "token", Name: "build"}); err != nil {
		t.Fatal(err)
	}
	var err error
	if b.Project, err = b.Projects.ProjectByID(t.Context(), b.Project.ID); err != nil {
		t.Fatal(err)
	}
	done := b.File(testbed.Event{ID: "1", Function: "tideAt", At: testbed.Noon}, testbed.Event{ID: "2", Function: "berth", At: testbed.Noon}, testbed.Event{ID: "3", Function: "tideAt", At: testbed.Noon})
	if done.Events != 1 {
		t.Errorf("%d filed", done.Events)
	}
	b.File(testbed.Event{ID: "2", Function: "berth", At: testbed.Noon}, testbed.Event{ID: "1", Function: "tideAt", At: testbed.Noon}) // repeats: drops count deliveries
	for k, want := range map[[2]string]int64{{inbox.CauseProcessed, ""}: 1, {inbox.CauseRepeat, ""}: 1, {inbox.CauseDropped, "no tides"}: 3, {inbox.CauseConditionFailed, "fails"}: 1} {
		if got := b.Received(k[0], k[1]); got != want {
			t.Errorf("%v: %d, want %d", k, got, want)
		}
	}
	rows, err := b.Inbox.Received(t.Context(), b.Project.ID, testbed.Noon.Add(-time.Hour), testbed.Noon.Add(time.Hour))
	if err != nil || len(rows) != 4 || !rows[0].Hour.Equal(testbed.Noon) {
		t.Errorf("received: %+v, %v", rows, err)
	}
	ex, err := b.Inbox.ReceivedExamples(t.Context(), b.Project.ID, testbed.Noon.Add(-time.Hour))
	if err != nil || len(ex) == 0 {
		t.Fatalf("examples: %+v, %v", ex, err)
	}
	found := false
	for _, e := range ex {
		found = found || e.Cause == inbox.CauseDropped && e.Rule == "no tides" && strings.HasPrefix(e.Text, "TypeError: x")
	}
	if !found {
		t.Errorf("no example of what was dropped: %+v", ex)
	}
	if got := b.One("SELECT COUNT(*) FROM inbox"); got != 0 {
		t.Errorf("%d rows wait", got)
	}
	b.Recounted()
}

func TestFile_CountsWhatWasScrubbed(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	batch := &pipeline.Batch{Received: testbed.Noon, IDs: []uuid.UUID{uuid.New()}, Events: nil}
	raw, report, err := b.Project.Rules.Policy().JSON([]byte(`{"message":"password=hunter2 and token=abc123, card 4111 1111 1111 1111"}`))
	if err != nil {
		t.Fatal(err)
	}
	batch.Events, batch.Scrubbed = append(batch.Events, raw), append(batch.Scrubbed, report)
	if err := b.Inbox.Append(t.Context(), b.Project.ID, batch); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Ingest.Process(t.Context(), b.Batch()); err != nil {
		t.Fatal(err)
	}
	if b.Received(inbox.CauseScrubbed, "named") != 1 || b.Received(inbox.CauseScrubbed, "card") != 1 {
		t.Errorf("scrubbed: %d named, %d cards", b.Received(inbox.CauseScrubbed, "named"), b.Received(inbox.CauseScrubbed, "card"))
	}
	p, err := b.Projects.ProjectByID(t.Context(), b.Project.ID)
	if err != nil {
		t.Fatal(err)
	}
	list, _, err := b.Events.Events(t.Context(), events.EventQuery{Project: p.ID, Limit: 5})
	if err != nil || len(list) != 1 {
		t.Fatalf("%d events, %v", len(list), err)
	}
	body, err := b.Events.EventBody(t.Context(), list[0])
	if err != nil {
		t.Fatal(err)
	}
	e, _, err := pipeline.Read(t.Context(), p.Project, body, b.Units)
	if err != nil || len(e.Scrubbed) != 2 || e.Scrubbed[0].By != "service" || e.Scrubbed[0].Count != 2 || e.Scrubbed[1].Rule != "card" {
		t.Errorf("the event says %+v, %v", e.Scrubbed, err)
	}
}

func TestSwitchOff_HoldsForOneVersion(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	who := accounts.Actor{Kind: "token", Name: "build"}
	if _, err := b.Projects.PushRules(t.Context(), b.Project.ID, dropTides, "", -1, who); err != nil {
		t.Fatal(err)
	}
	for range 2 { // twice does no harm
		if err := b.Projects.SwitchOff(t.Context(), b.Project.ID, projects.RuleOff{Version: 1, Section: "intake", Rule: "no tides", Why: "it costs too much"}); err != nil {
			t.Fatal(err)
		}
	}
	p, err := b.Projects.ProjectByID(t.Context(), b.Project.ID)
	if err != nil || !p.Off["no tides"] || len(p.Off) != 1 {
		t.Errorf("off: %v, %v", p.Off, err)
	}
	if off, err := b.Projects.ProjectsWithRulesOff(t.Context(), sight.All); err != nil || len(off["quayside"]) != 1 {
		t.Errorf("projects with rules off: %v, %v", off, err)
	}
	if _, err := b.Projects.PushRules(t.Context(), b.Project.ID, dropTides+"# mended\n", "", 1, who); err != nil {
		t.Fatal(err)
	}
	if p, err = b.Projects.ProjectByID(t.Context(), b.Project.ID); err != nil || len(p.Off) != 0 {
		t.Errorf("off after a push: %v, %v", p.Off, err)
	}
}

func TestTakeAllowance_IsSharedAndExact(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var mu sync.Mutex
	taken := int64(0)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 30 {
				ok, err := b.Projects.TakeAllowance(t.Context(), b.Project.ID, projects.Minute, testbed.Noon, 7, 1000)
				if err != nil {
					t.Error(err)
					return
				}
				if ok {
					mu.Lock()
					taken += 7
					mu.Unlock()
				}
			}
		})
	}
	all.Wait()
	if taken != 994 {
		t.Errorf("%d of 1,000 were given in sevens", taken)
	}
	if ok, err := b.Projects.TakeAllowance(t.Context(), b.Project.ID, projects.Minute, testbed.Noon.Add(time.Minute), 1000, 1000); err != nil || !ok {
		t.Errorf("the next minute: %v, %v", ok, err)
	}
	if ok, err := b.Projects.TakeAllowance(t.Context(), b.Project.ID, projects.Minute, testbed.Noon, 1, 1000); err != nil || ok {
		t.Errorf("a process whose clock is behind: %v, %v", ok, err)
	}
	if ok, err := b.Projects.TakeAllowance(t.Context(), b.Project.ID, projects.OfDay, projects.OfDay.Start(testbed.Noon), 1001, 1000); err != nil || ok {
		t.Errorf("more than all: %v, %v", ok, err)
	}
}

func TestKeys_RotateWithOverlap(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	keys, err := b.Projects.Keys(t.Context(), b.Project.ID)
	if err != nil || len(keys) != 1 {
		t.Fatalf("%d keys, %v", len(keys), err)
	}
	old := keys[0].Value
	fresh, err := b.Projects.RotateKey(t.Context(), b.Project.ID, old, 48*time.Hour)
	if err != nil || fresh.Value == old || fresh.Label != keys[0].Label {
		t.Fatalf("rotated to %+v, %v", fresh, err)
	}
	good := func(key string, want bool) {
		t.Helper()
		g, err := b.Projects.GrantOfKey(t.Context(), key)
		if (err == nil) != want || want && g.Project.ID != b.Project.ID || !want && codeOf(err) != problem.Unauthorized {
			t.Errorf("%s is good: %v, want %v (%v)", key, err == nil, want, err)
		}
	}
	good(old, true)
	good(fresh.Value, true)
	b.Now = b.Now.Add(49 * time.Hour)
	good(old, false)
	good(fresh.Value, true)
	if _, err := b.Projects.RotateKey(t.Context(), b.Project.ID, old, time.Hour); codeOf(err) != problem.Conflict {
		t.Errorf("rotating what is not good: %v", err)
	}
	if _, err := b.Projects.RevokeKey(t.Context(), b.Project.ID, fresh.Value); err != nil {
		t.Fatal(err)
	}
	good(fresh.Value, false)
	good("in-nothing", false)
	if _, err := b.Projects.RevokeKey(t.Context(), b.Project.ID, "in-nothing"); codeOf(err) != problem.NotFound {
		t.Errorf("revoking what is not there: %v", err)
	}
	keys, err = b.Projects.Keys(t.Context(), b.Project.ID)
	if err != nil || len(keys) != 2 || !keys[0].LastUsed.Equal(testbed.Noon) || keys[1].Revoked.IsZero() {
		t.Errorf("keys are %+v, %v", keys, err)
	}
}
