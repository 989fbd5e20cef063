package moves

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/tickets"
	"firethorn/internal/usecase/ingest"
)

// lateChunk is how many variants are read again between two transactions.
const lateChunk = 100

// Rereading lists the projects with variants that are to be looked at again,
// for symbols came.
func (s *Service) Rereading(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM variant WHERE again=1")
}

// late is the work on variants of one issue that became readable.
type late struct {
	s       *Service
	p       *projects.Project
	issue   int64
	version int64 // of the symbols that they were read with
	read    []*reread
	touched map[int64]bool // issues that other events show now
}

// reread is a variant as it reads now.
type reread struct {
	id, events int64
	print      []byte // it was processed under
	gone       bool   // no body that can be read is kept of it
	now        Readable
	through    fingerprint.Key
	key        fingerprint.Key // what it counts for now
	target     int64
}

// ReadAgain reads variants of a project again whose frames could not be read:
// one body of each tells for all, for their raw frames are the same. Those that
// can be read now move to the issues they belong in; an issue that this empties
// leads to where most of its events went. more says that there is more to do.
// It can be stopped at any time.
func (s *Service) ReadAgain(ctx context.Context, p *projects.Project, read Reader) (more bool, err error) {
	l := &late{s: s, p: p, touched: map[int64]bool{}}
	err = s.db.QueryRowContext(ctx, "SELECT v.issue, c.symbols_version FROM variant v JOIN project_counter c ON c.project=v.project WHERE v.again=1 AND v.project=? ORDER BY v.id LIMIT 1", p.ID).Scan(&l.issue, &l.version)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if err := l.load(ctx, read); err != nil {
		return false, fmt.Errorf("variants of issue %d: %w", l.issue, err)
	}
	if err := s.db.InTx(ctx, func(tx *sql.Tx) error { return l.move(ctx, tx) }); err != nil {
		return false, fmt.Errorf("variants of issue %d: %w", l.issue, err)
	}
	return true, l.show(ctx, read)
}

func (l *late) load(ctx context.Context, read Reader) error {
	err := db.Each(ctx, l.s.db, func(r *sql.Rows) error {
		x := &reread{}
		err := r.Scan(&x.id, &x.events, &x.print)
		l.read = append(l.read, x)
		return err
	}, "SELECT id, events, fingerprint FROM variant WHERE again=1 AND project=? AND issue=? ORDER BY id LIMIT ?", l.p.ID, l.issue, lateChunk)
	if err != nil {
		return err
	}
	for _, x := range l.read {
		body, err := l.s.events.NewestExemplar(ctx, x.id)
		if errors.Is(err, events.ErrNoBody) {
			x.gone = true
			continue
		}
		if err != nil {
			return err
		}
		raw, err := pipeline.Decompress(body)
		if err != nil {
			return err
		}
		ok := false
		if x.now, ok, err = read.try(ctx, raw); err != nil {
			return err
		}
		if x.gone = !ok; x.gone {
			continue
		}
		if x.key = x.now.Print.Key; x.now.Print.Caller != "" {
			x.through = x.now.Print.Through(x.now.Event, x.now.Frames).Key
		}
	}
	return nil
}

func (l *late) move(ctx context.Context, tx *sql.Tx) error {
	var version int64
	var grouping int
	if err := tx.QueryRowContext(ctx, "SELECT c.symbols_version, p.grouping_version FROM project_counter c JOIN project p ON p.id=c.project WHERE c.project=? FOR UPDATE", l.p.ID).Scan(&version, &grouping); err != nil {
		return err
	}
	if version != l.version || grouping != l.p.GroupingVersion {
		return nil // more symbols came meanwhile, or another way of grouping: read once more
	}
	from, err := l.s.SideByID(ctx, tx, l.issue)
	if err != nil {
		return err
	}
	var readable []*reread
	for _, x := range l.read {
		var there bool
		if err := tx.QueryRowContext(ctx, "SELECT issue=? AND again=1 FROM variant WHERE id=?", l.issue,
			x.id).Scan(&there); err != nil {
			return err
		}
		switch {
		case !there: // somebody moved it meanwhile
		case x.gone || x.now.Print.Provisional:
			if _, err := tx.ExecContext(ctx, "UPDATE variant SET again=0 WHERE id=?", x.id); err != nil {
				return err
			}
		default:
			readable = append(readable, x)
		}
	}
	if len(readable) == 0 {
		return nil
	}
	if err := l.choose(ctx, tx, readable); err != nil {
		return err
	}
	byTarget := map[int64][]*reread{}
	for _, x := range readable {
		byTarget[x.target] = append(byTarget[x.target], x)
	}
	for target, list := range byTarget {
		if err := l.settle(ctx, tx, list); err != nil {
			return err
		}
		l.touched[target] = true
		if target == l.issue {
			continue
		}
		if err := l.moveTo(ctx, tx, from, target, list); err != nil {
			return err
		}
	}
	if err := l.fold(ctx, tx, from, byTarget); err != nil {
		return err
	}
	return projects.Touch(ctx, tx, l.p.ID)
}

// choose finds the issue of each variant: that of its fingerprint; where there
// is none yet, the issue it is in, if nothing that cannot be read stays there
// and no other bug has claimed it; else a new one.
func (l *late) choose(ctx context.Context, tx *sql.Tx, list []*reread) error {
	slices.SortStableFunc(list, func(a, b *reread) int { return cmp.Compare(b.events, a.events) })
	var others int
	ids := []any{l.issue}
	for _, x := range list {
		ids = append(ids, x.id)
	}
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM variant WHERE issue=? AND id NOT IN ("+db.Marks(len(list))+")", ids...).Scan(&others); err != nil {
		return err
	}
	claimed := others > 0
	for _, x := range list {
		if x.through != (fingerprint.Key{}) {
			var looked bool
			err := tx.QueryRowContext(ctx, "SELECT looked FROM alias WHERE project=? AND grouping_version=? AND hash=?", l.p.ID, l.p.GroupingVersion, x.key[:]).Scan(&looked)
			if err != nil && !errors.Is(err, sql.ErrNoRows) {
				return err
			}
			if looked {
				x.key = x.through
			}
		}
		var err error
		if x.target, err = issues.AliasOf(ctx, tx, l.p.ID, l.p.GroupingVersion, x.key); err != nil {
			return err
		}
		if x.target != 0 {
			claimed = claimed || x.target == l.issue
			continue
		}
		if x.target = l.issue; !claimed {
			if err := ingest.AskMoved(ctx, tx, l.p.ID, x.target); err != nil {
				return err
			}
		}
		if claimed {
			if x.target, err = l.newIssue(ctx, tx, x); err != nil {
				return err
			}
		}
		claimed = true
		if err := issues.AddAlias(ctx, tx, l.p.ID, l.p.GroupingVersion, x.key, x.target); err != nil {
			return err
		}
	}
	return nil
}

func (l *late) newIssue(ctx context.Context, tx *sql.Tx, x *reread) (int64, error) {
	number, err := projects.NextIssue(ctx, tx, l.p.ID)
	if err != nil {
		return 0, err
	}
	// Where its rows are on their way, the span is rebuilt when they arrive.
	var thrown int64
	if err := tx.QueryRowContext(ctx, "SELECT COALESCE(MIN(first_seen), ?) FROM issue_env WHERE variant=? AND issue=?", db.Micros(l.s.db.Now()), x.id, l.issue).Scan(&thrown); err != nil {
		return 0, err
	}
	to, err := l.s.NewPart(ctx, tx, l.p, number, ingest.ShownBy(x.now.Print, x.now.Event), 0, thrown)
	if err != nil {
		return 0, err
	}
	return to.ID, ingest.AskMoved(ctx, tx, l.p.ID, to.ID)
}

// settle writes down what variants are now.
func (l *late) settle(ctx context.Context, tx *sql.Tx, list []*reread) error {
	if len(list) > 0 {
		if err := issues.MembersChanged(ctx, tx, l.p.ID); err != nil {
			return err
		}
	}
	for _, x := range list {
		if _, err := tx.ExecContext(ctx, "UPDATE variant SET provisional=0, again=0, sketched=0, fingerprint=?, base=?, base_fingerprint=NULL, looked=? WHERE id=?", x.key[:], x.now.Print.Variant[:], x.key != x.now.Print.Key, x.id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM variant_file WHERE variant=?", x.id); err != nil {
			return err
		}
		fact := ingest.FactOf(x.id, l.p.ID, x.now.Print, x.now.Event)
		if err := issues.WriteFacts(ctx, tx, []issues.Fact{fact}); err != nil {
			return err
		}
		// Splits that are for the fingerprint are for these events too.
		const splits = "SELECT s.id FROM split_alias a JOIN split s ON s.id=a.split WHERE a.hash=? AND a.grouping_version=? AND s.project=? AND s.active=1"
		ids, err := db.Numbers(ctx, tx, splits, x.key[:], l.p.GroupingVersion, l.p.ID)
		if err != nil {
			return err
		}
		for _, id := range ids {
			if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO split_late (split, variant) VALUES (?,?)", id, x.id); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, "UPDATE split SET looking=1, filing=(SELECT filing FROM project_counter WHERE project=?) WHERE id=?", l.p.ID, id); err != nil {
				return err
			}
		}
	}
	return nil
}

// moveTo moves variants to the issue they belong in, as a merge does.
func (l *late) moveTo(ctx context.Context, tx *sql.Tx, from *Side, target int64, list []*reread) error {
	to, err := l.s.SideByID(ctx, tx, target)
	if err != nil {
		return err
	}
	m := &Move{Project: l.p.ID, Kind: moveLate, From: from.ID, To: to.ID}
	who := accounts.Actor{Kind: "service"}
	if err := l.s.NewMove(ctx, tx, m, who, from, to); err != nil {
		return err
	}
	var rows [][]any
	events := int64(0)
	for _, x := range list {
		rows = append(rows, []any{m.ID, x.id})
		events += x.events
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO move_variant (move, variant)", "", rows); err != nil {
		return err
	}
	regressed, err := l.s.RegressByMove(ctx, tx, l.p, m, to)
	if err != nil {
		return err
	}
	if err := l.s.Flip(ctx, tx, m); err != nil {
		return err
	}
	if err := l.s.AddRegression(ctx, tx, l.p.ID, to.ID, regressed); err != nil {
		return err
	}
	if err := l.s.AddMoveHistory(ctx, tx, to.ID, nil, who, "symbols", fmt.Sprintf("%s came here from %s/%d: symbols made their traces readable", text.Counted(events, "event"), l.p.Name, from.Number)); err != nil {
		return err
	}
	return l.s.AddMoveHistory(ctx, tx, from.ID, nil, who, "symbols",
		fmt.Sprintf("%s went to %s/%d: symbols made their traces readable", text.Counted(events, "event"), l.p.Name,
			to.Number))
}

// fold ends what stood for traces that could not be read: fingerprints that no
// variant of the issue has any more lead nowhere, so that what cannot be read
// in another release has an issue of its own; and an issue that nothing is left
// of leads to where most of its events went.
func (l *late) fold(ctx context.Context, tx *sql.Tx, from *Side, byTarget map[int64][]*reread) error {
	for _, list := range byTarget {
		for _, x := range list {
			const unused = "DELETE FROM alias WHERE project=? AND grouping_version=? AND hash=? AND issue=? AND NOT EXISTS (SELECT 1 FROM variant v WHERE v.issue=? AND v.fingerprint=?)"
			if _, err := tx.ExecContext(ctx, unused, l.p.ID, l.p.GroupingVersion, x.print, l.issue, l.issue,
				x.print); err != nil {
				return err
			}
		}
	}
	if empty, err := issues.Empty(ctx, tx, l.issue); err != nil || !empty {
		return err
	}
	var into, limit int64
	for target, list := range byTarget {
		events := int64(0)
		for _, x := range list {
			events += x.events
		}
		if into == 0 || events > limit || events == limit && target < into {
			into, limit = target, events
		}
	}
	if err := issues.LeadTo(ctx, tx, l.issue, into); err != nil {
		return err
	}
	if err := tickets.Changed(ctx, tx, into, 0, l.s.db.Now()); err != nil {
		return err
	}
	return l.s.AddMoveHistory(ctx, tx, l.issue, nil, accounts.Actor{Kind: "service"}, "symbols",
		fmt.Sprintf("leads to %s now; it was %s", l.s.issues.IssueName(ctx, tx, into), issue.Describe(from.Status)))
}

// show lets the issues that events came to, or stayed in, be shown by the
// newest event, readable.
func (l *late) show(ctx context.Context, read Reader) error {
	for id := range l.touched {
		e, err := l.s.NewestOf(ctx, l.p.ID, id, read)
		if err != nil {
			return err
		}
		err = l.s.db.InTx(ctx, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, l.p.ID); err != nil {
				return err
			}
			return ShowAgain(ctx, tx, id, e)
		})
		if err != nil {
			return err
		}
	}
	return nil
}
