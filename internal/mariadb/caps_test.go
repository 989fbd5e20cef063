package mariadb

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
)

// many files events in batches of a few hundred.
func (b *bench) many(n int, make func(i int) map[string]any) {
	b.t.Helper()
	for from := 0; from < n; from += 250 {
		batch := &pipeline.Batch{Received: b.now}
		for i := from; i < min(n, from+250); i++ {
			raw, err := json.Marshal(make(i))
			if err != nil {
				b.t.Fatal(err)
			}
			batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, raw)
		}
		if err := b.Append(b.t.Context(), b.project.ID, batch); err != nil {
			b.t.Fatal(err)
		}
		if _, err := b.File(b.t.Context(), b.filing()); err != nil {
			b.t.Fatal(err)
		}
	}
}

// received sums what was counted under a cause and rule.
func (b *bench) received(cause, rule string) int64 {
	return b.one("SELECT COALESCE(SUM(events),0) FROM received WHERE cause='" + cause + "' AND rule='" + rule + "'")
}

func different(i int) map[string]any {
	return map[string]any{"exceptions": []any{map[string]any{"type": []string{"TypeError", "RangeError"}[i%2], "message": "x", "frames": []any{map[string]any{"function": fmt.Sprintf("f%dx", i), "file": "src/a.ts"}}}}}
}

func TestCaps_OverflowIssuesTakeInWhatIsTooMuch(t *testing.T) {
	b := open1(t, noon)
	b.many(1300, different)
	if got := b.one("SELECT COUNT(*) FROM issue"); got != 1002 {
		t.Errorf("%d issues, want 1,000 and one for each of two types", got)
	}
	if got := b.one("SELECT COUNT(*) FROM variant"); got != 1002 {
		t.Errorf("%d variants", got)
	}
	var headline, message string
	var events int
	err := b.db.QueryRowContext(t.Context(), "SELECT headline, message, events FROM issue_list WHERE headline LIKE 'Too many%RangeError%'").Scan(&headline, &message, &events)
	if err != nil || !strings.Contains(message, "1000 new issues within an hour") || events != 150 {
		t.Errorf("%q says %q and has %d events, %v", headline, message, events, err)
	}
	if got := b.received(CauseCapped, "issues"); got != 300 {
		t.Errorf("%d were counted as capped, want 300", got)
	}
	b.now = b.now.Add(time.Hour)
	b.many(1, func(int) map[string]any { return different(5000) })
	if got := b.one("SELECT COUNT(*) FROM issue"); got != 1003 {
		t.Errorf("an hour later a new error is no issue: %d", got)
	}
	b.many(2, different) // known ones stay where they are
	if got := b.one("SELECT events FROM issue_list WHERE headline='TypeError in f0x'"); got != 2 {
		t.Errorf("a known issue has %d events", got)
	}
	b.recounted()
}

func TestCaps_TooManyTypesShareOne(t *testing.T) {
	b := open1(t, noon)
	b.many(1000, different)
	b.many(60, func(i int) map[string]any {
		return map[string]any{"exceptions": []any{map[string]any{"type": fmt.Sprintf("Made%dUp", i), "message": "x"}}}
	})
	if got := b.one("SELECT COUNT(*) FROM issue WHERE id IN (SELECT issue FROM issue_list WHERE headline LIKE 'Too many%')"); got != 31 {
		t.Errorf("%d overflow issues, want one for each of 30 types and one for all", got)
	}
	if got := b.one("SELECT events FROM issue_list WHERE headline='Too many new errors at once'"); got != 30 {
		t.Errorf("the one for all has %d events", got)
	}
	b.recounted()
}

func TestCaps_ReleasesEnvironmentsResources(t *testing.T) {
	b := open1(t, noon)
	b.many(2100, func(i int) map[string]any {
		return map[string]any{"message": "m", "resource": map[string]any{"service.version": fmt.Sprintf("9.9.%d", i%300), "deployment.environment.name": fmt.Sprintf("e%d", i%80), "host.arch": fmt.Sprint(i)}}
	})
	for table, want := range map[string]int64{"app_release": 200, "environment": 51, "resource": 2000} {
		if got := b.one("SELECT COUNT(*) FROM " + table); got != want {
			t.Errorf("%d rows in %s, want %d", got, table, want)
		}
	}
	if b.received(CauseCapped, "releases") == 0 || b.received(CauseCapped, "environments") == 0 || b.received(CauseCapped, "resources") != 100 {
		t.Errorf("capped: %d releases, %d environments, %d resources", b.received(CauseCapped, "releases"), b.received(CauseCapped, "environments"), b.received(CauseCapped, "resources"))
	}
	if got := b.one("SELECT events FROM issue_list"); got != 2100 {
		t.Errorf("%d events are counted", got)
	}
	b.recounted()
}

func TestCaps_Extend(t *testing.T) {
	b := open1(t, noon)
	b.many(900, func(i int) map[string]any { return extended("a", i) })
	b.now = b.now.Add(time.Hour)
	b.many(250, func(i int) map[string]any { return extended("a", 900+i) })
	if got := b.one("SELECT COUNT(*) FROM issue"); got != 1001 {
		t.Errorf("%d issues, want 1,000 and one for the rest", got)
	}
	if got := b.received(CauseCapped, "extend"); got != 150 {
		t.Errorf("%d were counted as capped", got)
	}
	b.now = b.now.Add(time.Hour)
	b.many(1, func(int) map[string]any { return extended("b", 1) }) // another fingerprint has its own
	if got := b.one("SELECT COUNT(*) FROM issue"); got != 1002 {
		t.Errorf("%d issues", got)
	}
	b.recounted()
}

func extended(function string, i int) map[string]any {
	return map[string]any{"grouping": map[string]any{"extend": []string{fmt.Sprint("k", i)}},
		"exceptions": []any{map[string]any{"type": "TypeError", "message": "x", "frames": []any{map[string]any{"function": function, "file": "src/a.ts"}}}}}
}

func TestRouteProject_IsCappedByDay(t *testing.T) {
	b := open1(t, noon)
	for i := range 52 {
		p, ok, err := b.RouteProject(t.Context(), b.project, fmt.Sprintf("service-%d", i))
		if err != nil || ok != (i < 50) || ok && p.Name != fmt.Sprintf("service-%d", i) {
			t.Fatalf("project %d: %v, %v, %v", i, p, ok, err)
		}
	}
	if p, ok, err := b.RouteProject(t.Context(), b.project, "service-7"); err != nil || !ok || p.Name != "service-7" {
		t.Errorf("one that is there: %v, %v, %v", p, ok, err)
	}
	b.now = b.now.Add(24 * time.Hour)
	if _, ok, err := b.RouteProject(t.Context(), b.project, "service-51"); err != nil || !ok {
		t.Errorf("the next day: %v, %v", ok, err)
	}
}

// Addresses of generated files can be made up like anything else.
func TestCaps_BoundTheFilesThatTracesName(t *testing.T) {
	b := open1(t, noon)
	raw := func(i int) map[string]any {
		return map[string]any{"resource": map[string]any{"service.version": "1"}, "exceptions": []any{map[string]any{"type": "E", "message": "x", "frames": []any{map[string]any{"function": "a", "file": fmt.Sprintf("https://q.example/a%d.js?v=%d", i, i), "line": 1, "column": 7}}}}}
	}
	b.many(2300, raw)
	if got := b.one("SELECT COUNT(*) FROM trace_file"); got != newTraceFiles.most {
		t.Errorf("%d files are counted, want %d", got, newTraceFiles.most)
	}
	b.many(10, raw) // those that are known go on
	if got := b.one("SELECT SUM(events) FROM trace_file"); got != newTraceFiles.most+10 {
		t.Errorf("%d events are counted by file, want %d", got, newTraceFiles.most+10)
	}
	if got := b.one("SELECT COUNT(*) FROM trace_file WHERE address LIKE '%?%'"); got != 0 {
		t.Errorf("%d addresses are kept with their query", got)
	}
}
