// Package repository keeps the commit history of each project: it receives bundles, stores their
// commits, and finds the commits that changed a line. The mirror on disk is a cache, built from the
// stored bundles.
package repository

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"firethorn/internal/cache"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/problem"
	"firethorn/internal/git"
	"firethorn/internal/records"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/triage"
)

// Limits of one call.
const (
	receiveTime = 10 * time.Minute
	askTime     = 20 * time.Second
	tidyTime    = time.Minute
	patchTime   = 5 * time.Minute // after which cherry-picks among what came are not recognised
	addAtOnce   = 500
)

// Keeper keeps the mirrors of all projects.
type Keeper struct {
	dir   string
	store *records.Records
	log   *slog.Logger
	hosts git.Hosts // that may be fetched from

	trees *cache.Cache[treeKey, *commits.Tree]

	mu   sync.Mutex
	busy map[int64]*sync.Mutex
}

// treeKey names the files of a project's commit.
type treeKey struct {
	project int64
	commit  string
}

// treesHeld is how many bytes of paths of files are kept in memory, of the commits
// that are asked about; a path takes about pathBytes.
const (
	treesHeld = 50 << 20
	pathBytes = 100
)

// New makes a keeper whose mirrors stand in dir. hosts are those that an
// operator lets it fetch from.
func New(dir string, store *records.Records, log *slog.Logger, hosts git.Hosts) *Keeper {
	trees := cache.New(treesHeld, func(_ treeKey, t *commits.Tree) int { return pathBytes * t.Len() })
	return &Keeper{dir: dir, store: store, log: log, hosts: hosts, trees: trees, busy: map[int64]*sync.Mutex{}}
}

func (k *Keeper) lock(project int64) (unlock func()) {
	k.mu.Lock()
	m := k.busy[project]
	if m == nil {
		m = &sync.Mutex{}
		k.busy[project] = m
	}
	k.mu.Unlock()
	m.Lock()
	return m.Unlock
}

func (k *Keeper) path(project int64) string {
	return filepath.Join(k.dir, strconv.FormatInt(project, 10)+".git")
}

// open gives the mirror of a project, with all bundles in it; the project is
// locked. A mirror that is broken is rebuilt.
func (k *Keeper) open(ctx context.Context, project int64, format string) (git.Mirror, error) {
	m, err := k.sync(ctx, project, format)
	var wrong *git.MissingError
	var said *git.Error
	if errors.As(err, &wrong) || errors.As(err, &said) && ctx.Err() == nil {
		k.log.Warn("the mirror of a repository is broken and is rebuilt", "project", project, "err", err)
		if err := os.RemoveAll(k.path(project)); err != nil {
			return m, err
		}
		return k.sync(ctx, project, format)
	}
	return m, err
}

func (k *Keeper) sync(ctx context.Context, project int64, format string) (git.Mirror, error) {
	list, err := k.store.Releases.Bundles(ctx, project)
	if err != nil {
		return git.Mirror{}, err
	}
	if len(list) > 0 {
		format = list[0].Format
	}
	if format == "" {
		return git.Mirror{}, problem.New(problem.NotFound, "the repository of this project was not sent yet: run firethorn release announce in it")
	}
	dir := k.path(project)
	m, err := git.OpenMirror(ctx, dir, format)
	if err != nil {
		return m, err
	}
	file := filepath.Join(dir, "firethorn-applied")
	raw, err := os.ReadFile(file)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return m, err
	}
	applied, fresh := map[string]bool{}, false
	for _, id := range strings.Fields(string(raw)) {
		applied[id] = true
	}
	for _, b := range list {
		id := strconv.FormatInt(b.ID, 10)
		if applied[id] {
			continue
		}
		if !m.Has(ctx, b.Tip) {
			r, w := io.Pipe()
			go func() { w.CloseWithError(k.store.Releases.ReadBundle(ctx, b.ID, w)) }()
			_, err := m.Add(ctx, r)
			r.CloseWithError(err)
			if err != nil {
				return m, fmt.Errorf("bundle %d: %w", b.ID, err)
			}
		}
		fresh = true
		raw = append(raw, id+"\n"...)
		if err := os.WriteFile(file, raw, 0o600); err != nil {
			return m, err
		}
	}
	if len(list) > 0 && !m.Has(ctx, list[len(list)-1].Tip) {
		return m, &git.MissingError{Commit: list[len(list)-1].Tip}
	}
	if fresh {
		k.tidy(ctx, m, project)
	}
	return m, nil
}

// Received says what came of a bundle.
type Received struct {
	Tip     string
	Commits int
	Notices []string // what commit messages closed, or could not
}

// Receive takes a bundle in.
func (k *Keeper) Receive(ctx context.Context, p *projects.Project, body io.Reader,
	who accounts.Actor) (*Received, error) {
	ctx, cancel := context.WithTimeout(ctx, receiveTime)
	defer cancel()
	f, err := os.CreateTemp("", "firethorn-bundle-")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	n, err := io.Copy(f, io.LimitReader(body, git.MaxBundle+1))
	if err != nil {
		return nil, problem.Wrap("repository.Receive", problem.BadInput, err,
			"the bundle was cut off after %d bytes; send it again", n)
	}
	if n > git.MaxBundle {
		return nil, problem.New(problem.TooLarge, "a bundle may have %d MB at most", git.MaxBundle>>20)
	}
	defer k.lock(p.ID)()
	return k.take(ctx, p, f, n, who)
}

// take adds a bundle from a file; the project is locked.
func (k *Keeper) take(ctx context.Context, p *projects.Project, f io.ReadSeeker, size int64,
	who accounts.Actor) (*Received, error) {
	head, err := headOf(ctx, f)
	if err != nil {
		return nil, err
	}
	m, err := k.open(ctx, p.ID, head.Format)
	if err != nil {
		return nil, err
	}
	known, err := k.tips(ctx, m, p.ID)
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	if _, err := m.Add(ctx, f); err != nil {
		return nil, refused(ctx, err)
	}
	if err := k.relink(ctx, m, p.ID, known); err != nil {
		return nil, err
	}
	out := &Received{Tip: head.Tip}
	closing, err := k.read(ctx, m, p, head.Tip, known, out)
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	if err := k.store.Releases.AddBundle(ctx, p.ID, releases.Bundle{Tip: head.Tip, Format: head.Format, Bytes: size}, f,
		who); err != nil {
		return nil, err
	}
	if out.Notices, err = k.store.Triage.CommitsCame(ctx, p, closing, who); err != nil {
		return nil, err
	}
	k.tidy(ctx, m, p.ID)
	return out, nil
}

// relink reads once more what an older version read of a project's history: it
// did not look at what messages say of other commits.
func (k *Keeper) relink(ctx context.Context, m git.Mirror, project int64, tips []string) error {
	if read, err := k.store.Releases.LinksRead(ctx, project); err != nil || read {
		return err
	}
	for i, tip := range tips {
		var list []commits.Commit
		err := m.Log(ctx, tip, tips[:i], func(c git.Commit) error {
			if c.Links = commits.LinksOf(c.Body); len(c.Links.Reverts)+len(c.Links.Picks) > 0 {
				list = append(list, c.Commit)
			}
			return nil
		})
		if err == nil {
			err = k.store.Releases.AddLinks(ctx, project, list)
		}
		if err != nil {
			return err
		}
	}
	return k.store.Releases.LinksAreRead(ctx, project)
}

// tidy makes a mirror fast to ask; it does without.
func (k *Keeper) tidy(ctx context.Context, m git.Mirror, project int64) {
	ctx, cancel := context.WithTimeout(ctx, tidyTime)
	defer cancel()
	if err := m.Tidy(ctx); err != nil {
		k.log.Warn("a mirror could not be tidied: what changed a line is found more slowly", "project", project, "err", err)
	}
}

// refused explains git's refusal to the sender of the bundle.
func refused(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return problem.Wrap("repository", problem.BadInput, err, "the bundle could not be checked within %s; send the history in parts, oldest first", receiveTime)
	}
	var missing *git.MissingError
	if errors.As(err, &missing) {
		return problem.Wrap("repository", problem.Conflict, err, "the bundle builds on commit %s, which is not here; send it with what it builds on", missing.Commit)
	}
	if errors.Is(err, git.ErrNoBundle) {
		return problem.Wrap("repository", problem.BadInput, err, "%v; firethorn release announce makes and sends one",
			err)
	}
	var trees *git.TreeError
	if errors.As(err, &trees) {
		return problem.Wrap("repository", problem.BadInput, err, "%v; nothing of the bundle is kept", trees)
	}
	var said *git.Error
	if errors.As(err, &said) {
		return problem.Wrap("repository", problem.BadInput, err, "git refuses the bundle: %s; nothing of it is kept",
			said.Says)
	}
	return err
}

// read gives the new commits to the store.
func (k *Keeper) read(ctx context.Context, m git.Mirror, p *projects.Project, tip string, known []string,
	out *Received) ([]triage.Closing, error) {
	soon, cancel := context.WithTimeout(ctx, patchTime)
	patches, err := m.Patches(soon, tip, known)
	cancel()
	if err != nil {
		if ctx.Err() != nil {
			return nil, err
		}
		k.log.Warn("the changes of commits were not read in time: cherry-picks among them are not recognised", "project", p.Name, "err", err)
	}
	var closing []triage.Closing
	var batch []commits.Commit
	flush := func() error {
		err := k.store.Releases.AddCommits(ctx, p.ID, batch)
		out.Commits += len(batch)
		batch = batch[:0]
		return err
	}
	err = m.Log(ctx, tip, known, func(c git.Commit) error {
		c.Patch, c.Links = patches[c.Hash], commits.LinksOf(c.Body)
		fixes, bad := commits.Trailers(c.Body, p.Name)
		if len(fixes)+len(bad) > 0 {
			c.Fixes = fixes
			closing = append(closing, triage.Closing{Commit: c.Commit, Bad: bad})
		}
		if batch = append(batch, c.Commit); len(batch) == addAtOnce {
			return flush()
		}
		return nil
	})
	if err == nil {
		err = flush()
	}
	return closing, err
}

func (k *Keeper) tips(ctx context.Context, m git.Mirror, project int64) ([]string, error) {
	list, err := k.store.Releases.Bundles(ctx, project)
	var out []string
	for _, b := range list {
		if m.Has(ctx, b.Tip) {
			out = append(out, b.Tip)
		}
	}
	return out, err
}

// Fetch gets a commit that was announced from the repository that the project's
// operator set, where that is allowed and the commit is not here yet.
func (k *Keeper) Fetch(ctx context.Context, p *projects.Project, commit string, who accounts.Actor) (*Received, error) {
	if err := k.MayFetch(p.Repository); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, receiveTime)
	defer cancel()
	defer k.lock(p.ID)()
	format := "sha1"
	if len(commit) == 64 {
		format = "sha256"
	}
	m, err := k.open(ctx, p.ID, format)
	if err != nil {
		return nil, err
	}
	if err := m.Fetch(ctx, k.hosts, p.Repository, commit); err != nil {
		return nil, problem.Wrap("repository.Fetch", problem.BadInput, err, "the commit could not be fetched: %v", err)
	}
	known, err := k.tips(ctx, m, p.ID)
	if err != nil {
		return nil, err
	}
	f, err := os.CreateTemp("", "firethorn-bundle-")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	if err := m.Pack(ctx, commit, known, f); err != nil {
		return nil, err
	}
	size, err := f.Seek(0, io.SeekEnd)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, err
	}
	return k.take(ctx, p, f, size, who)
}

// MayFetch checks the address of a repository, and gives its problem.
func (k *Keeper) MayFetch(address string) error {
	if err := k.hosts.CheckAddress(address); err != nil {
		return problem.Wrap("repository", problem.BadInput, err, "%v", err)
	}
	return nil
}
