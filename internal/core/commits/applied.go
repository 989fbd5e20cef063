package commits

import (
	"regexp"
	"slices"
	"strings"
)

// Links are commits that a message names in git's own words: which it takes
// back ("This reverts commit …") and which it makes again ("(cherry picked from
// commit …)"). Hashes are as they stand there, in small letters.
type Links struct {
	Reverts []string `json:"reverts,omitempty"`
	Picks   []string `json:"picks,omitempty"`
}

var (
	revertLine = regexp.MustCompile(`(?mi)^\s*This reverts commit ([0-9a-f]{7,64})\b`)
	pickLine   = regexp.MustCompile(`(?mi)^\s*\(cherry picked from commit ([0-9a-f]{7,64})\)\s*$`)
)

// maxLinks bounds how many commits one message names.
const maxLinks = 16

// LinksOf reads a commit's message.
func LinksOf(message string) (l Links) {
	find := func(form *regexp.Regexp) (out []string) {
		for _, m := range form.FindAllStringSubmatch(message, maxLinks) {
			out = append(out, strings.ToLower(m[1]))
		}
		return out
	}
	return Links{find(revertLine), find(pickLine)}
}

// link puts a commit's links among the graph's, once all commits are known.
func (g *Graph) link(list []Node) {
	g.reverts, g.revertedBy, g.again = map[int32][]int32{}, map[int32][]int32{}, map[int32][]int32{}
	for _, n := range list {
		me, ok := g.at[n.Hash]
		if !ok {
			continue
		}
		for _, h := range n.Reverts {
			if of, ok := g.named(h); ok && of != me {
				g.reverts[me] = append(g.reverts[me], of)
				g.revertedBy[of] = append(g.revertedBy[of], me)
			}
		}
		for _, h := range n.Picks {
			if of, ok := g.named(h); ok && of != me {
				g.again[me] = append(g.again[me], of)
				g.again[of] = append(g.again[of], me)
			}
		}
	}
}

// named is the commit of a hash in full or short.
func (g *Graph) named(hash string) (int32, bool) {
	if i, ok := g.at[hash]; ok {
		return i, true
	}
	i, ok := g.at[g.Resolve(hash)]
	return i, ok
}

// Applied says whether tip's history holds the change of a commit as it stands
// there: by is the commit that makes it, which nothing behind it undoes; the
// commit itself, the same patch, a pick, or what took a revert back. Where it is
// held no more, undone is the commit that took it back. Both are "" where it was
// never there.
func (g *Graph) Applied(tip, commit string) (by, undone string) {
	if g == nil {
		return "", ""
	}
	from, ok := g.at[tip]
	fix, known := g.at[commit]
	if !ok || !known {
		return "", ""
	}
	makes, takesBack := g.changes(fix)
	for _, a := range makes {
		if !g.reaches(from, a) {
			continue
		}
		back := int32(-1)
		for _, r := range takesBack {
			if r != a && g.reaches(from, r) && g.reaches(r, a) {
				back = max(back, r)
			}
		}
		if back < 0 {
			return g.hashes[a], ""
		}
		undone = g.hashes[back]
	}
	return "", undone
}

// changes are the commits that make the change of one, itself first, and those
// that take it back.
func (g *Graph) changes(fix int32) (makes, takesBack []int32) {
	makes = g.alike(fix)
	for i := 0; i < len(makes); i++ {
		for _, of := range g.reverts[makes[i]] { // it takes something back: who makes that again undoes it
			for _, r := range g.alike(of) {
				takesBack = added(takesBack, r)
			}
		}
		for _, r := range g.revertedBy[makes[i]] {
			for _, r := range g.alike(r) {
				takesBack = added(takesBack, r)
				for _, back := range g.revertedBy[r] {
					for _, m := range g.alike(back) {
						makes = added(makes, m)
					}
				}
			}
		}
	}
	return makes, takesBack
}

// alike are the commits that make one change: by patch, or by what they say.
func (g *Graph) alike(i int32) []int32 {
	out := []int32{i}
	for k := 0; k < len(out) && len(out) < maxAlike; k++ {
		if p := g.patch[out[k]]; p != "" {
			for _, same := range g.patches[p] {
				out = added(out, same)
			}
		}
		for _, same := range g.again[out[k]] {
			out = added(out, same)
		}
	}
	return out
}

// maxAlike bounds how many commits that make one change are looked at.
const maxAlike = 500

func added(list []int32, x int32) []int32 {
	if slices.Contains(list, x) {
		return list
	}
	return append(list, x)
}
