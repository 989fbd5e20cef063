package release

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/commits"
)

var monday = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)

func TestParse(t *testing.T) {
	for text, want := range map[string]Scheme{
		"4.2.0": Semantic, "v4.2": Semantic, "V4": Semantic, "4.2.0-rc.1": Semantic, "4.2.0+17": Semantic, "01.2.3": Semantic, "quayside@4.2.0": Semantic, "release-4.2.0": Semantic, "quayside/v4.2.0-beta": Semantic,
		"10.4.2.1093": FourPart, "10.4.2.1093-hotfix": FourPart,
		"2026.11.23": Calendar, "2026-11-23": Calendar, "2026.11": Calendar, "2026.11.23.2": Calendar, "20261123": Calendar, "20261123.4": Calendar,
		"1523": Numeric, "build-1523": Numeric, "20269923": Numeric,
		"": NoScheme, "nightly": NoScheme, "9f1c2ab": NoScheme, "85314830023f4cf1a267535f4e37bb17aabbccdd": NoScheme, "4.2.x": NoScheme, "1.2.3.4.5": NoScheme, "99999999999999999999.1": NoScheme, "2026.11.23.99999999999999999999": NoScheme, "4.2.0\n": Semantic, "🐦": NoScheme, "$(rm -rf)": NoScheme,
	} {
		if v := Parse(text); v.Scheme != want {
			t.Errorf("Parse(%q) is %q, want %q", text, v.Scheme, want)
		}
	}
}

// Each line lists releases from the oldest to the newest.
func TestCompare_OrdersVersions(t *testing.T) {
	for _, line := range []string{
		"4.1.9 4.2.0-alpha 4.2.0-alpha.1 4.2.0-alpha.beta 4.2.0-beta.2 4.2.0-beta.11 4.2.0-rc.1 4.2.0 4.2.0.1 4.2.1 4.10.0 v5",
		"4.2.0+9 4.2.0+10", "quayside@4.2.0 v4.2.1 release-4.3",
		"10.4.2.999 10.4.2.1093 10.4.3.1 10.5", "2025.12.31 2026.1.2 2026.11.3 2026-11-23 2026.11.23.1 2026.11.23.10 2026-11-24 20261125",
		"99 1523 1524 build-1525", "1.0.0-1 1.0.0-a 1.0.0",
	} {
		list := strings.Fields(line)
		for i := range list {
			for j := range list {
				got := Compare(Release{Version: list[i]}, Release{Version: list[j]}, Auto, nil)
				want := max(-1, min(1, i-j))
				if got.Compare != want || i != j && got.By != ByVersion {
					t.Errorf("Compare(%s, %s) = %+v, want %d by version", list[i], list[j], got, want)
				}
			}
		}
	}
}

func TestCompare_ByPolicy(t *testing.T) {
	rel := func(v string, days int) Release { return Release{Version: v, FirstSeen: monday.AddDate(0, 0, days)} }
	for name, c := range map[string]struct {
		a, b   Release
		policy Policy
		want   int
		by     By
		why    string
	}{
		"versions decide, whatever was seen first": {rel("4.2.1", 0), rel("4.2.0", 5), Auto, 1, ByVersion, "by semantic version"},
		"the project orders by announcement":       {rel("4.2.1", 0), rel("4.2.0", 5), Announcement, -1, ByAnnouncement, "by when they were announced or first seen"},
		"names have no versions":                   {rel("nightly-a", 0), rel("nightly-b", 1), Auto, -1, ByAnnouncement, `"nightly-a" (a name) and "nightly-b" (a name) are no versions of one scheme; by when they were announced or first seen`},
		"two schemes":                              {rel("2026.11.23", 0), rel("4.2.0", 1), Auto, -1, ByAnnouncement, `"2026.11.23" (calendar) and "4.2.0" (semantic) are no versions of one scheme; by when they were announced or first seen`},
		"two schemes, by version alone":            {rel("2026.11.23", 0), rel("4.2.0", 1), Versions, 0, ByNothing, `"2026.11.23" (calendar) and "4.2.0" (semantic) are no versions of one scheme; the project orders releases by version alone`},
		"one version, written in two ways":         {rel("4.2", 1), rel("v4.2.0", 0), Auto, 0, BySame, "4.2 and v4.2.0 are one version"},
		"one version, by announcement":             {rel("4.2", 1), rel("desk@4.2.0", 0), Announcement, 0, BySame, "4.2 and desk@4.2.0 are one version"},
		"a version and its build":                  {rel("4.2.0+17", 1), rel("4.2.0", 0), Auto, 0, BySame, "4.2.0+17 and 4.2.0 are one version"},
		"two builds":                               {rel("4.2.0+17", 1), rel("4.2.0 (18)", 0), Auto, -1, ByVersion, "by semantic version"},
		"builds that are no numbers":               {rel("4.2.0+abc", 0), rel("4.2.0+abd", 1), Auto, -1, ByAnnouncement, "4.2.0+abc and 4.2.0+abd are builds of one version; by when they were announced or first seen"},
		"two packages":                             {rel("@harbour/desk@2.0.0", 0), rel("crane-1.0.0", 1), Auto, 0, ByNothing, "@harbour/desk@2.0.0 and crane-1.0.0 are versions of two packages"},
		"one package, in two spellings":            {rel("@harbour/desk@2.0.1", 0), rel("desk-2.0.0", 1), Auto, 1, ByVersion, "by semantic version"},
		"one name of two scopes":                   {rel("@harbour/desk@2.0.1", 0), rel("@pier/desk@2.0.0", 1), Auto, 0, ByNothing, "@harbour/desk@2.0.1 and @pier/desk@2.0.0 are versions of two packages"},
		"nothing was heard of one":                 {Release{Version: "next"}, rel("nightly", 1), Auto, 1, ByAnnouncement, `"next" (a name) and "nightly" (a name) are no versions of one scheme; next is not known yet, so it comes last`},
		"nothing was heard of either":              {Release{Version: "a"}, Release{Version: "b"}, Announcement, 0, ByNothing, "neither is known yet"},
		"the same":                                 {rel("nightly", 0), rel("nightly", 0), Auto, 0, BySame, "it is the same release"},
	} {
		got := Compare(c.a, c.b, c.policy, nil)
		if got != (Order{Compare: c.want, By: c.by, Why: c.why}) {
			t.Errorf("%s: %+v, want %d %s %q", name, got, c.want, c.by, c.why)
		}
		if back := Compare(c.b, c.a, c.policy, nil); back.Compare != -c.want || back.By != c.by {
			t.Errorf("%s, the other way: %+v", name, back)
		}
	}
}

// A list is sorted alike from any order it comes in. "day" is when each was
// first seen; the wanted order is the oldest first.
func TestSort(t *testing.T) {
	type row struct {
		version string
		day     int
	}
	rng := rand.New(rand.NewPCG(1, 2))
	for name, c := range map[string]struct {
		policy Policy
		want   []row
	}{
		"versions":                         {Auto, []row{{"4.1.9", 5}, {"4.2.0-rc.1", 1}, {"4.2.0", 2}, {"4.2.0.1", 9}, {"4.2.1", 4}, {"4.10.0", 3}}},
		"names stand where they were seen": {Auto, []row{{"1.0", 3}, {"blue", 2}, {"2.0", 1}}},
		"two schemes":                      {Auto, []row{{"4.1", 2}, {"2026.11.2", 3}, {"4.2", 1}, {"2026.11.3", 2}}},
		"by announcement":                  {Announcement, []row{{"2.0", 1}, {"blue", 2}, {"1.0", 3}}},
		"on one day, by name":              {Announcement, []row{{"a", 1}, {"b", 1}, {"c", 1}}},
		"one version, two names":           {Auto, []row{{"v4.2.0", 1}, {"4.2", 2}, {"4.3", 2}}},
		"builds behind their version":      {Auto, []row{{"4.2.0", 3}, {"4.2.0+9", 2}, {"4.2.0+10", 1}, {"4.2.0+x", 1}, {"4.2.1", 1}}},
		"with and without a package":       {Auto, []row{{"desk@1.0.0", 5}, {"v1.1.0", 4}, {"@harbour/desk@1.2.0", 3}}},
		"two packages":                     {Auto, []row{{"desk@1.0.0", 3}, {"crane@4.0.0", 2}, {"desk@1.1.0", 1}, {"crane@4.1.0", 4}}},
	} {
		for range 50 {
			var list []row
			for _, i := range rng.Perm(len(c.want)) {
				list = append(list, c.want[i])
			}
			Sort(list, func(r row) Release { return Release{Version: r.version, FirstSeen: monday.AddDate(0, 0, r.day)} }, c.policy, nil)
			if !slices.Equal(list, c.want) {
				t.Fatalf("%s: %v, want %v", name, list, c.want)
			}
		}
	}
	unheard := []Release{{Version: "next"}, {Version: "nightly", FirstSeen: monday}}
	if Sort(unheard, func(r Release) Release { return r }, Auto, nil); unheard[1].Version != "next" {
		t.Errorf("what nothing was heard of comes first: %v", unheard)
	}
}

// b-c is a line, h a branch of b that m merges again: commits decide first, and
// what they leave open is left to versions.
func TestSort_ByCommit(t *testing.T) {
	g := commits.NewGraph([]commits.Node{{Hash: "b"}, {Hash: "c", Parents: []string{"b"}}, {Hash: "h", Parents: []string{"b"}}, {Hash: "m", Parents: []string{"c", "h"}}})
	all := []Release{
		{"4.1.0", monday, "b"}, {"4.1.1", monday.AddDate(0, 0, 3), "h"}, {"4.2.0", monday.AddDate(0, 0, 1), "c"}, {"4.2.0-hurried", monday.AddDate(0, 0, 4), "m"}, {"4.3.0", monday.AddDate(0, 0, 5), ""},
	}
	rng := rand.New(rand.NewPCG(3, 4))
	for policy, want := range map[Policy]string{
		Auto: "4.1.0 4.1.1 4.2.0 4.2.0-hurried 4.3.0", Versions: "4.1.0 4.1.1 4.2.0-hurried 4.2.0 4.3.0", Announcement: "4.1.0 4.2.0 4.1.1 4.2.0-hurried 4.3.0", Commits: "4.1.0 4.2.0 4.1.1 4.2.0-hurried 4.3.0",
	} {
		for range 30 {
			list := slices.Clone(all)
			rng.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
			Sort(list, func(r Release) Release { return r }, policy, g)
			var got []string
			for _, r := range list {
				got = append(got, r.Version)
			}
			if strings.Join(got, " ") != want {
				t.Fatalf("%q: %s, want %s", policy, got, want)
			}
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"4.2.0-rc.1+17", "2026.11.23", "10.4.2.1093", "build-1523", "v", "4..2"} {
		f.Add(s, "4.2.0")
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		x, y := Release{Version: a, FirstSeen: monday}, Release{Version: b, FirstSeen: monday.AddDate(0, 0, 1)}
		if there, back := Compare(x, y, Auto, nil), Compare(y, x, Auto, nil); there.Compare != -back.Compare || there.By != back.By {
			t.Errorf("%q, %q: %+v one way, %+v the other", a, b, there, back)
		}
	})
}
