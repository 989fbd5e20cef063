package ingest

import (
	"context"
	"database/sql"
	"errors"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// wholeOf finds the issue of a new fingerprint that one represents which is
// known: of a trace in which an engine left frames out by whole ones, and the
// other way round (fingerprint.Result.As). 0: none is known. The fingerprint
// leads there from then on.
func (w *batchTx) wholeOf(ctx context.Context, print fingerprint.Result) (issue int64, err error) {
	owner, either, err := w.ownerOf(ctx, print.Key)
	if err != nil || either {
		return 0, err
	}
	if owner.stays != nil {
		if issue, err = w.aliasOf(ctx, owner.fingerprint); err != nil {
			return 0, err
		}
	}
	for i := 0; i < len(print.As) && issue == 0; i++ {
		owner, either, err := w.ownerOf(ctx, print.As[i])
		if err != nil {
			return 0, err
		}
		if either || owner.stays != nil && string(owner.stays) != string(staysHash(print)) {
			continue // another bug has claimed it
		}
		if issue, err = w.aliasOf(ctx, print.As[i]); err != nil {
			return 0, err
		}
	}
	if issue == 0 {
		return 0, nil
	}
	return issue, issues.AddAlias(ctx, w.tx, w.Project.ID, w.Project.GroupingVersion, print.Key, issue)
}

// wholeTrace is the fingerprint of a whole trace that one with frames left out
// represents.
type wholeTrace struct {
	fingerprint fingerprint.Key
	stays       []byte
}

// ownerOf is the whole trace that a fingerprint represents; either says that it
// could be one of several.
func (w *batchTx) ownerOf(ctx context.Context, k fingerprint.Key) (owner wholeTrace, either bool, err error) {
	var of []byte
	err = w.tx.QueryRowContext(ctx, "SELECT fingerprint, stays, either FROM seen_as WHERE project=? AND grouping_version=? AND hash=?", w.Project.ID, w.Project.GroupingVersion, k[:]).Scan(&of, &owner.stays, &either)
	if errors.Is(err, sql.ErrNoRows) {
		return owner, false, nil
	}
	if err == nil {
		owner.fingerprint = fingerprint.Key(of)
	}
	return owner, either, err
}

// noteAs writes down what a new variant would be where frames are left out. One
// that two bugs could be is noted as that.
func (w *batchTx) noteAs(ctx context.Context, print fingerprint.Result) error {
	for _, as := range print.As {
		if as == print.Key {
			continue
		}
		const note = "INSERT INTO seen_as (project, grouping_version, hash, fingerprint, stays, either) VALUES (?,?,?,?,?,0) ON DUPLICATE KEY UPDATE either=either OR stays<>VALUES(stays)"
		if _, err := w.tx.ExecContext(ctx, note, w.Project.ID, w.Project.GroupingVersion, as[:], print.Key[:],
			staysHash(print)); err != nil {
			return err
		}
		// An issue that was made of it before turns out to be this bug.
		const before = "INSERT IGNORE INTO moved_check (issue, project) SELECT a.issue, a.project FROM alias a WHERE a.project=? AND a.grouping_version=? AND a.hash=?"
		if _, err := w.tx.ExecContext(ctx, before, w.Project.ID, w.Project.GroupingVersion, as[:]); err != nil {
			return err
		}
	}
	return nil
}

// WholeIssue finds the issue that a new one turned out to be, all of whose
// traces had frames left out; 0: none, or it holds others as well.
func (s *Service) WholeIssue(ctx context.Context, p *projects.Project, id int64) (into int64, err error) {
	const query = "SELECT MIN(b.issue), COUNT(DISTINCT b.issue), COUNT(*), SUM(b.issue IS NOT NULL) FROM alias a" +
		" LEFT JOIN seen_as s ON s.project=a.project AND s.grouping_version=a.grouping_version AND s.hash=a.hash AND s.either=0" +
		" LEFT JOIN alias b ON b.project=s.project AND b.grouping_version=s.grouping_version AND b.hash=s.fingerprint" +
		" WHERE a.issue=? AND a.project=? AND a.grouping_version=?"
	var to, known sql.NullInt64
	var issues, all int
	err = s.db.QueryRowContext(ctx, query, id, p.ID, p.GroupingVersion).Scan(&to, &issues, &all, &known)
	if err != nil || issues != 1 || int64(all) != known.Int64 || to.Int64 == id {
		return 0, err
	}
	return to.Int64, nil
}

// staysHash is a fingerprint without the places of its functions: those move.
func staysHash(print fingerprint.Result) []byte {
	h := db.NameHash(print.Stays)
	return h[:]
}
