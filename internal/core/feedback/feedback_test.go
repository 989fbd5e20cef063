package feedback

import (
	"encoding/json"
	"strings"
	"testing"
	"unicode/utf8"
)

func TestDecode_KeepsWordsAsTheyAre(t *testing.T) {
	f, err := Decode(json.RawMessage(`{"id":"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01","event":"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e02","text":" <b>I</b> wanted\r\nthe \u202etide\u0000 table ","user.name":"Ines\nMarlow","user.email":"ines@ferries.example","resource":{"service.version":"4.2.1"}}`), json.RawMessage(`{"service.version":"1","deployment.environment.name":"production"}`))
	if err != nil {
		t.Fatal(err)
	}
	if f.Text != "<b>I</b> wanted\nthe tide table" || f.Name != "Ines Marlow" || f.Email != "ines@ferries.example" || f.About.Release() != "4.2.1" || f.About.Environment() != "production" || f.Event == f.ID {
		t.Errorf("%+v", f)
	}
}

func TestDecode_CutsANovel(t *testing.T) {
	raw, _ := json.Marshal(map[string]string{"text": strings.Repeat("é", LongestText)})
	f, err := Decode(raw, nil)
	if err != nil || !f.Cut || len(f.Text) != LongestText || !utf8.ValidString(f.Text) {
		t.Errorf("%d bytes, cut %v, %v", len(f.Text), f.Cut, err)
	}
}

func TestDecode_Refuses(t *testing.T) {
	for text, word := range map[string]string{
		`{}`:                               "needs a text",
		`{"text":" \u0000 "}`:              "needs a text",
		`{"text":7}`:                       "does not fit",
		`{"text":"x","event":"the last"}`:  "no UUID",
		`{"text":"x","id":"0193a1f2"}`:     "no UUID",
		`{"text":"x","attributes":"none"}`: "attributes must",
		`"x"`:                              "does not fit",
	} {
		if _, err := Decode(json.RawMessage(text), nil); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%s: %v", text, err)
		}
	}
}
