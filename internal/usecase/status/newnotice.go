package status

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/db"
)

// NewNotice is a notice to one person about an issue.
type NewNotice struct {
	Person, Project, Issue int64
	At                     time.Time
	Who, Kind, Text        string
}

// Notify writes a notice, unless the person has one of the same issue within five seconds of
// it: owners and watchers get notices of decisions anyway.
func Notify(ctx context.Context, tx *sql.Tx, t NewNotice) error {
	at := db.Micros(t.At)
	_, err := tx.ExecContext(ctx, "INSERT INTO notice (person, project, issue, at, actor, kind, text)"+
		" SELECT ?,?,?,?,?,?,? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM notice WHERE person=? AND issue=?"+
		" AND at BETWEEN ?-5000000 AND ?+5000000)",
		t.Person, t.Project, t.Issue, at, t.Who, t.Kind, t.Text, t.Person, t.Issue, at, at)
	return err
}
