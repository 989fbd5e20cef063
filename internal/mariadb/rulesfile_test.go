package mariadb

import (
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/pipeline"

	"github.com/google/uuid"
)

const dropTides = "intake:\n- {name: no tides, when: 'frames.exists(f, f.function == \"tideAt\")', do: drop}\n- {name: fails, when: 'exceptions[5].type == \"x\"', do: drop}\nscrub:\n- {name: passes, match: 'MSF-\\d+'}\n"

func codeOf(err error) fault.Code {
	f, ok := errors.AsType[*fault.Error](err)
	if !ok {
		return ""
	}
	return f.Code
}

func TestPushRules_KeepsEveryVersion(t *testing.T) {
	b := open1(t, noon)
	ines := Actor{Kind: "person", Name: "Ines Marlow"}
	if f, err := b.Rules(t.Context(), b.project.ID, 0); err != nil || f.Version != 0 || f.Text != "" {
		t.Errorf("rules of a new project: %+v, %v", f, err)
	}
	for i, text := range []string{"intake: []\n", dropTides} {
		if f, err := b.PushRules(t.Context(), b.project.ID, text, "why", i, ines); err != nil || f.Version != i+1 {
			t.Fatalf("push %d: %+v, %v", i, f, err)
		}
	}
	if f, err := b.PushRules(t.Context(), b.project.ID, dropTides, "", 2, ines); err != nil || f.Version != 2 {
		t.Errorf("the same again: %+v, %v", f, err)
	}
	if _, err := b.PushRules(t.Context(), b.project.ID, "scrub: []\n", "", 1, ines); codeOf(err) != fault.Stale {
		t.Errorf("made from an old version: %v", err)
	}
	if f, err := b.PushRules(t.Context(), b.project.ID, "scrub: []\n", "", -1, ines); err != nil || f.Version != 3 {
		t.Errorf("whatever is there: %+v, %v", f, err)
	}
	if f, err := b.Rules(t.Context(), b.project.ID, 2); err != nil || f.Text != dropTides || f.Actor != ines || f.Note != "why" || !f.At.Equal(noon) {
		t.Errorf("version 2: %+v, %v", f, err)
	}
	if _, err := b.Rules(t.Context(), b.project.ID, 9); codeOf(err) != fault.NotFound {
		t.Errorf("version 9: %v", err)
	}
	if list, err := b.RulesHistory(t.Context(), b.project.ID, 2); err != nil || len(list) != 2 || list[0].Version != 3 || list[1].Version != 2 {
		t.Errorf("history: %+v, %v", list, err)
	}
}

func TestFile_CountsWhatRulesDrop(t *testing.T) {
	b := open1(t, noon)
	if _, err := b.PushRules(t.Context(), b.project.ID, dropTides, "", -1, Actor{Kind: "token", Name: "build"}); err != nil {
		t.Fatal(err)
	}
	var err error
	if b.project, err = b.ProjectByID(t.Context(), b.project.ID); err != nil {
		t.Fatal(err)
	}
	done := b.file(occur{id: "1", function: "tideAt", at: noon}, occur{id: "2", function: "berth", at: noon}, occur{id: "3", function: "tideAt", at: noon})
	if done.Events != 1 {
		t.Errorf("%d filed", done.Events)
	}
	b.file(occur{id: "2", function: "berth", at: noon}, occur{id: "1", function: "tideAt", at: noon}) // repeats: drops count deliveries
	for k, want := range map[[2]string]int64{{CauseFiled, ""}: 1, {CauseRepeat, ""}: 1, {CauseDropped, "no tides"}: 3, {CauseFailed, "fails"}: 1} {
		if got := b.received(k[0], k[1]); got != want {
			t.Errorf("%v: %d, want %d", k, got, want)
		}
	}
	rows, err := b.Received(t.Context(), b.project.ID, noon.Add(-time.Hour), noon.Add(time.Hour))
	if err != nil || len(rows) != 4 || !rows[0].Hour.Equal(noon) {
		t.Errorf("received: %+v, %v", rows, err)
	}
	ex, err := b.ReceivedExamples(t.Context(), b.project.ID, noon.Add(-time.Hour))
	if err != nil || len(ex) == 0 {
		t.Fatalf("examples: %+v, %v", ex, err)
	}
	found := false
	for _, e := range ex {
		found = found || e.Cause == CauseDropped && e.Rule == "no tides" && strings.HasPrefix(e.Words, "TypeError: x")
	}
	if !found {
		t.Errorf("no example of what was dropped: %+v", ex)
	}
	if got := b.one("SELECT COUNT(*) FROM inbox"); got != 0 {
		t.Errorf("%d rows wait", got)
	}
	b.recounted()
}

func TestFile_CountsWhatWasScrubbed(t *testing.T) {
	b := open1(t, noon)
	batch := &pipeline.Batch{Received: noon, IDs: []uuid.UUID{uuid.New()}, Events: nil}
	raw, report, err := b.project.Rules.Policy().JSON([]byte(`{"message":"password=hunter2 and token=abc123, card 4111 1111 1111 1111"}`))
	if err != nil {
		t.Fatal(err)
	}
	batch.Events, batch.Scrubbed = append(batch.Events, raw), append(batch.Scrubbed, report)
	if err := b.Append(t.Context(), b.project.ID, batch); err != nil {
		t.Fatal(err)
	}
	if _, err := b.File(t.Context(), b.filing()); err != nil {
		t.Fatal(err)
	}
	if b.received(CauseScrubbed, "named") != 1 || b.received(CauseScrubbed, "card") != 1 {
		t.Errorf("scrubbed: %d named, %d cards", b.received(CauseScrubbed, "named"), b.received(CauseScrubbed, "card"))
	}
	p, err := b.ProjectByID(t.Context(), b.project.ID)
	if err != nil {
		t.Fatal(err)
	}
	list, _, err := b.Events(t.Context(), EventQuery{Project: p.ID, Limit: 5})
	if err != nil || len(list) != 1 {
		t.Fatalf("%d events, %v", len(list), err)
	}
	body, err := b.EventBody(t.Context(), list[0])
	if err != nil {
		t.Fatal(err)
	}
	e, _, err := pipeline.Read(t.Context(), p.Project, body, b.units)
	if err != nil || len(e.Scrubbed) != 2 || e.Scrubbed[0].By != "service" || e.Scrubbed[0].Count != 2 || e.Scrubbed[1].Rule != "card" {
		t.Errorf("the event says %+v, %v", e.Scrubbed, err)
	}
}

func TestSwitchOff_HoldsForOneVersion(t *testing.T) {
	b := open1(t, noon)
	who := Actor{Kind: "token", Name: "build"}
	if _, err := b.PushRules(t.Context(), b.project.ID, dropTides, "", -1, who); err != nil {
		t.Fatal(err)
	}
	for range 2 { // twice does no harm
		if err := b.SwitchOff(t.Context(), b.project.ID, RuleOff{Version: 1, Section: "intake", Rule: "no tides", Why: "it costs too much"}); err != nil {
			t.Fatal(err)
		}
	}
	p, err := b.ProjectByID(t.Context(), b.project.ID)
	if err != nil || !p.Off["no tides"] || len(p.Off) != 1 {
		t.Errorf("off: %v, %v", p.Off, err)
	}
	if off, err := b.ProjectsWithRulesOff(t.Context()); err != nil || len(off["quayside"]) != 1 {
		t.Errorf("projects with rules off: %v, %v", off, err)
	}
	if _, err := b.PushRules(t.Context(), b.project.ID, dropTides+"# mended\n", "", 1, who); err != nil {
		t.Fatal(err)
	}
	if p, err = b.ProjectByID(t.Context(), b.project.ID); err != nil || len(p.Off) != 0 {
		t.Errorf("off after a push: %v, %v", p.Off, err)
	}
}

func TestTakeAllowance_IsSharedAndExact(t *testing.T) {
	b := open1(t, noon)
	var mu sync.Mutex
	taken := int64(0)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 30 {
				ok, err := b.TakeAllowance(t.Context(), b.project.ID, Minute, noon, 7, 1000)
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
	if ok, err := b.TakeAllowance(t.Context(), b.project.ID, Minute, noon.Add(time.Minute), 1000, 1000); err != nil || !ok {
		t.Errorf("the next minute: %v, %v", ok, err)
	}
	if ok, err := b.TakeAllowance(t.Context(), b.project.ID, Minute, noon, 1, 1000); err != nil || ok {
		t.Errorf("a process whose clock is behind: %v, %v", ok, err)
	}
	if ok, err := b.TakeAllowance(t.Context(), b.project.ID, OfDay, OfDay.Start(noon), 1001, 1000); err != nil || ok {
		t.Errorf("more than all: %v, %v", ok, err)
	}
}

func TestKeys_RotateWithOverlap(t *testing.T) {
	b := open1(t, noon)
	keys, err := b.Keys(t.Context(), b.project.ID)
	if err != nil || len(keys) != 1 {
		t.Fatalf("%d keys, %v", len(keys), err)
	}
	old := keys[0].Value
	fresh, err := b.RotateKey(t.Context(), b.project.ID, old, 48*time.Hour)
	if err != nil || fresh.Value == old || fresh.Label != keys[0].Label {
		t.Fatalf("rotated to %+v, %v", fresh, err)
	}
	good := func(key string, want bool) {
		t.Helper()
		g, err := b.GrantOfKey(t.Context(), key)
		if (err == nil) != want || want && g.Project.ID != b.project.ID || !want && codeOf(err) != fault.Unauthorized {
			t.Errorf("%s is good: %v, want %v (%v)", key, err == nil, want, err)
		}
	}
	good(old, true)
	good(fresh.Value, true)
	b.now = b.now.Add(49 * time.Hour)
	good(old, false)
	good(fresh.Value, true)
	if _, err := b.RotateKey(t.Context(), b.project.ID, old, time.Hour); codeOf(err) != fault.Conflict {
		t.Errorf("rotating what is not good: %v", err)
	}
	if _, err := b.RevokeKey(t.Context(), b.project.ID, fresh.Value); err != nil {
		t.Fatal(err)
	}
	good(fresh.Value, false)
	good("in-nothing", false)
	if _, err := b.RevokeKey(t.Context(), b.project.ID, "in-nothing"); codeOf(err) != fault.NotFound {
		t.Errorf("revoking what is not there: %v", err)
	}
	keys, err = b.Keys(t.Context(), b.project.ID)
	if err != nil || len(keys) != 2 || !keys[0].LastUsed.Equal(noon) || keys[1].Revoked.IsZero() {
		t.Errorf("keys are %+v, %v", keys, err)
	}
}

func TestClientDrops_NamesAreBounded(t *testing.T) {
	b := open1(t, noon)
	drops := map[string]int64{"queue_full": 3, "A strange <name>": 2, "nothing": 0}
	for i := range 40 {
		drops["made_"+strings.Repeat("x", i%35)+string(rune('a'+i%26))] = 1
	}
	if err := b.ClientDrops(t.Context(), b.project.ID, drops); err != nil {
		t.Fatal(err)
	}
	if err := b.ClientDrops(t.Context(), b.project.ID, map[string]int64{"another": 5}); err != nil {
		t.Fatal(err)
	}
	names, sum := b.one("SELECT COUNT(*) FROM received WHERE cause='lost_by_client'"), b.one("SELECT SUM(events) FROM received WHERE cause='lost_by_client'")
	if names > mostLost+1 || sum != 50 {
		t.Errorf("%d names that count %d", names, sum)
	}
}

func TestObserve(t *testing.T) {
	b := open1(t, noon)
	for i := range 3 {
		b.now = noon.Add(time.Duration(i) * time.Hour)
		b.file(occur{function: "a", at: b.now}, occur{function: "b", at: b.now})
	}
	var got []int64
	all, err := b.Observe(t.Context(), b.project.ID, noon.Add(30*time.Minute), 3, func(e *Observation) error {
		if _, err := pipeline.Open(e.Raw); err != nil {
			return err
		}
		got = append(got, e.Filing)
		return nil
	})
	if err != nil || all != 3 || len(got) != 3 || got[0] != 6 || got[2] != 4 {
		t.Errorf("%v of %d, %v", got, all, err)
	}
	got = nil
	all, err = b.Observe(t.Context(), b.project.ID, noon.Add(90*time.Minute), 100, func(e *Observation) error { got = append(got, e.Filing); return nil })
	if err != nil || all != 2 || len(got) != 2 {
		t.Errorf("since a time: %v of %d, %v", got, all, err)
	}
}
