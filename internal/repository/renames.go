package repository

import (
	"context"
	"errors"
	"strings"

	"firethorn/internal/core/moved"
	"firethorn/internal/core/problem"
	"firethorn/internal/git"
	"firethorn/internal/store/projects"
)

// Renames lists the files that git says were renamed between two releases whose
// commits are known; nil where they are not. What cannot be read counts as not
// renamed: it is one sign among others.
func (k *Keeper) Renames(ctx context.Context, p *projects.Project, from, to string) (moved.Renames, error) {
	var ends [2]string
	for i, version := range []string{from, to} {
		r, err := k.store.Releases.Release(ctx, p, version)
		if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
			return nil, nil
		}
		if err != nil {
			return nil, err
		}
		if !r.CommitKnown {
			return nil, nil
		}
		ends[i] = r.Commit
	}
	m, tree, err := k.at(ctx, p.ID, ends[1])
	if err != nil {
		if ctx.Err() == nil {
			k.log.Debug("finding renames in a repository failed", "project", p.Name, "commit", ends[1], "err", err)
			return nil, nil
		}
		return nil, err
	}
	return func(was, is string) bool {
		path := tree.Find(is, p.SourcePaths).Path
		return path != "" && k.renamed(ctx, m, ends, was, path)
	}, nil
}

// renamed says whether a file that the newer commit has stood at another path
// before, that ends as a source is named.
func (k *Keeper) renamed(ctx context.Context, m git.Mirror, ends [2]string, was, path string) bool {
	changes, err := m.Changes(ctx, ends[0], ends[1], path)
	if err != nil {
		k.log.Debug("finding renames in a repository failed", "path", path, "err", err)
		return false
	}
	for _, c := range changes {
		if c.Old == was || strings.HasSuffix(c.Old, "/"+was) {
			return true
		}
	}
	return false
}
