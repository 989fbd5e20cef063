package triage

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/core/comment"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/status"
)

// Comment is a person's text about an issue.
type Comment struct {
	ID     int64
	At     time.Time
	Edited *time.Time
	Actor  accounts.Actor
	Text   string // Markdown
	From   int64  // number of the issue it was written to, where that was merged into this one; else 0
}

// maxComments are listed of an issue, the newest.
const maxComments = 500

// Comments lists the comments on an issue, and on those that were
// merged into it, the newest first.
func (s *Service) Comments(ctx context.Context, id int64) (list []Comment, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var c Comment
		var at int64
		var edited sql.NullInt64
		err := db.ScanNames(r,
			db.Into{"id": &c.ID, "at": &at, "edited": &edited, "actor_kind": &c.Actor.Kind, "actor_id": &c.Actor.ID,
				"actor": &c.Actor.Name, "text": &c.Text, "from_number": &c.From})
		c.At = db.FromMicros(at)
		if edited.Valid {
			t := db.FromMicros(edited.Int64)
			c.Edited = &t
		}
		list = append(list, c)
		return err
	}, "SELECT c.id, c.at, c.edited, c.actor_kind, c.actor_id, c.actor, c.text, IF(c.issue=?, 0, i.number) AS from_number FROM comment c JOIN issue i ON i.id=c.issue WHERE c.issue=? OR c.issue IN (SELECT m.id FROM issue m WHERE m.merged_into=?) ORDER BY c.id DESC LIMIT ?", id, id, id, maxComments)
	return list, err
}

// AddComment writes a comment. Anyone who writes watches the issue from then on;
// its owner, watchers and mentioned people get a notice.
func (s *Service) AddComment(ctx context.Context, id int64, text string, who accounts.Actor,
	person int64) (added int64, err error) {
	return added, s.db.InTx(ctx, func(tx *sql.Tx) error {
		added, err = s.AddCommentIn(ctx, tx, id, text, who, person)
		return err
	})
}

// AddCommentIn is AddComment within a transaction.
func (s *Service) AddCommentIn(ctx context.Context, tx *sql.Tx, id int64, text string, who accounts.Actor,
	person int64) (added int64, err error) {
	if text, err = comment.Clean(text); err != nil {
		return 0, err
	}
	project, st, err := s.status.Lock(ctx, tx, id)
	if err != nil {
		return 0, err
	}
	if st == nil {
		return 0, problem.New(problem.Conflict, "this issue was merged or deleted in between")
	}
	now := s.db.Now()
	res, err := tx.ExecContext(ctx, "INSERT INTO comment (project, issue, at, actor_kind, actor_id, actor, text) VALUES (?,?,?,?,?,?,?)", project, id, db.Micros(now), who.Kind, who.ID, who.Name, text)
	if err != nil {
		return 0, err
	}
	if added, err = res.LastInsertId(); err != nil {
		return 0, err
	}
	if err := issues.Reindex(ctx, tx, id); err != nil {
		return 0, err
	}
	mentioned, err := s.mentioned(ctx, tx, text)
	if err != nil {
		return 0, err
	}
	if err := s.notify(ctx, tx, status.Notification{Project: project, Issue: id, Who: who}, text, mentioned,
		st.Owner); err != nil {
		return 0, err
	}
	if err := alerts.Add(ctx, tx, alerts.Occurrence{Project: project, Issue: id, What: "commented", At: now, Due: now,
		Who: who, Text: text}); err != nil {
		return 0, err
	}
	if person != 0 {
		if _, err := tx.ExecContext(ctx, addWatcher, id, person); err != nil {
			return 0, err
		}
	}
	return added, projects.Touch(ctx, tx, project)
}

func (s *Service) mentioned(ctx context.Context, q db.Querier, text string) ([]string, error) {
	var people []comment.Person
	err := db.Each(ctx, q, func(r *sql.Rows) error {
		var p comment.Person
		err := r.Scan(&p.Name, &p.Email)
		people = append(people, p)
		return err
	}, "SELECT name, COALESCE(email,'') FROM person WHERE left_at IS NULL")
	return comment.Mentions(text, people), err
}

// commentWords is how much of a comment a notice shows.
const commentWords = 300

// notify sends notices to the people mentioned, and to the issue's owner and watchers
// that something was written; nobody twice, nor who wrote it.
func (s *Service) notify(ctx context.Context, tx *sql.Tx, n status.Notification, text string, mentioned []string,
	owner string) error {
	short := text
	if r := []rune(text); len(r) > commentWords {
		short = string(r[:commentWords]) + " …"
	}
	n.At, n.Kind, n.Text = db.Micros(s.db.Now()), "mention", "mentions you: "+short
	if err := n.To(ctx, tx, mentioned); err != nil {
		return err
	}
	watching, err := s.status.Watching(ctx, tx, n.Issue)
	if err != nil {
		return err
	}
	others := slices.DeleteFunc(append(watching, owner), func(name string) bool {
		return slices.Contains(mentioned, name)
	})
	n.Kind, n.Text = "comment", "writes: "+short
	return n.To(ctx, tx, others)
}

// Watching lists who watches an issue.
func (s *Service) Watching(ctx context.Context, id int64) ([]string, error) {
	return s.status.Watching(ctx, s.db, id)
}

const addWatcher = "INSERT IGNORE INTO watcher (issue, person) VALUES (?,?)"

// Watch switches a person's notices about an issue on or off.
func (s *Service) Watch(ctx context.Context, id, person int64, on bool) error {
	query := addWatcher
	if !on {
		query = "DELETE FROM watcher WHERE issue=? AND person=?"
	}
	_, err := s.db.ExecContext(ctx, query, id, person)
	return err
}

// ChangeComment changes a comment, or deletes it with an empty
// text. Only its author may do it, or an administrator.
func (s *Service) ChangeComment(ctx context.Context, issueID, id int64, text string, who accounts.Actor,
	any bool) error {
	if text != "" {
		var err error
		if text, err = comment.Clean(text); err != nil {
			return err
		}
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		var project int64
		var wrote accounts.Actor
		err := tx.QueryRowContext(ctx, "SELECT c.project, c.actor_kind, c.actor_id, c.actor FROM comment c WHERE c.id=? AND (c.issue=? OR c.issue IN (SELECT m.id FROM issue m WHERE m.merged_into=?)) FOR UPDATE", id, issueID, issueID).Scan(&project, &wrote.Kind, &wrote.ID, &wrote.Name)
		if errors.Is(err, sql.ErrNoRows) {
			return problem.New(problem.NotFound, "this issue has no comment %d", id)
		}
		if err != nil {
			return err
		}
		if !wrote.Same(who) && !any {
			return problem.New(problem.Forbidden, "%s wrote this comment; only who wrote it, or who administers, may change it", wrote.Name)
		}
		if text == "" {
			_, err = tx.ExecContext(ctx, "DELETE FROM comment WHERE id=?", id)
		} else {
			_, err = tx.ExecContext(ctx, "UPDATE comment SET text=?, edited=? WHERE id=?", text, db.Micros(s.db.Now()),
				id)
		}
		if err != nil {
			return fmt.Errorf("comment %d: %w", id, err)
		}
		if err := issues.Reindex(ctx, tx, issueID); err != nil {
			return err
		}
		return projects.Touch(ctx, tx, project)
	})
}
