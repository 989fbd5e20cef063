package mariadb

import (
	"errors"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
)

func (b *bench) versions() string {
	b.t.Helper()
	list, err := b.Releases(b.t.Context(), b.project)
	if err != nil {
		b.t.Fatal(err)
	}
	var out []string
	for _, r := range list {
		out = append(out, r.Version)
	}
	return strings.Join(out, " ")
}

func (b *bench) fix(number int64, in string) {
	b.t.Helper()
	if err := b.Act(b.t.Context(), b.issue(number).ID, fixedIn(in), "", maren, 0); err != nil {
		b.t.Fatal(err)
	}
}

// in files one event of a function in a release, an hour after the last.
func (b *bench) in(function, release string) {
	b.t.Helper()
	b.now = b.now.Add(time.Hour)
	b.file(occur{function: function, release: release, user: "p-1", at: b.now})
}

func code(err error) fault.Code {
	if f, ok := errors.AsType[*fault.Error](err); ok {
		return f.Code
	}
	return ""
}

func TestAnnounce_IsOfOneBuild(t *testing.T) {
	b := open1(t, noon)
	ctx := t.Context()
	r, err := b.Announce(ctx, b.project, " 4.2.0 ", "85314830023F", maren)
	if err != nil || r.Version != "4.2.0" || r.Commit != "85314830023f" || r.AnnouncedBy != maren.Name || !r.Announced.Equal(noon) {
		t.Fatalf("%+v, %v", r, err)
	}
	b.now = b.now.Add(time.Hour)
	again, err := b.Announce(ctx, b.project, "4.2.0", "85314830023f4cf1a267535f4e37bb17aabbccdd", oke)
	if err != nil || again.ID != r.ID || len(again.Commit) != 40 || again.AnnouncedBy != maren.Name || !again.Announced.Equal(noon) {
		t.Errorf("said again with the whole hash: %+v, %v", again, err)
	}
	if _, err := b.Announce(ctx, b.project, "4.2.0", "9f1c2ab", oke); code(err) != fault.Conflict {
		t.Errorf("another commit: %v", err)
	}
	if r, err := b.Announce(ctx, b.project, "4.2.0", "", oke); err != nil || len(r.Commit) != 40 {
		t.Errorf("without a commit: %+v, %v", r, err)
	}
	for _, bad := range [][2]string{{"", ""}, {"a\nb", ""}, {strings.Repeat("9", 251), ""}, {"4.3.0", "main"}, {"4.3.0", "12"}} {
		if _, err := b.Announce(ctx, b.project, bad[0], bad[1], oke); code(err) != fault.BadInput {
			t.Errorf("announced %q of %q: %v", bad[0], bad[1], err)
		}
	}
	if v := b.versions(); v != "4.2.0" {
		t.Errorf("releases are %s", v)
	}
}

func TestAnnounce_LaterThanItsFirstEvent(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "blue")
	b.now = b.now.Add(time.Hour)
	if _, err := b.Announce(t.Context(), b.project, "green", "", maren); err != nil {
		t.Fatal(err)
	}
	b.now = b.now.Add(time.Hour)
	r, err := b.Announce(t.Context(), b.project, "blue", "", maren)
	if err != nil || !r.FirstSeen.Equal(noon.Add(time.Hour)) || !r.HeardOf.Equal(noon.Add(time.Hour)) || r.Events != 1 {
		t.Errorf("%+v, %v", r, err)
	}
	if v := b.versions(); v != "green blue" {
		t.Errorf("the newest first: %s", v)
	}
}

func TestMarkDeployed(t *testing.T) {
	b := open1(t, noon)
	ctx := t.Context()
	if _, err := b.MarkDeployed(ctx, b.project, "4.2.0", "production", time.Time{}, maren); code(err) != fault.NotFound {
		t.Errorf("of a release nothing was heard of: %v", err)
	}
	if _, err := b.Announce(ctx, b.project, "4.2.0", "", maren); err != nil {
		t.Fatal(err)
	}
	at := noon.Add(-time.Minute)
	for _, env := range []string{"production", "production", "quay"} {
		if _, err := b.MarkDeployed(ctx, b.project, "4.2.0", env, at, maren); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.MarkDeployed(ctx, b.project, "4.2.0", "production", noon.Add(2*time.Hour), maren); code(err) != fault.BadInput {
		t.Errorf("in two hours: %v", err)
	}
	r, err := b.Release(ctx, b.project, "4.2.0")
	if err != nil || len(r.Deploys) != 2 || r.Deploys[0].Environment == r.Deploys[1].Environment || !r.Deploys[0].At.Equal(at) || r.Deploys[0].Actor != maren.Name {
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
			b := open1(t, noon)
			if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{ReleaseOrder: c.order}); err != nil {
				t.Fatal(err)
			}
			b.in("tideAt", "4.2.0")
			b.fix(1, "4.2.0")
			b.in("tideAt", "4.1.9")
			if st := b.issue(1).State; st != c.state {
				t.Errorf("it is %s", st)
			}
			if !b.said(1, c.words) {
				t.Errorf("the history does not say %q", c.words)
			}
		})
	}
	b := open1(t, noon)
	if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{ReleaseOrder: "mood"}); code(err) != fault.BadInput {
		t.Errorf("ordered by mood: %v", err)
	}
}

// said looks for an entry of an issue's history.
func (b *bench) said(number int64, words string) bool {
	b.t.Helper()
	var n int
	if err := b.db.QueryRowContext(b.t.Context(), "SELECT COUNT(*) FROM history WHERE issue=? AND words=?", b.issue(number).ID, words).Scan(&n); err != nil {
		b.t.Fatal(err)
	}
	return n > 0
}

func TestRegression_StaysFixedWhereTheOrderIsUnknown(t *testing.T) {
	b := open1(t, noon)
	if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{ReleaseOrder: string(release.Versions)}); err != nil {
		t.Fatal(err)
	}
	b.in("tideAt", "4.2.0")
	b.fix(1, "4.2.0")
	b.in("tideAt", "nightly")
	if st := b.issue(1).State; st != issue.Fixed || !b.said(1, `seen in nightly; whether that contains the fix cannot be told ("nightly" (a name) and "4.2.0" (semantic) are no versions of one scheme; the project orders releases by version alone); it stays fixed in 4.2.0`) {
		t.Errorf("it is %s", st)
	}
}

func TestIssuesIn(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "4.1.0")
	b.fix(1, "4.1.1")
	b.in("tideAt", "4.2.0")  // comes back
	b.in("berthOf", "4.2.0") // new
	b.in("mapOf", "4.1.0")
	b.fix(3, "4.2.0")
	r, err := b.Release(t.Context(), b.project, "4.2.0")
	if err != nil || r.Events != 2 || r.Issues != 2 || r.New != 1 {
		t.Fatalf("%+v, %v", r, err)
	}
	in, err := b.IssuesIn(t.Context(), b.project, r)
	if err != nil || len(in.New) != 1 || len(in.Regressed) != 1 || len(in.Fixed) != 1 || in.New[0].Number != 2 || in.Regressed[0].Number != 1 || in.Fixed[0].Number != 3 {
		t.Errorf("%+v, %v", in, err)
	}
}

func TestOrderOf_AsksAboutWhatWasNotHeardOf(t *testing.T) {
	b := open1(t, noon)
	b.in("tideAt", "blue")
	for _, c := range []struct {
		a, b string
		want int
		by   release.By
	}{{"blue", "green", -1, release.ByAnnouncement}, {"1.9", "1.10", -1, release.ByVersion}, {"green", "red", 0, release.ByNothing}} {
		if o, err := b.OrderOf(t.Context(), b.project, c.a, c.b); err != nil || o.Compare != c.want || o.By != c.by {
			t.Errorf("%s and %s: %+v, %v", c.a, c.b, o, err)
		}
	}
}
