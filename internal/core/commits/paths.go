package commits

import (
	"slices"
	"strings"
)

// Mapping says that source paths which begin with From stand under To in the
// repository.
type Mapping struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// Found is a source path's place in the repository, and how it was found.
type Found struct {
	Path string // "" when it was not found
	How  string // in words
}

// Tree is the files of a repository at one commit.
type Tree struct {
	paths map[string]bool
	ends  map[string][]string // by the last part of their name
}

// NewTree makes a tree of the paths of its files.
func NewTree(paths []string) *Tree {
	t := &Tree{paths: make(map[string]bool, len(paths)), ends: map[string][]string{}}
	for _, p := range paths {
		t.paths[p] = true
		end := p[strings.LastIndexByte(p, '/')+1:]
		t.ends[end] = append(t.ends[end], p)
	}
	return t
}

// Holds says whether there is a file at a path.
func (t *Tree) Holds(path string) bool { return t.paths[path] }

// Len is how many files there are.
func (t *Tree) Len() int { return len(t.paths) }

// Find finds the file that a source path of a map or a trace means: by a
// mapping that was set, else by the longest equal end. Two files that fit
// alike are not distinguished: then it is not found, and How names both.
func (t *Tree) Find(source string, mappings []Mapping) Found {
	clean := strings.ReplaceAll(source, `\`, "/")
	for _, m := range mappings {
		if rest, ok := strings.CutPrefix(clean, m.From); ok {
			path := strings.TrimPrefix(m.To+rest, "/")
			by := "by the source path " + m.From + "=" + m.To
			if t.paths[path] {
				return Found{path, by}
			}
			return Found{"", by + " it is " + path + ", which the repository does not have at this commit"}
		}
	}
	parts := strings.Split(clean, "/")
	parts = slices.DeleteFunc(parts, func(p string) bool { return p == "" || p == "." || p == ".." })
	if len(parts) == 0 {
		return Found{"", "it names no file"}
	}
	var best []string
	most := 0
	for _, p := range t.ends[parts[len(parts)-1]] {
		n := equalEnd(strings.Split(p, "/"), parts)
		switch {
		case n > most:
			best, most = []string{p}, n
		case n == most:
			best = append(best, p)
		}
	}
	switch {
	case most == 0:
		return Found{"", "the repository holds no file of this name at this commit"}
	case len(best) == 1:
		return Found{best[0], "by the longest equal end, " + strings.Join(parts[len(parts)-most:], "/")}
	}
	slices.Sort(best)
	return Found{"", "it may be " + best[0] + " or " + best[1] + "; set which with firethorn project change --source-path FROM=TO"}
}

func equalEnd(a, b []string) int {
	n := 0
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}
