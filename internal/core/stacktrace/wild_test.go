package stacktrace

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// heads writes what TestRead_HeadsInTheWild compares: a line an exception with
// its relation, type, message, innermost function and number of frames.
func heads(t Text) string {
	var b strings.Builder
	dash := func(s string) string {
		if s == "" {
			return "-"
		}
		return strings.ReplaceAll(s, " ", "_")
	}
	for _, x := range t.Exceptions {
		top := ""
		if len(x.Frames) > 0 {
			top, _ = Shown(x.Frames[0])
			if f := x.Frames[0]; t.Language == Go {
				top = strings.TrimPrefix(f.Module+"."+f.Function, ".")
			}
		}
		if x.Relation == "thread" {
			fmt.Fprintf(&b, "thread %s\n", dash(top))
			continue
		}
		if x.Parent >= 0 {
			fmt.Fprintf(&b, "%s %d ", x.Relation, x.Parent)
		}
		fmt.Fprintf(&b, "%s %q %s %d\n", dash(x.Type), x.Message, dash(top), len(x.Frames))
	}
	return b.String()
}

// Each file holds what is expected, a line of dashes, and a text as a runtime
// or a logger printed it: with words, prefixes, preambles and notes around it.
func TestRead_HeadsInTheWild(t *testing.T) {
	files, err := filepath.Glob("testdata/wild/*.txt")
	if err != nil || len(files) < 45 {
		t.Fatalf("%d texts, %v", len(files), err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".txt"), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			want, text, _ := strings.Cut(string(raw), "\n---\n")
			if got := strings.TrimSpace(heads(Read(text, 1000))); got != want {
				t.Errorf("got\n%s\nwant\n%s", got, want)
			}
		})
	}
}
