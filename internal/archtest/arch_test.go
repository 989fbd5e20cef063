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

// may lists, for every package below internal, what of ours it may import. A
// new package fails until it is listed.
var may = map[string][]string{
	"core/fault": {}, "core/shell": {}, "core/otlp": {"core/event"}, "core/occurrence": {"core/event"}, "core/logtext": {"core/event", "core/stacktrace"}, "core/rawjson": {}, "core/session": {"core/event"}, "core/feedback": {"core/event"}, "core/event": {"core/rawjson"}, "core/sourcemap": {}, "core/glob": {}, "core/shape": {}, "core/scrub": {"core/glob", "core/rawjson"}, "core/release": {}, "core/impact": {"core/fault", "core/words"}, "core/surge": {"core/fault", "core/words"}, "core/sampling": {},
	"core/scope": {"core/sourcemap"}, "core/stacktrace": {"core/event"}, "core/issue": {"core/fault", "core/release", "core/words"}, "core/commits": {}, "core/silence": {"core/words"}, "core/owners": {"core/glob", "core/people"}, "core/comment": {"core/fault", "core/people"}, "core/words": {}, "core/people": {},
	"core/symbols": {"core/scope", "core/sourcemap"}, "core/blame": {"core/event", "core/shape", "core/stacktrace"}, "core/stamp": {"core/sourcemap"}, "core/symbolicate": {"core/blame", "core/event", "core/glob", "core/scope", "core/sourcemap", "core/shell", "core/stacktrace", "core/symbols", "core/words"},
	"core/fingerprint": {"core/blame", "core/event", "core/shape"}, "core/difference": {"core/blame", "core/event", "core/fault", "core/fingerprint"},
	"core/rules":    {"core/blame", "core/event", "core/fingerprint", "core/glob", "core/release", "core/scrub"},
	"core/regroup":  {"core/blame", "core/event", "core/fingerprint", "core/grouping", "core/rules", "core/symbolicate"},
	"core/moved":    {"core/blame", "core/event", "core/fingerprint", "core/scope"},
	"core/likeness": {"core/blame", "core/event"}, "core/together": {}, "core/review": {"core/event", "core/likeness"},
	"core/grouping": {"core/blame", "core/event", "core/fingerprint", "core/rules", "core/symbolicate"},
	"pipeline":      {"core/blame", "core/event", "core/fingerprint", "core/grouping", "core/moved", "core/rules", "core/scrub", "core/stacktrace", "core/sourcemap", "core/symbolicate", "core/symbols"},
	"localdb":       {"core/fault"},
	"git":           {"core/commits"},
	"repository":    {"core/commits", "core/fault", "core/moved", "core/owners", "git", "mariadb"},
	"mariadb":       {"core/comment", "core/commits", "core/difference", "core/event", "core/fault", "core/feedback", "core/fingerprint", "core/impact", "core/issue", "core/likeness", "core/moved", "core/occurrence", "core/owners", "core/people", "core/release", "core/regroup", "core/review", "core/together", "core/rules", "core/sampling", "core/session", "core/silence", "core/surge", "core/symbolicate", "core/words", "pipeline"},
	"web":           {"core/fault", "mariadb"},
	"contract":      {"core/event", "core/fingerprint", "core/impact", "core/owners", "core/regroup", "core/review", "core/rules", "core/surge"},
	"worker":        {"core/event", "core/feedback", "core/fingerprint", "core/session", "core/symbols", "mariadb", "pipeline"},
	"metrics":       {"mariadb"},
	"intake":        {"core/event", "core/fault", "core/feedback", "core/logtext", "core/otlp", "core/scrub", "core/session", "mariadb", "pipeline", "web"},
	"api":           {"contract", "core/blame", "core/commits", "core/difference", "core/event", "core/fault", "core/fingerprint", "core/impact", "core/issue", "core/owners", "core/regroup", "core/release", "core/review", "core/rules", "core/scrub", "core/session", "core/shell", "core/surge", "core/symbolicate", "git", "guide", "mariadb", "pipeline", "repository", "web"},
	"app":           {"api", "core/fault", "git", "intake", "localdb", "mariadb", "metrics", "pipeline", "repository", "web", "worker"},
	"cli":           {"api", "app", "contract", "core/blame", "core/comment", "core/event", "core/fault", "core/fingerprint", "core/grouping", "core/impact", "core/issue", "core/logtext", "core/moved", "core/otlp", "core/regroup", "core/release", "core/review", "core/rules", "core/shell", "core/sourcemap", "core/stacktrace", "core/stamp", "core/surge", "core/symbolicate", "core/symbols", "follow", "git", "intake", "web"},
	"follow":        {"core/event", "core/logtext", "core/otlp"},
	"guide":         {}, "measure": {}, "chromium": {}, "testdb": {"localdb"}, "archtest": {},
}

// coreMay lists the packages of others that the core may use: JSON,
// versions, compression, YAML, the expression language.
var coreMay = []string{"github.com/go-json-experiment/json", "github.com/go-json-experiment/json/jsontext", "github.com/Masterminds/semver/v3", "github.com/klauspost/compress/zstd",
	"go.opentelemetry.io/proto/otlp/common/v1", "go.opentelemetry.io/proto/otlp/logs/v1", "go.opentelemetry.io/proto/otlp/resource/v1", "go.opentelemetry.io/proto/otlp/trace/v1", "google.golang.org/protobuf/encoding/protowire", "google.golang.org/protobuf/proto", "google.golang.org/protobuf/reflect/protoreflect", "github.com/google/uuid",
	"go.yaml.in/yaml/v4", "cel.dev/cel-go/cel", "cel.dev/cel-go/common", "cel.dev/cel-go/common/ast", "cel.dev/cel-go/common/cost", "cel.dev/cel-go/common/types", "cel.dev/cel-go/common/types/ref", "cel.dev/cel-go/ext", "cel.dev/cel-go/interpreter"}

// coreMust not reach the world.
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
		allowed, listed := may[pkg]
		if !listed {
			t.Errorf("package %s is not listed in may", pkg)
		}
		for _, imp := range list {
			if ours, ok := strings.CutPrefix(imp, module+"internal/"); ok && !slices.Contains(allowed, ours) {
				t.Errorf("%s imports %s, which it may not", pkg, ours)
			}
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
	code, err := os.ReadFile("../core/fault/fault.go")
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
