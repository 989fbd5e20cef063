package upkeep

import (
	"os"
	"strings"
	"testing"
	"time"

	"firethorn/internal/records"
)

func TestJobs_AreDocumentedAndNamedOnce(t *testing.T) {
	doc, err := os.ReadFile("../../docs/operations.md")
	if err != nil {
		t.Fatal(err)
	}
	u := New(nil, Options{Store: &records.Records{}, Silence: time.Hour})
	seen := map[string]string{} // name → lane
	for _, j := range u.jobs() {
		if _, twice := seen[j.Name]; twice || j.Every <= 0 || j.Step == nil {
			t.Errorf("job %q: named twice, never due, or without a step", j.Name)
		}
		seen[j.Name] = j.Lane
		if !strings.Contains(string(doc), "`"+j.Name+"`") {
			t.Errorf("docs/operations.md lacks the job %s", j.Name)
		}
	}
	for _, j := range u.jobs() {
		if lane, ok := seen[j.Then]; j.Then != "" && (!ok || lane != j.Lane) {
			t.Errorf("after %s comes %q, which its lane does not have", j.Name, j.Then)
		}
	}
}
