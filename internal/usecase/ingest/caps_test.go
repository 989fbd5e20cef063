package ingest_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/store/inbox"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/ingest"
)

func different(i int) map[string]any {
	return map[string]any{"exceptions": []any{map[string]any{"type": []string{"TypeError", "RangeError"}[i%2], "message": "x", "frames": []any{map[string]any{"function": fmt.Sprintf("f%dx", i), "file": "src/a.ts"}}}}}
}

func TestCaps_OverflowIssuesTakeInWhatIsTooMuch(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(1300, different)
	if got := b.One("SELECT COUNT(*) FROM issue"); got != 1002 {
		t.Errorf("%d issues, want 1,000 and one for each of two types", got)
	}
	if got := b.One("SELECT COUNT(*) FROM variant"); got != 1002 {
		t.Errorf("%d variants", got)
	}
	var headline, message string
	var events int
	err := b.DB.QueryRowContext(t.Context(), "SELECT headline, message, events FROM issue_list WHERE headline LIKE 'Too many%RangeError%'").Scan(&headline, &message, &events)
	if err != nil || !strings.Contains(message, "1000 new issues within an hour") || events != 150 {
		t.Errorf("%q says %q and has %d events, %v", headline, message, events, err)
	}
	if got := b.Received(inbox.CauseCapped, "issues"); got != 300 {
		t.Errorf("%d were counted as capped, want 300", got)
	}
	b.Now = b.Now.Add(time.Hour)
	b.Many(1, func(int) map[string]any { return different(5000) })
	if got := b.One("SELECT COUNT(*) FROM issue"); got != 1003 {
		t.Errorf("an hour later a new error is no issue: %d", got)
	}
	b.Many(2, different) // known ones stay where they are
	if got := b.One("SELECT events FROM issue_list WHERE headline='TypeError in f0x'"); got != 2 {
		t.Errorf("a known issue has %d events", got)
	}
	b.Recounted()
}

func TestCaps_TooManyTypesShareOne(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(1000, different)
	b.Many(60, func(i int) map[string]any {
		return map[string]any{"exceptions": []any{map[string]any{"type": fmt.Sprintf("Made%dUp", i), "message": "x"}}}
	})
	if got := b.One("SELECT COUNT(*) FROM issue WHERE id IN (SELECT issue FROM issue_list WHERE headline LIKE 'Too many%')"); got != 31 {
		t.Errorf("%d overflow issues, want one for each of 30 types and one for all", got)
	}
	if got := b.One("SELECT events FROM issue_list WHERE headline='Too many new errors at once'"); got != 30 {
		t.Errorf("the one for all has %d events", got)
	}
	b.Recounted()
}

func TestCaps_ReleasesEnvironmentsResources(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(2100, func(i int) map[string]any {
		return map[string]any{"message": "m", "resource": map[string]any{"service.version": fmt.Sprintf("9.9.%d", i%300), "deployment.environment.name": fmt.Sprintf("e%d", i%80), "host.arch": fmt.Sprint(i)}}
	})
	for table, want := range map[string]int64{"app_release": 200, "environment": 51, "resource": 2000} {
		if got := b.One("SELECT COUNT(*) FROM " + table); got != want {
			t.Errorf("%d rows in %s, want %d", got, table, want)
		}
	}
	if b.Received(inbox.CauseCapped, "releases") == 0 || b.Received(inbox.CauseCapped, "environments") == 0 || b.Received(inbox.CauseCapped, "resources") != 100 {
		t.Errorf("capped: %d releases, %d environments, %d resources", b.Received(inbox.CauseCapped, "releases"), b.Received(inbox.CauseCapped, "environments"), b.Received(inbox.CauseCapped, "resources"))
	}
	if got := b.One("SELECT events FROM issue_list"); got != 2100 {
		t.Errorf("%d events are counted", got)
	}
	b.Recounted()
}

func TestCaps_Extend(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Many(900, func(i int) map[string]any { return extended("a", i) })
	b.Now = b.Now.Add(time.Hour)
	b.Many(250, func(i int) map[string]any { return extended("a", 900+i) })
	if got := b.One("SELECT COUNT(*) FROM issue"); got != 1001 {
		t.Errorf("%d issues, want 1,000 and one for the rest", got)
	}
	if got := b.Received(inbox.CauseCapped, "extend"); got != 150 {
		t.Errorf("%d were counted as capped", got)
	}
	b.Now = b.Now.Add(time.Hour)
	b.Many(1, func(int) map[string]any { return extended("b", 1) }) // another fingerprint has its own
	if got := b.One("SELECT COUNT(*) FROM issue"); got != 1002 {
		t.Errorf("%d issues", got)
	}
	b.Recounted()
}

func extended(function string, i int) map[string]any {
	return map[string]any{"grouping": map[string]any{"extend": []string{fmt.Sprint("k", i)}},
		"exceptions": []any{map[string]any{"type": "TypeError", "message": "x", "frames": []any{map[string]any{"function": function, "file": "src/a.ts"}}}}}
}

func TestRouteProject_IsCappedByDay(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 52 {
		p, ok, err := b.Ingest.RouteProject(t.Context(), b.Project, fmt.Sprintf("service-%d", i))
		if err != nil || ok != (i < 50) || ok && p.Name != fmt.Sprintf("service-%d", i) {
			t.Fatalf("project %d: %v, %v, %v", i, p, ok, err)
		}
	}
	if p, ok, err := b.Ingest.RouteProject(t.Context(), b.Project, "service-7"); err != nil || !ok || p.Name != "service-7" {
		t.Errorf("one that is there: %v, %v, %v", p, ok, err)
	}
	b.Now = b.Now.Add(24 * time.Hour)
	if _, ok, err := b.Ingest.RouteProject(t.Context(), b.Project, "service-51"); err != nil || !ok {
		t.Errorf("the next day: %v, %v", ok, err)
	}
}

// Addresses of generated files can be made up like anything else.
func TestCaps_BoundTheFilesThatTracesName(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	raw := func(i int) map[string]any {
		return map[string]any{"resource": map[string]any{"service.version": "1"}, "exceptions": []any{map[string]any{"type": "E", "message": "x", "frames": []any{map[string]any{"function": "a", "file": fmt.Sprintf("https://q.example/a%d.js?v=%d", i, i), "line": 1, "column": 7}}}}}
	}
	b.Many(2300, raw)
	if got := b.One("SELECT COUNT(*) FROM trace_file"); got != ingest.MaxTraceFiles {
		t.Errorf("%d files are counted, want %d", got, ingest.MaxTraceFiles)
	}
	b.Many(10, raw) // those that are known go on
	if got := b.One("SELECT SUM(events) FROM trace_file"); got != ingest.MaxTraceFiles+10 {
		t.Errorf("%d events are counted by file, want %d", got, ingest.MaxTraceFiles+10)
	}
	if got := b.One("SELECT COUNT(*) FROM trace_file WHERE address LIKE '%?%'"); got != 0 {
		t.Errorf("%d addresses are kept with their query", got)
	}
}
