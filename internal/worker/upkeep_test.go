package worker

import (
	"log/slog"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/records"
)

func TestJobs_AreDocumentedAndNamedOnce(t *testing.T) {
	doc, err := os.ReadFile("../../docs/operations.md")
	if err != nil {
		t.Fatal(err)
	}
	w := New(&records.Records{}, nil, slog.New(slog.DiscardHandler), uuid.New(), nil, time.Hour)
	seen := map[string]string{} // name → lane
	for _, j := range w.jobs() {
		if _, twice := seen[j.Name]; twice || j.Every <= 0 || j.Step == nil {
			t.Errorf("job %q: named twice, never due, or without a step", j.Name)
		}
		seen[j.Name] = j.Lane
		if !strings.Contains(string(doc), "`"+j.Name+"`") {
			t.Errorf("docs/operations.md lacks the job %s", j.Name)
		}
	}
	for _, j := range w.jobs() {
		if lane, ok := seen[j.Then]; j.Then != "" && (!ok || lane != j.Lane) {
			t.Errorf("after %s comes %q, which its lane does not have", j.Name, j.Then)
		}
	}
}
