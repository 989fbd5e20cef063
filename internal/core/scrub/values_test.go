package scrub

import (
	"encoding/json"
	"os"
	"strings"
	"testing"
)

// values are texts with secrets of every kind, and texts that look like it.
// The JavaScript client is tested by the same file.
type values struct {
	Secrets []struct {
		Kind    Kind
		Text    string
		Secrets []string
	}
	LookAlikes []string `json:"look_alikes"`
}

func readValues(t testing.TB) (v values) {
	t.Helper()
	raw, err := os.ReadFile("testdata/values.json")
	if err == nil {
		err = json.Unmarshal(raw, &v)
	}
	if err != nil || len(v.Secrets) < 60 || len(v.LookAlikes) < 60 {
		t.Fatalf("%d secrets, %d look-alikes, %v", len(v.Secrets), len(v.LookAlikes), err)
	}
	return v
}

func TestText_Secrets(t *testing.T) {
	for _, c := range readValues(t).Secrets {
		got, report := Default.Text(c.Text, "message")
		for _, s := range c.Secrets {
			if strings.Contains(got, s) {
				t.Errorf("%s: %q became %q, which still holds %q", c.Kind, c.Text, got, s)
			}
		}
		if len(report) == 0 || report[0].Rule != string(c.Kind) || report[0].Where != "message" {
			t.Errorf("%q: the report is %v, want kind %s", c.Text, report, c.Kind)
		}
		if again, _ := Default.Text(got, "message"); again != got {
			t.Errorf("%q scrubbed again is %q", got, again)
		}
	}
}

func TestText_LookAlikes(t *testing.T) {
	for _, text := range readValues(t).LookAlikes {
		if got, report := Default.Text(text, "message"); got != text {
			t.Errorf("%q was spoilt: %q (%v)", text, got, report)
		}
	}
}

// The same values inside JSON: what is found does not hang on escapes.
func TestJSON_Values(t *testing.T) {
	v := readValues(t)
	for _, c := range v.Secrets {
		raw, _ := json.Marshal(map[string]any{"breadcrumbs": []any{map[string]string{"message": c.Text}}})
		got, report, err := Default.JSON(raw)
		if err != nil || !json.Valid(got) {
			t.Fatalf("%s became %s, %v", raw, got, err)
		}
		for _, s := range c.Secrets {
			if strings.Contains(string(got), s) {
				t.Errorf("%s became %s", raw, got)
			}
		}
		if len(report) == 0 || report[0].Where != "breadcrumbs[0].message" {
			t.Errorf("%s: the report is %v", raw, report)
		}
	}
	for _, text := range v.LookAlikes {
		raw, _ := json.Marshal(map[string]string{"message": text})
		if got, _, err := Default.JSON(raw); err != nil || string(got) != string(raw) {
			t.Errorf("%s was spoilt: %s, %v", raw, got, err)
		}
	}
}
