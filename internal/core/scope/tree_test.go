package scope

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// Every function of real sources is compared with what the TypeScript
// compiler's tree says of its name and range. corpus/functions/tree.mjs makes
// the lists; FIRETHORN_FUNCTIONS names one of them, and the directory corpus is
// looked for above it.
func TestScanAs_FindsWhatTheCompilerFinds(t *testing.T) {
	list := os.Getenv("FIRETHORN_FUNCTIONS")
	if list == "" {
		t.Skip("FIRETHORN_FUNCTIONS names no list of functions; make corpus writes some")
	}
	raw, err := os.ReadFile(list)
	if err != nil {
		t.Fatal(err)
	}
	var files []struct {
		File      string
		Functions [][5]any
	}
	if err := json.Unmarshal(raw, &files); err != nil {
		t.Fatal(err)
	}
	all, right, bytes := 0, 0, 0
	for _, f := range files {
		text, err := os.ReadFile(filepath.Join(os.Getenv("FIRETHORN_CORPUS"), f.File))
		if err != nil {
			t.Fatal(err)
		}
		bytes += len(text)
		table := ScanSource(f.File, string(text))
		have := map[string]bool{}
		for i := range table.Len() {
			fn := table.At(i)
			name := fn.Name
			if name == "" && fn.Default {
				name = "default"
			}
			have[fmt.Sprint(name, fn.Start, fn.End)] = true
		}
		wrong := 0
		for _, fn := range f.Functions {
			pos := func(i int) sourcemap.Pos {
				return sourcemap.Pos{Line: int32(fn[i].(float64)), Col: int32(fn[i+1].(float64))}
			}
			all++
			if have[fmt.Sprint(fn[0], pos(1), pos(3))] {
				right++
			} else if wrong++; wrong < 4 {
				t.Logf("%s:%d: %q is not found", f.File, pos(1).Line+1, fn[0])
			}
		}
		if !table.Clean {
			t.Logf("%s:%d:%d: reading stops", f.File, table.Problem.Line+1, table.Problem.Col+1)
		}
	}
	t.Logf(
		"%s: %d files, %d bytes, %d of %d functions right: %.2f %%",
		strings.TrimSuffix(filepath.Base(list), ".json"),
		len(files),
		bytes,
		right,
		all,
		100*float64(right)/float64(all),
	)
	if right*1000 < all*995 {
		t.Error("fewer than 99.5 of 100 functions have the name and the range that the compiler gives them")
	}
}

// BenchmarkScanSource reads the sources of FIRETHORN_FUNCTIONS one after
// another, or where it names none a text of its own.
func BenchmarkScanSource(b *testing.B) {
	type source struct{ name, text string }
	list := []source{
		{
			"deck.tsx",
			strings.Repeat(
				"export const Row = <T extends { id: number }>({ row, pick = (r: T) => r.id }: Props<T>) => { const n = pick(row) as number; return <b onClick={() => { save(n) }}>{n > 1 ? 'many' : row.id}</b> }\n",
				500,
			),
		},
	}
	if name := os.Getenv("FIRETHORN_FUNCTIONS"); name != "" {
		raw, err := os.ReadFile(name)
		if err != nil {
			b.Fatal(err)
		}
		var files []struct{ File string }
		if err := json.Unmarshal(raw, &files); err != nil {
			b.Fatal(err)
		}
		list = nil
		for _, f := range files {
			text, err := os.ReadFile(filepath.Join(os.Getenv("FIRETHORN_CORPUS"), f.File))
			if err != nil {
				b.Fatal(err)
			}
			list = append(list, source{f.File, string(text)})
		}
	}
	bytes := 0
	for _, s := range list {
		bytes += len(s.text)
	}
	b.SetBytes(int64(bytes))
	b.ReportAllocs()
	for b.Loop() {
		for _, s := range list {
			ScanSource(s.name, s.text)
		}
	}
}
