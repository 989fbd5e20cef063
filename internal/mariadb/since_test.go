package mariadb

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
)

// sessions tells of so many clean sessions in a release.
func (b *bench) sessions(release string, n int) {
	b.t.Helper()
	var lines []string
	for i := range n {
		lines = append(lines, fmt.Sprintf(`{"id":"%s-%d","outcome":"clean","resource":{"service.version":%q}}`, release, i, release))
	}
	b.tell(0, lines...)
}

func (b *bench) holding(number int64) string {
	b.t.Helper()
	is := b.issue(number)
	h, err := b.Holding(b.t.Context(), b.project.ID, is.ID, is.Standing)
	if err != nil {
		b.t.Fatal(err)
	}
	if h == nil {
		return ""
	}
	return h.Words
}

func TestHolding_BySessionsOfReleases(t *testing.T) {
	b := open1(t, noon)
	b.people()
	for i := range 4 {
		b.file(occur{function: "tideAt", release: "4.1.0", at: b.now, session: fmt.Sprintf("4.1.0-%d", i)})
	}
	b.sessions("4.1.0", 100)
	if got := b.holding(1); got != "" {
		t.Errorf("of one that is new: %q", got)
	}
	b.fix(1, "4.2.0")
	if got := b.holding(1); got != "no session with the fix was heard of yet; before, 4 of 100 sessions had it" {
		t.Errorf("nobody runs it yet: %q", got)
	}
	b.now = b.now.Add(time.Hour)
	b.sessions("4.1.0", 200) // goes on, and says nothing
	b.sessions("4.2.0", 200)
	if got := b.holding(1); !strings.HasPrefix(got, "the fix is holding, 9") || !strings.Contains(got, "not seen in 200 sessions with it; before, 4 of 200 sessions had it") {
		t.Errorf("it says %q", got)
	}
	b.sessions("4.2.1", 400)
	for range 2 { // it is said once
		if _, err := b.TellHolding(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	if n := b.one("SELECT COUNT(*) FROM history WHERE kind='holding'"); n != 1 {
		t.Errorf("it is said %d times", n)
	}
	if n := b.one("SELECT COUNT(*) FROM notice n JOIN person p ON p.id=n.person WHERE p.name='Maren Holt' AND n.kind='holding'"); n != 1 {
		t.Errorf("who fixed it hears of it %d times", n)
	}
}

func TestHolding_ByDays(t *testing.T) {
	b := open1(t, noon)
	for range 10 {
		b.now = b.now.Add(day)
		b.file(occur{function: "tideAt", release: "4.1.0", at: b.now})
	}
	b.act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}})
	b.now = b.now.Add(5 * day)
	if got := b.holding(1); !strings.HasPrefix(got, "the fix is holding, ") || !strings.Contains(got, "not seen in 5 days with it; before, 9 of 9 days had it") {
		t.Errorf("it says %q", got)
	}
}

func TestQuiet_SaysWhatStoppedByItself(t *testing.T) {
	b := open1(t, noon)
	for range 10 {
		b.now = b.now.Add(day)
		b.file(occur{function: "tideAt", release: "4.1.0", at: b.now})
	}
	quiet := func(st issue.State) string {
		is := b.issue(1)
		return Quiet(st, is.LastSeen, is.Trend, b.now)
	}
	if got := quiet(issue.New); got != "" {
		t.Errorf("seen today, and %q", got)
	}
	b.now = b.now.Add(5 * day)
	if got := quiet(issue.New); got != "gone quiet: not seen for 4 days, after it was seen on 9 of 9 days" {
		t.Errorf("it says %q", got)
	}
	if got := quiet(issue.Dismissed); got != "" {
		t.Errorf("of a dismissed one: %q", got)
	}
}
