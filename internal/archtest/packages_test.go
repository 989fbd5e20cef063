package archtest

import (
	"bytes"
	"flag"
	"fmt"
	"go/doc"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "rewrite docs/packages.md")

const packagesHead = `# All packages

What each package below ` + "`" + `internal` + "`" + ` is for, from the lowest layer to the highest. A layer imports only from layers above
it in this list; within the core, packages use each other. Look here first for where something is done. The list is made
from the packages' own comments: ` + "`" + `go test ./internal/archtest -run Packages -update` + "`" + `.

| package | what it is for |
|---|---|
`

// docs/packages.md says what every package is for, in the words of its comment.
func TestPackages_AreListedWithTheirComments(t *testing.T) {
	var dirs []string
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && d.Name() == "testdata" {
			return fs.SkipDir
		}
		if !d.IsDir() && strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, "_test.go") {
			dirs = append(dirs, filepath.Dir(path))
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(dirs)
	dirs = slices.Compact(dirs)
	slices.SortStableFunc(dirs, func(a, b string) int {
		la, oa := place(strings.TrimPrefix(a, "../"))
		lb, ob := place(strings.TrimPrefix(b, "../"))
		return slices.Compare([]int{la, oa}, []int{lb, ob})
	})
	out := bytes.NewBufferString(packagesHead)
	for _, dir := range dirs {
		said := synopsis(t, dir)
		if said == "" {
			t.Errorf("%s has no package comment", dir)
		}
		fmt.Fprintf(out, "| [`%s`](../internal/%[1]s) | %s |\n", strings.TrimPrefix(dir, "../"), said)
	}
	const file = "../../docs/packages.md"
	if *update {
		if err := os.WriteFile(file, out.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	committed, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(committed, out.Bytes()) {
		t.Error("docs/packages.md is not what the packages say of themselves; run: go test ./internal/archtest -run Packages -update")
	}
}

// synopsis is the first sentence of a package's comment, without the package's name.
func synopsis(t *testing.T, dir string) string {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "*.go"))
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range files {
		tree, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ParseComments|parser.PackageClauseOnly)
		if err != nil {
			t.Fatal(err)
		}
		if tree.Doc == nil || strings.HasSuffix(file, "_test.go") {
			continue
		}
		said := (&doc.Package{}).Synopsis(tree.Doc.Text())
		return strings.TrimPrefix(said, "Package "+tree.Name.Name+" ")
	}
	return ""
}
