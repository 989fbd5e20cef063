package archtest

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

const module = "firethorn/"

// layers are the packages below internal from the lowest layer to the highest:
// a package imports what stands in lower layers. "store/*" is every package
// below store. In a layer in order, a package may also import those before it.
var layers = []struct {
	names   []string
	inOrder bool
}{
	{names: []string{"core/*"}, inOrder: true}, // Go forbids circles; the core has no adapter to keep out
	{names: []string{"localdb", "git", "geo", "outgoing", "guide", "measure", "chromium", "cache", "db", "jobs", "follow", "contract"}},
	{names: []string{"contract/from"}},
	{names: []string{"pipeline", "schema", "testdb"}},
	{names: []string{"store/sight", "store/audit", "store/names", "store/accounts", "store/tickets", "store/sessions", "store/alerts", "store/projects", "store/inbox", "store/releases", "store/events", "store/issues", "store/members", "store/segments", "store/symbolstore", "store/destinations", "store/deliveries"}, inOrder: true},
	{names: []string{"usecase/status", "usecase/scoring", "usecase/firing", "usecase/ingest", "usecase/moves", "usecase/triage", "usecase/similar", "usecase/regrouping", "usecase/indexing", "usecase/retention", "usecase/overview", "usecase/find", "usecase/find/plainscan", "usecase/trails", "usecase/health", "usecase/tickets", "usecase/alerting"}, inOrder: true},
	{names: []string{"records", "metrics", "web", "handbook"}},
	{names: []string{"client"}},
	{names: []string{"testbed", "repository", "worker", "upkeep", "intake"}},
	{names: []string{"api/calls", "api/rows"}},
	{names: []string{"api/alerts", "api/issues", "api/live", "api/operations", "api/people", "api/projects", "api/releases", "api/search", "api/symbols"}},
	{names: []string{"api"}},
	{names: []string{"app"}},
	{names: []string{"cli/show", "cli/command", "cli/symbols", "cli/offline", "cli/grouping", "cli/search", "cli/issues", "cli/round", "cli/people", "cli/projects", "cli/releases", "cli/alerts", "cli/service"}, inOrder: true},
	{names: []string{"cli", "archtest"}},
}

// place is a package's layer and its place in it; -1 when no layer lists it.
func place(pkg string) (layer, order int) {
	for l, x := range layers {
		for o, name := range x.names {
			if name == pkg || strings.HasSuffix(name, "/*") && strings.HasPrefix(pkg, strings.TrimSuffix(name, "*")) {
				return l, o
			}
		}
	}
	return -1, -1
}

// sqlLayers are where statements are run.
var sqlLayers = []string{"db", "schema", "store/", "usecase/", "localdb", "testdb"}

// coreMay lists the packages of others that the core may use: JSON,
// versions, compression, YAML, the expression language.
var coreMay = []string{"github.com/theory/jsonpath", "github.com/agnivade/levenshtein", "github.com/FastFilter/xorfilter", "github.com/mileusna/useragent", "gonum.org/v1/gonum/mathext", "github.com/go-json-experiment/json", "github.com/go-json-experiment/json/jsontext", "github.com/Masterminds/semver/v3", "github.com/klauspost/compress/zstd",
	"go.opentelemetry.io/proto/otlp/common/v1", "go.opentelemetry.io/proto/otlp/logs/v1", "go.opentelemetry.io/proto/otlp/resource/v1", "go.opentelemetry.io/proto/otlp/trace/v1", "google.golang.org/protobuf/encoding/protowire", "google.golang.org/protobuf/proto", "google.golang.org/protobuf/reflect/protoreflect", "github.com/google/uuid",
	"go.yaml.in/yaml/v4", "cel.dev/cel-go/cel", "cel.dev/cel-go/common", "cel.dev/cel-go/common/ast", "cel.dev/cel-go/common/cost", "cel.dev/cel-go/common/types", "cel.dev/cel-go/common/types/ref", "cel.dev/cel-go/ext", "cel.dev/cel-go/interpreter"}

// coreMustNot are packages that the core must not import.
var coreMustNot = []string{"os", "net", "net/http", "database/sql", "os/exec", "log", "log/slog", "math/rand", "math/rand/v2", "io/fs", "syscall"}

func imports(t *testing.T) map[string][]string {
	t.Helper()
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, module+"internal/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	all := map[string][]string{}
	for line := range strings.Lines(string(out)) {
		f := strings.Fields(line)
		all[strings.TrimPrefix(f[0], module+"internal/")] = f[1:]
	}
	return all
}

func TestImports_PointDownOnly(t *testing.T) {
	for pkg, list := range imports(t) {
		l, o := place(pkg)
		if l < 0 {
			t.Errorf("package %s is in no layer", pkg)
			continue
		}
		for _, imp := range list {
			ours, ok := strings.CutPrefix(imp, module+"internal/")
			if !ok {
				continue
			}
			il, io := place(ours)
			same := il == l && layers[l].inOrder && (io < o || layers[l].names[o] == "core/*")
			if il >= l && !same {
				t.Errorf("%s imports %s, which stands above it", pkg, ours)
			}
		}
	}
}

func TestImports_StatementsStandInStoresAndUseCases(t *testing.T) {
	for pkg, list := range imports(t) {
		sql := slices.ContainsFunc(sqlLayers, func(x string) bool { return pkg == x || strings.HasSuffix(x, "/") && strings.HasPrefix(pkg, x) })
		if slices.Contains(list, "database/sql") && !sql {
			t.Errorf("%s imports database/sql: statements stand in stores and use cases", pkg)
		}
	}
}

// What is promised to others changes when somebody means it, not with the core.
func TestContract_HoldsNoTypeOfOurs(t *testing.T) {
	for _, imp := range imports(t)["contract"] {
		if strings.HasPrefix(imp, module) {
			t.Errorf("contract imports %s: give it a type of its own, and contract/from a function", imp)
		}
	}
}

func TestCore_IsPure(t *testing.T) {
	for pkg, list := range imports(t) {
		if !strings.HasPrefix(pkg, "core/") {
			continue
		}
		for _, imp := range list {
			foreign := strings.Contains(strings.SplitN(imp, "/", 2)[0], ".")
			if slices.Contains(coreMustNot, imp) || foreign && !slices.Contains(coreMay, imp) {
				t.Errorf("%s imports %s: the core does no input or output", pkg, imp)
			}
		}
	}
}

func TestCore_ReadsNoClock(t *testing.T) {
	files, err := filepath.Glob("../core/*/*.go")
	if err != nil || len(files) < 15 {
		t.Fatalf("%d files of the core, %v", len(files), err)
	}
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") {
			continue
		}
		tree, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(tree, func(n ast.Node) bool {
			if s, ok := n.(*ast.SelectorExpr); ok {
				if x, ok := s.X.(*ast.Ident); ok && x.Name == "time" && slices.Contains([]string{"Now", "Since", "Until", "Sleep", "After", "Tick"}, s.Sel.Name) {
					t.Errorf("%s uses time.%s: the time is an argument", file, s.Sel.Name)
				}
			}
			return true
		})
	}
}

func TestErrorCodes_ArePublished(t *testing.T) {
	code, err := os.ReadFile("../core/problem/problem.go")
	if err != nil {
		t.Fatal(err)
	}
	doc, err := os.ReadFile("../../docs/errors.md")
	if err != nil {
		t.Fatal(err)
	}
	all := regexp.MustCompile(`Code = "(\w+)"`).FindAllSubmatch(code, -1)
	if len(all) < 10 {
		t.Fatalf("%d codes", len(all))
	}
	for _, c := range all {
		if !bytes.Contains(doc, []byte("| `"+string(c[1])+"` |")) {
			t.Errorf("docs/errors.md lacks %s", c[1])
		}
	}
}

func TestPackages_SayWhatTheyDo(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{if not .Doc}}{{if .GoFiles}}{{.ImportPath}}{{end}}{{end}}`, module+"...").Output()
	if err != nil {
		t.Fatal(err)
	}
	if missing := strings.Fields(string(out)); len(missing) > 0 {
		t.Errorf("packages without a package comment: %v", missing)
	}
}
