// Package schema migrates the database's tables and creates partitions in advance.
package schema

import (
	"context"
	"embed"
	"fmt"
	"io/fs"
	"time"

	"github.com/google/uuid"
	"github.com/pressly/goose/v3"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

//go:embed migrate/*.sql
var migrations embed.FS

// Schema is the tables of a database.
type Schema struct {
	db *db.DB
	// newer lets this version use a schema that a newer one made.
	newer bool
}

// Open checks what the server promises, and brings the schema up to date.
// newer lets it use a schema that a newer version made.
func Open(ctx context.Context, d *db.DB, newer bool) (*Schema, error) {
	s := &Schema{db: d, newer: newer}
	if err := s.checkPromises(ctx); err != nil {
		return nil, err
	}
	if err := s.migrate(ctx); err != nil {
		return nil, fmt.Errorf("schema: %w", err)
	}
	return s, nil
}

// migrate brings the schema up to date. Several processes may start at once:
// a lease row, which holds in a cluster as well, lets one of them work.
func (s *Schema) migrate(ctx context.Context) error {
	const ddl = "CREATE TABLE IF NOT EXISTS lease (name VARCHAR(64) NOT NULL PRIMARY KEY, owner BINARY(16) NOT NULL, until BIGINT NOT NULL) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin"
	if _, err := s.db.ExecContext(ctx, ddl); err != nil {
		return err
	}
	me := uuid.New()
	release, err := s.db.WaitLease(ctx, "migrate", me[:], migrateHold)
	if err != nil {
		return err
	}
	defer release()
	defer s.db.KeepLease(ctx, "migrate", me, migrateHold)()
	dir, err := fs.Sub(migrations, "migrate")
	if err != nil {
		return err
	}
	if err := s.apply(ctx, dir); err != nil {
		return err
	}
	return s.EnsurePartitions(ctx)
}

// apply applies the migrations of a directory that the database does not have.
func (s *Schema) apply(ctx context.Context, dir fs.FS) error {
	p, err := goose.NewProvider(goose.DialectMySQL, s.db.Slow, dir, goose.WithTableName("schema_version"))
	if err != nil {
		return err
	}
	if err := s.checkVersion(ctx, p); err != nil {
		return err
	}
	if err := s.checkSums(ctx, p, dir); err != nil {
		return err
	}
	if err := s.resume(ctx, p); err != nil {
		return err
	}
	if _, err := p.Up(ctx); err != nil {
		return err
	}
	return s.writeSums(ctx, p, dir)
}

// resume makes a migration that was cut off able to run again. All of them begin
// again, and find what was done already; migration 6 alone reads a column that it
// drops later. What stood there has been copied by then, so an empty one will do.
func (s *Schema) resume(ctx context.Context, p *goose.Provider) error {
	have, err := p.GetDBVersion(ctx)
	if err != nil || have != 5 {
		return err
	}
	_, err = s.db.Slow.ExecContext(ctx, "ALTER TABLE symbol_content ADD COLUMN IF NOT EXISTS body LONGBLOB NOT NULL DEFAULT ''")
	return err
}

// migrateHold is for how long a process that changes the schema has the lease
// before it renews it. A change of a large table may take hours.
const migrateHold = time.Minute

// checkVersion refuses a schema that a newer version made: this one does not
// know what the file holds.
func (s *Schema) checkVersion(ctx context.Context, p *goose.Provider) error {
	have, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	known := int64(0)
	for _, m := range p.ListSources() {
		known = max(known, m.Version)
	}
	if have <= known {
		return nil
	}
	s.db.Log.Warn("a newer version of Firethorn made this database's schema", "schema", have, "known_here", known)
	if s.newer {
		return nil
	}
	return problem.New(problem.NoDatabase, "a newer version of Firethorn made this database: its schema is %d, and this version knows up to %d. Start the newer version; or, if you know that both fit, start this one with --allow-newer-schema", have, known)
}
