package issue

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/Masterminds/semver/v3"

	"firethorn/internal/core/release"
)

// published is a version of a real package and when it came out.
type published struct {
	version string
	at      time.Time
}

func (p *published) UnmarshalJSON(raw []byte) error {
	var pair [2]string
	err := json.Unmarshal(raw, &pair)
	if err == nil {
		p.version = pair[0]
		p.at, err = time.Parse(time.RFC3339, pair[1])
	}
	return err
}

// Versions of real packages of npm and Go, in whichever order they were
// published: for a fix in each of them, what comes in each other one is decided
// as semantic versions have it. corpus/releases/lists.mjs writes the lists. Half
// of the packages are looked at; of the others only the figures are.
func TestRegressions_OfRealVersionLists(t *testing.T) {
	raw, err := os.ReadFile("testdata/versions.json")
	if err != nil {
		t.Fatal(err)
	}
	var lists map[string][]published
	if err := json.Unmarshal(raw, &lists); err != nil {
		t.Fatal(err)
	}
	type figures struct{ right, all, against int }
	sum := map[string]*figures{"seen": {}, "unseen": {}}
	var told strings.Builder
	for _, name := range slices.Sorted(maps.Keys(lists)) {
		half := "seen"
		if sha256.Sum256([]byte(name))[0] >= 128 {
			half = "unseen"
		}
		list := lists[name]
		rng := rand.New(rand.NewPCG(uint64(len(name)), uint64(len(list))))
		shown := [2]int{rng.IntN(len(list)), rng.IntN(len(list))}
		for i, fix := range list {
			for j, in := range list {
				if i == j {
					continue
				}
				want, against := wanted(t, fix, in)
				got, text := decide(list, fix, spelled(name, in, i+j))
				f := sum[half]
				f.all++
				if against {
					f.against++
				}
				if got == want {
					f.right++
				} else if half == "seen" {
					t.Errorf("%s: fixed in %s, seen in %s: %s, want %s", name, fix.version, in.version, got, want)
				}
				if i == shown[0] && j == shown[1] && half == "seen" {
					fmt.Fprintf(&told, "%s\n  fixed:    in %s (%s)\n  event:    %s (%s)\n  decision: %s: %s\n", name, fix.version, fix.at.Format(time.DateOnly), in.version, in.at.Format(time.DateOnly), got, text)
				}
			}
		}
	}
	for half, f := range sum {
		t.Logf("%s: %d of %d decisions right; of %d the order of publication is another", half, f.right, f.all, f.against)
		if f.right != f.all || f.all < 5000 || f.against < 100 {
			t.Errorf("%s: %+v", half, f)
		}
	}
	compare(t, "testdata/lists.txt", told.String())
}

// undashed is how some lists write release candidates: 3.0.0rc5.
var undashed = regexp.MustCompile(`^([\d.]+\d)(rc|alpha|beta)(\d*)$`)

func dashed(version string) string {
	return strings.TrimSuffix(undashed.ReplaceAllString(version, "$1-$2.$3"), ".")
}

// wanted is what semantic versions say; against, that the order in which the two
// were published says the opposite.
func wanted(t *testing.T, fix, in published) (Kind, bool) {
	t.Helper()
	a, err := semver.NewVersion(dashed(fix.version))
	if err != nil {
		t.Fatal(fix.version, err)
	}
	b, err := semver.NewVersion(dashed(in.version))
	if err != nil {
		t.Fatal(in.version, err)
	}
	if b.LessThan(a) {
		return SeenOlder, in.at.After(fix.at)
	}
	return CameBack, in.at.Before(fix.at)
}

// spelled is a version as one team or another writes it.
func spelled(list string, in published, n int) published {
	_, name, _ := strings.Cut(list, " ")
	bare := strings.TrimPrefix(in.version, "v")
	in.version = []string{in.version, "v" + bare, bare, name + "@" + bare, "release-" + bare}[n%5]
	if strings.Contains(name, ".") && n%5 == 3 { // modules are tagged by their directory
		in.version = "tools/" + "v" + bare
	}
	return in
}

func decide(list []published, fix, in published) (Kind, string) {
	found := []release.Release{{Version: in.version, FirstSeen: in.at}}
	for _, p := range list {
		found = append(found, release.Release{Version: p.version, FirstSeen: p.at})
	}
	k := ReleaseFacts{Release: known(found...).Release}
	s := Status{State: Fixed, Fix: Fix{Kind: FixRelease, FixedIn: fix.version}}
	s.FixedAt = time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	_, e, _ := k.Seen(s, Occurrence{Release: k.Release(in.version), Thrown: s.FixedAt.Add(time.Hour)})
	if e == nil {
		return "", ""
	}
	return e.Kind, e.Text
}
