package schema

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"fmt"
	"io/fs"

	"github.com/pressly/goose/v3"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// sumOf is the checksum of a migration's file.
func sumOf(dir fs.FS, path string) ([sha256.Size]byte, error) {
	raw, err := fs.ReadFile(dir, path)
	return sha256.Sum256(raw), err
}

// checkSums refuses a migration whose file was changed after this database
// applied it: the tables would not be what the file says. Where a sum is not
// known yet, the database is older than sums are, it is taken as it is now.
func (s *Schema) checkSums(ctx context.Context, p *goose.Provider, dir fs.FS) error {
	const ddl = "CREATE TABLE IF NOT EXISTS schema_sum (version BIGINT NOT NULL PRIMARY KEY, sum BINARY(32) NOT NULL) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin"
	if _, err := s.db.ExecContext(ctx, ddl); err != nil {
		return err
	}
	applied := map[int64][sha256.Size]byte{}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var version int64
		var sum []byte
		err := r.Scan(&version, &sum)
		copied := [sha256.Size]byte{}
		copy(copied[:], sum)
		applied[version] = copied
		return err
	}, "SELECT version, sum FROM schema_sum")
	if err != nil {
		return err
	}
	for _, m := range p.ListSources() {
		was, ok := applied[m.Version]
		if !ok {
			continue
		}
		if now, err := sumOf(dir, m.Path); err != nil {
			return err
		} else if now != was {
			return problem.New(problem.NoDatabase, "the migration %s was changed after this database applied it, so its tables are not what the file says. Start the version that made them, or put the change into a new migration", m.Path)
		}
	}
	return nil
}

// writeSums notes the sums of the migrations that were applied.
func (s *Schema) writeSums(ctx context.Context, p *goose.Provider, dir fs.FS) error {
	have, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	var rows [][]any
	for _, m := range p.ListSources() {
		if m.Version > have {
			continue
		}
		sum, err := sumOf(dir, m.Path)
		if err != nil {
			return fmt.Errorf("migration %s: %w", m.Path, err)
		}
		rows = append(rows, []any{m.Version, sum[:]})
	}
	return db.InsertRows(ctx, s.db, "INSERT IGNORE INTO schema_sum (version, sum)", "", rows)
}
