package intake

import (
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
