package event

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"
)

func decode(t *testing.T, raw string) *Event {
	t.Helper()
	e, err := Decode([]byte(raw), DefaultLimits)
	if err != nil {
		t.Fatalf("Decode(%s): %v", raw, err)
	}
	return e
}

func TestDecode_FillsWhatIsAbsent(t *testing.T) {
	e := decode(t, `{"exceptions":[{"type":"A"},{"type":"B"},{"type":"C","parent":0,"relation":"suppressed"}],"later":{"x":1}}`)
	if e.Severity != "error" || e.StandsFor != 1 || e.Environment() != "unknown" || e.Release() != "" {
		t.Errorf("severity %q, stands for %d, environment %q, release %q", e.Severity, e.StandsFor, e.Environment(), e.Release())
	}
	if x := e.Exceptions[1]; *x.Parent != 0 || x.Relation != "cause" {
		t.Errorf("second exception: parent %d, %s", *x.Parent, x.Relation)
	}
	if x := e.Exceptions[2]; *x.Parent != 0 || x.Relation != "suppressed" {
		t.Errorf("third exception: parent %d, %s", *x.Parent, x.Relation)
	}
	if string(e.Extra["later"]) != `{"x":1}` {
		t.Errorf("unknown field = %s", e.Extra["later"])
	}
	if decode(t, `{"message":"m"}`).Severity != "info" {
		t.Error("a message is not of severity info")
	}
}

func TestDecode_RefusesWhatCannotBeRead(t *testing.T) {
	for in, want := range map[string]string{
		`{"severity":"error"}`:           "needs a message or an exception",
		`{"exceptions":"none"}`:          `field "exceptions" holds a text`,
		`{"exceptions":[{"type":5}]}`:    `field "exceptions.0.type" holds a number`,
		`[1]`:                            "holds an array",
		`{"message":"m","attributes":3}`: "attributes must be an object",
		`{"message":`:                    "not readable",
	} {
		if _, err := Decode([]byte(in), DefaultLimits); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("Decode(%s) = %v, want %q", in, err, want)
		}
	}
}

func TestDecode_MakesAttributesFit(t *testing.T) {
	e := decode(t, `{"message":"m","attributes":{"a":{"b":{"c":1.50}},"n":null,"big":90071992547409930,"mixed":[1,"x",true],"same":[1,2],"t":true,"deep":{"1":{"2":{"3":{"4":{"5":{"6":{"7":1}}}}}}}}}`)
	for name, want := range map[string]string{
		"a.b.c": "1.50", "big": "90071992547409930", "mixed": "[1 x true]", "same": "[1 2]", "t": "true", "n": "", "deep.1.2.3.4.5": `{"6":{"7":1}}`,
	} {
		if got := e.Attributes.Text(name); got != want {
			t.Errorf("%s = %q, want %q", name, got, want)
		}
	}
	if _, text := e.Attributes["big"].(string); !text {
		t.Errorf("an integer over 2^53 is %T, want text", e.Attributes["big"])
	}
}

func TestAttributes_MatchEncodingJSON(t *testing.T) {
	for _, in := range []string{
		`{}`, ` { "a" : "b" , "c":1.5e3,"d":true ,"e":false,"f":null} `, `{"a\"b":"c\u00e9\\n","\u0061":"]}"}`, `{"x":"{\"y\":1}","list":["a","b,c"],"n":-7}`, `{"a":1,"a":2}`, `{"":"empty","é":"ü"}`,
	} {
		var got Attributes
		if err := json.Unmarshal([]byte(in), &got); err != nil {
			t.Fatal(err)
		}
		d := json.NewDecoder(strings.NewReader(in))
		d.UseNumber()
		var want map[string]any
		if err := d.Decode(&want); err != nil {
			t.Fatal(err)
		}
		for k, v := range want {
			if v == nil {
				delete(want, k)
			}
		}
		if a, b := fmt.Sprint(map[string]any(got)), fmt.Sprint(want); a != b {
			t.Errorf("%s gives %s, want %s", in, a, b)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(`{"message":"m","attributes":{"a":{"b":[1,"x"]},"c":"\\u0000"},"later":1}`)
	f.Fuzz(func(t *testing.T, in string) {
		e, err := Decode([]byte(in), DefaultLimits)
		if err != nil {
			return
		}
		out, err := json.Marshal(e)
		if err != nil {
			t.Fatalf("what was decoded from %q does not encode: %v", in, err)
		}
		if _, err := Decode(out, DefaultLimits); err != nil {
			t.Fatalf("what was encoded of %q does not decode: %v\n%s", in, err, out)
		}
	})
}

func TestDecode_CutsWhatIsOverALimitAndSaysSo(t *testing.T) {
	var crumbs, frames, attrs []string
	for i := range 300 {
		crumbs = append(crumbs, fmt.Sprintf(`{"message":"b%d"}`, i))
		attrs = append(attrs, fmt.Sprintf(`"a%03d":%d`, i, i))
	}
	for range 10_000 {
		frames = append(frames, `{"file":"a.js","line":1}`)
	}
	e := decode(t, `{"stands_for":50000,"state":"`+strings.Repeat("s", 70<<10)+`","exceptions":[{"type":"`+strings.Repeat("é", 400)+`","frames":[`+strings.Join(frames, ",")+`]}],"breadcrumbs":[`+strings.Join(crumbs, ",")+`],"attributes":{`+strings.Join(attrs, ",")+`}}`)
	if len(e.Exceptions[0].Frames) != 500 || len(e.Breadcrumbs) != 200 || len(e.Attributes) != 200 || e.StandsFor != 10000 || e.State != nil {
		t.Errorf("%d frames, %d breadcrumbs, %d attributes, stands for %d, state %d bytes", len(e.Exceptions[0].Frames), len(e.Breadcrumbs), len(e.Attributes), e.StandsFor, len(e.State))
	}
	if e.Breadcrumbs[199].Message != "b299" {
		t.Errorf("the last breadcrumb is %q, want the newest", e.Breadcrumbs[199].Message)
	}
	if x := e.Exceptions[0].Type; len(x) != 512 || !strings.HasSuffix(x, "é") {
		t.Errorf("the type was cut to %d bytes, ending in %q", len(x), x[len(x)-2:])
	}
	if len(e.Notes) != 6 {
		t.Errorf("%d notes, want 6: %q", len(e.Notes), e.Notes)
	}
}

func TestSeverity_TakesNamesAndNumbers(t *testing.T) {
	for in, want := range map[string]Severity{`"ERROR"`: "error", `17`: "error", `24`: "fatal", `1`: "trace", `"warning"`: "warn", `99`: "", `"loud"`: "", `{}`: ""} {
		var s Severity
		if err := json.Unmarshal([]byte(in), &s); err != nil || s != want {
			t.Errorf("severity of %s = %q, %v, want %q", in, s, err, want)
		}
	}
}

func TestIdentity_TakesTheFirstThatIsThere(t *testing.T) {
	for in, want := range map[string]string{
		`{"message":"m","attributes":{"user.name":"Ila","user.email":"ila@a.example"},"resource":{"user.id":"7"}}`: "user.email",
		`{"message":"m","resource":{"app.installation.id":"i","user.id":"7"}}`:                                     "user.id",
		`{"message":"m","attributes":{"user.id":""},"resource":{"enduser.id":"e"}}`:                                "enduser.id",
		`{"message":"m"}`: "",
	} {
		if name, _ := decode(t, in).Identity(); name != want {
			t.Errorf("Identity of %s = %q, want %q", in, name, want)
		}
	}
}

func TestClock(t *testing.T) {
	received := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	at := func(d time.Duration) string { return received.Add(d).Format(time.RFC3339Nano) }
	for name, c := range map[string]struct {
		time   string
		sent   time.Duration // the envelope's clock, relative to received; 0: none
		thrown time.Duration
		odd    bool
		reason string
	}{
		"right":                  {at(-time.Hour), 0, -time.Hour, false, ""},
		"right, with sent":       {at(-time.Hour), -time.Second, -time.Hour, false, ""},
		"clock an hour behind":   {at(-2 * time.Hour), -time.Hour, -time.Hour, false, "off by 1h0m0s"},
		"clock two days ahead":   {at(48 * time.Hour), 48 * time.Hour, 0, true, "off by -48h0m0s"},
		"clock 60 days behind":   {at(-60 * 24 * time.Hour), -60 * 24 * time.Hour, 0, true, "off by 1440h0m0s"},
		"absent":                 {"", 0, 0, true, "no time was sent"},
		"unreadable":             {"yesterday", 0, 0, true, "not RFC 3339"},
		"two days ahead":         {at(48 * time.Hour), 0, 0, true, "more than 24 h ahead"},
		"older than it is kept":  {at(-40 * 24 * time.Hour), 0, 0, true, "older than events are kept"},
		"in the year of nothing": {"1970-01-01T00:00:00Z", 0, 0, true, "older than events are kept"},
	} {
		t.Run(name, func(t *testing.T) {
			e := &Event{Time: c.time}
			var sent time.Time
			if c.sent != 0 {
				sent = received.Add(c.sent)
			}
			w := e.Clock(sent, received, 30*24*time.Hour)
			if !w.Thrown.Equal(received.Add(c.thrown)) || w.Odd != c.odd || !strings.Contains(w.Reason, c.reason) || c.reason == "" && w.Reason != "" {
				t.Errorf("Clock = %+v", w)
			}
		})
	}
}

// The reference event: 12.6 kB with 30 frames in its stack and 20 breadcrumbs.
func BenchmarkDecode(b *testing.B) {
	raw, err := os.ReadFile("../../../bench/reference-event.json")
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(len(raw)))
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Decode(raw, DefaultLimits); err != nil {
			b.Fatal(err)
		}
	}
}
