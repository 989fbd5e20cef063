package console

import (
	"encoding/json"
	"os/exec"
	"strings"
	"testing"
)

// The table of keys is what bindings and help are made from: no key does two things
// in one place, and the help names every key that does something.
func TestKeys_DoOneThingEachAndAreExplained(t *testing.T) {
	cmd := exec.Command("node", "call.mjs", "src/core/keys.ts")
	cmd.Stdin = strings.NewReader(`[["help"], ["keyOf", "round", "later"], ["keyOf", "decide", "undo"]]`)
	raw, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var answer []json.RawMessage
	if err := json.Unmarshal(raw, &answer); err != nil {
		t.Fatal(err)
	}
	if string(answer[1]) != `"j"` || string(answer[2]) != `"z"` {
		t.Errorf("later is %s, undo is %s", answer[1], answer[2])
	}
	var help []struct {
		Title string
		Keys  []struct {
			Keys  []string
			Words string
		}
	}
	if err := json.Unmarshal(answer[0], &help); err != nil {
		t.Fatal(err)
	}
	explained := map[string]bool{}
	for _, part := range help {
		if part.Title == "" || len(part.Keys) == 0 {
			t.Errorf("a part of the help has no title or no keys: %+v", part)
		}
		does := map[string]string{}
		for _, k := range part.Keys {
			for _, name := range k.Keys {
				if does[name] != "" || k.Words == "" {
					t.Errorf("%s: %s does %q and %q", part.Title, name, does[name], k.Words)
				}
				does[name], explained[name] = k.Words, true
			}
		}
	}
	for _, key := range strings.Fields("a s p f d o m t z + - j k ↓ ↑ Enter x X n Esc r 1 2 3 4 c w g l e / ? Ctrl+Enter") {
		if !explained[strings.ReplaceAll(key, "+E", " E")] {
			t.Errorf("the help does not say what %s does", key)
		}
	}
}
