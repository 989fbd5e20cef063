package triage

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// Many are the issues of a project that a decision is about.
type Many struct {
	List    Lister          // all that it lists
	Numbers map[int64]int64 // or these, each with the version that who decides has seen; 0: whichever
	// Still is asked before each issue whether who decides may do so still; nil: they
	// may. Where they may no more, the rest is refused.
	Still func(context.Context) error
}

// Lister lists issues page by page; next is nil on the last one.
type Lister func(ctx context.Context, after *issues.IssueCursor, limit int) (list []*issues.Issue,
	next *issues.IssueCursor, err error)

// mayStill says why the rest of a decision is refused; "" when it is not.
func mayStill(ctx context.Context, still func(context.Context) error) (why string, err error) {
	if still == nil {
		return "", nil
	}
	err = still(ctx)
	f, ok := errors.AsType[*problem.Error](err)
	if ok && (f.Code == problem.Forbidden || f.Code == problem.NotFound || f.Code == problem.Unauthorized) {
		return "you may not decide about it any more: a role, a token or the session was taken away meanwhile", nil
	}
	return "", err
}

// ManyDone is what became of a decision about many issues.
type ManyDone struct {
	Bulk    int64 // to undo it by; 0 when nothing was done
	Done    []int64
	Refused map[int64]string // by number, and why
}

// maxMany is how many issues are decided about at once.
const maxMany = 10_000

// Find lists the issues that a decision is about: number → version.
func (s *Service) Find(ctx context.Context, p *projects.Project, m Many) (map[int64]int64, error) {
	if len(m.Numbers) > 0 {
		return m.Numbers, nil
	}
	found := map[int64]int64{}
	var after *issues.IssueCursor
	for {
		list, next, err := m.List(ctx, after, 500)
		if err != nil {
			return nil, err
		}
		for _, is := range list {
			found[is.Number] = is.Version
		}
		if len(found) > maxMany {
			return nil, problem.New(problem.BadInput, "more than %d issues fit; narrow the filter", maxMany)
		}
		if after = next; next == nil {
			return found, nil
		}
	}
}

// ActMany performs an action on many issues, each in its own transaction. One
// that another person changed since it was read stays as it is, and is named.
func (s *Service) ActMany(ctx context.Context, p *projects.Project, m Many, a issue.Action, why string,
	who accounts.Actor) (*ManyDone, error) {
	found, err := s.Find(ctx, p, m)
	if err != nil {
		return nil, err
	}
	d, err := s.decide(ctx, a, why, who)
	if err != nil {
		return nil, err
	}
	res, err := s.db.ExecContext(ctx, "INSERT INTO bulk (project, at, actor_kind, actor, verb, issues) VALUES (?,?,?,?,?,0)", p.ID, db.Micros(s.db.Now()), who.Kind, who.Name, string(a.Verb))
	if err != nil {
		return nil, err
	}
	if d.bulk, err = res.LastInsertId(); err != nil {
		return nil, err
	}
	out := &ManyDone{Bulk: d.bulk, Refused: map[int64]string{}}
	for _, n := range slices.Sorted(maps.Keys(found)) {
		stopped, err := mayStill(ctx, m.Still)
		if stopped != "" {
			out.Refused[n] = stopped
			continue
		}
		if err == nil {
			err = s.actOn(ctx, p, n, d, found[n])
		}
		if f, ok := errors.AsType[*problem.Error](err); ok {
			out.Refused[n] = f.Pub
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("%s/%d, after %d others: %w", p.Name, n, len(out.Done), err)
		}
		out.Done = append(out.Done, n)
	}
	if len(out.Done) == 0 {
		out.Bulk = 0
	}
	_, err = s.db.ExecContext(ctx, "UPDATE bulk SET issues=? WHERE id=?", len(out.Done), d.bulk)
	return out, err
}

func (s *Service) actOn(ctx context.Context, p *projects.Project, number int64, d decision, version int64) error {
	id, into, err := s.issues.IssueID(ctx, p, number)
	if err != nil {
		return err
	}
	if into != 0 {
		return problem.New(problem.Conflict, "it was merged into %s", s.issues.IssueName(ctx, s.db, into))
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error { return s.act(ctx, tx, id, d, version) })
}

// UndoMany takes a decision about many issues back, for each whose newest
// decision it still is.
func (s *Service) UndoMany(ctx context.Context, p *projects.Project, bulk int64, who accounts.Actor,
	still func(context.Context) error) (*ManyDone, error) {
	var undone sql.NullInt64
	err := s.db.QueryRowContext(ctx, "SELECT undone FROM bulk WHERE id=? AND project=?", bulk, p.ID).Scan(&undone)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "there is no decision %d about many issues of %s", bulk, p.Name)
	}
	if err != nil {
		return nil, err
	}
	if undone.Valid {
		return nil, problem.New(problem.Conflict, "decision %d was undone already", bulk)
	}
	d, err := s.decide(ctx, issue.Action{Verb: issue.Undo}, "", who)
	if err != nil {
		return nil, err
	}
	out := &ManyDone{Bulk: bulk, Refused: map[int64]string{}}
	type hit struct{ entry, issue, number int64 }
	var hits []hit
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var h hit
		err := r.Scan(&h.entry, &h.issue, &h.number)
		hits = append(hits, h)
		return err
	}, "SELECT h.id, h.issue, i.number FROM history h JOIN issue i ON i.id=h.issue WHERE h.bulk=? AND h.undone=0 ORDER BY i.number", bulk)
	if err != nil {
		return nil, err
	}
	for _, h := range hits {
		stopped, err := mayStill(ctx, still)
		if err != nil {
			return nil, err
		}
		if stopped != "" {
			out.Refused[h.number] = stopped
			continue
		}
		err = s.db.InTx(ctx, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, p.ID); err != nil {
				return err
			}
			last, err := lastUndoable(ctx, tx, h.issue)
			if err != nil {
				return err
			}
			if last.entry != h.entry {
				return problem.New(problem.Conflict, "it was decided about since")
			}
			return s.act(ctx, tx, h.issue, d, 0)
		})
		if f, ok := errors.AsType[*problem.Error](err); ok {
			out.Refused[h.number] = f.Pub
			continue
		}
		if err != nil {
			return nil, err
		}
		out.Done = append(out.Done, h.number)
	}
	_, err = s.db.ExecContext(ctx, "UPDATE bulk SET undone=? WHERE id=?", db.Micros(s.db.Now()), bulk)
	return out, err
}
