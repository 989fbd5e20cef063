package status

import (
	"context"
	"database/sql"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
)

// Announce says that a build made a release, of a commit where it is known. It
// may be said again; another commit is refused, for one version is one build.
func (s *Service) Announce(ctx context.Context, p *projects.Project, version, commit string,
	who accounts.Actor) (*releases.ReleaseRow, error) {
	version, commit = strings.TrimSpace(version), strings.ToLower(strings.TrimSpace(commit))
	if version == "" || len(version) > releases.MaxVersion || strings.ContainsFunc(version, func(r rune) bool {
		return r < ' '
	}) {
		return nil, problem.New(problem.BadInput, "a release's version is one line of 1 to %d bytes",
			releases.MaxVersion)
	}
	if commit != "" && !releases.CommitForm.MatchString(commit) {
		return nil, problem.New(problem.BadInput, "%q is no commit: write its hash, 7 to 64 hexadecimal digits", event.TrimText(commit, 80))
	}
	now := db.Micros(s.db.Now())
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		ids, err := s.names.Intern(ctx, tx,
			names.Wanted{Table: names.Releases, Project: p.ID, Names: []string{version}, Now: now})
		if err != nil {
			return err
		}
		var there string
		if err := tx.QueryRowContext(ctx, "SELECT commit_hash FROM app_release WHERE id=? FOR UPDATE",
			ids[version]).Scan(&there); err != nil {
			return err
		}
		if there != "" && commit != "" && !strings.HasPrefix(there, commit) && !strings.HasPrefix(commit, there) {
			return problem.New(problem.Conflict, "%s of %s was announced with commit %s; a build of %s is another release, and needs another version", version, p.Name, there, commit)
		}
		if len(there) > len(commit) {
			commit = there
		}
		if _, err := tx.ExecContext(ctx, "UPDATE app_release SET announced=COALESCE(announced, ?), announced_by=IF(announced_by='', ?, announced_by), commit_hash=?, first_seen=LEAST(first_seen, ?) WHERE id=?", now, who.Name, commit, now, ids[version]); err != nil {
			return err
		}
		return s.FindReleases(ctx, tx, p.ID)
	})
	if err != nil {
		return nil, err
	}
	return s.releases.Release(ctx, p, version)
}

// MarkDeployed says that a release was deployed to an environment at a time;
// the same said twice counts once. A release nothing is known is refused:
// it is announced first.
func (s *Service) MarkDeployed(ctx context.Context, p *projects.Project, version, environment string, at time.Time,
	who accounts.Actor) (*releases.ReleaseRow, error) {
	r, err := s.releases.Release(ctx, p, version)
	if err != nil {
		return nil, err
	}
	environment = event.TrimText(strings.TrimSpace(environment), releases.MaxVersion)
	if environment == "" {
		return nil, problem.New(problem.BadInput, "say where it was deployed: an environment such as production")
	}
	now := s.db.Now()
	if at.IsZero() {
		at = now
	}
	if at.After(now.Add(time.Hour)) {
		return nil, problem.New(problem.BadInput, "%s lies ahead: a deploy is marked once it has happened",
			at.Format(time.RFC3339))
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		ids, err := s.names.Intern(ctx, tx,
			names.Wanted{Table: names.Environments, Project: p.ID, Names: []string{environment}, Now: db.Micros(now)})
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "INSERT IGNORE INTO deploy (project, app_release, environment, at, marked, actor_kind, actor) VALUES (?,?,?,?,?,?,?)", p.ID, r.ID, ids[environment], db.Micros(at), db.Micros(now), who.Kind, who.Name)
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.releases.Release(ctx, p, version)
}
