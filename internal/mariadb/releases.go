package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"regexp"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/release"
)

// ReleaseRow is a release with what is known of it.
type ReleaseRow struct {
	ID          int64
	Version     string
	HeardOf     time.Time  // announced, or the first event of it received, whichever was earlier: what orders it
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

const (
	mostReleases = 500 // that are listed, those heard of last
	mostVersion  = 250 // bytes of a version
	mostInIt     = 100 // issues that are listed of one
)

// Releases lists the releases of a project, the newest first by its order.
func (s *Store) Releases(ctx context.Context, p *Project) ([]*ReleaseRow, error) {
	list, err := s.releases(ctx, "r.project=? ORDER BY r.id DESC LIMIT ?", p.ID, mostReleases)
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
func (s *Store) ReleaseBefore(ctx context.Context, p *Project, r *ReleaseRow) (*ReleaseRow, release.Order, error) {
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
	return release.Release{Version: r.Version, FirstSeen: r.HeardOf, Commit: r.Commit}
}

// Release finds one release of a project.
func (s *Store) Release(ctx context.Context, p *Project, version string) (*ReleaseRow, error) {
	list, err := s.releases(ctx, "r.project=? AND r.hash=?", p.ID, hash16(version))
	if err != nil {
		return nil, err
	}
	if len(list) == 0 {
		return nil, fault.New(fault.NotFound, "nothing was heard of release %q of %s; firethorn release list --project %s shows those that are known", version, p.Name, p.Name)
	}
	return list[0], s.addDeploys(ctx, list)
}

func (s *Store) releases(ctx context.Context, where string, project int64, args ...any) (list []*ReleaseRow, err error) {
	g, err := s.Graph(ctx, project)
	if err != nil {
		return nil, err
	}
	err = each(ctx, s.db, func(r *sql.Rows) error {
		x := &ReleaseRow{}
		var heard, first int64
		var announced sql.NullInt64
		err := r.Scan(&x.ID, &x.Version, &heard, &first, &announced, &x.AnnouncedBy, &x.Commit, &x.Events, &x.Issues, &x.New)
		x.HeardOf, x.FirstSeen = fromMicros(heard), fromMicros(first)
		x.Commit = fullCommit(g, x.Commit)
		x.CommitKnown = g.Has(x.Commit)
		if announced.Valid {
			at := fromMicros(announced.Int64)
			x.Announced = &at
		}
		list = append(list, x)
		return err
	}, "SELECT r.id, r.name, r.first_seen, LEAST(r.first_seen, COALESCE((SELECT MIN(x.first_seen) FROM issue_release x WHERE x.app_release=r.id), r.first_seen)), r.announced, r.announced_by, r.commit_hash,"+
		" (SELECT COALESCE(SUM(x.events),0) FROM issue_release x WHERE x.app_release=r.id), (SELECT COUNT(DISTINCT x.issue) FROM issue_release x WHERE x.app_release=r.id),"+
		" (SELECT COUNT(*) FROM issue_list l WHERE l.first_release=r.id) FROM app_release r WHERE "+where, append([]any{project}, args...)...)
	return list, err
}

func (s *Store) addDeploys(ctx context.Context, list []*ReleaseRow) error {
	by := map[int64]*ReleaseRow{}
	var ids []any
	for _, r := range list {
		by[r.ID], ids = r, append(ids, r.ID)
	}
	for chunk := range slices.Chunk(ids, statementRows) {
		err := each(ctx, s.db, func(r *sql.Rows) error {
			var id, at int64
			var d Deploy
			err := r.Scan(&id, &d.Environment, &at, &d.Actor)
			d.At = fromMicros(at)
			by[id].Deploys = append(by[id].Deploys, d)
			return err
		}, "SELECT d.app_release, e.name, d.at, d.actor FROM deploy d JOIN environment e ON e.id=d.environment WHERE d.app_release IN ("+marks(len(chunk))+") ORDER BY d.at", chunk...)
		if err != nil {
			return err
		}
	}
	return nil
}

var commitForm = regexp.MustCompile(`^[0-9a-f]{7,64}$`)

// Announce says that a build made a release, of a commit where it is known. It
// may be said again; another commit is refused, for one version is one build.
func (s *Store) Announce(ctx context.Context, p *Project, version, commit string, who Actor) (*ReleaseRow, error) {
	version, commit = strings.TrimSpace(version), strings.ToLower(strings.TrimSpace(commit))
	if version == "" || len(version) > mostVersion || strings.ContainsFunc(version, func(r rune) bool { return r < ' ' }) {
		return nil, fault.New(fault.BadInput, "a release's version is one line of 1 to %d bytes", mostVersion)
	}
	if commit != "" && !commitForm.MatchString(commit) {
		return nil, fault.New(fault.BadInput, "%q is no commit: write its hash, 7 to 64 hexadecimal digits", event.TrimText(commit, 80))
	}
	now := micros(s.now())
	err := s.InTx(ctx, func(tx *sql.Tx) error {
		if err := lockProject(ctx, tx, p.ID); err != nil {
			return err
		}
		ids, err := s.intern(ctx, tx, nil, releases, p.ID, []string{version}, now, nil)
		if err != nil {
			return err
		}
		var there string
		if err := tx.QueryRowContext(ctx, "SELECT commit_hash FROM app_release WHERE id=? FOR UPDATE", ids[version]).Scan(&there); err != nil {
			return err
		}
		if there != "" && commit != "" && !strings.HasPrefix(there, commit) && !strings.HasPrefix(commit, there) {
			return fault.New(fault.Conflict, "%s of %s was announced with commit %s; a build of %s is another release, and needs another version", version, p.Name, there, commit)
		}
		if len(there) > len(commit) {
			commit = there
		}
		if _, err := tx.ExecContext(ctx, "UPDATE app_release SET announced=COALESCE(announced, ?), announced_by=IF(announced_by='', ?, announced_by), commit_hash=?, first_seen=LEAST(first_seen, ?) WHERE id=?", now, who.Name, commit, now, ids[version]); err != nil {
			return err
		}
		return s.findReleases(ctx, tx, p.ID)
	})
	if err != nil {
		return nil, err
	}
	return s.Release(ctx, p, version)
}

// MarkDeployed says that a release was deployed to an environment at a time;
// the same said twice counts once. A release nothing was heard of is refused:
// it is announced first.
func (s *Store) MarkDeployed(ctx context.Context, p *Project, version, environment string, at time.Time, who Actor) (*ReleaseRow, error) {
	r, err := s.Release(ctx, p, version)
	if err != nil {
		return nil, err
	}
	environment = event.TrimText(strings.TrimSpace(environment), mostVersion)
	if environment == "" {
		return nil, fault.New(fault.BadInput, "say where it was deployed: an environment such as production")
	}
	now := s.now()
	if at.IsZero() {
		at = now
	}
	if at.After(now.Add(time.Hour)) {
		return nil, fault.New(fault.BadInput, "%s lies ahead: a deploy is marked once it has happened", at.Format(time.RFC3339))
	}
	err = s.InTx(ctx, func(tx *sql.Tx) error {
		ids, err := s.intern(ctx, tx, nil, environments, p.ID, []string{environment}, micros(now), nil)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "INSERT IGNORE INTO deploy (project, app_release, environment, at, marked, actor_kind, actor) VALUES (?,?,?,?,?,?,?)", p.ID, r.ID, ids[environment], micros(at), micros(now), who.Kind, who.Name)
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.Release(ctx, p, version)
}

// InRelease are the issues that a release stands for.
type InRelease struct {
	New       []*Issue // first seen in it, what hurts most first
	Regressed []*Issue // that came back in it
	Fixed     []*Issue // that somebody called fixed in it
}

// IssuesIn lists the issues that are new in a release, came back in it, or were
// fixed in it.
func (s *Store) IssuesIn(ctx context.Context, p *Project, r *ReleaseRow) (in InRelease, err error) {
	for _, q := range []struct {
		into  *[]*Issue
		where string
		args  []any
	}{
		{&in.New, "l.first_release=?", []any{r.ID}},
		{&in.Regressed, "l.issue IN (SELECT h.issue FROM history h WHERE h.app_release=? AND h.kind='regressed' AND h.undone=0)", []any{r.ID}},
		{&in.Fixed, "l.issue IN (SELECT i.id FROM issue i WHERE i.project=? AND i.fixed_in=? AND i.state IN ('fixed','regressed') AND i.deleted IS NULL)", []any{p.ID, r.Version}},
	} {
		err := each(ctx, s.db, func(rows *sql.Rows) error {
			is, err := scanIssue(rows)
			*q.into = append(*q.into, is)
			return err
		}, issuesWhere(q.where)+" ORDER BY l.impact DESC, l.issue LIMIT ?", append(q.args, mostInIt)...)
		if err != nil {
			return in, err
		}
	}
	return in, nil
}

// OrderOf says how two releases of a project stand to each other. Those that
// nothing was heard of can be asked about too.
func (s *Store) OrderOf(ctx context.Context, p *Project, a, b string) (release.Order, error) {
	var both [2]release.Release
	for i, v := range []string{a, b} {
		both[i].Version = v
		r, err := s.Release(ctx, p, v)
		if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.NotFound {
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
