package mariadb

import (
	"context"
)

// CommitMark stands for a commit's hash in a project's link.
const CommitMark = "{commit}"

// mostMappings are how many source paths can be set.
const mostMappings = 50

// CountCommits says how many commits of a project are known, and how many bytes
// its bundles have.
func (s *Store) CountCommits(ctx context.Context, project int64) (n, bytes int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM app_commit WHERE project=?), (SELECT COALESCE(SUM(bytes),0) FROM bundle WHERE project=?)", project, project).Scan(&n, &bytes)
	return n, bytes, err
}
