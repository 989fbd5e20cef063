package pipeline

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/rules"
)

// thrown is a batch of one error in app.js, with what is put at the end of its event.
func thrown(release, message, more string) *Batch {
	stack, _ := json.Marshal("E: " + message + "\n    at Kt (https://a.example/app.js:1:1)\n    at go (https://a.example/lib.ts:3:1)")
	return &Batch{
		Received: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), IDs: []uuid.UUID{uuid.New()},
		Events: []json.RawMessage{json.RawMessage(fmt.Sprintf(`{"exceptions":[{"type":"E","message":%q,"stack":%s}],"resource":{"service.version":%q}%s}`, message, stack, release, more))},
	}
}

func TestTraces_AreReadOnceHoweverOftenTheyAreThrown(t *testing.T) {
	store := &shelf{}
	units := NewUnits(store, 1<<20)
	process := func(p Project, b *Batch) *Item {
		t.Helper()
		it, err := Process(t.Context(), p, b, 0, units)
		if err != nil {
			t.Fatal(err)
		}
		return it
	}
	first := process(project, thrown("1", "berth 1", ""))
	if first.Print.Place != "src/tides.ts:17" || units.traces.Len() != 1 {
		t.Fatalf("%+v; %d traces are held", first.Print, units.traces.Len())
	}
	wanted := slices.Clone(first.Frames[0])
	first.Frames[0][0].Function = "changed by whoever got it"
	if err := units.WriteUsed(t.Context()); err != nil || len(store.used) != 1 {
		t.Fatalf("used %v, %v", store.used, err)
	}
	asked := store.asked
	again := process(project, thrown("1", "berth 2", ""))
	if !reflect.DeepEqual(again.Frames[0], wanted) || again.SymbolsVersion != first.SymbolsVersion {
		t.Errorf("the second time:\n%+v\nthe first:\n%+v", again.Frames[0], wanted)
	}
	if units.traces.Len() != 1 || store.asked != asked {
		t.Errorf("%d traces are held, the store was asked %d times more", units.traces.Len(), store.asked-asked)
	}
	if err := units.WriteUsed(t.Context()); err != nil || len(store.used) != 2 {
		t.Errorf("symbols of a remembered trace do not count as used: %v, %v", store.used, err)
	}
}

func TestTraces_AreReadAnewWhereSomethingDiffers(t *testing.T) {
	set, problems := rules.Read("frames:\n  - name: copied\n    path: src/*\n    do: vendor\n")
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	ruled := project
	ruled.Rules, ruled.RulesVersion = set, 2
	other := project
	other.ID = 2
	store := &shelf{}
	units := NewUnits(store, 1<<20)
	for n, c := range []struct {
		what    string
		project Project
		batch   *Batch
		change  func()
		kind    event.Kind
	}{
		{"at first", project, thrown("1", "x", ""), nil, event.Own},
		{"other rules", ruled, thrown("1", "x", ""), nil, event.Vendor},
		{"another project", other, thrown("1", "x", ""), nil, event.Own},
		{"another debug id", project, thrown("1", "x", `,"symbols":[{"file":"https://a.example/app.js","debug_id":"22222222-2222-4222-8222-222222222222"}]`), nil, event.Own},
		{"symbols came", project, thrown("1", "x", ""), func() { store.version++; units.Forget(1) }, event.Own},
	} {
		if c.change != nil {
			c.change()
		}
		it, err := Process(t.Context(), c.project, c.batch, 0, units)
		if err != nil || it.Frames[0][0].Kind != c.kind || units.traces.Len() != n+1 {
			t.Errorf("%s: %s, %d traces are held, want %d; %v", c.what, it.Frames[0][0].Kind, units.traces.Len(), n+1, err)
		}
	}
}

// What could not be read is read again once symbols have come.
func TestTraces_ThatWaitForSymbols(t *testing.T) {
	store := &shelf{hidden: true}
	units := NewUnits(store, 1<<20)
	for range 2 {
		it, err := Process(t.Context(), project, thrown("1", "x", ""), 0, units)
		if err != nil || !it.Frames[0][0].Pending || !it.Print.Provisional || units.traces.Len() != 1 {
			t.Fatalf("pending %v, %d traces are held, %v", it.Frames[0][0].Pending, units.traces.Len(), err)
		}
	}
	store.hidden, store.version = false, 1
	units.Forget(1)
	it, err := Process(t.Context(), project, thrown("1", "x", ""), 0, units)
	if err != nil || it.Frames[0][0].Pending || it.Print.Place != "src/tides.ts:17" {
		t.Errorf("symbols came: %+v, %v", it.Print, err)
	}
	failing := NewUnits(&shelf{fail: fmt.Errorf("the store is away")}, 1<<20)
	if _, err := Process(t.Context(), project, thrown("1", "x", ""), 0, failing); err == nil || failing.traces.Len() != 0 {
		t.Errorf("%v, %d traces are held", err, failing.traces.Len())
	}
}
