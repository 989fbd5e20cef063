// Command measure holds the code to the sizes that keep it readable.
//
// It reads the Go files of the checkout, tests and generated files aside, prints
// the largest of each kind, and ends with 1 when one is over its limit and not
// listed with a reason in scripts/house.txt. A line of that file is
//
//	kind name limit reason
//
// where limit is what this one may reach: it is lowered when the code gets better.
// Lines that are too long are counted by package.
package main

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// limits are the sizes that anything may have.
var limits = []struct {
	kind  string
	limit int
	unit  string
}{
	{"package", 4000, "lines"},
	{"file", 400, "lines"},
	{"function", 80, "lines"},
	{"parameters", 5, "parameters"},
	{"type", 30, "exported methods"},
	{"lines", 0, "lines of over 120 columns"},
}

// columns is how long a line may be.
const columns = 120

// A line may be longer where a text of at least this many columns stands in it: a
// text is searched for as it is, so it is not broken.
const longText = 60

// tab is how many columns a tab has.
const tab = 4

// size is how large something is.
type size struct {
	kind, name string
	n          int
}

func main() {
	if err := run(os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// leeway is what part of a listed limit may be unused, as 1/leeway, so that a line less
// here and there is not an error.
const leeway = 20

func run(out *os.File) error {
	list, err := files(context.Background())
	if err != nil {
		return err
	}
	all, err := measure(list)
	if err != nil {
		return err
	}
	allowed, err := exceptions("scripts/house.txt")
	if err != nil {
		return err
	}
	var over []string
	used := map[string]bool{}
	for _, l := range limits {
		var list []size
		for _, s := range all {
			if s.kind == l.kind {
				list = append(list, s)
			}
		}
		slices.SortStableFunc(list, func(a, b size) int { return cmp.Compare(b.n, a.n) })
		for i, s := range list {
			if i < 3 {
				fmt.Fprintf(out, "%-11s %5d %s  %s\n", l.kind, s.n, l.unit, s.name)
			}
			may := l.limit
			if x, ok := allowed[s.kind+" "+s.name]; ok && s.n > l.limit {
				used[s.kind+" "+s.name] = true
				if may = x; s.n < x-x/leeway {
					over = append(over, fmt.Sprintf("%s %s has %d %s now: lower its limit of %d", s.kind, s.name, s.n,
						l.unit, x))
				}
			}
			if s.n > may {
				over = append(over, fmt.Sprintf("%s %s has %d %s; at most %d", s.kind, s.name, s.n, l.unit, may))
			}
		}
	}
	for name := range allowed {
		if !used[name] {
			over = append(over, "scripts/house.txt lists "+name+", which needs no exception any more")
		}
	}
	if len(over) > 0 {
		slices.Sort(over)
		return fmt.Errorf("not as scripts/house.txt has it (part what is too large, or list it there with the reason):\n%s", strings.Join(over, "\n"))
	}
	return nil
}

// exceptions reads what may be larger, and how large: each with a reason.
func exceptions(file string) (map[string]int, error) {
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	out := map[string]int{}
	for n, line := range strings.Split(string(raw), "\n") {
		if line = strings.TrimSpace(line); line == "" || line[0] == '#' {
			continue
		}
		f := strings.Fields(line)
		limit := 0
		if len(f) > 3 {
			limit, err = strconv.Atoi(f[2])
		}
		if len(f) < 5 || err != nil {
			return nil, fmt.Errorf("%s:%d: a line is: kind name limit reason", file, n+1)
		}
		out[f[0]+" "+f[1]] = limit
	}
	return out, nil
}

// files lists the Go files of the checkout, without what git ignores.
func files(ctx context.Context) ([]string, error) {
	out, err := exec.CommandContext(ctx, "git", "ls-files", "--cached", "--others", "--exclude-standard",
		"*.go").Output()
	if err != nil {
		return nil, fmt.Errorf("git ls-files: %w", err)
	}
	return strings.Fields(string(out)), nil
}

// measure measures Go files; tests, generated ones and those that are gone are
// left out.
func measure(list []string) ([]size, error) {
	var all []size
	packages, methods, long := map[string]int{}, map[string]int{}, map[string]int{}
	for _, path := range list {
		if strings.HasSuffix(path, "_test.go") || strings.Contains(path, "testdata/") {
			continue
		}
		src, err := os.ReadFile(path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if generated(src) {
			continue
		}
		lines := bytes.Count(src, []byte("\n"))
		all = append(all, size{"file", path, lines})
		packages[filepath.Dir(path)] += lines
		found, n, err := measureFile(path, src, methods)
		if err != nil {
			return nil, err
		}
		all, long[filepath.Dir(path)] = append(all, found...), long[filepath.Dir(path)]+n
	}
	for dir, n := range packages {
		all = append(all, size{"package", dir, n})
	}
	for dir, n := range long {
		all = append(all, size{"lines", dir, n})
	}
	for typ, n := range methods {
		all = append(all, size{"type", typ, n})
	}
	slices.SortFunc(all, func(a, b size) int {
		return cmp.Or(cmp.Compare(a.kind, b.kind), cmp.Compare(a.name, b.name))
	})
	return all, nil
}

func generated(src []byte) bool {
	head, _, _ := bytes.Cut(src, []byte("\npackage "))
	return bytes.Contains(head, []byte("Code generated"))
}

// measureFile measures the functions of a file, and counts the exported methods of
// each type and the lines that are too long.
func measureFile(path string, src []byte, methods map[string]int) (all []size, long int, err error) {
	set := token.NewFileSet()
	tree, err := parser.ParseFile(set, path, src, parser.SkipObjectResolution)
	if err != nil {
		return nil, 0, err
	}
	texts := map[int]int{} // line → columns of its longest text
	ast.Inspect(tree, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.BasicLit:
			at := set.Position(n.Pos()).Line
			if n.Kind == token.STRING {
				for i, part := range strings.Split(n.Value, "\n") {
					texts[at+i] = max(texts[at+i], len(part))
				}
			}
		case *ast.FuncDecl:
			name := path + ":" + n.Name.Name
			if n.Recv != nil {
				owner := filepath.Dir(path) + "." + receiver(n.Recv.List[0].Type)
				name = path + ":" + receiver(n.Recv.List[0].Type) + "." + n.Name.Name
				if n.Name.IsExported() {
					methods[owner]++
				}
			}
			all = append(all, size{"function", name, set.Position(n.End()).Line - set.Position(n.Pos()).Line + 1})
			params := 0
			for _, p := range n.Type.Params.List {
				if handedOn(p.Type) {
					continue
				}
				params += max(1, len(p.Names))
			}
			all = append(all, size{"parameters", name, params})
		}
		return true
	})
	scan := bufio.NewScanner(bytes.NewReader(src))
	scan.Buffer(nil, 1<<20)
	for n := 1; scan.Scan(); n++ {
		text := strings.ReplaceAll(scan.Text(), "\t", strings.Repeat(" ", tab))
		if len([]rune(text)) > columns && texts[n] < longText {
			long++
		}
	}
	return all, long, scan.Err()
}

// handedOn says whether a parameter is a context or a transaction: every call below
// hands them on.
func handedOn(t ast.Expr) bool {
	if p, ok := t.(*ast.StarExpr); ok {
		t = p.X
	}
	x, ok := t.(*ast.SelectorExpr)
	return ok && (x.Sel.Name == "Context" || x.Sel.Name == "Tx")
}

// receiver is the name of the type of a method's receiver.
func receiver(t ast.Expr) string {
	switch t := t.(type) {
	case *ast.StarExpr:
		return receiver(t.X)
	case *ast.IndexExpr:
		return receiver(t.X)
	case *ast.IndexListExpr:
		return receiver(t.X)
	case *ast.Ident:
		return t.Name
	}
	return "?"
}
