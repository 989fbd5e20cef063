package pipeline

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/symbolicate"
)

// shelf is a store of one file for release 1, and another by its debug id.
type shelf struct {
	asked int
	fail  error
	gone  bool // the contents are not there
}

const mapJSON = `{"version":3,"sources":["src/tides.ts"],"names":["tideAt"],"mappings":"AAgBAA"}`

func (s *shelf) SymbolFiles(_ context.Context, _ int64, release string) ([]SymbolFile, error) {
	s.asked++
	if release != "1" {
		return nil, s.fail
	}
	return []SymbolFile{{symbolicate.File{Address: "https://a.example/app.js", DebugID: "11111111-1111-4111-8111-111111111111"}, [32]byte{}, [32]byte{1}}}, s.fail
}

func (s *shelf) SymbolByDebugID(_ context.Context, _ int64, id string) (*SymbolFile, error) {
	if id != "22222222-2222-4222-8222-222222222222" {
		return nil, nil
	}
	return &SymbolFile{symbolicate.File{DebugID: id}, [32]byte{}, [32]byte{1}}, nil
}

func (s *shelf) SymbolContent(context.Context, int64, [32]byte) ([]byte, error) {
	s.asked++
	if s.gone {
		return nil, ErrNoContent
	}
	return []byte(mapJSON), nil
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

func TestUnits_HoldHotMapsInBoundedMemory(t *testing.T) {
	store := &shelf{}
	units := NewUnits(store, 1)
	for range 5 {
		s := units.Of(t.Context(), project, "1")
		for range 10 {
			s.File("https://a.example/app.js", "")
		}
	}
	if store.asked != 2 { // the list and the content, once within a second
		t.Errorf("the store was asked %d times, want 2", store.asked)
	}
	other := project
	other.ID = 2
	units.Of(t.Context(), other, "1").File("https://a.example/app.js", "")
	if units.order.Len() != 1 {
		t.Errorf("%d units are held in room for one", units.order.Len())
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
	text := string(Dictionary(raw, 1<<10))
	if strings.Contains(text, "p-1182") || strings.Contains(text, "s-1") || !strings.Contains(text, "berth.zone") || !strings.Contains(text, "Android") {
		t.Errorf("%q", text)
	}
	if Dictionary(raw, 10) != nil {
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

// A project's own rules say whose code frames are, when an event is filed and
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
