package archtest

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// statement is an SQL text of the code; what is put in while it runs is "?".
type statement struct {
	file string
	line int
	text string
}

// sourcesOfStatements lists the files that may hold SQL, tests aside.
func sourcesOfStatements(t *testing.T) (files []string) {
	t.Helper()
	for _, dir := range []string{"../store/*/*.go", "../usecase/*/*.go", "../db/*.go", "../schema/*.go"} {
		found, err := filepath.Glob(dir)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, found...)
	}
	return slices.DeleteFunc(files, func(f string) bool { return strings.HasSuffix(f, "_test.go") })
}

// statements lists the SQL texts of stores and use cases, tests aside.
func statements(t *testing.T) (list []statement) {
	t.Helper()
	verb := regexp.MustCompile(`^\s*(SELECT|INSERT|UPDATE|DELETE|REPLACE|SET STATEMENT) `)
	for _, file := range sourcesOfStatements(t) {
		set := token.NewFileSet()
		tree, err := parser.ParseFile(set, file, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(tree, func(n ast.Node) bool {
			e, ok := n.(ast.Expr)
			if !ok {
				return true
			}
			text, ok := textOf(e)
			if ok && verb.MatchString(text) {
				list = append(list, statement{strings.TrimPrefix(file, "../"), set.Position(e.Pos()).Line, text})
			}
			return !ok
		})
	}
	return list
}

// textOf is a text that is put together of literals and other parts.
func textOf(e ast.Expr) (string, bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		text, err := strconv.Unquote(e.Value)
		return text, err == nil && e.Kind == token.STRING
	case *ast.BinaryExpr:
		a, aok := textOf(e.X)
		b, bok := textOf(e.Y)
		if e.Op != token.ADD || !aok && !bok {
			return "", false
		}
		if !aok {
			a = "?"
		}
		if !bok {
			b = "?"
		}
		return a + b, true
	}
	return "", false
}

// What an issue's status is: only usecase/status writes it.
var (
	statusWrite   = regexp.MustCompile(`(?i)\b(UPDATE|INTO) (issue|issue_list|history|notice)\b`)
	statusColumns = regexp.MustCompile(`(?i)\b(\w+\.)?(state|fixed_in|fix_\w+|parked|count_only|owner|needs_decision_at|undone)=`)
	severityOf    = regexp.MustCompile(`(?i)UPDATE issue SET .*\bseverity=`)
)

func TestStatus_IsWrittenInOnePlace(t *testing.T) {
	written := map[string]bool{}
	for _, s := range statements(t) {
		m := statusWrite.FindStringSubmatch(s.text)
		if m == nil {
			continue
		}
		set, _, _ := strings.Cut(s.text, " WHERE ")
		touches := strings.EqualFold(m[1], "INTO") || statusColumns.MatchString(set) || severityOf.MatchString(set)
		if !touches || strings.EqualFold(m[1], "UPDATE") && m[2] == "notice" {
			continue
		}
		if strings.HasPrefix(s.file, "usecase/status/") {
			written[m[2]] = true
			continue
		}
		t.Errorf("%s:%d writes an issue's status, history or notices; use status.Change or status.Record:\n\t%s", s.file, s.line, s.text)
	}
	for _, table := range []string{"issue", "issue_list", "history", "notice"} {
		if !written[table] {
			t.Errorf("no statement was found that writes %s: this test looks at the wrong texts", table)
		}
	}
}

// Of a statement that stands twice, one is forgotten when the other changes.
func TestStatements_StandOnce(t *testing.T) {
	at := map[string][]string{}
	for _, s := range statements(t) {
		if len(s.text) > 40 {
			at[s.text] = append(at[s.text], s.file+":"+strconv.Itoa(s.line))
		}
	}
	for text, places := range at {
		if len(places) > 1 {
			slices.Sort(places)
			t.Errorf("%d times, %s:\n\t%s", len(places), strings.Join(places, ", "), text)
		}
	}
}

// maxPlaces is how many columns may be scanned by their order: of more of them,
// two of one type are mixed up unnoticed.
const maxPlaces = 7

func TestScan_LongRowsAreReadByName(t *testing.T) {
	scans := 0
	for _, file := range sourcesOfStatements(t) {
		set := token.NewFileSet()
		tree, err := parser.ParseFile(set, file, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(tree, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			if f, ok := call.Fun.(*ast.SelectorExpr); ok && f.Sel.Name == "Scan" {
				if scans++; len(call.Args) > maxPlaces {
					t.Errorf("%s scans %d columns by their order; use db.ScanNames", set.Position(call.Pos()), len(call.Args))
				}
			}
			return true
		})
	}
	if scans < 100 {
		t.Errorf("%d calls of Scan were found: this test looks at the wrong files", scans)
	}
}
