package archtest

import (
	"fmt"
	"go/ast"
	"go/constant"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/text"
)

// quoted are the numbers of the documentation that come from constants: the page, the phrase
// with # for the number, its unit, and the package and name of the constant.
var quoted = []struct{ page, phrase, unit, pkg, name string }{
	{"alerts.md", "below # sessions it never fires", "", "usecase/firing", "minSessions"},
	{"alerts.md", "an hour and # tries is paused", "", "core/alert", "PauseTries"},
	{"alerts.md", "it is tried every # minutes", "min", "core/alert", "ProbeEvery"},
	{"alerts.md", "alerts are kept for # days", "", "store/alerts", "keptDays"},
	{"event-format.md", "# elements a request after decompression", "", "intake", "maxElements"},
	{"event-format.md", "# KiB for an envelope's resource", "KiB", "intake", "maxShared"},
	{"event-format.md", "for # days after that", "", "usecase/ingest", "DroppedDays"},
	{"event-format.md", "plain text of up to # KiB", "KiB", "core/feedback", "LongestText"},
	{"grouping.md", "examine the # issues with most events", "", "usecase/similar", "reviewIssues"},
	{"grouping.md", "among the newest # events", "", "usecase/moves", "maxBodiesRead"},
	{"grouping.md", "from # events on", "", "core/review", "noisyEvents"},
	{"grouping.md", "# or more a user", "", "core/review", "noisyRate"},
	{"impact.md", "the last # days (UTC", "", "core/impact", "Window"},
	{"impact.md", "Nothing below # events", "", "core/impact", "leastRecent"},
	{"impact.md", "updates # issues at a time", "", "usecase/scoring", "rescoreChunk"},
	{"operations.md", "(default # minutes)", "min", "app", "defaultSilence"},
	{"operations.md", "died after # seconds", "s", "worker", "leaseHold"},
	{"operations.md", "counts as away after # seconds", "", "db", "TransactionIdle"},
	{"operations.md", "| trends by hour | # days |", "", "usecase/scoring", "HourDays"},
	{"operations.md", "| audit | # days |", "d", "store/audit", "Life"},
	{"operations.md", "expire after # days", "d", "store/accounts", "TokenLife"},
	{"people.md", "signs Maren in once, within # hours", "h", "api/people", "inviteLife"},
	{"people.md", "works once: # minutes for yourself", "min", "api/people", "ownLife"},
	{"people.md", "# hours after its last use", "h", "store/accounts", "SessionIdle"},
	{"people.md", "# days after it was opened", "d", "store/accounts", "SessionLife"},
	{"people.md", "a sign-in of the last # minutes", "min", "api/calls", "FreshSignIn"},
	{"quality.md", "fewer than # sessions of either release", "", "core/quality", "MinSessions"},
	{"quality.md", "compared over # days", "", "usecase/health", "baselineDays"},
	{"quality.md", "`--window` is # days where", "d", "usecase/health", "UsualWindow"},
	{"releases.md", "Notices are kept for # days", "", "usecase/status", "noticeDays"},
	{"releases.md", "too large (# GB)", "GiB", "git", "MaxBundle"},
	{"rules.md", "up to # KiB", "KiB", "core/rules", "MaxBytes"},
	{"rules.md", "stopped for # events or more", "", "worker", "maxStops"},
	{"search.md", "at most # characters", "", "core/query", "MaxLength"},
	{"search.md", "# terms", "", "core/query", "MaxTerms"},
	{"search.md", "# levels of brackets", "", "core/query", "MaxDepth"},
	{"search.md", "up to its first # bytes", "", "core/attributes", "MaxValue"},
	{"search.md", "up to # events. Large segments", "", "core/columns", "MaxRows"},
	{"signals.md", "At most # MiB of a line", "MiB", "follow", "longestLine"},
	{"signals.md", "the same first # bytes", "", "follow", "headBytes"},
	{"symbols.md", "in parts of # MiB", "MiB", "store/symbolstore", "SymbolPart"},
	{"symbols.md", "pages of # bytes", "", "pipeline", "SymbolPage"},
	{"threat-model.md", "on nesting (#)", "", "core/scrub", "MaxDepth"},
	{"threat-model.md", "on elements (#)", "", "intake", "maxElements"},
	{"threat-model.md", "listed refusals (#)", "", "intake", "maxRefused"},
	{"threat-model.md", "At most # connections", "", "app", "maxConns"},
	{"threat-model.md", "# from one address or /64 network", "", "app", "maxByAddress"},
	{"threat-model.md", "# MB of a tracker's", "MiB", "usecase/tickets", "maxAnswer"},
	{"threat-model.md", "# s for each attempt", "s", "usecase/tickets", "callTime"},
	{"threat-model.md", "ends after # idle hours", "h", "store/accounts", "SessionIdle"},
	{"threat-model.md", "expires after # days by default", "d", "store/accounts", "TokenLife"},
	{"threat-model.md", "the server ends it after # s", "", "db", "TransactionIdle"},
	{"threat-model.md", "stored for # days", "", "usecase/ingest", "DroppedDays"},
	{"tickets.md", "a list of up to # ", "word", "core/ticket", "maxCalls"},
	{"troubleshooting.md", "They are kept for # days", "d", "store/inbox", "failedKept"},
	{"troubleshooting.md", "good for # hours", "h", "api/people", "inviteLife"},
}

func TestDocs_QuoteTheConstants(t *testing.T) {
	consts := constants{fset: token.NewFileSet(), known: map[string]*types.Package{}}
	for _, q := range quoted {
		raw, err := os.ReadFile(filepath.Join("..", "..", "docs", q.page))
		if err != nil {
			t.Fatal(err)
		}
		value, err := consts.value(q.pkg, q.name)
		if err != nil {
			t.Error(err)
			continue
		}
		want := strings.Replace(q.phrase, "#", inUnit(value, q.unit), 1)
		page := strings.Join(strings.Fields(string(raw)), " ")
		if !strings.Contains(page, strings.TrimSpace(want)) {
			t.Errorf("docs/%s does not say %q, the value of %s.%s: correct the page, or the phrase of this test", q.page, want,
				q.pkg, q.name)
		}
	}
}

func TestConstants_AreEvaluated(t *testing.T) {
	consts := constants{fset: token.NewFileSet(), known: map[string]*types.Package{}}
	if _, err := consts.value("core/query", "NoSuchLimit"); err == nil {
		t.Error("a constant that does not exist has a value")
	}
	for unit, want := range map[string]string{"": "86,400,000,000,000", "h": "24", "d": "1", "min": "1,440"} {
		if got := inUnit(int64(24*time.Hour), unit); got != want {
			t.Errorf("a day in %q is %s, not %s", unit, got, want)
		}
	}
}

// inUnit writes a number as the documentation does.
func inUnit(v int64, unit string) string {
	switch unit {
	case "s":
		v /= int64(time.Second)
	case "min":
		v /= int64(time.Minute)
	case "h":
		v /= int64(time.Hour)
	case "d":
		v /= int64(24 * time.Hour)
	case "KiB":
		v >>= 10
	case "MiB":
		v >>= 20
	case "GiB":
		v >>= 30
	case "word":
		return [...]string{"none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine"}[v]
	}
	return text.Number(v)
}

// constants evaluates constants of packages below internal, each package once.
type constants struct {
	fset  *token.FileSet
	known map[string]*types.Package
	time  *types.Package
}

func (c *constants) value(pkg, name string) (int64, error) {
	p := c.known[pkg]
	if p == nil {
		dir := filepath.Join("..", pkg)
		names, err := filepath.Glob(filepath.Join(dir, "*.go"))
		if err != nil {
			return 0, err
		}
		var files []*ast.File
		for _, f := range names {
			if strings.HasSuffix(f, "_test.go") {
				continue
			}
			file, err := parser.ParseFile(c.fset, f, nil, parser.SkipObjectResolution)
			if err != nil {
				return 0, err
			}
			files = append(files, file)
		}
		// Types of other packages are not needed for constants: their errors are ignored.
		conf := types.Config{Importer: c, Error: func(error) {}, IgnoreFuncBodies: true}
		p, _ = conf.Check("firethorn/internal/"+pkg, c.fset, files, nil)
		c.known[pkg] = p
	}
	k, ok := p.Scope().Lookup(name).(*types.Const)
	if !ok {
		return 0, fmt.Errorf("internal/%s has no constant %s", pkg, name)
	}
	v, ok := constant.Int64Val(constant.ToInt(k.Val()))
	if !ok {
		return 0, fmt.Errorf("internal/%s: %s is no whole number", pkg, name)
	}
	return v, nil
}

// Import gives package time, of which durations are made, and nothing else.
func (c *constants) Import(path string) (*types.Package, error) {
	if path != "time" {
		return nil, fmt.Errorf("%s is not needed for constants", path)
	}
	var err error
	if c.time == nil {
		c.time, err = importer.ForCompiler(c.fset, "source", nil).Import("time")
	}
	return c.time, err
}
