package intake

import (
	"bytes"
	"encoding/json"
	"net/http/httptest"
	"strings"
	"testing"
)

// A small body of millions of elements costs what a small body costs.
func TestEvents_BoundElements(t *testing.T) {
	for path, c := range map[string]struct{ unit, begin, end string }{
		"/v1/events":   {"0,", "[", "0]"},
		"/v1/sessions": {"0,", `{"sessions":[`, "0]}"},
		"/v1/feedback": {"{}\n", "", ""},
	} {
		m := &memory{}
		in, _ := newIntake(m)
		send := func(n int) (int, string) {
			req := httptest.NewRequest("POST", path, strings.NewReader(c.begin+strings.Repeat(c.unit, n)+c.end))
			req.Header.Set("Authorization", "Bearer good")
			if c.begin == "" {
				req.Header.Set("Content-Type", "application/x-ndjson")
			}
			w := httptest.NewRecorder()
			serving(in).ServeHTTP(w, req)
			return w.Code, w.Body.String()
		}
		if code, text := send(maxElements + 1); code != 413 || len(text) > 1000 || !strings.Contains(text, "10000 elements") {
			t.Errorf("%s: too many elements: %d %.300s", path, code, text)
		}
		code, text := send(5000)
		var answer Answer
		if err := json.Unmarshal([]byte(text), &answer); err != nil || code != 400 || len(answer.Refused) != maxRefused || answer.RefusedMore < 4900 || len(text) > 40_000 {
			t.Errorf("%s: 5000 elements that are none: %d, %d listed, %d more, %d bytes", path, code, len(answer.Refused), answer.RefusedMore, len(text))
		}
		if err := in.Flush(t.Context()); err != nil || len(m.tallies) != 1 || !strings.Contains(m.tallies[0], " refused unreadable") {
			t.Errorf("%s: counted %v, %v", path, m.tallies, err)
		}
	}
	m := &memory{}
	in, _ := newIntake(m)
	if code, text, _ := post(in, "good", `{"resource":{"a":"`+strings.Repeat("x", maxShared)+`"},"events":[{"message":"m"}]}`); code != 413 || !strings.Contains(text, "resource") {
		t.Errorf("a resource that is too large: %d %s", code, text)
	}
	if code, text, _ := post(in, "good", `{"resource":{"a":"`+strings.Repeat("x", maxShared/2)+`"},"events":[`+strings.TrimSuffix(strings.Repeat(`{"message":"m"},`, 9000), ",")+`]}`); code != 413 || len(m.batches) != 0 {
		t.Errorf("a resource that too many share: %d %s", code, text)
	}
}

// Whatever is sent, what is opened are stretches of it, and not more than a
// request may hold.
func FuzzOpen(f *testing.F) {
	for _, body := range []string{`[0,0,0]`, `{"message":"m"}`, `{"resource":{"a":1},"events":[{"message":"m"},[],null]}`, `{"events":null}`, `{"events":0}`, "{}\n{}\n", " [ {} , 1 ] ", `[`, `{"events":[`, "\xef\xbb\xbf[1]", `{"events":[1],"events":[2,3]}`, "[" + strings.Repeat("0,", maxElements) + "0]"} {
		f.Add([]byte(body), false)
		f.Add([]byte(body), true)
	}
	f.Fuzz(func(t *testing.T, body []byte, lines bool) {
		got, err := open(body, lines, "events")
		if err != nil {
			if strings.Contains(err.Error(), "is no JSON") && json.Valid(bytes.ToValidUTF8(body, []byte("\uFFFD"))) && bytes.Count(body, []byte("["))+bytes.Count(body, []byte("{")) < 9000 {
				t.Fatalf("%q: %v", body, err)
			}
			return
		}
		if len(got.pieces) > maxElements {
			t.Fatalf("%d pieces of %d bytes", len(got.pieces), len(body))
		}
		size := 0
		for i, p := range got.pieces {
			if size += len(p.raw); p.index != i || !lines && !json.Valid(p.raw) {
				t.Fatalf("piece %d of %q is %q", i, body, p.raw)
			}
		}
		if size > 3*len(body)+3 { // bytes that are no UTF-8 become three
			t.Fatalf("%d bytes of %d", size, len(body))
		}
	})
}
