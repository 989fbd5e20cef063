package releases

import (
	"context"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"slices"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/event"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
)

// Bundle is a part of a repository's history, as a build sent it.
type Bundle struct {
	ID          int64
	Tip, Format string
	Bytes       int64
}

// bundlePart is how many bytes of a bundle stand in one row.
const bundlePart = 4 << 20

// Bundles lists the bundles of a project's repository, in order of arrival.
func (s *Store) Bundles(ctx context.Context, project int64) (list []Bundle, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var b Bundle
		err := r.Scan(&b.ID, &b.Tip, &b.Format, &b.Bytes)
		list = append(list, b)
		return err
	}, "SELECT id, tip, format, bytes FROM bundle WHERE project=? ORDER BY id", project)
	return list, err
}

// ReadBundle writes a bundle as it was sent.
func (s *Store) ReadBundle(ctx context.Context, id int64, w io.Writer) error {
	for part := 0; ; part++ {
		var body []byte
		err := s.db.Slow.QueryRowContext(ctx, "SELECT body FROM bundle_part WHERE bundle=? AND part=?", id,
			part).Scan(&body)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		if _, err := w.Write(body); err != nil {
			return err
		}
	}
}

// AddBundle keeps a bundle whose commits were added. The same tip again changes
// nothing.
func (s *Store) AddBundle(ctx context.Context, project int64, b Bundle, body io.ReadSeeker, who accounts.Actor) error {
	return s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if _, err := body.Seek(0, io.SeekStart); err != nil { // a second try begins again
			return err
		}
		return addBundle(ctx, tx, project, b, body, db.Micros(s.db.Now()), who)
	})
}

func addBundle(ctx context.Context, tx *sql.Tx, project int64, b Bundle, body io.Reader, now int64,
	who accounts.Actor) error {
	res, err := tx.ExecContext(ctx, "INSERT IGNORE INTO bundle (project, tip, format, bytes, at, actor) VALUES (?,?,?,?,?,?)", project, b.Tip, b.Format, 0, now, who.Name)
	if err != nil {
		return err
	}
	id, err := res.LastInsertId()
	if n, countErr := res.RowsAffected(); err != nil || countErr != nil || n == 0 {
		return errors.Join(err, countErr)
	}
	buf := make([]byte, bundlePart)
	for part := 0; ; part++ {
		n, err := io.ReadFull(body, buf)
		if n > 0 {
			if _, err := tx.ExecContext(ctx, "INSERT INTO bundle_part (bundle, part, body) VALUES (?,?,?)", id, part, buf[:n]); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			break
		}
		if err != nil {
			return err
		}
	}
	_, err = tx.ExecContext(ctx, "UPDATE bundle SET bytes=? WHERE id=?", b.Bytes, id)
	return err
}

// AddCommits adds commits of a project's repository; those that are there stay.
func (s *Store) AddCommits(ctx context.Context, project int64, list []commits.Commit) error {
	rows := make([][]any, len(list))
	for i, c := range list {
		var parents []byte
		for _, p := range c.Parents {
			parents = append(parents, db.Unhex(p)...)
		}
		rows[i] = []any{project, db.Unhex(c.Hash), parents, event.TrimText(c.Author, 100), event.TrimText(c.Email, 200),
			db.Micros(c.Authored), db.Micros(c.Committed), event.TrimText(c.Subject, 300), db.Unhex(c.Patch), c.Files,
			c.Added, c.Removed, linksText(c.Links)}
	}
	return db.InsertRows(ctx, s.db.Slow, "INSERT IGNORE INTO app_commit (project, hash, parents, author, email, authored, committed, subject, patch, files, added, removed, links)", "", rows)
}

// linksText is how links are stored, "" for none.
func linksText(l commits.Links) string {
	if len(l.Reverts)+len(l.Picks) == 0 {
		return ""
	}
	raw, err := json.Marshal(l)
	if err != nil {
		return "" // lists of texts can be written
	}
	return string(raw)
}

// LinksRead says whether the messages of all commits of a project were read for
// what they say of others.
func (s *Store) LinksRead(ctx context.Context, project int64) (read bool, err error) {
	return read, s.db.QueryRowContext(ctx, "SELECT links_read FROM project WHERE id=?", project).Scan(&read)
}

// AddLinks adds what the messages of commits say of others, of commits that were
// read by an older version.
func (s *Store) AddLinks(ctx context.Context, project int64, list []commits.Commit) error {
	for _, c := range list {
		if text := linksText(c.Links); text != "" {
			if _, err := s.db.ExecContext(ctx, "UPDATE app_commit SET links=? WHERE project=? AND hash=?", text,
				project, db.Unhex(c.Hash)); err != nil {
				return err
			}
		}
	}
	return nil
}

// LinksAreRead notes that there is nothing more to read.
func (s *Store) LinksAreRead(ctx context.Context, project int64) error {
	_, err := s.db.ExecContext(ctx, "UPDATE project SET links_read=1, commits_version=commits_version+IF(commits_version>0, 1, 0) WHERE id=?", project)
	return err
}

// Commits reads commits in the order they are named; those that are not known
// are left out.
func (s *Store) Commits(ctx context.Context, project int64, hashes []string) ([]commits.Commit, error) {
	return s.CommitList(ctx, s.db, project, hashes)
}

// CommitList reads commits by their full hashes, in that order.
func (s *Store) CommitList(ctx context.Context, q db.Querier, project int64,
	hashes []string) ([]commits.Commit, error) {
	by := map[string]commits.Commit{}
	for chunk := range slices.Chunk(hashes, db.StatementRows) {
		args := []any{project}
		for _, h := range chunk {
			args = append(args, db.Unhex(h))
		}
		err := db.Each(ctx, q, func(r *sql.Rows) error {
			var c commits.Commit
			var hash, parents, patch []byte
			var authored, committed int64
			if err := db.ScanNames(r,
				db.Into{"hash": &hash, "parents": &parents, "author": &c.Author, "email": &c.Email,
					"authored": &authored, "committed": &committed, "subject": &c.Subject, "patch": &patch,
					"files": &c.Files, "added": &c.Added, "removed": &c.Removed}); err != nil {
				return err
			}
			c.Hash, c.Patch, c.Authored, c.Committed = hex.EncodeToString(hash), hex.EncodeToString(patch),
				db.FromMicros(authored), db.FromMicros(committed)
			for p := range slices.Chunk(parents, max(1, len(hash))) {
				c.Parents = append(c.Parents, hex.EncodeToString(p))
			}
			by[c.Hash] = c
			return nil
		}, "SELECT hash, parents, author, email, authored, committed, subject, patch, files, added, removed FROM app_commit WHERE project=? AND hash IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return nil, err
		}
	}
	var out []commits.Commit
	for _, h := range hashes {
		if c, ok := by[h]; ok {
			out = append(out, c)
		}
	}
	return out, nil
}

// CountCommits says how many commits of a project are known, and how many bytes
// its bundles have.
func (s *Store) CountCommits(ctx context.Context, project int64) (n, bytes int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM app_commit WHERE project=?), (SELECT COALESCE(SUM(bytes),0) FROM bundle WHERE project=?)", project, project).Scan(&n, &bytes)
	return n, bytes, err
}
