package logtext

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/stacktrace"
)

// told writes what a trace says: its language, exceptions and frames.
func told(text string) string {
	t := stacktrace.Read(text, 50)
	var b strings.Builder
	fmt.Fprint(&b, t.Language)
	for _, x := range t.Exceptions {
		fmt.Fprintf(&b, " | %s", x.Type)
		for _, f := range x.Frames {
			fmt.Fprintf(&b, " %s:%d", f.Function, f.Line)
		}
	}
	return b.String()
}

// printed are the texts that runtimes really printed.
func printed(t *testing.T) map[string]string {
	t.Helper()
	files, err := filepath.Glob("../stacktrace/testdata/printed/*.txt")
	if err != nil || len(files) < 18 {
		t.Fatalf("%d texts, %v", len(files), err)
	}
	out := map[string]string{}
	for _, f := range files {
		raw, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		out[strings.TrimSuffix(filepath.Base(f), ".txt")] = strings.TrimRight(string(raw), "\n")
	}
	return out
}

// read gives what a log's lines tell.
func read(lines ...string) []Found {
	p := New()
	var out []Found
	offset := int64(0)
	for _, l := range lines {
		out = append(out, p.Line(l, offset)...)
		offset += int64(len(l)) + 1
	}
	return append(out, p.Flush()...)
}

func traces(found []Found) (out []string) {
	for _, f := range found {
		if len(f.Event.Exceptions) > 0 {
			out = append(out, told(f.Event.Exceptions[0].Stack))
		}
	}
	return out
}

const (
	before = "2026-11-23 04:39:01,000 INFO  [main] bosun.Crew - 12 on board"
	other  = "2026-11-23 04:39:03,000 INFO  [gate-2] bosun.Gate - gate open"
	failed = "2026-11-23 04:39:02,123 ERROR [main] bosun.Crew - assigning failed"
)

// TestPrinted_AreFoundWhole puts what each runtime prints into a log: alone,
// behind a record, with other records between its lines, and twice.
func TestPrinted_AreFoundWhole(t *testing.T) {
	for name, text := range printed(t) {
		want := told(text)
		lines := strings.Split(text, "\n")
		layouts := map[string][]string{"alone": lines, "behind a record": append([]string{before, failed}, lines...)}
		layouts["between records"] = append(append([]string{before}, lines...), other)
		cut := append([]string{before, failed}, lines[:1]...)
		for _, l := range lines[1:] {
			cut = append(cut, other, l)
		}
		layouts["cut by records"] = cut
		var prefixed, named []string
		for _, l := range lines {
			prefixed = append(prefixed, "2026-11-23T04:39:02.123456789Z stderr F "+l)
			named = append(named, "gangway-1  | "+l, "quayside-1 | 12 requests")
		}
		layouts["with a runner's prefix"], layouts["beside another container"] = prefixed, named
		for layout, list := range layouts {
			if got := traces(read(list...)); len(got) != 1 || got[0] != want {
				t.Errorf("%s %s: %d traces\n got %s\nwant %s", name, layout, len(got), strings.Join(got, "\n     "), want)
			}
		}
		twice := append(append(append([]string{failed}, lines...), failed), lines...)
		if got := traces(read(twice...)); len(got) != 2 || got[0] != want || got[1] != want {
			t.Errorf("%s twice: %d traces\n got %s\nwant %s", name, len(got), strings.Join(got, "\n     "), want)
		}
	}
}

// TestPrinted_BehindEachOther writes traces of all languages one after the
// other, with a record between them.
func TestPrinted_BehindEachOther(t *testing.T) {
	texts := printed(t)
	var lines, want []string
	for _, name := range slices.Sorted(maps.Keys(texts)) {
		lines = append(lines, other)
		for i, l := range strings.Split(texts[name], "\n") {
			if i > 0 && i%3 == 0 {
				lines = append(lines, other)
			}
			lines = append(lines, l)
		}
		want = append(want, told(texts[name]))
	}
	got := traces(read(lines...))
	slices.Sort(got)
	slices.Sort(want)
	for _, w := range want {
		if !slices.Contains(got, w) {
			t.Errorf("not found: %s", w)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%d traces of %d", len(got), len(want))
	}
}
