package releases

import (
	"context"
	"database/sql"
	"errors"
	"regexp"
	"slices"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/store/projects"
)

// ReleaseRow is a release with everything known about it.
type ReleaseRow struct {
	ID          int64
	Version     string
	FirstKnown  time.Time  // announced, or the first event of it received, whichever was earlier: what orders it
	FirstSeen   time.Time  // announced, or the first event of it thrown, whichever was earlier
	Announced   *time.Time // by a build
	AnnouncedBy string
	Commit      string
	CommitKnown bool  // its history was sent
	Events      int64 // kept or not, of all issues
	Issues      int64 // that were seen in it
	New         int64 // of them, first seen in it
	Deploys     []Deploy
}

// Deploy says when a release was deployed to an environment.
type Deploy struct {
	Environment string
	At          time.Time
	Actor       string
}

// MaxReleases is how many releases are listed, the newest by arrival.
const MaxReleases = 500

// MaxVersion is how many bytes a version may have.
const MaxVersion = 250

// Releases lists the releases of a project, the newest first by its order.
func (s *Store) Releases(ctx context.Context, p *projects.Project) ([]*ReleaseRow, error) {
	list, err := s.releases(ctx, "r.project=? ORDER BY r.id DESC LIMIT ?", p.ID, MaxReleases)
	if err != nil {
		return nil, err
	}
	g, err := s.Graph(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	release.Sort(list, (*ReleaseRow).ordered, p.ReleaseOrder, g)
	slices.Reverse(list)
	return list, s.addDeploys(ctx, list)
}

// ReleaseBefore finds the release before one in the project's order, and why it
// comes before; nil where none does.
func (s *Store) ReleaseBefore(ctx context.Context, p *projects.Project,
	r *ReleaseRow) (*ReleaseRow, release.Order, error) {
	list, err := s.Releases(ctx, p)
	i := slices.IndexFunc(list, func(x *ReleaseRow) bool { return x.ID == r.ID })
	if err != nil || i < 0 || i+1 == len(list) {
		return nil, release.Order{}, err
	}
	g, err := s.Graph(ctx, p.ID)
	return list[i+1], release.Compare(list[i+1].ordered(), r.ordered(), p.ReleaseOrder, g), err
}

// ordered is the release as far as ordering needs it. Compare and Sort find the
// commit of one that is called by a commit.
func (r *ReleaseRow) ordered() release.Release {
	return release.Release{Version: r.Version, FirstSeen: r.FirstKnown, Commit: r.Commit}
}

// Release finds one release of a project.
func (s *Store) Release(ctx context.Context, p *projects.Project, version string) (*ReleaseRow, error) {
	list, err := s.releases(ctx, "r.project=? AND r.hash=?", p.ID, db.Hash16(version))
	if err != nil {
		return nil, err
	}
	if len(list) == 0 {
		return nil, problem.New(problem.NotFound, "release %q of %s is not known; firethorn release list --project %s shows known releases", version, p.Name, p.Name)
	}
	return list[0], s.addDeploys(ctx, list)
}

func (s *Store) releases(ctx context.Context, where string, project int64,
	args ...any) (list []*ReleaseRow, err error) {
	g, err := s.Graph(ctx, project)
	if err != nil {
		return nil, err
	}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		x := &ReleaseRow{}
		var heard int64
		var announced sql.NullInt64
		err := db.ScanNames(r,
			db.Into{"id": &x.ID, "name": &x.Version, "heard_of": &heard, "announced": &announced,
				"announced_by": &x.AnnouncedBy, "commit_hash": &x.Commit})
		x.FirstKnown, x.FirstSeen = db.FromMicros(heard), db.FromMicros(heard)
		x.Commit = FullCommit(g, x.Commit)
		x.CommitKnown = g.Has(x.Commit)
		if announced.Valid {
			at := db.FromMicros(announced.Int64)
			x.Announced = &at
		}
		list = append(list, x)
		return err
	}, "SELECT r.id, r.name, r.first_seen AS heard_of, r.announced, r.announced_by, r.commit_hash FROM app_release r WHERE "+where, append([]any{project}, args...)...)
	if err != nil {
		return nil, err
	}
	return list, s.addCounts(ctx, list)
}

func byID(list []*ReleaseRow) (by map[int64]*ReleaseRow, ids []any) {
	by = map[int64]*ReleaseRow{}
	for _, r := range list {
		by[r.ID], ids = r, append(ids, r.ID)
	}
	return by, ids
}

func (s *Store) addDeploys(ctx context.Context, list []*ReleaseRow) error {
	by, ids := byID(list)
	for chunk := range slices.Chunk(ids, db.StatementRows) {
		err := db.Each(ctx, s.db, func(r *sql.Rows) error {
			var id, at int64
			var d Deploy
			err := r.Scan(&id, &d.Environment, &at, &d.Actor)
			d.At = db.FromMicros(at)
			by[id].Deploys = append(by[id].Deploys, d)
			return err
		}, "SELECT d.app_release, e.name, d.at, d.actor FROM deploy d JOIN environment e ON e.id=d.environment WHERE d.app_release IN ("+db.Marks(len(chunk))+") ORDER BY d.at", chunk...)
		if err != nil {
			return err
		}
	}
	return nil
}

// CommitForm is what a commit's hash looks like, whole or shortened.
var CommitForm = regexp.MustCompile(`^[0-9a-f]{7,64}$`)

// OrderOf says how two releases of a project stand to each other. Those that
// nothing is known can be asked about too.
func (s *Store) OrderOf(ctx context.Context, p *projects.Project, a, b string) (release.Order, error) {
	var both [2]release.Release
	for i, v := range []string{a, b} {
		both[i].Version = v
		r, err := s.Release(ctx, p, v)
		if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
			continue
		}
		if err != nil {
			return release.Order{}, err
		}
		both[i] = r.ordered()
	}
	g, err := s.Graph(ctx, p.ID)
	return release.Compare(both[0], both[1], p.ReleaseOrder, g), err
}

// Built says whether a release of a project was announced with the commit it was built from.
func Built(ctx context.Context, q db.Querier, project int64, version string) (built bool, err error) {
	err = q.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM app_release WHERE project=? AND hash=? AND commit_hash<>'')", project,
		db.Hash16(version)).Scan(&built)
	return built, err
}
