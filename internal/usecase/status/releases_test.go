package status_test

import (
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
)

func TestAnnounce_IsOfOneBuild(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	r, err := b.Status.Announce(ctx, b.Project, " 4.2.0 ", "85314830023F", testbed.Maren)
	if err != nil || r.Version != "4.2.0" || r.Commit != "85314830023f" || r.AnnouncedBy != testbed.Maren.Name || !r.Announced.Equal(testbed.Noon) {
		t.Fatalf("%+v, %v", r, err)
	}
	b.Now = b.Now.Add(time.Hour)
	again, err := b.Status.Announce(ctx, b.Project, "4.2.0", "85314830023f4cf1a267535f4e37bb17aabbccdd", testbed.Oke)
	if err != nil || again.ID != r.ID || len(again.Commit) != 40 || again.AnnouncedBy != testbed.Maren.Name || !again.Announced.Equal(testbed.Noon) {
		t.Errorf("said again with the whole hash: %+v, %v", again, err)
	}
	if _, err := b.Status.Announce(ctx, b.Project, "4.2.0", "9f1c2ab", testbed.Oke); testbed.Code(err) != problem.Conflict {
		t.Errorf("another commit: %v", err)
	}
	if r, err := b.Status.Announce(ctx, b.Project, "4.2.0", "", testbed.Oke); err != nil || len(r.Commit) != 40 {
		t.Errorf("without a commit: %+v, %v", r, err)
	}
	for _, bad := range [][2]string{{"", ""}, {"a\nb", ""}, {strings.Repeat("9", 251), ""}, {"4.3.0", "main"}, {"4.3.0", "12"}} {
		if _, err := b.Status.Announce(ctx, b.Project, bad[0], bad[1], testbed.Oke); testbed.Code(err) != problem.BadInput {
			t.Errorf("announced %q of %q: %v", bad[0], bad[1], err)
		}
	}
	if v := b.Versions(); v != "4.2.0" {
		t.Errorf("releases are %s", v)
	}
}

func TestAnnounce_LaterThanItsFirstEvent(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "blue")
	b.Now = b.Now.Add(time.Hour)
	if _, err := b.Status.Announce(t.Context(), b.Project, "green", "", testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Now = b.Now.Add(time.Hour)
	r, err := b.Status.Announce(t.Context(), b.Project, "blue", "", testbed.Maren)
	if err != nil || !r.FirstSeen.Equal(testbed.Noon.Add(time.Hour)) || !r.FirstKnown.Equal(testbed.Noon.Add(time.Hour)) || r.Events != 1 {
		t.Errorf("%+v, %v", r, err)
	}
	if v := b.Versions(); v != "green blue" {
		t.Errorf("the newest first: %s", v)
	}
}

func TestMarkDeployed(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	if _, err := b.Status.MarkDeployed(ctx, b.Project, "4.2.0", "production", time.Time{}, testbed.Maren); testbed.Code(err) != problem.NotFound {
		t.Errorf("of a release nothing was heard of: %v", err)
	}
	if _, err := b.Status.Announce(ctx, b.Project, "4.2.0", "", testbed.Maren); err != nil {
		t.Fatal(err)
	}
	at := testbed.Noon.Add(-time.Minute)
	for _, env := range []string{"production", "production", "quay"} {
		if _, err := b.Status.MarkDeployed(ctx, b.Project, "4.2.0", env, at, testbed.Maren); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.Status.MarkDeployed(ctx, b.Project, "4.2.0", "production", testbed.Noon.Add(2*time.Hour), testbed.Maren); testbed.Code(err) != problem.BadInput {
		t.Errorf("in two hours: %v", err)
	}
	r, err := b.Releases.Release(ctx, b.Project, "4.2.0")
	if err != nil || len(r.Deploys) != 2 || r.Deploys[0].Environment == r.Deploys[1].Environment || !r.Deploys[0].At.Equal(at) || r.Deploys[0].Actor != testbed.Maren.Name {
		t.Errorf("%+v, %v", r.Deploys, err)
	}
}

func TestRegression_ByTheProjectsOrder(t *testing.T) {
	for name, c := range map[string]struct {
		order string
		state issue.State
		words string
	}{
		"auto":         {"auto", issue.Fixed, "seen in 4.1.9, which is older than the fix (by semantic version): expected until everybody has updated"},
		"announcement": {"announcement", issue.Regressed, "came back in 4.1.9, after it was fixed in 4.2.0 (by when they were announced or first seen)"},
	} {
		t.Run(name, func(t *testing.T) {
			b := testbed.Open(t, testbed.Noon)
			if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{ReleaseOrder: c.order}); err != nil {
				t.Fatal(err)
			}
			b.In("tideAt", "4.2.0")
			b.Fix(1, "4.2.0")
			b.In("tideAt", "4.1.9")
			if st := b.Issue(1).State; st != c.state {
				t.Errorf("it is %s", st)
			}
			if !b.InHistory(1, c.words) {
				t.Errorf("the history does not say %q", c.words)
			}
		})
	}
	b := testbed.Open(t, testbed.Noon)
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{ReleaseOrder: "mood"}); testbed.Code(err) != problem.BadInput {
		t.Errorf("ordered by mood: %v", err)
	}
}

func TestRegression_StaysFixedWhereTheOrderIsUnknown(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{ReleaseOrder: string(release.Versions)}); err != nil {
		t.Fatal(err)
	}
	b.In("tideAt", "4.2.0")
	b.Fix(1, "4.2.0")
	b.In("tideAt", "nightly")
	if st := b.Issue(1).State; st != issue.Fixed || !b.InHistory(1, `seen in nightly; whether it contains the fix is unknown ("nightly" (a name) and "4.2.0" (semantic) are no versions of one scheme; the project orders releases by version alone); it stays fixed in 4.2.0`) {
		t.Errorf("it is %s", st)
	}
}

func TestIssuesIn(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "4.1.0")
	b.Fix(1, "4.1.1")
	b.In("tideAt", "4.2.0")  // comes back
	b.In("berthOf", "4.2.0") // new
	b.In("mapOf", "4.1.0")
	b.Fix(3, "4.2.0")
	r, err := b.Releases.Release(t.Context(), b.Project, "4.2.0")
	if err != nil || r.Events != 2 || r.Issues != 2 || r.New != 1 {
		t.Fatalf("%+v, %v", r, err)
	}
	in, err := b.Issues.IssuesIn(t.Context(), b.Project, r)
	if err != nil || len(in.New) != 1 || len(in.Regressed) != 1 || len(in.Fixed) != 1 || in.New[0].Number != 2 || in.Regressed[0].Number != 1 || in.Fixed[0].Number != 3 {
		t.Errorf("%+v, %v", in, err)
	}
}

func TestOrderOf_ComparesUnknownReleases(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.In("tideAt", "blue")
	for _, c := range []struct {
		a, b string
		want int
		by   release.By
	}{{"blue", "green", -1, release.ByAnnouncement}, {"1.9", "1.10", -1, release.ByVersion}, {"green", "red", 0, release.ByNothing}} {
		if o, err := b.Releases.OrderOf(t.Context(), b.Project, c.a, c.b); err != nil || o.Compare != c.want || o.By != c.by {
			t.Errorf("%s and %s: %+v, %v", c.a, c.b, o, err)
		}
	}
}
