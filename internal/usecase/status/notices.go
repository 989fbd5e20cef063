package status

import (
	"context"
	"database/sql"
	"slices"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/sight"
)

// Notice is a notice to a person.
type Notice struct {
	ID       int64
	Project  string
	Number   int64 // of the issue
	Headline string
	At       time.Time
	Actor    string
	Kind     string
	Text     string
	Seen     bool
}

// Notification is a notice about to be written.
type Notification struct {
	Project, Issue, At int64
	Who                accounts.Actor
	Kind, Text         string
}

// To notifies people, by name, each once, and the members of teams; never the person who did
// it, nor who left.
func (n Notification) To(ctx context.Context, tx *sql.Tx, names []string) error {
	args := []any{n.Project, n.Issue, n.At, n.Who.Name, n.Kind, n.Text}
	told := len(args)
	for _, name := range slices.Compact(slices.Sorted(slices.Values(names))) {
		if name != "" {
			args = append(args, name)
		}
	}
	list := args[told:]
	if len(list) == 0 {
		return nil
	}
	self := ""
	if n.Who.Kind == "person" {
		self = n.Who.Name
	}
	args = append(append(args, list...), self)
	_, err := tx.ExecContext(ctx, "INSERT INTO notice (person, project, issue, at, actor, kind, text) SELECT p.id, ?, ?, ?, ?, ?, ? FROM person p WHERE (p.name IN ("+db.Marks(len(list))+")"+
		" OR p.id IN (SELECT m.person FROM team_member m JOIN person t ON t.id=m.team WHERE t.name IN ("+db.Marks(len(list))+"))) AND p.team=0 AND p.left_at IS NULL AND p.name<>?", args...)
	return err
}

// Notices lists a person's notices in the projects that they see, newest
// first, from before an id on; unseen: only what they have not seen. waiting is how
// many they have not seen.
func (s *Service) Notices(ctx context.Context, person int64, seen sight.Sight, unseen bool, before int64,
	limit int) (list []Notice, waiting int64, err error) {
	of, ofArgs := seen.Where("n.project")
	where, args := "n.person=? AND "+of, append([]any{person}, ofArgs...)
	if unseen {
		where += " AND n.seen IS NULL"
	}
	if before > 0 {
		where += " AND n.id<?"
		args = append(args, before)
	}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var n Notice
		var at int64
		err := db.ScanNames(r,
			db.Into{"id": &n.ID, "project": &n.Project, "number": &n.Number, "headline": &n.Headline, "at": &at,
				"actor": &n.Actor, "kind": &n.Kind, "text": &n.Text, "seen": &n.Seen})
		n.At = db.FromMicros(at)
		list = append(list, n)
		return err
	}, "SELECT n.id, p.name AS project, i.number, COALESCE(l.headline,'') AS headline, n.at, n.actor, n.kind, n.text, n.seen IS NOT NULL AS seen FROM notice n JOIN project p ON p.id=n.project JOIN issue i ON i.id=n.issue LEFT JOIN issue_list l ON l.issue=n.issue WHERE "+where+" ORDER BY n.id DESC LIMIT ?", append(args, limit)...)
	if err != nil {
		return nil, 0, err
	}
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM notice n WHERE n.person=? AND "+of+" AND n.seen IS NULL",
		append([]any{person}, ofArgs...)...).Scan(&waiting)
	return list, waiting, err
}

// SeeNotices marks a person's notices up to an id as seen, of the projects
// that they see.
func (s *Service) SeeNotices(ctx context.Context, person int64, seen sight.Sight, upTo int64) error {
	of, args := seen.Where("project")
	_, err := s.db.ExecContext(ctx, "UPDATE notice SET seen=? WHERE person=? AND seen IS NULL AND id<=? AND "+of,
		append([]any{db.Micros(s.db.Now()), person, upTo}, args...)...)
	return err
}

// noticeDays is how long notices are kept.
const noticeDays = 90

// DropNotices deletes old notices.
func (s *Service) DropNotices(ctx context.Context) error {
	_, err := s.db.Slow.ExecContext(ctx, "DELETE FROM notice WHERE at<?",
		db.Micros(s.db.Now().AddDate(0, 0, -noticeDays)))
	return err
}

// Watching lists who watches an issue, by name.
func (s *Service) Watching(ctx context.Context, q db.Querier, id int64) ([]string, error) {
	return db.Texts(ctx, q, "SELECT p.name FROM watcher w JOIN person p ON p.id=w.person WHERE w.issue=? ORDER BY p.name", id)
}
