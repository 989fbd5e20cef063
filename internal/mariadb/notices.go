package mariadb

import (
	"context"
	"database/sql"
	"slices"
	"time"
)

// Notice is something that a person should hear of.
type Notice struct {
	ID       int64
	Project  string
	Number   int64 // of the issue
	Headline string
	At       time.Time
	Actor    string
	Kind     string
	Words    string
	Seen     bool
}

// notice is something that is about to be told.
type notice struct {
	project, issue, at int64
	who                Actor
	kind, words        string
}

// to tells people, by name, each once, and the members of teams; never who did
// it, nor who left.
func (n notice) to(ctx context.Context, tx *sql.Tx, names []string) error {
	args := []any{n.project, n.issue, n.at, n.who.Name, n.kind, n.words}
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
	if n.who.Kind == "person" {
		self = n.who.Name
	}
	args = append(append(args, list...), self)
	_, err := tx.ExecContext(ctx, "INSERT INTO notice (person, project, issue, at, actor, kind, words) SELECT p.id, ?, ?, ?, ?, ?, ? FROM person p WHERE (p.name IN ("+marks(len(list))+")"+
		" OR p.id IN (SELECT m.person FROM team_member m JOIN person t ON t.id=m.team WHERE t.name IN ("+marks(len(list))+"))) AND p.team=0 AND p.left_at IS NULL AND p.name<>?", args...)
	return err
}

// Notices lists what a person should hear of, newest first, from before an id
// on; unseen: only what they have not seen; project 0: in all projects. waiting is
// how many they have not seen.
func (s *Store) Notices(ctx context.Context, person, project int64, unseen bool, before int64, limit int) (list []Notice, waiting int64, err error) {
	where, args := "n.person=?", []any{person}
	if project != 0 {
		where += " AND n.project=?"
		args = append(args, project)
	}
	if unseen {
		where += " AND n.seen IS NULL"
	}
	if before > 0 {
		where += " AND n.id<?"
		args = append(args, before)
	}
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var n Notice
		var at int64
		err := r.Scan(&n.ID, &n.Project, &n.Number, &n.Headline, &at, &n.Actor, &n.Kind, &n.Words, &n.Seen)
		n.At = fromMicros(at)
		list = append(list, n)
		return err
	}, "SELECT n.id, p.name, i.number, COALESCE(l.headline,''), n.at, n.actor, n.kind, n.words, n.seen IS NOT NULL FROM notice n JOIN project p ON p.id=n.project JOIN issue i ON i.id=n.issue LEFT JOIN issue_list l ON l.issue=n.issue WHERE "+where+" ORDER BY n.id DESC LIMIT ?", append(args, limit)...)
	if err != nil {
		return nil, 0, err
	}
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM notice WHERE person=? AND seen IS NULL AND (?=0 OR project=?)", person, project, project).Scan(&waiting)
	return list, waiting, err
}

// SeeNotices says that a person has seen what was told up to an id, in a project
// or in all (0).
func (s *Store) SeeNotices(ctx context.Context, person, project, upTo int64) error {
	_, err := s.db.ExecContext(ctx, "UPDATE notice SET seen=? WHERE person=? AND seen IS NULL AND id<=? AND (?=0 OR project=?)", micros(s.now()), person, upTo, project, project)
	return err
}

// noticeDays is how long notices are kept.
const noticeDays = 90

// DropNotices lets go of notices that are old.
func (s *Store) DropNotices(ctx context.Context) error {
	_, err := s.slow.ExecContext(ctx, "DELETE FROM notice WHERE at<?", micros(s.now().AddDate(0, 0, -noticeDays)))
	return err
}
