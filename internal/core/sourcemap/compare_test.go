package sourcemap

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io/fs"
	gomaps "maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// realMaps are the maps of all packages that are installed here, those of the
// demo, and those of the corpus (make corpus) where it was made.
func realMaps(t *testing.T) (files []string) {
	t.Helper()
	for _, dir := range []string{"../../../node_modules", "../../../demo/quayside/build", "../../../demo/gangway/build", "../symbolicate/testdata", "../symbols/testdata", "../../../corpus/node_modules", "../../../corpus/build"} {
		if _, err := os.Stat(dir); strings.Contains(dir, "/corpus/") && err != nil {
			continue
		}
		err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
			if err == nil && d.Type().IsRegular() && (strings.HasSuffix(path, ".js.map") || strings.HasSuffix(path, ".mjs.map") || strings.HasSuffix(path, ".cjs.map")) {
				files = append(files, path)
			}
			return err
		})
		if err != nil && os.Getenv("FIRETHORN_CONSOLE") == "required" {
			t.Fatal(err)
		}
	}
	if len(files) < 100 {
		t.Skipf("npm ci was not run: %d maps", len(files))
	}
	return files
}

// Every segment of real maps, and the gaps between, are answered as an
// independent library answers them. Where several segments begin at one
// position, ECMA-426 gives all of them (GetOriginalPositions); either is right.
func TestFind_AgreesWithAnIndependentLibrary(t *testing.T) {
	files := realMaps(t)
	cmd := exec.CommandContext(t.Context(), "node", "compare.mjs")
	cmd.Stdin = strings.NewReader(strings.Join(files, "\n"))
	var errs bytes.Buffer
	cmd.Stderr = &errs
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	maps, asked, among := 0, 0, 0
	byPackage := map[string]*tally{}
	r := bufio.NewReaderSize(out, 1<<20)
	for {
		line, err := r.ReadBytes('\n')
		if err != nil {
			break
		}
		var a struct {
			File, Error string
			Answers     [][6]int32
		}
		if err := json.Unmarshal(line, &a); err != nil {
			t.Fatal(err)
		}
		raw, err := os.ReadFile(a.File)
		if err != nil {
			t.Fatal(err)
		}
		m, err := Parse(raw)
		if (err != nil) != (a.Error != "") {
			t.Errorf("%s: %v, the library says %q", a.File, err, a.Error)
		}
		if err != nil || a.Error != "" {
			continue
		}
		maps++
		bad, at := 0, several(m)
		row := byPackage[packageOf(a.File)]
		if row == nil {
			row = &tally{}
			byPackage[packageOf(a.File)] = row
		}
		row.maps++
		row.asked += len(a.Answers)
		for _, q := range a.Answers {
			asked++
			got := [6]int32{q[0], q[1], -1, 0, 0, -1}
			if o, ok := m.Find(Pos{q[0], q[1]}); ok {
				got = [6]int32{q[0], q[1], int32(o.Index), o.Pos.Line, o.Pos.Col, -1}
				if q[5] >= 0 && o.Name == m.Name(int(q[5])) {
					got[5] = q[5]
				}
			}
			if got == q {
				continue
			}
			if found, _ := m.Positions.Find(Pos{q[0], q[1]}); at[found.Gen] {
				among++
				row.among++
				continue
			}
			if bad++; bad <= 3 {
				t.Errorf("%s at %d:%d: source %d at %d:%d name %d, the library says %d at %d:%d name %d", a.File, q[0], q[1], got[2], got[3], got[4], got[5], q[2], q[3], q[4], q[5])
			}
		}
	}
	if err := cmd.Wait(); err != nil {
		t.Fatalf("%v\n%s", err, errs.String())
	}
	t.Logf("%-34s %6s %10s %8s", "package", "maps", "positions", "several")
	for _, name := range slices.Sorted(gomaps.Keys(byPackage)) {
		row := byPackage[name]
		t.Logf("%-34s %6d %10d %8d", name, row.maps, row.asked, row.among)
	}
	t.Logf("%d maps, %d positions, %d of them where several segments begin at once", maps, asked, among)
	if maps < 100 || asked < 100_000 {
		t.Errorf("only %d positions of %d maps were compared", asked, maps)
	}
}

// tally counts what was compared of one package.
type tally struct{ maps, asked, among int }

// packageOf is the package, or the directory, that a map belongs to.
func packageOf(file string) string {
	file = filepath.ToSlash(file)
	if i := strings.LastIndex(file, "node_modules/"); i >= 0 {
		parts := strings.Split(file[i+len("node_modules/"):], "/")
		if strings.HasPrefix(parts[0], "@") {
			return parts[0] + "/" + parts[1]
		}
		return parts[0]
	}
	return strings.TrimLeft(filepath.Dir(file), "./")
}

// several are the positions at which more than one segment of m begins.
func several(m *Map) map[Pos]bool {
	found := map[Pos]bool{}
	last := Pos{-1, -1}
	for s := range m.Positions.All() {
		if s.Gen == last {
			found[last] = true
		}
		last = s.Gen
	}
	return found
}
