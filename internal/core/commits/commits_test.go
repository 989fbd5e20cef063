package commits

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"
)

// history makes a random history with merges, children behind parents.
func history(rng *rand.Rand, n int) []Node {
	list := make([]Node, n)
	for i := range list {
		list[i].Hash = fmt.Sprintf("%040x", uint64(i)*2654435761)
		for range min(i, 1+rng.IntN(2)) {
			list[i].Parents = append(list[i].Parents, list[i-1-rng.IntN(min(i, 12))].Hash)
		}
	}
	return list
}

// ancestors is a commit and all it descends from, in the plainest way.
func ancestors(list []Node, of string) map[string]bool {
	by := map[string]Node{}
	for _, n := range list {
		by[n.Hash] = n
	}
	out := map[string]bool{}
	var walk func(string)
	walk = func(h string) {
		if _, ok := by[h]; !ok || out[h] {
			return
		}
		out[h] = true
		for _, p := range by[h].Parents {
			walk(p)
		}
	}
	walk(of)
	return out
}

// The graph answers as the plainest walk does, in whatever order it was made.
func TestGraph_AnswersAsAWalk(t *testing.T) {
	for seed := range uint64(20) {
		rng := rand.New(rand.NewPCG(seed, 1))
		list := history(rng, 120)
		shuffled := slices.Clone(list)
		rng.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		g := NewGraph(shuffled)
		var tips []string
		for range 30 {
			tips = append(tips, list[rng.IntN(len(list))].Hash)
		}
		tips = append(tips, "unknown")
		descent := g.Descent(tips)
		for i, a := range tips {
			of := ancestors(list, a)
			for j, b := range tips {
				if got := g.Contains(a, b); got != of[b] || descent(i, j) != of[b] {
					t.Fatalf("seed %d: %s contains %s: %v, together %v, want %v", seed, a, b, got, descent(i, j), of[b])
				}
				without := ancestors(list, b)
				between := g.Between(b, a)
				n := 0
				for h := range of {
					if !without[h] {
						n++
						if !slices.Contains(between, h) {
							t.Fatalf("seed %d: %s is missing between %s and %s", seed, h, b, a)
						}
					}
				}
				if len(between) != n {
					t.Fatalf("seed %d: %d commits between, want %d", seed, len(between), n)
				}
				for x, h := range between { // children before parents
					for _, later := range between[x+1:] {
						if g.Contains(later, h) {
							t.Fatalf("seed %d: %s stands before %s, which descends from it", seed, h, later)
						}
					}
				}
			}
		}
	}
}

func TestGraph_Odd(t *testing.T) {
	var none *Graph
	if none.Has("a") || none.Contains("a", "a") || none.Lacks("a", "b") != "" || none.Same("a", "b") || none.Between("a", "b") != nil || none.Resolve("abcdefabc") != "" || none.Descent([]string{"a"})(0, 0) || none.Len() != 0 {
		t.Error("a graph of nothing knows something")
	}
	g := NewGraph([]Node{{Hash: "aaaaaaaa01", Parents: []string{"gone"}}, {Hash: "aaaaaaaa02", Parents: []string{"aaaaaaaa01"}}, {Hash: "aaaaaaaa02"}})
	if !g.Contains("aaaaaaaa02", "aaaaaaaa01") || g.Has("gone") || g.Len() != 2 {
		t.Error("a history that is cut off, or a commit told twice, is read wrongly")
	}
	for short, want := range map[string]string{"aaaaaaaa01": "aaaaaaaa01", "aaaaaaaa": "", "aaaaaa": "", "bbbbbbbb": ""} {
		if got := g.Resolve(short); got != want {
			t.Errorf("%s resolves to %q, want %q", short, got, want)
		}
	}
}

func TestTrailers(t *testing.T) {
	for message, want := range map[string]string{
		"Read new tide tables\n\nThe old ones end.\n\nFirethorn-Fixes: quayside/123\nReviewed-by: Oke Farrow": "quayside/123 !",
		"Two\n\nfirethorn-fixes: 12, gangway/3 4":                                                             "quayside/12 gangway/3 quayside/4 !",
		"In the text alone\n\nFirethorn-Fixes: 1\n\nAnd more":                                                 "!",
		"Firethorn-Fixes: 1": "!",
		"Bad\n\nFirethorn-Fixes: quayside/0 nothing <b>/1 7": "quayside/7 !quayside/0 nothing <b>/1",
		"Windows\r\n\r\nFirethorn-Fixes: 9\r\n":              "quayside/9 !",
	} {
		fixes, bad := Trailers(message, "quayside")
		if got := strings.TrimLeft(strings.Join(fixes, " ")+" !"+strings.Join(bad, " "), " "); got != want {
			t.Errorf("%q: %q, want %q", message, got, want)
		}
	}
}

func TestTree_Find(t *testing.T) {
	tree := NewTree([]string{"web/quayside/src/timetable/tides.ts", "web/quayside/src/main.ts", "api/gangway/src/main.ts", "README.md"})
	set := []Mapping{{From: "webpack://app/", To: "web/quayside/"}}
	for _, c := range []struct {
		source   string
		mappings []Mapping
		path     string
		how      string
	}{
		{"src/timetable/tides.ts", nil, "web/quayside/src/timetable/tides.ts", "by the longest equal end, src/timetable/tides.ts"},
		{"../../src/timetable/tides.ts", nil, "web/quayside/src/timetable/tides.ts", "by the longest"},
		{`C:\build\timetable\tides.ts`, nil, "web/quayside/src/timetable/tides.ts", "by the longest equal end, timetable/tides.ts"},
		{"quayside/src/main.ts", nil, "web/quayside/src/main.ts", "by the longest"},
		{"src/main.ts", nil, "", "it may be api/gangway/src/main.ts or web/quayside/src/main.ts; set which"},
		{"webpack://app/src/main.ts", set, "web/quayside/src/main.ts", "by the source path"},
		{"webpack://app/src/gone.ts", set, "", "by the source path webpack://app/=web/quayside/ it is web/quayside/src/gone.ts"},
		{"src/gone.ts", nil, "", "holds no file of this name"},
		{"", nil, "", "names no file"},
	} {
		if got := tree.Find(c.source, c.mappings); got.Path != c.path || !strings.Contains(got.How, c.how) {
			t.Errorf("%s: %+v, want %q %q", c.source, got, c.path, c.how)
		}
	}
}

// A line is followed back through what younger commits did above it.
func TestRank(t *testing.T) {
	at := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	change := func(name string, day, files int, changes ...FileChange) Change {
		return Change{Commit{Hash: name, Committed: at.AddDate(0, 0, day), Files: files}, changes}
	}
	file := func(path string, hunks ...Hunk) FileChange { return FileChange{path, path, hunks} }
	list := []Change{ // children first
		change("unrelated", 6, 1, file("src/draw.ts", Hunk{1, 1, 1, 1, false})),
		change("sweep", 5, 90, file("src/tides.ts", Hunk{200, 1, 200, 1, false})),
		change("words", 4, 1, file("src/tides.ts", Hunk{OldStart: 48, OldCount: 1, NewStart: 48, NewCount: 1, Comment: true})),
		change("above", 4, 1, file("src/tides.ts", Hunk{3, 0, 4, 20, false})),    // 20 lines more above
		change("culprit", 3, 2, file("src/tides.ts", Hunk{28, 3, 28, 1, false})), // took a check away: the line is 28 there, 48 now
		change("caller", 2, 1, file("src/main.ts", Hunk{8, 1, 8, 1, false})),
		change("made", 1, 1, FileChange{"src/tides.ts", "", []Hunk{{0, 0, 1, 40, false}}}),
		change("before", 0, 1, file("src/tides.ts", Hunk{28, 1, 28, 1, false})), // of another file of this name
	}
	got := Rank(list, []Place{{"src/tides.ts", 48}, {"src/main.ts", 8}}, 10)
	var names []string
	for _, l := range got {
		names = append(names, l.Hash)
	}
	if names[0] != "culprit" || names[5] != "words" || len(names) != 6 || slices.Contains(names, "unrelated") || slices.Contains(names, "before") {
		t.Fatalf("ranked %q", names)
	}
	if got[0].Reasons[0] != "changed the origin's line, tides.ts:28" {
		t.Errorf("because %q", got[0].Reasons)
	}
	for _, l := range got {
		if l.Hash == "words" && l.Reasons[0] != "touches comments of the origin's file, tides.ts" {
			t.Errorf("comments alone: %+v", l)
		}
		if l.Hash == "sweep" && !slices.Contains(l.Reasons, "but touches 90 files") {
			t.Errorf("the sweep: %+v", l)
		}
		if l.Score <= 0 || l.Score > 100 || len(l.Reasons) == 0 {
			t.Errorf("%+v", l)
		}
	}
	if list := Rank(list, nil, 5); len(list) != 0 {
		t.Errorf("without places it ranks %+v", list)
	}
}

func BenchmarkContains(b *testing.B) {
	g := NewGraph(history(rand.New(rand.NewPCG(1, 1)), 50_000))
	tip, root := g.hashes[len(g.hashes)-1], g.hashes[100]
	for b.Loop() {
		g.Contains(tip, root)
	}
}
