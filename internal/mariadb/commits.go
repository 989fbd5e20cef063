package mariadb

import (
	"context"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
)

// Bundle is a part of a repository's history, as a build sent it.
type Bundle struct {
	ID          int64
	Tip, Format string
	Bytes       int64
}

// bundlePart is how many bytes of a bundle stand in one row.
const bundlePart = 4 << 20

// Bundles lists what was sent of a project's repository, in the order it came.
func (s *Store) Bundles(ctx context.Context, project int64) (list []Bundle, err error) {
	err = each(ctx, s.db, func(r *sql.Rows) error {
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
		err := s.slow.QueryRowContext(ctx, "SELECT body FROM bundle_part WHERE bundle=? AND part=?", id, part).Scan(&body)
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
func (s *Store) AddBundle(ctx context.Context, project int64, b Bundle, body io.ReadSeeker, who Actor) error {
	return s.inTxOf(ctx, s.slow, func(tx *sql.Tx) error {
		if _, err := body.Seek(0, io.SeekStart); err != nil { // a second try begins anew
			return err
		}
		return addBundle(ctx, tx, project, b, body, micros(s.now()), who)
	})
}

func addBundle(ctx context.Context, tx *sql.Tx, project int64, b Bundle, body io.Reader, now int64, who Actor) error {
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
			parents = append(parents, unhex(p)...)
		}
		rows[i] = []any{project, unhex(c.Hash), parents, event.TrimText(c.Author, 100), event.TrimText(c.Email, 200), micros(c.Authored), micros(c.Committed), event.TrimText(c.Subject, 300), unhex(c.Patch), c.Files, c.Added, c.Removed, linksText(c.Links)}
	}
	return insertRows(ctx, s.slow, "INSERT IGNORE INTO app_commit (project, hash, parents, author, email, authored, committed, subject, patch, files, added, removed, links)", "", rows)
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
			if _, err := s.db.ExecContext(ctx, "UPDATE app_commit SET links=? WHERE project=? AND hash=?", text, project, unhex(c.Hash)); err != nil {
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

// Closing is a commit whose message says that it fixes issues.
type Closing struct {
	commits.Commit
	Bad []string // what names no issue
}

// CommitsCame lets a project know of commits that were added: fixes find their
// releases, and what messages say is fixed is. told is what was done, and what
// could not be, in words.
func (s *Store) CommitsCame(ctx context.Context, p *Project, closing []Closing, who Actor) (told []string, err error) {
	err = s.InTx(ctx, func(tx *sql.Tx) error {
		told = nil
		if err := lockProject(ctx, tx, p.ID); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE project SET commits_version=commits_version+1 WHERE id=?", p.ID); err != nil {
			return err
		}
		return s.findReleases(ctx, tx, p.ID)
	})
	if err != nil {
		return nil, err
	}
	slices.Reverse(closing) // the oldest first
	for _, c := range closing {
		for _, b := range c.Bad {
			told = append(told, fmt.Sprintf("commit %s says it fixes %q, which names no issue: write PROJECT/NUMBER", release.Short(c.Hash), event.TrimText(b, 60)))
		}
		for _, name := range c.Fixes {
			words, err := s.closeByCommit(ctx, p, c.Commit, name, who)
			if err != nil {
				return told, err
			}
			told = append(told, words)
		}
	}
	return told, nil
}

// closeByCommit fixes the issue that a commit's message names. One of another
// project is not touched: whoever pushes to one repository may not decide about
// what others work on.
func (s *Store) closeByCommit(ctx context.Context, p *Project, c commits.Commit, name string, who Actor) (string, error) {
	says := fmt.Sprintf("commit %s says it fixes %s", release.Short(c.Hash), name)
	project, number, _ := strings.Cut(name, "/")
	if project != p.Name {
		return says + ", which is an issue of another project: nothing was changed; fix it there with firethorn issue fix " + name + " --commit " + release.Short(c.Hash), nil
	}
	var n int64
	if _, err := fmt.Sscan(number, &n); err != nil {
		return says + ", which is no number", nil
	}
	is, err := s.Issue(ctx, p, n)
	if f, ok := errors.AsType[*fault.Error](err); ok {
		return says + ": " + f.Pub, nil
	}
	if err != nil {
		return "", err
	}
	var done int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM history WHERE issue=? AND kind IN ('fix','picked') AND detail=?", is.ID, closedBy(c.Hash)).Scan(&done); err != nil || done > 0 {
		return says + ", as it was said before", err // sent again: what was decided since stays
	}
	g, err := s.Graph(ctx, p.ID)
	if err != nil {
		return "", err
	}
	if is.State == issue.Fixed && is.Kind == issue.FixCommit && is.Commit != c.Hash && g.Same(is.Commit, c.Hash) {
		// A cherry-pick carries the message of its original.
		err := s.InTx(ctx, func(tx *sql.Tx) error {
			return s.tell(ctx, tx, p.ID, is.ID, historyLine{who: who, detail: json.RawMessage(closedBy(c.Hash)), Entry: issue.Entry{Kind: "picked", Words: "the fix was made again as commit " + release.Short(c.Hash)}})
		})
		return says + ", which was made again by it", err
	}
	d, err := s.decide(ctx, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixCommit, Commit: c.Hash}}, "the commit says so: "+c.Subject, who)
	if err != nil {
		return "", err
	}
	if d.By, err = s.personBehind(ctx, c.Email); err != nil {
		return "", err
	}
	d.detail = closedBy(c.Hash)
	err = s.InTx(ctx, func(tx *sql.Tx) error { return s.act(ctx, tx, is.ID, d, 0) })
	if f, ok := errors.AsType[*fault.Error](err); ok {
		return says + ": " + f.Pub, nil
	}
	return says + ": done", err
}

func closedBy(commit string) string { return `{"commit":"` + commit + `"}` }

// personBehind is the person who has an address, "" when nobody has.
func (s *Store) personBehind(ctx context.Context, email string) (name string, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT name FROM person WHERE email=?", strings.ToLower(email)).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return name, err
}

// Commits reads commits in the order they are named; those that are not known
// are left out.
func (s *Store) Commits(ctx context.Context, project int64, hashes []string) ([]commits.Commit, error) {
	return s.commitList(ctx, s.db, project, hashes)
}

func (s *Store) commitList(ctx context.Context, q querier, project int64, hashes []string) ([]commits.Commit, error) {
	by := map[string]commits.Commit{}
	for chunk := range slices.Chunk(hashes, statementRows) {
		args := []any{project}
		for _, h := range chunk {
			args = append(args, unhex(h))
		}
		err := each(ctx, q, func(r *sql.Rows) error {
			var c commits.Commit
			var hash, parents, patch []byte
			var authored, committed int64
			if err := r.Scan(&hash, &parents, &c.Author, &c.Email, &authored, &committed, &c.Subject, &patch, &c.Files, &c.Added, &c.Removed); err != nil {
				return err
			}
			c.Hash, c.Patch, c.Authored, c.Committed = hex.EncodeToString(hash), hex.EncodeToString(patch), fromMicros(authored), fromMicros(committed)
			for p := range slices.Chunk(parents, max(1, len(hash))) {
				c.Parents = append(c.Parents, hex.EncodeToString(p))
			}
			by[c.Hash] = c
			return nil
		}, "SELECT hash, parents, author, email, authored, committed, subject, patch, files, added, removed FROM app_commit WHERE project=? AND hash IN ("+marks(len(chunk))+")", args...)
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
