package moves

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/moved"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
)

// The kinds of move by which a new issue becomes part of a known one.
const (
	moveFollow MoveKind = "follow" // its function moved to another file
	moveJoin   MoveKind = "join"   // its traces lack frames that others have
)

// leftOut is what an issue's history says of traces that joined it.
const leftOut = "joined: these traces lack frames; traces from other engines show that it is the same bug"

// maxMovedFrom is how many issues of one function name a new one is compared
// with: beyond, nobody can tell which of them moved.
const maxMovedFrom = 100

// RenamesOf lists the files that version control says were renamed between two
// releases of a project; nil where it says nothing.
type RenamesOf func(ctx context.Context, p *projects.Project, from, to string) (moved.Renames, error)

// Moving lists the projects with new issues that are to be compared with known ones.
func (s *Service) Moving(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM moved_check")
}

// FollowMoved takes the next new issue of a project and finds out whether it is
// a known one whose function went to another file (core/moved). Where it is,
// its events go to that one, and so do all new ones. more says that there
// may be others to look at.
func (s *Service) FollowMoved(ctx context.Context, p *projects.Project, units *pipeline.Units,
	renames RenamesOf) (more bool, err error) {
	var id int64
	err = s.db.QueryRowContext(ctx, "SELECT issue FROM moved_check WHERE project=? ORDER BY issue LIMIT 1", p.ID).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	kind, text := moveJoin, leftOut
	into, err := s.ingest.WholeIssue(ctx, p, id)
	if err == nil && into == 0 {
		f := &movedFrom{s: s, p: p, units: units, renames: renames, read: ReaderOf(p.Project, units)}
		var how moved.Followed
		into, how, err = f.find(ctx, id)
		kind, text = moveFollow, how.String()
	}
	if err != nil {
		return false, fmt.Errorf("what issue %d was before: %w", id, err)
	}
	return true, s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM moved_check WHERE issue=?", id); err != nil || into == 0 {
			return err
		}
		return s.followInto(ctx, tx, p, id, into, kind, text)
	})
}

// CountFollowed is how many issues of the last days were known ones, whose
// function had moved; undone ones do not count.
func (s *Service) CountFollowed(ctx context.Context, project int64, days int) (n int, err error) {
	const query = "SELECT COUNT(*) FROM move WHERE project=? AND kind='follow' AND undone_by IS NULL AND at>=?"
	err = s.db.QueryRowContext(ctx, query, project, db.Micros(s.db.Now().AddDate(0, 0, -days))).Scan(&n)
	return n, err
}

// movedFrom is the search for the issue that a new one was before.
type movedFrom struct {
	s       *Service
	p       *projects.Project
	units   *pipeline.Units
	renames RenamesOf
	read    Reader
}

// seenAt is an issue by its newest event.
type seenAt struct {
	origin  moved.Origin
	release string
}

// find gives the issue that another was before it moved, 0 if there is none,
// or more than one that it could be.
func (f *movedFrom) find(ctx context.Context, id int64) (into int64, how moved.Followed, err error) {
	var function, state string
	err = f.s.db.QueryRowContext(ctx, "SELECT origin_function, state FROM issue_list WHERE issue=?", id).Scan(&function, &state)
	if errors.Is(err, sql.ErrNoRows) || err == nil && (function == "" || state != string(issue.New)) {
		return 0, how, nil
	}
	if err != nil {
		return 0, how, err
	}
	now, ok, err := f.seen(ctx, id, "")
	if err != nil || !ok {
		return 0, how, err
	}
	// Those processed by older programs are found by the event that shows them.
	const known = "SELECT l.issue FROM issue_list l JOIN (SELECT issue FROM variant WHERE project=? AND stays=? UNION SELECT issue FROM issue_list WHERE project=? AND origin_function=?) x ON x.issue=l.issue" +
		" WHERE l.issue<>? AND l.state<>'dismissed' ORDER BY l.issue LIMIT ?"
	others, err := db.Numbers(ctx, f.s.db, known, f.p.ID, db.Hash16(now.origin.Stays), f.p.ID, function, id,
		maxMovedFrom+1)
	if err != nil || len(others) > maxMovedFrom {
		return 0, how, err
	}
	newer := f.units.Sources(ctx, f.p.ID, now.release)
	for _, other := range others {
		then, ok, err := f.seen(ctx, other, now.origin.Stays)
		if err != nil {
			return 0, how, err
		}
		if !ok {
			continue
		}
		step, ok, err := f.follows(ctx, now, then, newer)
		if err != nil {
			return 0, how, err
		}
		if ok && into != 0 {
			return 0, how, nil // it could be either
		}
		if ok {
			into, how = other, step
		}
	}
	return into, how, newer.Err()
}

// follows compares a new issue with a known one.
func (f *movedFrom) follows(ctx context.Context, now, then seenAt,
	newer *pipeline.Sources) (how moved.Followed, ok bool, err error) {
	order, err := f.s.releases.OrderOf(ctx, f.p, then.release, now.release)
	if err != nil || order.Compare >= 0 {
		return how, false, err
	}
	older := f.units.Sources(ctx, f.p.ID, then.release)
	step := moved.Step{Now: now.origin, Then: then.origin, Newer: newer, Older: older}
	if f.renames != nil {
		if step.Renames, err = f.renames(ctx, f.p, then.release, now.release); err != nil {
			return how, false, err
		}
	}
	how.Release = now.release
	how.From, how.To, how.Like, ok = step.Follows()
	return how, ok, errors.Join(newer.Err(), older.Err())
}

// maxSeen is how many kept events of an issue are read to find one that says what
// is asked.
const maxSeen = 20

// seen reads an issue's newest event whose function can be followed; where
// stays is given, of those that are blamed on it. In an issue there are events
// of engines that leave frames out, too.
func (f *movedFrom) seen(ctx context.Context, id int64, stays string) (at seenAt, ok bool, err error) {
	e, err := f.s.NewestOf(ctx, f.p.ID, id, f.read)
	if err != nil {
		return at, false, err
	}
	if at, ok, err = f.origin(ctx, e, stays); err != nil || ok {
		return at, ok, err
	}
	var bodies [][]byte
	err = db.Each(ctx, f.s.db, func(r *sql.Rows) error {
		var body []byte
		err := r.Scan(&body)
		bodies = append(bodies, body)
		return err
	}, "SELECT e.body FROM variant v JOIN exemplar e ON e.variant=v.id WHERE v.issue=? ORDER BY e.thrown DESC, e.event DESC LIMIT ?", id, maxSeen)
	if err != nil {
		return at, false, err
	}
	for _, body := range bodies {
		raw, err := pipeline.Decompress(body)
		if err != nil {
			return at, false, err
		}
		e, ok, err := f.read.try(ctx, raw)
		if err != nil {
			return at, false, err
		}
		if !ok {
			continue
		}
		if at, ok, err = f.origin(ctx, &e, stays); err != nil || ok {
			return at, ok, err
		}
	}
	return at, false, nil
}

// origin is what an event blames, where that can be followed.
func (f *movedFrom) origin(ctx context.Context, e *Readable, stays string) (at seenAt, ok bool, err error) {
	if e == nil || e.Event.Release() == "" || stays != "" && e.Print.Stays != stays {
		return at, false, nil
	}
	if err := f.units.Digests(ctx, f.p.Project, e.Event, e.Frames); err != nil {
		return at, false, err
	}
	at.release = e.Event.Release()
	at.origin, ok = moved.OriginOf(&e.Print, e.Frames)
	return at, ok, nil
}

// followInto merges a new issue into the one it was before, as long as nobody
// has decided about it.
func (s *Service) followInto(ctx context.Context, tx *sql.Tx, p *projects.Project, id, into int64, kind MoveKind,
	text string) error {
	from, err := s.SideByID(ctx, tx, id)
	if err != nil {
		return err
	}
	to, err := s.SideByID(ctx, tx, into)
	if err != nil {
		return err
	}
	if from.into != 0 || to.into != 0 || from.State != issue.New {
		return nil
	}
	return s.mergeAs(ctx, tx, p, from, to, because{kind, accounts.Actor{Kind: "service"}, text})
}
