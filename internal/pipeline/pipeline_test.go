package pipeline

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/klauspost/compress/s2"

	"firethorn/internal/core/event"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbolicate"
)

// shelf is a store of one file for release 1, and another by its debug id.
type shelf struct {
	asked, pages   int
	version, raw   int64
	fail, pageFail error
	gone           bool // the contents are not there
	hidden         bool // no file was pushed
	content        string
	units          map[int64]SymbolUnit
	compiled       map[int64][]byte
	used           []int64
}

const mapJSON = `{"version":3,"sources":["src/tides.ts"],"names":["tideAt"],"mappings":"AAgBAA"}`

func (s *shelf) SymbolsVersion(context.Context, int64) (int64, error) {
	s.asked++
	return s.version, s.fail
}

func (s *shelf) ReleaseFiles(_ context.Context, _ int64, release, name string) ([]SymbolFile, int, error) {
	s.asked++
	if s.hidden || release != "1" || name != "app.js" {
		return nil, 0, s.fail
	}
	return []SymbolFile{{symbolicate.File{Address: "https://a.example/app.js", DebugID: "11111111-1111-4111-8111-111111111111", Build: "1"}, 1}}, 1, s.fail
}

func (s *shelf) ReleaseUnits(context.Context, int64, string, int) ([]int64, error) {
	return nil, nil
}

func (s *shelf) SymbolsWithID(_ context.Context, _ int64, id string) ([]SymbolFile, error) {
	if id != "22222222-2222-4222-8222-222222222222" {
		return nil, nil
	}
	return []SymbolFile{{symbolicate.File{DebugID: id, Build: "2"}, 2}}, nil
}

func (s *shelf) SymbolUnit(_ context.Context, id int64) (SymbolUnit, error) {
	s.asked++
	if u, ok := s.units[id]; ok {
		return u, nil
	}
	raw := s.raw
	if raw == 0 {
		raw = 100
	}
	return SymbolUnit{ID: id, Project: 1, State: "waiting", Map: [32]byte{1}, Raw: raw}, nil
}

func (s *shelf) SymbolPages(_ context.Context, unit int64, from, to int) (out [][]byte, err error) {
	s.pages++
	for i := from; i <= to && i*SymbolPage < len(s.compiled[unit]); i++ {
		out = append(out, s.compiled[unit][i*SymbolPage:min((i+1)*SymbolPage, len(s.compiled[unit]))])
	}
	return out, s.pageFail
}

func (s *shelf) SymbolContent(context.Context, int64, [32]byte) ([]byte, error) {
	if s.gone {
		return nil, ErrNoContent
	}
	if s.content != "" {
		return []byte(s.content), nil
	}
	return []byte(mapJSON), nil
}

func (s *shelf) PutCompiled(_ context.Context, list []CompiledUnit) error {
	if s.units == nil {
		s.units, s.compiled = map[int64]SymbolUnit{}, map[int64][]byte{}
	}
	for _, u := range list {
		s.units[u.ID], s.compiled[u.ID] = u.SymbolUnit, u.Compiled
	}
	return nil
}

func (s *shelf) WaitingSymbols(context.Context, int64, int) ([]SymbolUnit, error) {
	if len(s.units) > 0 {
		return nil, nil
	}
	return []SymbolUnit{{ID: 1, Project: 1, State: "waiting", Map: [32]byte{1}, Raw: s.raw}}, nil
}

func (s *shelf) UsedSymbols(_ context.Context, units []int64) error {
	s.used = append(s.used, units...)
	return nil
}

var project = Project{ID: 1, Name: "quayside", KeepDays: 30, UserSecret: []byte("secret")}

func TestUnits_FindTheRightMapOrNone(t *testing.T) {
	for name, c := range map[string]struct{ release, file, debugID, why string }{
		"by address":                 {"1", "https://a.example/app.js", "", ""},
		"by debug id of its release": {"1", "https://other.example/app.js", "11111111-1111-4111-8111-111111111111", ""},
		"by debug id of another":     {"9", "https://a.example/app.js", "22222222-2222-4222-8222-222222222222", ""},
		"another build":              {"1", "https://a.example/app.js", "33333333-3333-4333-8333-333333333333", "belong to another build"},
		"no symbols":                 {"9", "https://a.example/app.js", "", "no symbols were pushed for release 9"},
	} {
		t.Run(name, func(t *testing.T) {
			u, why := NewUnits(&shelf{}, 1<<20).Of(t.Context(), project, c.release).File(c.file, c.debugID)
			if (u != nil) != (c.why == "") || !strings.Contains(why, c.why) {
				t.Errorf("unit %v, %q; want %q", u != nil, why, c.why)
			}
		})
	}
}

func TestUnits_SayThatAMapIsGone(t *testing.T) {
	s := NewUnits(&shelf{gone: true}, 1<<20).Of(t.Context(), project, "1")
	if u, why := s.File("https://a.example/app.js", ""); u != nil || !strings.Contains(why, "push it again") || s.Err() != nil {
		t.Errorf("unit %v, %q, %v", u, why, s.Err())
	}
}

func TestUnits_AskOnceAndAnewWhenSymbolsCome(t *testing.T) {
	store := &shelf{}
	units := NewUnits(store, 1<<20)
	for range 5 {
		s := units.Of(t.Context(), project, "1")
		for range 10 {
			s.File("https://a.example/app.js", "")
		}
	}
	if store.asked != 3 { // the version, the files, the unit
		t.Errorf("the store was asked %d times, want 3", store.asked)
	}
	store.version++
	units.Forget(1)
	if units.Of(t.Context(), project, "1").File("https://a.example/app.js", ""); store.asked != 5 {
		t.Errorf("after a push the store was asked %d times, want 5", store.asked)
	}
	if err := units.WriteUsed(t.Context()); err != nil || len(store.used) != 1 || store.used[0] != 1 {
		t.Errorf("used are %v, %v", store.used, err)
	}
}

func TestUnits_ReadOnlyThePagesTheyNeed(t *testing.T) {
	var sources, contents []string
	for i := range 200 {
		sources = append(sources, fmt.Sprintf(`"src/%d.ts"`, i))
		text := ""
		for line := range 100 {
			text += fmt.Sprintf("gate %x;\n", sha256.Sum256([]byte{byte(i), byte(line)}))
		}
		contents = append(contents, strconv.Quote(text))
	}
	store := &shelf{content: `{"version":3,"sources":[` + strings.Join(sources, ",") + `],"sourcesContent":[` + strings.Join(contents, ",") + `],"mappings":"AAgBA` + strings.Repeat(";ACAA", 199) + `"}`}
	units := NewUnits(store, 1<<20)
	f, why := units.Of(t.Context(), project, "1").File("https://a.example/app.js", "")
	if f == nil {
		t.Fatal(why)
	}
	o, ok, err := f.Find(sourcemap.Pos{Line: 120})
	if err != nil || !ok || o.Source != "src/120.ts" {
		t.Fatalf("%+v, %v, %v", o, ok, err)
	}
	if lines, err := f.SourceLines(o.Index, 3, 4, 200); err != nil || len(lines) != 2 {
		t.Errorf("%q, %v", lines, err)
	}
	all := (len(store.compiled[1]) + SymbolPage - 1) / SymbolPage
	if store.pages > 8 || all < 20 {
		t.Errorf("%d reads of %d pages for one look-up", store.pages, all)
	}
}

// What cannot be read at the moment is no damage: the event waits.
func TestUnits_TellDamageFromAStoreThatIsAway(t *testing.T) {
	e := `{"exceptions":[{"type":"E","frames":[{"file":"https://a.example/app.js","line":1,"column":1}]}],"resource":{"service.version":"1"}}`
	b := &Batch{IDs: []uuid.UUID{{}}, Events: []json.RawMessage{json.RawMessage(e)}}
	store := &shelf{}
	units := NewUnits(store, 1<<20)
	if f, why := units.Of(t.Context(), project, "1").File("https://a.example/app.js", ""); f == nil {
		t.Fatal(why)
	}
	store.pageFail = errors.New("away")
	if _, err := Process(t.Context(), project, b, 0, units); !errors.Is(err, store.pageFail) {
		t.Errorf("a page that cannot be read: %v", err)
	}
	store.pageFail = nil
	clear(store.compiled[1][40:])
	it, err := Process(t.Context(), project, b, 0, units)
	if err != nil || !strings.Contains(it.Frames[0][0].WhyRaw, "damaged") || it.Frames[0][0].Pending {
		t.Errorf("a page that was changed: %+v, %v", it, err)
	}
}

func TestUnits_LeaveLargeMapsToTheBackground(t *testing.T) {
	store := &shelf{raw: compileSoon + 1}
	units := NewUnits(store, 1<<20)
	if f, why := units.Of(t.Context(), project, "1").File("https://a.example/app.js", ""); f != nil || why != preparing {
		t.Errorf("%v, %q", f, why)
	}
	if more, err := units.CompileSome(t.Context(), 0, time.Minute); more || err != nil {
		t.Errorf("more %v, %v", more, err)
	}
	if f, why := units.Of(t.Context(), project, "1").File("https://a.example/app.js", ""); f == nil {
		t.Errorf("after it was compiled: %q", why)
	}
}

func TestCompile_SaysWhyAMapIsNoGood(t *testing.T) {
	for name, c := range map[string]struct{ content, want string }{
		"no map":        {"<!doctype html>", "the source map is broken"},
		"another build": {`{"version":3,"sources":["a.ts"],"mappings":"AAAA` + strings.Repeat(";;;AAAA", 20) + `"}`, "where the bundle has only 1 lines, and 19 more such of 21; they come from different builds"},
	} {
		store := &shelf{content: c.content}
		unit := SymbolUnit{ID: 1, Project: 1, Map: [32]byte{1}, Bundle: [32]byte{2}, State: "waiting"}
		if done, err := NewUnits(store, 1<<20).Compile(t.Context(), []SymbolUnit{unit}); err != nil || done[0].State != "broken" || !strings.Contains(done[0].Note, c.want) {
			t.Errorf("%s: %+v, %v", name, done, err)
		}
	}
}

// What is used often stays, however many others are used once.
func TestUnits_AFloodOfOddReleasesDoesNotFlushHotMaps(t *testing.T) {
	store := &shelf{}
	one := NewUnits(store, 1<<20)
	f, why, err := one.unit(t.Context(), 1)
	if f == nil || err != nil {
		t.Fatal(why, err)
	}
	units := NewUnits(store, 20*f.Size())
	hot := []int64{1, 2, 3, 4, 5}
	for range 50 {
		for _, id := range hot {
			if _, _, err := units.unit(t.Context(), id); err != nil {
				t.Fatal(err)
			}
		}
	}
	for odd := int64(1000); odd < 3000; odd++ {
		if _, _, err := units.unit(t.Context(), odd); err != nil {
			t.Fatal(err)
		}
		if odd%100 == 0 {
			for _, id := range hot {
				if _, _, err := units.unit(t.Context(), id); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	units.open.Len()
	asked := store.asked
	for _, id := range hot {
		if _, _, err := units.unit(t.Context(), id); err != nil {
			t.Fatal(err)
		}
	}
	if again := store.asked - asked; again > 1 {
		t.Errorf("%d of 5 hot maps were driven out by 2,000 odd ones", again)
	}
	if n := units.open.Len(); n > 21 {
		t.Errorf("%d units are held in room for 20", n)
	}
}

func TestUnits_PassTheStoresFailureOn(t *testing.T) {
	want := errors.New("away")
	b := &Batch{IDs: []uuid.UUID{{}}, Events: []json.RawMessage{json.RawMessage(`{"exceptions":[{"type":"E","frames":[{"file":"https://a.example/app.js","line":1,"column":1}]}]}`)}}
	_, err := Process(t.Context(), project, b, 0, NewUnits(&shelf{fail: want}, 1))
	if _, ok := errors.AsType[*StoreError](err); !ok || !errors.Is(err, want) {
		t.Errorf("Process = %v, want %v: an event must not be filed unresolved because the store is away", err, want)
	}
}

func TestPack_KeepsBatches(t *testing.T) {
	at := time.Date(2026, 11, 23, 4, 39, 2, 0, time.UTC)
	one := &Batch{Sent: at, Received: at.Add(time.Second), Resource: json.RawMessage(`{"a":1}`), IDs: []uuid.UUID{uuid.New(), uuid.New()}, Events: []json.RawMessage{json.RawMessage(`{"message":"m"}`), json.RawMessage(`{}`)}}
	two := one.Alone(1)
	packed := Pack(one, &Batch{}, two)
	out, err := Unpack(packed, time.Time{})
	if err != nil || len(out) != 3 || !out[0].Sent.Equal(at) || !out[0].Received.Equal(one.Received) || string(out[0].Resource) != `{"a":1}` || out[0].IDs[1] != one.IDs[1] || string(out[0].Events[0]) != `{"message":"m"}` {
		t.Fatalf("%+v, %v", out, err)
	}
	if !out[1].Sent.IsZero() || len(out[1].Events) != 0 || len(out[2].Events) != 1 || out[2].IDs[0] != one.IDs[1] {
		t.Errorf("the others: %+v %+v", out[1], out[2])
	}
	if _, err := Unpack(packed[:len(packed)/2], at); err == nil {
		t.Error("half a pack is read")
	}
	raw, err := decompressAny(packed)
	if err != nil {
		t.Fatal(err)
	}
	if out, err := Unpack(Compress(raw), at); err != nil || len(out) != 3 {
		t.Errorf("as the version before compressed it: %+v, %v", out, err)
	}
	if _, err := Unpack([]byte{inS2, 0x80, 0x80, 0x80, 0x80, 0x02, 0}, at); !errors.Is(err, s2.ErrTooLarge) {
		t.Errorf("a pack that says it has 512 MB: %v", err)
	}
	for name, parts := range map[string][][]byte{"no parts of a batch": {[]byte("x")}, "a head without ids": {packed2, {2, 0, 0}, nil, nil}, "an empty head": {packed2, nil, nil, nil}, "more events than can be": {packed2, {0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 1, 0, 0}, nil, nil}} {
		if _, err := Unpack(Compress(joinParts(parts...)), at); err == nil {
			t.Errorf("%s: is read", name)
		}
	}
}

func TestUnpack_ReadsWhatTheFirstVersionWrote(t *testing.T) {
	at, id := time.Date(2026, 11, 23, 4, 39, 2, 0, time.UTC), uuid.New()
	sent, _ := at.MarshalBinary()
	out, err := Unpack(Compress(joinParts(sent, id[:], []byte(`{"a":1}`), []byte(`{"message":"m"}`))), at.Add(time.Minute))
	if err != nil || len(out) != 1 || !out[0].Sent.Equal(at) || !out[0].Received.Equal(at.Add(time.Minute)) || out[0].IDs[0] != id || string(out[0].Events[0]) != `{"message":"m"}` {
		t.Errorf("%+v, %v", out, err)
	}
}

func TestDictionary_NamesNoUser(t *testing.T) {
	raw, err := (&Body{Event: json.RawMessage(`{"message":"m","attributes":{"user.id":"p-1182","session.id":"s-1","berth.zone":"C"},"resource":{"enduser.id":"p-1182","os.name":"Android"},"state":{"who":"p-1182"}}`), Resource: json.RawMessage(`{"user.email":"p-1182@crew.example"}`)}).Pack()
	if err != nil {
		t.Fatal(err)
	}
	text := string(Dictionary(raw, 1<<10, false))
	if strings.Contains(text, "p-1182") || strings.Contains(text, "s-1") || !strings.Contains(text, "berth.zone") || !strings.Contains(text, "Android") {
		t.Errorf("%q", text)
	}
	if Dictionary(raw, 10, true) != nil {
		t.Error("a dictionary is larger than it may be")
	}
}

func TestProcessAndRead_AgreeAndResolveAnew(t *testing.T) {
	b := &Batch{Received: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Resource: json.RawMessage(`{"service.version":"9","os.name":"Android"}`), IDs: []uuid.UUID{uuid.New()},
		Events: []json.RawMessage{json.RawMessage(`{"exceptions":[{"type":"E","message":"x","stack":"E: x\n    at Kt (https://a.example/app.js:1:1)"}],"attributes":{"user.id":"p-1"},"resource":{"os.name":"Linux"}}`)}}
	item, err := Process(t.Context(), project, b, 0, NewUnits(&shelf{}, 1<<20))
	if err != nil {
		t.Fatal(err)
	}
	if item.Release != "9" || !item.HasUser || !item.Print.Provisional || !item.When.Odd || item.Event.Resource.Text("os.name") != "Linux" {
		t.Errorf("%+v", item)
	}
	packed := item.Body
	e, frames, err := Read(t.Context(), project, packed, NewUnits(&shelf{}, 1<<20))
	if err != nil || frames[0][0].WhyRaw == "" || len(e.Notes) != 1 || e.Resource.Text("service.version") != "9" {
		t.Fatalf("%+v, notes %v, %v", frames, e.Notes, err)
	}
	// Symbols that come later make the stored event readable.
	b.Resource = json.RawMessage(`{"service.version":"1"}`)
	if item, err = Process(t.Context(), project, b, 0, NewUnits(&shelf{}, 1<<20)); err != nil {
		t.Fatal(err)
	}
	if item.Print.Place != "src/tides.ts:17" || item.Print.Provisional {
		t.Errorf("resolved: %+v", item.Print)
	}
}

// A project's own rules say whose code frames are, when an event is processed and
// when it is read.
func TestProcess_FollowsTheFrameRules(t *testing.T) {
	set, faults := rules.Read("frames:\n  - name: copied\n    path: src/lib/*\n    do: vendor\n")
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	p := project
	p.Rules = set
	b := &Batch{Received: time.Now(), IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{json.RawMessage(`{"exceptions":[{"type":"E","frames":[{"function":"md5","file":"src/lib/md5.ts","line":3},{"function":"sign","file":"src/pass.ts","line":9}]}]}`)}}
	it, err := Process(t.Context(), p, b, 0, NewUnits(&shelf{}, 1<<20))
	if err != nil {
		t.Fatal(err)
	}
	if it.Frames[0][0].Kind != event.Vendor || it.Print.Origin.Function != "sign" {
		t.Errorf("%s is %s, %q is blamed", it.Frames[0][0].Function, it.Frames[0][0].Kind, it.Print.Origin.Function)
	}
	_, frames, err := Read(t.Context(), p, it.Body, NewUnits(&shelf{}, 1<<20))
	if err != nil || frames[0][0].Kind != event.Vendor || !frames[0][1].Origin {
		t.Errorf("read: %+v, %v", frames, err)
	}
}

// Breadcrumbs are read when a rule asks for them, and kept as they were sent.
func TestProcess_RulesSeeBreadcrumbs(t *testing.T) {
	set, problems := rules.Read("intake:\n  - name: tests\n    when: breadcrumbs.exists(b, b.message == 'rehearsal')\n    do: drop\n")
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	p := project
	p.Rules = set
	b := &Batch{Received: time.Now(), IDs: []uuid.UUID{uuid.New(), uuid.New()}, Events: []json.RawMessage{
		json.RawMessage(`{"message":"low water","breadcrumbs":[{"message":"rehearsal"}]}`), json.RawMessage(`{"message":"low water","breadcrumbs":[{"message":"sailing"}]}`)}}
	for i, dropped := range []bool{true, false} {
		it, err := Process(t.Context(), p, b, i, NewUnits(&shelf{}, 1<<20))
		if err != nil || it.Verdict.Drop != dropped || len(it.Trouble) > 0 {
			t.Fatalf("event %d: %+v, %v", i, it, err)
		}
		if dropped {
			continue
		}
		if kept, err := Open(it.Body); err != nil || len(kept.Event.Breadcrumbs) != 1 || kept.Event.Breadcrumbs[0].Message != "sailing" {
			t.Errorf("kept: %+v, %v", kept, err)
		}
	}
}

// A dictionary has the bytes of what its sender writes: with blanks as some do, and in its order.
func TestDictionary_KeepsTheBytes(t *testing.T) {
	crumbs := strings.Repeat(`{"time": "2026-11-23T04:39:02Z", "kind": "page", "message": "/day/<1> & \u2192"}, `, 20)
	event := func(id string) []byte {
		raw, err := (&Body{Event: json.RawMessage(`{"message": "m", "id": "` + id + `", "breadcrumbs": [` + crumbs + `{}], "attributes": {"user.id": "p-` + id + `", "berth.zone": "C"}, "state": {"who": "p-` + id + `"}}`), Resource: json.RawMessage(`{"os.name": "Android"}`)}).Pack()
		if err != nil {
			t.Fatal(err)
		}
		return raw
	}
	d := Dictionary(event("1182"), 64<<10, false)
	if bytes.Contains(d, []byte("p-1182")) {
		t.Errorf("it names a user: %s", d)
	}
	packed := s2.MakeDict(d, nil).Encode(nil, event("7"))
	if len(packed) > 100 {
		t.Errorf("an event that differs in its id alone takes %d bytes", len(packed))
	}
	if d := Dictionary(event("1182"), 64<<10, true); !bytes.Contains(d, []byte(`"state": {"who": "p-1182"}`)) || bytes.Contains(d, []byte("user.id\": \"p-1182")) {
		t.Errorf("with the state: %s", d)
	}
	if Dictionary(joinParts([]byte(`[1]`), nil, nil), 1<<10, true) != nil || Dictionary(joinParts([]byte(`{"a":`), nil, nil), 1<<10, true) != nil {
		t.Error("what is no object makes a dictionary")
	}
}
