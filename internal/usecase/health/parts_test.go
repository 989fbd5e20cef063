package health_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/quality"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/health"
)

// Two environments of one release may go opposite ways: each has its own verdict, and the
// verdict over both hides it.
func TestEnvironments(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i, release := range []string{"4.1.0", "4.2.0"} {
		b.File(testbed.Event{Function: "tideAt", Release: release, At: b.Now.Add(time.Duration(i-2) * time.Hour)})
	}
	in := func(environment string) string { return fmt.Sprintf(`,"deployment.environment.name":%q`, environment) }
	for environment, crashed := range map[string][2]int{"production": {2, 60}, "staging": {60, 2}} {
		for i, release := range []string{"4.1.0", "4.2.0"} {
			for from := 0; from < 400; from += 100 {
				b.AddSessions(int64(1+from), sessionsIn(b, release, in(environment), environment, from, crashed[i])...)
			}
		}
	}
	ask := health.Ask{Project: b.Project}
	r, _, err := b.Health.Quality(t.Context(), ask, "4.2.0")
	if err != nil || r.Verdict.Result != quality.NoDifference {
		t.Fatalf("over both: %+v, %v", r, err)
	}
	list, err := b.Health.Environments(t.Context(), ask, r)
	if err != nil || len(list) != 2 {
		t.Fatalf("%+v, %v", list, err)
	}
	for _, e := range list {
		want := map[string]quality.Result{"production": quality.Worse, "staging": quality.Better}[e.Name]
		if e.Sessions.All() != 400 || e.Verdict == nil || e.Verdict.Result != want || !e.Crashes {
			t.Errorf("%+v, want %s", e, want)
		}
	}
}

// sessionsIn are 100 messages about sessions of a release; those below crashed crash.
func sessionsIn(b *testbed.Bench, release, resource, name string, from, crashed int) (list []string) {
	for i := from; i < from+100; i++ {
		outcome := "clean"
		if i < crashed {
			outcome = "crashed"
		}
		list = append(list, fmt.Sprintf(
			`{"id":"%s-%s-%d","sequence":1,"started":%q,"outcome":%q,"resource":{"service.version":%q%s}}`,
			release, name, i, b.Now.Add(-30*time.Minute).Format(time.RFC3339), outcome, release, resource))
	}
	return list
}

// What a release brought is listed by the share of its sessions that each issue hits:
// several events of one session are one session, and events of other releases count for
// nothing.
func TestHits(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", Release: "4.1.0", At: b.Now.Add(-48 * time.Hour), Session: "old"})
	ran(b, "4.1.0", 200, 1, "")
	ran(b, "4.2.0", 200, 1, "")
	var list []testbed.Event
	for i := range 50 {
		list = append(list, testbed.Event{Function: "zoneOf", Release: "4.2.0", At: b.Now.Add(-time.Hour),
			Session: fmt.Sprint("s-", i%10)})
	}
	list = append(list, testbed.Event{Function: "priceOf", Release: "4.2.0", At: b.Now.Add(-time.Hour), Session: "s-1"},
		testbed.Event{Function: "priceOf", Release: "4.3.0", At: b.Now.Add(-time.Minute), Session: "s-90"},
		testbed.Event{Function: "tideAt", Release: "4.2.0", At: b.Now.Add(-time.Hour), Session: "s-77"})
	b.File(list...)
	hits, sessions, err := b.Health.Hits(t.Context(), health.Ask{Project: b.Project}, "4.2.0")
	if err != nil || sessions != 200 || len(hits) != 2 {
		t.Fatalf("%+v of %d, %v", hits, sessions, err)
	}
	if h := hits[0]; h.Number != 2 || h.Sessions != 10 || h.Share != 0.05 || h.Back || h.More {
		t.Errorf("zoneOf: %+v", h)
	}
	if h := hits[1]; h.Number != 3 || h.Sessions != 1 || h.Share != 0.005 {
		t.Errorf("priceOf: %+v", h)
	}
	if _, _, err := b.Health.Hits(t.Context(), health.Ask{Project: b.Project}, "9.9.9"); err == nil {
		t.Error("a release of which nothing was heard has hits")
	}
}

// A project may say that cut-off sessions count as crashed: shares, users and the verdict
// follow at once.
func TestQuality_CutOffSessions(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i, release := range []string{"4.1.0", "4.2.0"} {
		b.File(testbed.Event{Function: "tideAt", Release: release, At: b.Now.Add(time.Duration(i-2) * time.Hour)})
		for from := 0; from < 400; from += 100 {
			list := sessionsIn(b, release, "", "", from, 0)
			for j := range list {
				if i == 1 && from == 0 { // these hang: nothing is heard of them any more
					list[j] = strings.Replace(list[j], `"outcome":"clean"`, `"outcome":"running"`, 1)
				}
			}
			b.AddSessions(int64(1+from), list...)
		}
	}
	b.Now = b.Now.Add(72 * time.Hour)
	if _, err := b.Ingest.CutOffSessions(t.Context(), b.Project.ID, b.Now.Add(-time.Hour)); err != nil {
		t.Fatal(err)
	}
	r, _, err := b.Health.Quality(t.Context(), health.Ask{Project: b.Project}, "4.2.0")
	if err != nil || r.Sessions.CutOff != 100 || r.CrashFree.Share != 1 || r.Verdict.Result != quality.NoDifference {
		t.Fatalf("cut-off sessions do not count: %+v, %v", r, err)
	}
	b.Project.CutOffCrashes = true
	r, _, err = b.Health.Quality(t.Context(), health.Ask{Project: b.Project}, "4.2.0")
	if err != nil || r.CrashFree.Share != 0.75 || r.Verdict.Result != quality.Worse || r.Users.Crashed != 1 {
		t.Errorf("cut-off sessions count: %+v, %v", r, err)
	}
	b.Recounted()
}

// While a release is rolled out, the one before it loses its sessions: where too few are
// left in the window, both are compared over 30 days.
func TestQuality_ABaselineThatIsOlderThanTheWindow(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	now := b.Now
	b.Now = now.AddDate(0, 0, -12)
	b.File(testbed.Event{Function: "tideAt", Release: "4.1.0", At: b.Now.Add(-time.Hour)})
	b.AddSessions(1, sessionsIn(b, "4.1.0", "", "before", 0, 2)...)
	b.AddSessions(2, sessionsIn(b, "4.1.0", "", "before", 100, 0)...)
	b.Now = now
	b.File(testbed.Event{Function: "tideAt", Release: "4.2.0", At: b.Now.Add(-time.Hour)})
	b.AddSessions(1, sessionsIn(b, "4.2.0", "", "now", 0, 50)...)
	b.AddSessions(2, sessionsIn(b, "4.2.0", "", "now", 100, 150)...)
	r, _, err := b.Health.Quality(t.Context(), health.Ask{Project: b.Project}, "4.2.0")
	want := "in 30 days 100 of 200 sessions crashed (50.00 %), 2 of 200 of the baseline (1.00 %)"
	if err != nil || r.Verdict.Result != quality.Worse || r.Verdict.Why != want {
		t.Errorf("%+v, %v", r.Verdict, err)
	}
	list, err := b.Health.Environments(t.Context(), health.Ask{Project: b.Project}, r)
	if err != nil || len(list) != 1 || list[0].Verdict.Result != quality.Worse {
		t.Errorf("%+v, %v", list, err)
	}
	if list, _, err := b.Health.Qualities(t.Context(), health.Ask{Project: b.Project}); err != nil || len(list) != 1 {
		t.Errorf("releases of the window: %+v, %v", list, err)
	}
}
