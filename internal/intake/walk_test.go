package intake

import (
	"reflect"
	"strings"
	"testing"
)

// odd are events with what could mislead a walk: names of envelopes and events
// further inside, escapes, repeats, blanks.
var odd = []string{
	`{"message":"m"}`,
	`{ "id" : "0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e00" , "message" : "\"events\":[{\"id\":\"x\"}]" }`,
	`{"attributes":{"id":"7","message":"inside","events":[1,{"id":"8"}]},"exceptions":[{"type":"E","stack":"]}"}]}`,
	`{"id":"a","id":"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01","message":"","message":"\u00fcber \ud83d\udea2"}`,
	`{"\u0069d":"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e02","stands_for":12,"severity":"fatal","log":{},"message":"m"}`,
	`{"id":null,"message":null,"exceptions":[ ],"stands_for":"x","severity":7,"log":[]}`,
	`{"id":7,"message":"m"}`,
	`{}`, `7`, `"text"`, `[]`, `null`,
}

func TestOpen_FindsTheSameEventsInEveryForm(t *testing.T) {
	array := "[" + strings.Join(odd, " ,\n") + "]"
	for name, body := range map[string]string{
		"an array":                  array,
		"an envelope":               `{"sent":"2026-11-23T04:39:02Z","events":` + array + `,"resource":{"service.version":"1"},"more":[{"events":[]}]}`,
		"an envelope, named twice":  `{"events":[],"events":` + array + `}`,
		"its name escaped, a blank": " \n{\"\\u0065vents\" :\t" + array + "}\n",
	} {
		got, err := open([]byte(body), false, "events")
		if err != nil || len(got.pieces) != len(odd) {
			t.Fatalf("%s: %v, %+v", name, err, got)
		}
		for i, p := range got.pieces {
			if string(p.raw) != odd[i] || p.index != i || len(p.raw) != cap(p.raw) {
				t.Errorf("%s: event %d is %s", name, p.index, p.raw)
			}
			want, err := readHead(p.raw)
			if p.head == nil {
				if err == nil {
					t.Errorf("%s: event %d has no head", name, i)
				}
				continue
			}
			p.head.from = want.from
			if err != nil || !reflect.DeepEqual(p.head, want) {
				t.Errorf("%s: event %d: %+v, by itself %+v, %v", name, i, p.head, want, err)
			}
		}
	}
	for i, one := range odd[:8] {
		got, err := open([]byte(one), false, "events")
		if err != nil || len(got.pieces) != 1 || string(got.pieces[0].raw) != one || got.pieces[0].head == nil {
			t.Errorf("event %d by itself: %v, %+v", i, err, got)
		}
	}
}

func TestOpen_SaysWhyItCannot(t *testing.T) {
	for body, want := range map[string]string{
		`{"events":7}`:                                    "the envelope's messages are no array",
		`{"events":[],"resource":7}`:                      "the envelope's resource: ",
		`{"events":[],"dropped":{"queue_full":"x"}}`:      "the envelope's dropped: ",
		`{"events":[{"message":"m"},]}`:                   "the body is no JSON: invalid character ']' looking for beginning of value at byte 28 of 29",
		`{"message":"m"} x`:                               "the body is no JSON: invalid character 'x' after top-level value at byte 17 of 17",
		`[{"message":"m"}`:                                "the body is no JSON: unexpected end of JSON input",
		`{"events":[{"a":` + strings.Repeat("[", 1e5):     "exceeded max depth",
		`{"events":[` + strings.Repeat("7,", 1e4) + `7]}`: "the request has more than 10000 elements",
		`7`: "the body is neither an event nor an array of events nor an envelope",
	} {
		if got, err := open([]byte(body), false, "events"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.60s: %v, %+v; want %s", body, err, got, want)
		}
	}
}
