package schema

import (
	"context"
	"io/fs"

	"firethorn/internal/db"
)

// Migrations are the files of all migrations.
func Migrations() (fs.FS, error) { return fs.Sub(migrations, "migrate") }

// ApplyTo applies the migrations of a directory to a database.
func ApplyTo(ctx context.Context, d *db.DB, dir fs.FS) error {
	return (&Schema{db: d}).apply(ctx, dir)
}
