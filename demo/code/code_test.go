package code

import (
	"os"
	"path/filepath"
	"testing"
	"time"
)

// What is reached is what was built: else lines of traces and of the repository
// would not be the same.
func TestReach_GivesTheSourcesThatWereBuilt(t *testing.T) {
	r, err := New(t.TempDir(), "..", time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	same := func(release, dir string, apps ...string) {
		t.Helper()
		n := 0
		for _, app := range apps {
			err := filepath.WalkDir(filepath.Join("..", app, dir), func(path string, d os.DirEntry, err error) error {
				if err != nil || d.IsDir() {
					return err
				}
				raw, err := os.ReadFile(path)
				rel, _ := filepath.Rel(filepath.Join("..", app, dir), path)
				if got, _ := os.ReadFile(filepath.Join(r.Dir, app, "src", rel)); string(got) != string(raw) {
					t.Errorf("%s: %s/src/%s is not what was built", release, app, rel)
				}
				n++
				return err
			})
			if err != nil {
				t.Fatal(err)
			}
		}
		if n == 0 {
			t.Errorf("%s: nothing was compared", release)
		}
	}
	seen := map[string]bool{}
	for _, release := range []string{"quayside 4.0.3", "quayside 4.1.0", "quayside 4.2.0", "quayside 4.2.1"} {
		commit, err := r.Reach(release, "quayside/7")
		if err != nil || seen[commit] {
			t.Fatalf("%s: %s, %v", release, commit, err)
		}
		seen[commit] = true
		switch release {
		case "quayside 4.2.0":
			same(release, "src", "quayside", "gangway")
		case "quayside 4.2.1":
			same(release, filepath.Join("next", "src"), "quayside", "gangway")
		}
	}
	if _, err := r.Reach("quayside 4.0.3", ""); err == nil {
		t.Error("a release that is past was reached again")
	}
	if n := len(All()); n < 15 {
		t.Errorf("%d bugs are planted", n)
	}
}
