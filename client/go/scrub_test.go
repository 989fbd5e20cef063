package firethorn

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"
)

// plainScrub is what scrub does, as four patterns over the whole text.
func plainScrub(raw []byte) []byte {
	for pattern, with := range map[string]string{
		`(?i)("[^"]*(?:passw|passphrase|secret|token|cookie|authorization|credential|api.?key|private.?key|card.?n|iban)[^"]*":)"(?:[^"\\]|\\.)*"`: `$1"` + mark + `"`,
		`(?i)((?:password|passwd|secret|token|api.?key)=)[^\s"&\\]+`:                                                                               "${1}" + mark,
		`\beyJ[\w-]+\.[\w-]+\.[\w-]*`: mark,
		`(://[^/\s"@:]+:)[^/\s"@]+@`:  "${1}" + mark + "@",
	} {
		raw = regexp.MustCompile(pattern).ReplaceAll(raw, []byte(with))
	}
	return raw
}

func TestScrub_DoesWhatThePatternsSay(t *testing.T) {
	for _, attributes := range []map[string]any{
		{"password": `s3"cret\`, "note": "none"},
		{"X-Api-Key": "k", "user.name": "Ila"},
		{"url.full": "https://ila:pw@quay.example/?token=abc&x=1", "other": "ftp://quay.example:21/"},
		{"header": "Bearer eyJhbGciOi.eyJzdWIi.c2ln", "not": "heyJack.in.box", "eyJ": "eyJ"},
		{"text": "PASSWORD=a secret=b api_key=c token= x", "cookie": "c"},
		{"n": 1, "list": []string{"secret", "token=q"}, "secret": []string{"stays"}},
		{"Größe": "passwort=x", "kennwort": "ä=ö", "token.gate": "ü"},
		{"a=": "password=", "b": "=", "c": "://", "d": "://:@", "e": "://a:b@c:d@e"},
	} {
		raw, err := json.Marshal(attributes)
		if err != nil {
			t.Fatal(err)
		}
		if got, want := string(scrub(raw)), string(plainScrub(raw)); got != want || !json.Valid([]byte(got)) {
			t.Errorf("%s\nbecomes %s\nwant    %s", raw, got, want)
		}
	}
}

func FuzzScrub(f *testing.F) {
	f.Add("password", "token=abc https://a:b@c eyJa.b.c")
	f.Add(`se"cret`, `\"x\`)
	f.Fuzz(func(t *testing.T, name, value string) {
		if len(name) > 100 {
			return
		}
		raw, err := json.Marshal(map[string]string{name: value, "last": strings.Repeat("x", 10)})
		if err == nil && !json.Valid(scrub(raw)) {
			t.Errorf("%s becomes %s", raw, scrub(raw))
		}
	})
}
