package regrouping

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// partRow is a part that goes somewhere.
type partRow struct {
	aVariant
	hash, print, plain        fingerprint.Key
	rule                      string
	looksThrough, provisional bool
	parts                     string
	show                      shownEvent
	target, fresh             int64
}

const partSelect = "SELECT v.id, v.issue, v.events, v.grouping_version, v.rules_version, COALESCE(v.base_fingerprint, v.fingerprint) AS filed, v.base_fingerprint IS NOT NULL AS part, v.looked," +
	" p.hash, p.fingerprint, p.plain_fingerprint, p.rule, p.looked AS looks_through, p.provisional, p.parts, p.shown, p.target, p.fresh FROM regroup_part p JOIN variant v ON v.id=p.variant WHERE p.regroup=? AND p.pass=? AND p.done=0 AND p.whole=? AND (p.target<>0 OR p.fresh<>0)"

func scanPart(r *sql.Rows) (*partRow, error) {
	var p partRow
	var stored, hash, print, plain []byte
	var shown string
	if err := db.ScanNames(r,
		db.Into{"id": &p.id, "issue": &p.issue, "events": &p.events, "grouping_version": &p.version,
			"rules_version": &p.rules, "filed": &stored, "part": &p.part, "looked": &p.aVariant.looked, "hash": &hash,
			"fingerprint": &print, "plain_fingerprint": &plain, "rule": &p.rule, "looks_through": &p.looksThrough,
			"provisional": &p.provisional, "parts": &p.parts, "shown": &shown, "target": &p.target,
			"fresh": &p.fresh}); err != nil {
		return nil, err
	}
	p.stored, p.hash, p.print = fingerprint.Key(stored), fingerprint.Key(hash), fingerprint.Key(print)
	if plain != nil {
		p.plain = fingerprint.Key(plain)
	}
	return &p, json.Unmarshal([]byte(shown), &p.show)
}

// maxTogether is how many variants one move takes along.
const maxTogether = 200

// move makes the next move of the plan: whole variants of one issue that go to
// another together, then events of variants that come apart; in the end what
// is empty leads on.
func (w *regrouping) move(ctx context.Context) error {
	for _, whole := range []bool{true, false} {
		p, err := db.First(ctx, w.s.db, scanPart, partSelect+" ORDER BY p.variant, p.hash LIMIT 1", w.ID, w.pass,
			whole)
		if errors.Is(err, sql.ErrNoRows) {
			continue
		}
		if err != nil {
			return err
		}
		return w.s.db.InTx(ctx, func(tx *sql.Tx) error {
			ok, err := w.lock(ctx, tx)
			if err != nil || !ok {
				return err
			}
			if whole {
				return w.moveWhole(ctx, tx, p)
			}
			// People may have merged in between, or another process come further.
			p, err := db.First(ctx, tx, scanPart, partSelect+" AND p.variant=? AND p.hash=?", w.ID, w.pass, false,
				p.id, p.hash[:])
			if errors.Is(err, sql.ErrNoRows) {
				return nil
			}
			if err != nil {
				return err
			}
			return w.moveApart(ctx, tx, p)
		})
	}
	return w.finish(ctx)
}

// lock takes the project's lock, and says whether the regrouping is still as
// it was read.
func (w *regrouping) lock(ctx context.Context, tx *sql.Tx) (ok bool, err error) {
	if err := projects.Lock(ctx, tx, w.Project); err != nil {
		return false, err
	}
	err = tx.QueryRowContext(ctx, "SELECT state=? AND pass=? FROM regroup WHERE id=?", string(w.State), w.pass,
		w.ID).Scan(&ok)
	return ok, err
}

// targetOf is the issue that a part goes to, made if it is to be; one that was
// merged since leads on.
func (w *regrouping) targetOf(ctx context.Context, tx *sql.Tx, p *partRow) (*moves.Side, error) {
	target := p.target
	if p.fresh != 0 { // unless what came meanwhile has made it
		err := tx.QueryRowContext(ctx, "SELECT issue FROM variant WHERE project=? AND grouping_version=? AND fingerprint=? AND id>? ORDER BY id LIMIT 1", w.Project, w.p.GroupingVersion, p.print[:], w.last).Scan(&target)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return nil, err
		}
	}
	if target != 0 && p.fresh != 0 {
		if err := w.aim(ctx, tx, p.fresh, target); err != nil {
			return nil, err
		}
	} else if p.fresh != 0 {
		number, err := projects.NextIssue(ctx, tx, w.Project)
		if err != nil {
			return nil, err
		}
		to, err := w.s.moves.NewPart(ctx, tx, w.p, number, p.show.shown(), p.show.Position, p.show.Thrown)
		if err != nil {
			return nil, err
		}
		if err := w.aim(ctx, tx, p.fresh, to.ID); err != nil {
			return nil, err
		}
		for _, q := range []struct {
			text string
			args []any
		}{
			{"INSERT INTO regroup_issue (regroup, issue, made) VALUES (?,?,1)", []any{w.ID, to.ID}},
			{"UPDATE regroup SET made=made+1 WHERE id=?", []any{w.ID}},
		} {
			if _, err := tx.ExecContext(ctx, q.text, q.args...); err != nil {
				return nil, err
			}
		}
		return to, nil
	}
	return w.s.moves.LeadsTo(ctx, tx, target)
}

// moveWhole moves variants that go as they are.
func (w *regrouping) moveWhole(ctx context.Context, tx *sql.Tx, first *partRow) error {
	var list []*partRow
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		p, err := scanPart(r)
		list = append(list, p)
		return err
	}, partSelect+" AND v.issue=? AND p.target=? AND p.fresh=? ORDER BY p.variant LIMIT ?", w.ID, w.pass, true, first.issue, first.target, first.fresh, maxTogether)
	if err != nil || len(list) == 0 { // somebody moved them meanwhile: they are found again
		return err
	}
	to, err := w.targetOf(ctx, tx, list[0])
	if err != nil {
		return err
	}
	var ids, events int64
	var rows [][]any
	for _, p := range list {
		if err := w.rehash(ctx, tx, p); err != nil {
			return err
		}
		if err := w.lead(ctx, tx, p, to.ID); err != nil {
			return err
		}
		ids, events = ids+1, events+p.events
		if err := w.partDone(ctx, tx, p); err != nil {
			return err
		}
	}
	if to.ID == first.issue {
		return nil
	}
	m, err := w.newMove(ctx, tx, first.issue, to)
	if err != nil {
		return err
	}
	for _, p := range list {
		rows = append(rows, []any{m.ID, p.id})
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO move_variant (move, variant)", "", rows); err != nil {
		return err
	}
	regressed, err := w.s.moves.RegressByMove(ctx, tx, w.p, m, to)
	if err != nil {
		return err
	}
	if err := w.s.moves.Flip(ctx, tx, m); err != nil {
		return err
	}
	return w.addHistory(ctx, tx, m, to, events, first.rule, regressed)
}

func (w *regrouping) newMove(ctx context.Context, tx *sql.Tx, from int64, to *moves.Side) (*moves.Move, error) {
	src, err := w.s.moves.SideByID(ctx, tx, from)
	if err != nil {
		return nil, err
	}
	m := &moves.Move{Project: w.Project, Kind: moves.MoveAnew, From: from, To: to.ID, Regroup: w.ID}
	return m, w.s.moves.NewMove(ctx, tx, m, w.Actor, src, to)
}

// addHistory writes a move into the history of both sides.
func (w *regrouping) addHistory(ctx context.Context, tx *sql.Tx, m *moves.Move, to *moves.Side, events int64,
	rule string, regressed *issue.Entry) error {
	why := "grouping version " + fmt.Sprint(w.p.GroupingVersion)
	if rule != "" {
		why = "the rule “" + rule + "”"
	}
	if w.pass > 0 {
		why = "the regrouping was undone"
	}
	if _, err := tx.ExecContext(ctx, "UPDATE regroup SET events=events+? WHERE id=?", events, w.ID); err != nil {
		return err
	}
	if err := w.s.moves.AddRegression(ctx, tx, w.Project, to.ID, regressed); err != nil {
		return err
	}
	from := w.s.issues.IssueName(ctx, tx, m.From)
	if err := w.s.moves.AddMoveHistory(ctx, tx, m.To, nil, w.Actor, "regroup",
		fmt.Sprintf("%s came here from %s: %s", text.Counted(events, "event"), from, why)); err != nil {
		return err
	}
	if err := w.s.moves.AddMoveHistory(ctx, tx, m.From, nil, w.Actor, "regroup",
		fmt.Sprintf("%s went to %s/%d: %s", text.Counted(events, "event"), w.p.Name, to.Number, why)); err != nil {
		return err
	}
	return projects.Touch(ctx, tx, w.Project)
}

// rehash lets a variant count for its new fingerprint. What comes from now on
// makes a variant of its own, so that an undo can tell it apart. What people
// split off by hand keeps its own.
func (w *regrouping) rehash(ctx context.Context, tx *sql.Tx, p *partRow) error {
	if p.part && p.rule == "" || p.stored == p.print && p.version == w.p.GroupingVersion {
		return nil
	}
	const save = "INSERT IGNORE INTO regroup_variant (regroup, variant, grouping_version, hash, fingerprint, base, base_fingerprint, looked, rules_version, parts)" +
		" SELECT ?, id, grouping_version, hash, fingerprint, base, base_fingerprint, looked, rules_version, parts FROM variant WHERE id=?"
	if _, err := tx.ExecContext(ctx, save, w.ID, p.id); err != nil {
		return err
	}
	hash := w.retired(p.hash, p.id)
	_, err := tx.ExecContext(ctx, "UPDATE variant SET grouping_version=?, hash=?, fingerprint=?, base=NULL, base_fingerprint=NULL, looked=?, provisional=?, rules_version=?, parts=?, sketched=0 WHERE id=?",
		w.p.GroupingVersion, hash[:], p.print[:], p.looksThrough, p.provisional, w.p.RulesVersion, p.parts, p.id)
	return err
}

// lead lets the fingerprint of a part lead to an issue, for the splits that
// were for the one before as well.
func (w *regrouping) lead(ctx context.Context, tx *sql.Tx, p *partRow, to int64) error {
	if p.part && p.rule == "" {
		return nil
	}
	if err := w.alias(ctx, tx, p.print, to, "issue=VALUES(issue)", false); err != nil {
		return err
	}
	if p.looksThrough && p.plain != (fingerprint.Key{}) {
		if err := w.alias(ctx, tx, p.plain, to, "looked=1", true); err != nil {
			return err
		}
	}
	if p.rule != "" || p.print == p.stored {
		return nil
	}
	v := otherVariant{id: p.id, issue: to, version: p.version, rules: p.rules, looked: p.aVariant.looked}
	return carry(ctx, tx, w.Project, w.p.GroupingVersion, v, p.stored, p.print)
}

func (w *regrouping) alias(ctx context.Context, tx *sql.Tx, key fingerprint.Key, to int64, there string,
	looked bool) error {
	const save = "INSERT IGNORE INTO regroup_alias (regroup, grouping_version, hash, issue) VALUES (?,?,?,(SELECT issue FROM alias WHERE project=? AND grouping_version=? AND hash=?))"
	version := w.p.GroupingVersion
	if _, err := tx.ExecContext(ctx, save, w.ID, version, key[:], w.Project, version, key[:]); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO alias (project, grouping_version, hash, issue, looked) VALUES (?,?,?,?,?) ON DUPLICATE KEY UPDATE "+there, w.Project, version, key[:], to, looked)
	return err
}

// following says whether rows of the project are still on their way.
func (w *regrouping) following(ctx context.Context, tx *sql.Tx) (bool, error) {
	var n int
	err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM move WHERE project=? AND following=1", w.Project).Scan(&n)
	return n > 0, err
}

// partDone notes that a part is where it belongs.
func (w *regrouping) partDone(ctx context.Context, tx *sql.Tx, p *partRow) error {
	_, err := tx.ExecContext(ctx, "UPDATE regroup_part SET done=1 WHERE regroup=? AND pass=? AND variant=? AND hash=?", w.ID, w.pass, p.id, p.hash[:])
	return err
}

// aim gives all parts that were to make a new issue together the issue that
// they go to.
func (w *regrouping) aim(ctx context.Context, tx *sql.Tx, fresh, target int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE regroup_part SET target=?, fresh=0 WHERE regroup=? AND pass=? AND fresh=?", target, w.ID, w.pass, fresh)
	return err
}

// moveApart moves events of a variant that comes apart, a chunk of them, with
// the bodies that are kept elsewhere. It waits for rows on their way.
func (w *regrouping) moveApart(ctx context.Context, tx *sql.Tx, p *partRow) error {
	if following, err := w.following(ctx, tx); err != nil || following {
		return err
	}
	done := func() error { return w.partDone(ctx, tx, p) }
	to, err := w.targetOf(ctx, tx, p)
	if err != nil {
		return err
	}
	if to.ID == p.issue {
		if err := w.lead(ctx, tx, p, to.ID); err != nil {
			return err
		}
		return done()
	}
	into, before, err := w.partVariant(ctx, tx, p, to)
	if err != nil {
		return err
	}
	var forms [][]byte
	err = db.Each(ctx, tx, func(r *sql.Rows) error {
		var form []byte
		err := r.Scan(&form)
		forms = append(forms, form)
		return err
	}, "SELECT form FROM regroup_exemplar WHERE regroup=? AND pass=? AND variant=? AND hash=?", w.ID, w.pass, p.id, p.hash[:])
	if err != nil {
		return err
	}
	if err := moves.MoveExemplars(ctx, tx, p.id, into, forms); err != nil {
		return err
	}
	n := moves.Note{Table: "regroup_event", Where: "regroup=? AND pass=? AND variant=? AND hash=?",
		Args: []any{w.ID, w.pass, p.id, p.hash[:]}}
	if err := w.s.moves.MoveEvents(ctx, tx, w.Project, n, p.id, into); err != nil {
		return err
	}
	var left, after int64
	if err := tx.QueryRowContext(ctx,
		"SELECT (SELECT COUNT(*) FROM regroup_event WHERE "+n.Where+"), (SELECT events FROM variant WHERE id=?)",
		append(n.Args, into)...).Scan(&left, &after); err != nil {
		return err
	}
	m, err := w.newMove(ctx, tx, p.issue, to)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_variant (move, variant) VALUES (?,?)", m.ID, into); err != nil {
		return err
	}
	regressed, err := w.s.moves.RegressByMove(ctx, tx, w.p, m, to)
	if err != nil {
		return err
	}
	if err := w.addHistory(ctx, tx, m, to, after-before, p.rule, regressed); err != nil {
		return err
	}
	// New events go where the first ones went, also while others are on their way.
	if err := w.lead(ctx, tx, p, to.ID); err != nil || left > 0 {
		return err
	}
	return done()
}

// partVariant finds or makes the variant that a part's events go to; before is
// how many events it has.
func (w *regrouping) partVariant(ctx context.Context, tx *sql.Tx, p *partRow,
	to *moves.Side) (id, before int64, err error) {
	hash := w.retired(p.hash, p.id)
	err = tx.QueryRowContext(ctx, "SELECT id, events FROM variant WHERE project=? AND grouping_version=? AND hash=?", w.Project, w.p.GroupingVersion, hash[:]).Scan(&id, &before)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, before, err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO variant (project, grouping_version, hash, issue, fingerprint, provisional, app_release, looked, rules_version, parts)"+
		" SELECT project, ?, ?, ?, ?, ?, app_release, ?, ?, ? FROM variant WHERE id=?",
		w.p.GroupingVersion, hash[:], to.ID, p.print[:], p.provisional, p.looksThrough, w.p.RulesVersion,
		event.TrimText(p.parts, 60_000), p.id)
	if err != nil {
		return 0, 0, err
	}
	if id, err = res.LastInsertId(); err != nil {
		return 0, 0, err
	}
	return id, 0, issues.CopyFacts(ctx, tx, p.id, id)
}
