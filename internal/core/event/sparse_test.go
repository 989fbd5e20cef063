package event

import (
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"
)

// sameDecoded fails where an event that DecodeSparse read differs from what Decode reads.
func sameDecoded(t *testing.T, raw []byte) {
	t.Helper()
	whole, why := Decode(raw, DefaultLimits)
	got, err := DecodeSparse(raw, DefaultLimits)
	if fmt.Sprint(err) != fmt.Sprint(why) {
		t.Fatalf("%.300s: %v, Decode says %v", raw, err, why)
	}
	if err != nil {
		if got != nil || whole != nil {
			t.Errorf("%.300s: an event beside the error", raw)
		}
		return
	}
	all := *got
	all.Breadcrumbs, all.later, all.Extra = got.AllBreadcrumbs(), nil, whole.Extra
	if len(all.Breadcrumbs) == 0 && len(whole.Breadcrumbs) == 0 {
		all.Breadcrumbs = whole.Breadcrumbs // nil or empty
	}
	if !reflect.DeepEqual(&all, whole) {
		t.Errorf("%.300s:\n%+v\nDecode gives\n%+v", raw, all, whole)
	}
}

// withBreadcrumbs are events whose breadcrumbs are of every kind, readable and not.
func withBreadcrumbs() (list []string) {
	for _, b := range []string{
		`null`, `[]`, ` [ ] `, `{}`, `"x"`, `7`, `[null]`, `[{}]`, `[{},7]`, `["x"]`, `[[{}]]`, `[{"message":"a"},{"message":"b"}]`,
		`[{"time":"2026-11-02T08:00:00Z","kind":"http","message":"GET \"/berths\"]}","severity":9,"attributes":{"a":{"b":[1,{}]}}}]`,
		`[{"message":7}]`, `[{"message":null}]`, `[{"kind":{}}]`, `[{"time":[]}]`, `[{"severity":{}}]`, `[{"attributes":[]}]`, `[{"attributes":null}]`, `[{"attributes":"a"}]`,
		`[{"m\u0065ssage":7}]`, `[{"m\u0065ssage":"a"}]`, `[{"Message":7}]`, `[{"other":[{"message":7}]}]`, "[\n\t{ \"message\" : \"a\" , \"kind\":\"b\" }\r\n, {} ]",
		`[{"message":"a","message":7}]`, `[` + strings.Repeat(`{"message":"a"},`, 199) + `{}]`, `[` + strings.Repeat(`{"message":"a"},`, 200) + `{}]`,
	} {
		list = append(list, `{"message":"low water","breadcrumbs":`+b+`}`)
	}
	return append(list, `{"breadcrumbs":[{"message":"a"}]}`, `{"message":"m","breadcrumbs":[{"message":"a"}],"breadcrumbs":null}`, `[]`, ` { } `, `[{"message":"m"}]`, `null`,
		`{"message":7,"breadcrumbs":[{"message":7}]}`, `{"message":"m","breadcrumbs":[{}],"notes":["n"],"odd":1}`,
		`{"message":"m","state":null}`, ` { "state" : { "a" : [ 1 , "}" ] } , "message" : "m" } `, `{"message":"m","state":"`+strings.Repeat("x", 70_000)+`"}`,
		`{"message":"m","st\u0061te":{},"state":1}`, `{"message":"m","breadcrumbs":[{"message":"a"}],"breadcrumb\u0073":[]}`, `{"state":{}}`, `{"message":"m","state":1,"state":2}`)
}

func TestDecodeSparse_ReadsWhatDecodeReads(t *testing.T) {
	reference, err := os.ReadFile("../../../bench/reference-event.json")
	if err != nil {
		t.Fatal(err)
	}
	sameDecoded(t, reference)
	for _, raw := range withBreadcrumbs() {
		sameDecoded(t, []byte(raw))
	}
}

func FuzzDecodeSparse(f *testing.F) {
	for _, raw := range withBreadcrumbs() {
		f.Add([]byte(raw))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		if jsontext.Value(raw).IsValid(lenient) { // as intake stores it
			sameDecoded(t, raw)
		}
	})
}

func BenchmarkDecodeSparse(b *testing.B) {
	raw, err := os.ReadFile("../../../bench/reference-event.json")
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(len(raw)))
	b.ReportAllocs()
	for b.Loop() {
		if _, err := DecodeSparse(raw, DefaultLimits); err != nil {
			b.Fatal(err)
		}
	}
}
