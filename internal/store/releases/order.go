package releases

import (
	"context"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"firethorn/internal/cache"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
)

// heldGraph is the history of a project's code; the project says when it has
// changed.
type heldGraph struct {
	version int64
	graph   *commits.Graph
}

const (
	graphsHeld  = 256 << 20 // bytes
	commitBytes = 300       // that a commit takes in a graph, about
)

func newGraphs() *cache.Cache[int64, heldGraph] {
	return cache.New(graphsHeld, func(_ int64, g heldGraph) int { return commitBytes * g.graph.Len() })
}

// Graph is how the commits of a project descend from each other.
func (s *Store) Graph(ctx context.Context, project int64) (*commits.Graph, error) {
	return s.GraphIn(ctx, s.db, project)
}

// GraphIn is Graph within a transaction.
func (s *Store) GraphIn(ctx context.Context, q db.Querier, project int64) (*commits.Graph, error) {
	var n int64
	if err := q.QueryRowContext(ctx, "SELECT commits_version FROM project WHERE id=?", project).Scan(&n); err != nil ||
		n == 0 {
		return nil, err
	}
	if held, ok := s.graphs.Get(project); ok && held.version == n {
		return held.graph, nil
	}
	var list []commits.Node
	err := db.Each(ctx, q, func(r *sql.Rows) error {
		var hash, parents, patch, links []byte
		if err := r.Scan(&hash, &parents, &patch, &links); err != nil {
			return err
		}
		node := commits.Node{Hash: hex.EncodeToString(hash), Patch: hex.EncodeToString(patch)}
		for p := range slices.Chunk(parents, max(1, len(hash))) {
			node.Parents = append(node.Parents, hex.EncodeToString(p))
		}
		if len(links) > 0 {
			if err := json.Unmarshal(links, &node.Links); err != nil {
				return fmt.Errorf("what the message of commit %s says of others: %w", node.Hash, err)
			}
		}
		list = append(list, node)
		return nil
	}, "SELECT hash, parents, patch, links FROM app_commit WHERE project=?", project)
	if err != nil {
		return nil, err
	}
	g := commits.NewGraph(list)
	s.graphs.Put(project, heldGraph{n, g})
	return g, nil
}

// ReleaseFacts is what decides whether a release contains a fix, and the graph that
// commits are looked up in.
type ReleaseFacts struct {
	issue.ReleaseFacts
	Graph *commits.Graph
}

// Before says whether a release comes before another one in the project's order.
func (k ReleaseFacts) Before(a, b string) bool {
	return release.Compare(k.Release(a), k.Release(b), k.Policy, k.Commits).Compare < 0
}

// Newest says whether a release is the newest one, or newer than the known newest; "" as
// newest: none is known.
func (k ReleaseFacts) Newest(of, newest string) bool {
	return of != "" && (newest == "" || of == newest || k.Before(newest, of))
}

// Facts gathers them: the order of the project's releases, its commits, and the
// releases that are named.
func (s *Store) Facts(ctx context.Context, q db.Querier, project int64, names ...string) (ReleaseFacts, error) {
	var k ReleaseFacts
	if err := q.QueryRowContext(ctx, "SELECT release_order FROM project WHERE id=?",
		project).Scan(&k.Policy); err != nil {
		return k, err
	}
	var err error
	if k.Graph, err = s.GraphIn(ctx, q, project); err != nil {
		return k, err
	}
	if k.Graph != nil {
		k.Commits = k.Graph
	}
	names = slices.DeleteFunc(slices.Compact(slices.Sorted(slices.Values(names))), func(n string) bool {
		return n == ""
	})
	found := map[string]release.Release{}
	for chunk := range slices.Chunk(names, db.StatementRows) {
		args := []any{project}
		for _, n := range chunk {
			args = append(args, db.Hash16(n))
		}
		err := db.Each(ctx, q, func(r *sql.Rows) error {
			x, err := scanRelease(r, k.Graph)
			found[x.Version] = x
			return err
		}, "SELECT name, first_seen, commit_hash FROM app_release WHERE project=? AND hash IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return k, err
		}
	}
	k.Release = Among(found)
	return k, nil
}

// Among finds releases by their version; one that is not among them is a bare one.
func Among(found map[string]release.Release) func(version string) release.Release {
	return func(version string) release.Release {
		if r, ok := found[version]; ok {
			return r
		}
		return release.Release{Version: version}
	}
}

func scanRelease(r *sql.Rows, g *commits.Graph) (release.Release, error) {
	var x release.Release
	var at int64
	err := r.Scan(&x.Version, &at, &x.Commit)
	x.FirstSeen = db.FromMicros(at)
	x.Commit = FullCommit(g, x.Commit)
	return release.Resolved(x, g), err
}

// FullCommit is a commit as a build named it, in full where it is known.
func FullCommit(g *commits.Graph, named string) string {
	if named == "" || g.Has(named) {
		return named
	}
	if full := g.Resolve(named); full != "" {
		return full
	}
	return named
}

// Ordered lists the releases of a project that are known last, the oldest
// first, as they are ordered.
func (s *Store) Ordered(ctx context.Context, q db.Querier, project int64, k ReleaseFacts) ([]release.Release, error) {
	var list []release.Release
	err := db.Each(ctx, q, func(r *sql.Rows) error {
		x, err := scanRelease(r, k.Graph)
		list = append(list, x)
		return err
	}, "SELECT name, first_seen, commit_hash FROM app_release WHERE project=? ORDER BY id DESC LIMIT ?", project, MaxReleases)
	release.Sort(list, func(r release.Release) release.Release { return r }, k.Policy, k.Commits)
	return list, err
}
