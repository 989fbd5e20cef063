package mariadb

import (
	"context"
	"encoding/json"
	"net/url"
	"strings"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/fault"
)

// SetRepository says where a project's code may be fetched from; "" nowhere.
func (s *Store) SetRepository(ctx context.Context, project int64, address string) error {
	_, err := s.db.ExecContext(ctx, "UPDATE project SET repository=? WHERE id=?", address, project)
	return err
}

// CommitMark stands for a commit's hash in a project's link.
const CommitMark = "{commit}"

// SetCommitLink says where people read a commit; "" nowhere.
func (s *Store) SetCommitLink(ctx context.Context, project int64, link string) error {
	if link != "" {
		u, err := url.Parse(strings.ReplaceAll(link, CommitMark, "0"))
		if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || !strings.Contains(link, CommitMark) {
			return fault.New(fault.BadInput, "a link to commits is an http or https address that has %s in it, not %q", CommitMark, link)
		}
	}
	_, err := s.db.ExecContext(ctx, "UPDATE project SET commit_link=? WHERE id=?", link, project)
	return err
}

// mostMappings are how many source paths can be set.
const mostMappings = 50

// SetSourcePaths says which source paths of maps and traces stand where in the
// repository; the first that fits counts.
func (s *Store) SetSourcePaths(ctx context.Context, project int64, list []commits.Mapping) error {
	if len(list) > mostMappings {
		return fault.New(fault.BadInput, "at most %d source paths can be set", mostMappings)
	}
	for _, m := range list {
		if m.From == "" {
			return fault.New(fault.BadInput, "a source path is set as FROM=TO, for example webpack://quayside/=web/quayside/")
		}
	}
	raw, err := json.Marshal(append([]commits.Mapping{}, list...))
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "UPDATE project SET source_paths=? WHERE id=?", string(raw), project)
	return err
}

// CountCommits says how many commits of a project are known, and how many bytes
// its bundles have.
func (s *Store) CountCommits(ctx context.Context, project int64) (n, bytes int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM app_commit WHERE project=?), (SELECT COALESCE(SUM(bytes),0) FROM bundle WHERE project=?)", project, project).Scan(&n, &bytes)
	return n, bytes, err
}
