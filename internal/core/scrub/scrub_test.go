package scrub

import (
	"bytes"
	"encoding/json"
	"errors"
	"strings"
	"testing"
)

func TestJSON(t *testing.T) {
	for name, c := range map[string]struct{ in, want string }{
		"clean stays as it was":     {`{"message" : "all well", "n":[1, 2]}`, `{"message" : "all well", "n":[1, 2]}`},
		"a text":                    {`{"user.password":"hunter2","a":1}`, `{"user.password":"[scrubbed]","a":1}`},
		"a number":                  {`{"pin": 4711}`, `{"pin": "[scrubbed]"}`},
		"an object":                 {`{"credentials":{"a":[1,"}"]},"b":2}`, `{"credentials":"[scrubbed]","b":2}`},
		"last in an array":          {`[{"apiKey":"x"}]`, `[{"apiKey":"[scrubbed]"}]`},
		"null and empty stay":       {`{"token":null,"secret":""}`, `{"token":null,"secret":""}`},
		"escaped name":              {`{"pass\u0077ord":"x"}`, `{"pass\u0077ord":"[scrubbed]"}`},
		"a query":                   {`{"url.full":"https://a.example/x?token=abc123&day=3"}`, `{"url.full":"https://a.example/x?token=[scrubbed]&day=3"}`},
		"a header in a text":        {`{"m":"Authorization: Bearer abc.def"}`, `{"m":"Authorization: Bearer [scrubbed]"}`},
		"a pair in a text":          {`{"m":"login failed, password=hunter2 given"}`, `{"m":"login failed, password=[scrubbed] given"}`},
		"JSON in a text":            {`{"m":"{\"api_key\":\"abc\"}"}`, `{"m":"{\"api_key\":\"[scrubbed]\"}"}`},
		"names that mean no secret": {`{"session.id":"s","tokens.left":3,"compass":"n","keyboard":"k","author":"x"}`, `{"session.id":"s","tokens.left":3,"compass":"n","keyboard":"k","author":"x"}`},
		"nested names":              {`{"a":{"b":[{"Set-Cookie":"sid=1; path=/"}]}}`, `{"a":{"b":[{"Set-Cookie":"[scrubbed]"}]}}`},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := JSON([]byte(c.in))
			if err != nil || string(got) != c.want {
				t.Errorf("JSON(%s) = %s, %v, want %s", c.in, got, err, c.want)
			}
		})
	}
}

func TestJSON_RefusesDeepNesting(t *testing.T) {
	for _, in := range []string{strings.Repeat("[", 100_000), `{"password":` + strings.Repeat(`{"a":`, 100), `{"a":` + strings.Repeat("[", 64)} {
		_, err := JSON([]byte(in))
		if _, ok := errors.AsType[*DepthError](err); !ok {
			t.Errorf("JSON of %d bytes of nesting = %v, want a DepthError", len(in), err)
		}
	}
}

func FuzzJSON(f *testing.F) {
	f.Add([]byte(`{"a":{"token":"x","b":"c?token=1"}}`))
	f.Fuzz(func(t *testing.T, in []byte) {
		out, err := JSON(in)
		if err != nil {
			return
		}
		if json.Valid(in) && !json.Valid(out) {
			t.Fatalf("valid JSON %s became %s", in, out)
		}
		again, err := JSON(out)
		if err != nil || json.Valid(in) && !bytes.Equal(again, out) {
			t.Fatalf("scrubbing %s again gives %s, %v", out, again, err)
		}
	})
}

func BenchmarkJSON(b *testing.B) {
	raw := []byte(`{"exceptions":[{"type":"TypeError","stack":"` + strings.Repeat(`    at Kt (https://quayside.example/assets/app-3f2a.js:1:48211)\n`, 100) + `"}],"attributes":{"berth.zone":"C"}}`)
	b.Run("clean", func(b *testing.B) {
		b.SetBytes(int64(len(raw)))
		b.ReportAllocs()
		for b.Loop() {
			if _, err := JSON(raw); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// Escapes must not make the search for a string's end start over each time.
func BenchmarkJSON_Escapes(b *testing.B) {
	src := []byte(`{"stack":"` + strings.Repeat(`\n at tideAt`, 100_000) + `"}`)
	b.SetBytes(int64(len(src)))
	for b.Loop() {
		if _, err := JSON(src); err != nil {
			b.Fatal(err)
		}
	}
}
