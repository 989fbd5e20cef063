package repository

import (
	"bufio"
	"context"
	"errors"
	"io"
	"slices"
	"strconv"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/owners"
	"firethorn/internal/git"
	"firethorn/internal/store/projects"
)

func headOf(ctx context.Context, f io.ReadSeeker) (git.Head, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return git.Head{}, err
	}
	h, err := git.ReadHead(bufio.NewReader(f))
	if err != nil {
		return h, refused(ctx, err)
	}
	return h, nil
}

// Place is a frame of a trace, and its place in the repository.
type Place struct {
	Source string // as the trace says it
	Line   int
	commits.Found
}

// Likely is which commits of a range may have brought what happened at places.
type Likely struct {
	Places []Place
	Range  int // commits in it
	List   []commits.Likely
}

// maxRange is how many commits a range may have that is ranked whole.
const maxRange = 5000

// Likely ranks the commits that to contains and from does not ("": the newest
// maxRange of its history) by how likely each has brought what happened at
// places, whose lines are those of to.
func (k *Keeper) Likely(ctx context.Context, p *projects.Project, from, to string, places []Place,
	limit int) (*Likely, error) {
	ctx, cancel := context.WithTimeout(ctx, askTime)
	defer cancel()
	g, err := k.store.Releases.Graph(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	hashes := g.Between(from, to)
	out := &Likely{Places: places, Range: len(hashes)}
	if len(hashes) == 0 {
		return out, nil
	}
	hashes = hashes[:min(len(hashes), maxRange)]
	m, tree, err := k.at(ctx, p.ID, to)
	if err != nil {
		return nil, err
	}
	changed := map[string][]commits.FileChange{}
	var where []commits.Place
	var done []string
	for i := range places {
		places[i].Found = tree.Find(places[i].Source, p.SourcePaths)
		path := places[i].Path
		if path == "" {
			continue
		}
		where = append(where, commits.Place{Path: path, Line: places[i].Line})
		if slices.Contains(done, path) {
			continue
		}
		done = append(done, path)
		list, err := m.Changes(ctx, known(g, from), to, path)
		if err != nil {
			return nil, err
		}
		for hash, c := range list {
			changed[hash] = append(changed[hash], c)
		}
	}
	// Only what touches a place is read; the ends of the range say how young it is.
	var read []string
	for i, h := range hashes {
		if len(changed[h]) > 0 || i == 0 || i == len(hashes)-1 {
			read = append(read, h)
		}
	}
	list, err := k.store.Releases.Commits(ctx, p.ID, read)
	if err != nil {
		return nil, err
	}
	changes := make([]commits.Change, len(list))
	for i, c := range list {
		changes[i] = commits.Change{Commit: c, Changes: changed[c.Hash]}
	}
	out.List = commits.Rank(changes, where, limit)
	return out, nil
}

func known(g *commits.Graph, commit string) string {
	if g.Has(commit) {
		return commit
	}
	return ""
}

// at opens the mirror of a project to read it, with the files of a commit, which
// never change.
func (k *Keeper) at(ctx context.Context, project int64, commit string) (git.Mirror, *commits.Tree, error) {
	unlock := k.lock(project)
	m, err := k.open(ctx, project, "")
	unlock()
	if err != nil {
		return m, nil, err
	}
	key := treeKey{project, commit}
	if tree, ok := k.trees.Get(key); ok {
		return m, tree, nil
	}
	files, err := m.Files(ctx, commit)
	if err != nil {
		return m, nil, err
	}
	tree := commits.NewTree(files)
	k.trees.Put(key, tree)
	return m, tree, nil
}

// blame says who changed lines last; none where the file ends before the last.
func blame(ctx context.Context, m git.Mirror, commit, path string, first, last int) ([]git.Line, error) {
	lines, err := m.Blame(ctx, commit, path, first, last)
	if said := (*git.Error)(nil); errors.As(err, &said) && ctx.Err() == nil {
		return nil, nil
	}
	return lines, err
}

// Line says who changed a line of a source file last, as it stands at a commit;
// nil where the repository does not hold the file.
func (k *Keeper) Line(ctx context.Context, p *projects.Project, commit, source string,
	line int) (*git.Line, commits.Found, error) {
	ctx, cancel := context.WithTimeout(ctx, askTime)
	defer cancel()
	m, tree, err := k.at(ctx, p.ID, commit)
	if err != nil {
		return nil, commits.Found{}, err
	}
	found := tree.Find(source, p.SourcePaths)
	if found.Path == "" || line < 1 {
		return nil, found, nil
	}
	lines, err := blame(ctx, m, commit, found.Path, line, line)
	if err != nil {
		return nil, found, err
	}
	if len(lines) == 0 {
		found.How += "; but it has no line " + strconv.Itoa(line) + " there: trace and commit do not fit together"
		return nil, found, nil
	}
	return &lines[0], found, nil
}

// Around is what a repository says of who knows a line.
type Around struct {
	commits.Found
	Lines []git.Line   // the line and those around it, in order; who changed each last
	At    int          // which of them is the line itself; -1: it is not there
	Rule  *owners.Rule // of CODEOWNERS; nil where none matches
	Bad   []owners.Bad // lines of CODEOWNERS that cannot be used
}

// aroundLines are looked at before and behind a line.
const aroundLines = 10

// Around says who changed a line of a source file and the lines around it last,
// and who owns the file, as it stands at a commit.
func (k *Keeper) Around(ctx context.Context, p *projects.Project, commit, source string, line int) (*Around, error) {
	ctx, cancel := context.WithTimeout(ctx, askTime)
	defer cancel()
	m, tree, err := k.at(ctx, p.ID, commit)
	if err != nil {
		return nil, err
	}
	out := &Around{Found: tree.Find(source, p.SourcePaths), At: -1}
	if out.Path == "" {
		return out, nil
	}
	for _, place := range owners.Places {
		if !tree.Holds(place) {
			continue
		}
		text, err := m.File(ctx, commit, place)
		if err != nil {
			return nil, err
		}
		var f owners.File
		f, out.Bad = owners.Parse(text)
		if r, ok := f.Find(out.Path); ok {
			out.Rule = &r
		}
		break
	}
	if line < 1 {
		return out, nil
	}
	first := max(1, line-aroundLines)
	for _, last := range []int{line + aroundLines, line} { // the file may end before
		if out.Lines, err = blame(ctx, m, commit, out.Path, first, last); err != nil {
			return nil, err
		}
		if line-first < len(out.Lines) {
			out.At = line - first
			break
		}
	}
	return out, nil
}

const (
	maxTexts = 20      // files that are read at once
	maxText  = 2 << 20 // bytes of one
)

// Texts reads source files as they stand at a commit, by how a trace names them.
// Files that the repository lacks, or that are too long, are left out, as is what is
// more than maxTexts.
func (k *Keeper) Texts(ctx context.Context, p *projects.Project, commit string,
	sources []string) (map[string]string, error) {
	m, tree, err := k.at(ctx, p.ID, commit)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, s := range sources[:min(len(sources), maxTexts)] {
		path := tree.Find(s, p.SourcePaths).Path
		if path == "" {
			continue
		}
		text, err := m.File(ctx, commit, path)
		if err != nil {
			return nil, err
		}
		if len(text) <= maxText {
			out[s] = text
		}
	}
	return out, nil
}
