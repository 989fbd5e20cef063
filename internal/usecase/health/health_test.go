package health_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/quality"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/health"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// ran reports sessions of a release: the first of them crash.
func ran(b *testbed.Bench, release string, n, crashed int, more string) {
	b.T.Helper()
	for i := 0; i < n; i += 10 { // ten of each user
		var list []string
		for j := i; j < min(n, i+10); j++ {
			outcome := "clean"
			if j < crashed {
				outcome = "crashed"
			}
			list = append(list, fmt.Sprintf(`{"id":"%s-%d-%d","sequence":1,"started":%q,"duration_ms":%d,"outcome":%q,"attributes":{"plan":"gold"%s},"resource":{"service.version":%q}}`,
				release, len(more), j, b.Now.Add(-time.Duration(j%40)*time.Minute).Format(time.RFC3339), 1000*(1+j%10), outcome, more, release))
		}
		b.AddSessions(int64(1+i/10), list...)
	}
}

// A release is held against the one before it, and one crash in forty is no verdict.
func TestQuality(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.1.0", At: b.Now.Add(-48 * time.Hour)})
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: b.Now.Add(-time.Hour)})
	ran(b, "4.1.0", 300, 3, "")
	ran(b, "4.2.0", 40, 1, "")
	ask := health.Ask{Project: b.Project}
	r, w, err := b.Health.Quality(t.Context(), ask, "4.2.0")
	if err != nil || r.Verdict.Result != quality.TooEarly || r.Baseline != "4.1.0" || !strings.Contains(r.Verdict.Why, "40 sessions of the release ended") {
		t.Fatalf("%+v, %v", r, err)
	}
	if w.Total.All() != 340 || r.Sessions.All() != 40 || r.Users.All != 4 || r.Users.Crashed != 1 || w.Users != 30 {
		t.Errorf("%+v of %+v", r, w)
	}
	ran(b, "4.2.0", 300, 60, `,"os.name":"Android"`)
	if r, _, err = b.Health.Quality(t.Context(), ask, "4.2.0"); err != nil || r.Verdict.Result != quality.Worse || r.Verdict.P > 1e-6 {
		t.Errorf("%+v, %v", r.Verdict, err)
	}
	if r.CrashFree.Share < 0.81 || r.CrashFree.Share > 0.83 || r.P50 < 4800 || r.P50 > 6200 || r.P95 < 9500 || r.P95 > 10400 {
		t.Errorf("%+v", r)
	}
	devices, err := b.Health.Devices(t.Context(), ask, "4.2.0")
	if err != nil || len(devices) != 1 || devices[0].Value != "Android" || devices[0].All() != 300 || devices[0].Crashed != 60 {
		t.Errorf("%+v, %v", devices, err)
	}
	ask.Baseline = "4.2.0"
	if r, _, err = b.Health.Quality(t.Context(), ask, "4.1.0"); err != nil || r.Verdict.Result != quality.Better {
		t.Errorf("the other way round: %+v, %v", r, err)
	}
	ask.Baseline = "9.9.9"
	if _, _, err = b.Health.Quality(t.Context(), ask, "4.1.0"); testbed.Code(err) != problem.NotFound {
		t.Errorf("a baseline of which nothing was heard: %v", err)
	}
	ask.Baseline, ask.Environment = "", "nowhere"
	if _, _, err = b.Health.Qualities(t.Context(), ask); testbed.Code(err) != problem.NotFound {
		t.Errorf("an environment of which nothing was heard: %v", err)
	}
	ask.Environment = ""
	list, _, err := b.Health.Qualities(t.Context(), ask)
	if err != nil || len(list) != 2 || list[0].Version != "4.2.0" || list[1].Verdict != nil {
		t.Errorf("%+v, %v", list, err)
	}
	hours, versions, step, err := b.Health.Uptake(t.Context(), ask)
	var sum int64
	for _, h := range hours {
		sum += h.All()
	}
	if err != nil || step != 1 || sum != 640 || len(versions) != 2 {
		t.Errorf("%d in %d hours, %v", sum, len(hours), err)
	}
	b.Recounted()
}

// A gate says what failed with its numbers; what nobody can say yet is early.
func TestCheck(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.1.0", At: b.Now.Add(-48 * time.Hour)})
	b.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: b.Now.Add(-time.Hour)})
	ran(b, "4.1.0", 300, 3, "")
	ran(b, "4.2.0", 150, 2, "")
	none, free, high := int64(0), 95.0, 99.5
	ask := health.Ask{Project: b.Project}
	for name, x := range map[string]struct {
		gate          health.Gate
		passed, early bool
		says          string
	}{
		"nothing asked":           {health.Gate{}, true, false, "no difference"},
		"no new issue":            {health.Gate{MaxNew: &none}, false, false, "1, at most 0: quayside/2"},
		"none came back":          {health.Gate{MaxRegressed: &none}, true, false, "0, at most 0"},
		"enough without a crash":  {health.Gate{MinCrashFree: &free}, true, false, "at least 95"},
		"too few without a crash": {health.Gate{MinCrashFree: &high}, false, false, "98.67 % of 150"},
		"too few sessions":        {health.Gate{MinSessions: 1000}, false, true, "too early"},
		"early allowed":           {health.Gate{MinSessions: 1000, AllowEarly: true}, true, true, "too early"},
	} {
		c, err := b.Health.Check(t.Context(), ask, "4.2.0", x.gate)
		if err != nil || c.Passed != x.passed || c.Early != x.early || !strings.Contains(fmt.Sprint(c.Conditions), x.says) {
			t.Errorf("%s: %+v, %v", name, c, err)
		}
	}
}

// Two releases side by side: rates for 1,000 sessions, and what occurs in one alone.
func TestCompare(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 20 {
		b.File(testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", i), Release: []string{"4.1.0", "4.2.0"}[i%2], At: b.Now.Add(-time.Duration(i) * time.Minute)})
	}
	b.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: b.Now.Add(-time.Hour)})
	ran(b, "4.1.0", 200, 3, "")
	ran(b, "4.2.0", 400, 6, "")
	c, err := b.Health.Compare(t.Context(), health.Ask{Project: b.Project}, find.Asker{Now: b.Now}, "4.2.0", "4.1.0")
	if err != nil || len(c.Issues) != 2 {
		t.Fatalf("%+v, %v", c, err)
	}
	both, only := c.Issues[0], c.Issues[1]
	if both.A != 10 || both.B != 10 || both.PerA != 25 || both.PerB != 50 || both.Ratio.Value < 0.45 || both.Ratio.Value > 0.55 || both.OnlyA || both.OnlyB {
		t.Errorf("in both: %+v", both)
	}
	if !only.OnlyA || only.A != 1 || only.PerA != 2.5 {
		t.Errorf("in one: %+v", only)
	}
	if _, err := b.Health.Compare(t.Context(), health.Ask{Project: b.Project}, find.Asker{Now: b.Now}, "4.2.0", "4.2.0"); testbed.Code(err) != problem.BadInput {
		t.Errorf("with itself: %v", err)
	}
}

// Without sessions nothing is said about crashes, and that is said.
func TestQuality_WithoutSessions(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.1.0", At: b.Now.Add(-48 * time.Hour)})
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.1.0+build.7", At: b.Now.Add(-time.Hour)})
	r, _, err := b.Health.Quality(t.Context(), health.Ask{Project: b.Project}, "4.1.0+build.7")
	if err != nil || !r.WithoutThem || r.Verdict.Result != quality.TooEarly || !strings.Contains(r.Verdict.Why, "sends no sessions") || r.Events != 1 {
		t.Errorf("%+v, %v", r, err)
	}
	none := int64(0)
	c, err := b.Health.Check(t.Context(), health.Ask{Project: b.Project}, "4.1.0+build.7", health.Gate{MaxRegressed: &none})
	if err != nil || c.Passed || !c.Early {
		t.Errorf("%+v, %v", c, err)
	}
}
