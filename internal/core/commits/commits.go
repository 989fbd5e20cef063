// Package commits models the history of a repository: ancestry of commits, commits between two
// releases, cherry-picks, and the commits that changed a line. It reads git's output and runs no
// command.
package commits

import (
	"slices"
	"strings"
	"time"
)

// Commit is one commit.
type Commit struct {
	Hash      string   // in full, lower-case hexadecimal
	Parents   []string // the first is the branch it was made on
	Author    string
	Email     string
	Authored  time.Time
	Committed time.Time
	Subject   string
	Patch     string // what `git patch-id --stable` says of it; "" of merges and empty ones
	Links
	Fixes   []string
	Files   int // that it touches
	Added   int // lines
	Removed int
}

// Node is what a graph holds of a commit.
type Node struct {
	Hash, Patch string
	Parents     []string
	Links
}

// Graph knows how commits descend from each other. It is not changed once it
// is made, so that many may ask it at once. A nil one knows no commit.
type Graph struct {
	at      map[string]int32
	hashes  []string // in the order of at: parents before children
	parents [][]int32
	depth   []int32 // the longest way down to a commit without parents
	patches map[string][]int32
	patch   []string
	sorted  []string

	reverts, revertedBy map[int32][]int32 // what commits take back, and what takes them back
	again               map[int32][]int32 // those that say they make one change again, both ways
}

// NewGraph makes a graph of commits in any order. A parent that is not among
// them is left out: the history ends there, as in a shallow clone.
func NewGraph(list []Node) *Graph {
	g := &Graph{at: make(map[string]int32, len(list)), patches: map[string][]int32{}}
	given := make(map[string]int, len(list))
	for i, n := range list {
		given[n.Hash] = i
	}
	// Parents first, without recursion: histories are long.
	const unseen, open, done = 0, 1, 2
	state := make([]uint8, len(list))
	for start := range list {
		stack := []int{start}
		for len(stack) > 0 {
			i := stack[len(stack)-1]
			if state[i] == done {
				stack = stack[:len(stack)-1]
				continue
			}
			if state[i] == unseen {
				state[i] = open
				for _, p := range list[i].Parents {
					if j, ok := given[p]; ok && state[j] == unseen {
						stack = append(stack, j)
					}
				}
				continue
			}
			stack = stack[:len(stack)-1]
			state[i] = done
			g.add(list[i])
		}
	}
	g.sorted = slices.Sorted(slices.Values(g.hashes))
	g.link(list)
	return g
}

func (g *Graph) add(n Node) {
	if _, twice := g.at[n.Hash]; twice {
		return
	}
	me := int32(len(g.hashes))
	g.at[n.Hash] = me
	g.hashes, g.patch = append(g.hashes, n.Hash), append(g.patch, n.Patch)
	var parents []int32
	depth := int32(0)
	for _, p := range n.Parents {
		if j, ok := g.at[p]; ok {
			parents, depth = append(parents, j), max(depth, g.depth[j]+1)
		}
	}
	g.parents, g.depth = append(g.parents, parents), append(g.depth, depth)
	if n.Patch != "" {
		g.patches[n.Patch] = append(g.patches[n.Patch], me)
	}
}

// Len is how many commits are known.
func (g *Graph) Len() int {
	if g == nil {
		return 0
	}
	return len(g.hashes)
}

// Has says whether a commit is known, by its hash in full.
func (g *Graph) Has(hash string) bool {
	if g == nil {
		return false
	}
	_, ok := g.at[hash]
	return ok
}

// Resolve finds the commit that an abbreviation of at least 7 digits stands
// for; "" when none does, or more than one.
func (g *Graph) Resolve(short string) string {
	if g == nil || len(short) < 7 {
		return ""
	}
	i, _ := slices.BinarySearch(g.sorted, short)
	if i == len(g.sorted) || !strings.HasPrefix(g.sorted[i], short) || i+1 < len(g.sorted) &&
		strings.HasPrefix(g.sorted[i+1], short) {
		return ""
	}
	return g.sorted[i]
}

// Contains says whether a commit is tip itself, or one that tip descends from.
func (g *Graph) Contains(tip, commit string) bool {
	if g == nil {
		return false
	}
	from, ok := g.at[tip]
	to, known := g.at[commit]
	return ok && known && g.reaches(from, to)
}

func (g *Graph) reaches(from, to int32) bool {
	if from == to {
		return true
	}
	if to > from { // parents stand before children
		return false
	}
	seen := make([]bool, from+1)
	for stack := []int32{from}; len(stack) > 0; {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		for _, p := range g.parents[i] {
			if p == to {
				return true
			}
			if !seen[p] && p > to && g.depth[p] > g.depth[to] {
				seen[p] = true
				stack = append(stack, p)
			}
		}
	}
	return false
}

// Same says whether two commits make the same change.
func (g *Graph) Same(a, b string) bool {
	if g == nil || a == b {
		return a == b
	}
	i, ok := g.at[a]
	j, known := g.at[b]
	return ok && known && slices.Contains(g.alike(i), j)
}

// Lacks is the youngest commit of another one's history that tip's history
// holds neither itself nor as the same change again; "" when there is none.
// Merges have no change of their own.
func (g *Graph) Lacks(tip, other string) string {
	for _, c := range g.Between(tip, other) {
		if len(g.parents[g.at[c]]) > 1 {
			continue
		}
		if by, _ := g.Applied(tip, c); by == "" {
			return c
		}
	}
	return ""
}

// Descent answers for many commits at once which contains which: contains(i, j)
// says whether the i-th is the j-th, or descends from it. One that is not known
// contains nothing, and nothing contains it.
func (g *Graph) Descent(commits []string) (contains func(tip, commit int) bool) {
	if g == nil {
		return func(int, int) bool { return false }
	}
	words := (len(commits) + 63) / 64
	wanted := map[int32][]int{}
	for i, c := range commits {
		if at, ok := g.at[c]; ok {
			wanted[at] = append(wanted[at], i)
		}
	}
	holds := make([]uint64, words*len(g.hashes))
	for i := range g.hashes {
		row := holds[i*words : (i+1)*words]
		for _, p := range g.parents[i] {
			for w, bits := range holds[int(p)*words : (int(p)+1)*words] {
				row[w] |= bits
			}
		}
		for _, j := range wanted[int32(i)] {
			row[j/64] |= 1 << (j % 64)
		}
	}
	return func(tip, commit int) bool {
		at, ok := g.at[commits[tip]]
		return ok && g.Has(commits[commit]) && holds[int(at)*words+commit/64]&(1<<(commit%64)) != 0
	}
}

// Between lists the commits that to contains and from does not, children before
// parents. Where from is not known it is all that to contains.
func (g *Graph) Between(from, to string) []string {
	if g == nil {
		return nil
	}
	tip, ok := g.at[to]
	if !ok {
		return nil
	}
	const wanted, known = 1, 2
	mark, place := map[int32]uint8{tip: wanted}, tip
	if base, ok := g.at[from]; ok {
		mark[base] |= known
		place = max(place, base)
	}
	// From the youngest place down: all children of a commit are seen before it.
	var out []string
	open := len(mark) // marked, and not looked at yet
	for ; place >= 0 && open > 0; place-- {
		m, ok := mark[place]
		if !ok {
			continue
		}
		open--
		if m == wanted {
			out = append(out, g.hashes[place])
		}
		for _, p := range g.parents[place] {
			if _, there := mark[p]; !there {
				open++
			}
			mark[p] |= m
		}
	}
	return out
}
