package moves

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/status"
)

// Readable is a kept body as it reads with the symbols there are now.
type Readable struct {
	Event  *event.Event
	Frames [][]event.Frame
	Print  fingerprint.Result
}

// Reader makes a kept body readable.
type Reader func(ctx context.Context, body []byte) (Readable, error)

// ReaderOf makes the bodies of a project readable, with the symbols of units.
func ReaderOf(p pipeline.Project, units *pipeline.Units) Reader {
	return func(ctx context.Context, body []byte) (Readable, error) {
		e, frames, err := pipeline.Read(ctx, p, body, units)
		if err != nil {
			return Readable{}, err
		}
		print, _ := p.Method().Print(e, ThrownOf(e), frames)
		return Readable{Event: e, Frames: frames, Print: print}, nil
	}
}

// ThrownOf is when an event says that it was thrown; zero where it does not.
func ThrownOf(e *event.Event) time.Time {
	at, _ := time.Parse(time.RFC3339Nano, e.Time) // one that cannot be read is none
	return at
}

// try reads a body; ok is false of one that is not as it was written, which
// stands in nobody's way.
func (read Reader) try(ctx context.Context, body []byte) (e Readable, ok bool, err error) {
	e, err = read(ctx, body)
	if _, away := errors.AsType[*pipeline.StoreError](err); err == nil || away || ctx.Err() != nil {
		return e, err == nil, err
	}
	return e, false, nil
}

// looksAtMost is how many bodies of an issue are read to find what its events
// differ in.
const looksAtMost = 400

// Kept is a body of an issue, with what its variant's key is without splits.
type Kept struct {
	Readable
	variant int64
	base    fingerprint.Key // zero where an older version of grouping made it
	filing  int64           // 0 of one kept for good
	thrown  int64
}

// Settled says whether the variant's key shows that all its events have d.
func (k *Kept) Settled(d difference.Difference) bool {
	return k.Print.Variant == k.base && d.Holds(k.Event, k.Frames) && d.Settled(k.Print)
}

// KeptOf reads bodies of an issue: the newest, and those kept for good of its
// largest variants, each event once and made readable.
func (s *Service) KeptOf(ctx context.Context, p *projects.Project, id int64, read Reader,
	take func(k *Kept) error) error {
	type found struct {
		variant, filing, thrown int64
		event, base, body       []byte
		version                 int
		dictionary              sql.NullInt64
	}
	var list []found
	scan := func(r *sql.Rows) error {
		var x found
		err := db.ScanNames(r,
			db.Into{"event": &x.event, "variant": &x.variant, "filing": &x.filing, "thrown": &x.thrown, "base": &x.base,
				"grouping_version": &x.version, "dictionary": &x.dictionary, "body": &x.body})
		list = append(list, x)
		return err
	}
	// Exemplars are kept without a dictionary.
	const exemplars = "SELECT x.event, v.id AS variant, 0 AS filing, x.thrown, COALESCE(v.base, v.hash) AS base, v.grouping_version, NULL AS dictionary, x.body FROM (SELECT * FROM variant WHERE issue=? ORDER BY events DESC LIMIT 100) v JOIN exemplar x ON x.variant=v.id"
	if err := db.Each(ctx, s.db, scan, exemplars, id); err != nil {
		return err
	}
	keys, args, err := s.events.KeysOfIssue(ctx,
		events.IssueKeys{Issue: id, Kept: true, Direction: events.Newest, Limit: looksAtMost})
	if err != nil {
		return err
	}
	const bodies = "SELECT e.id AS event, v.id AS variant, e.filing, e.thrown, COALESCE(v.base, v.hash) AS base, v.grouping_version, IF(b.filing IS NULL, n.dictionary, b.dictionary) AS dictionary, COALESCE(b.body, n.body) AS body FROM (%s) k JOIN event e ON e.project=k.project AND e.filing=k.filing AND e.keep_day=k.keep_day" +
		" JOIN variant v ON v.id=e.variant LEFT JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day LEFT JOIN newest_body n ON n.variant=e.variant AND n.filing=e.filing" +
		" WHERE b.filing IS NOT NULL OR n.filing IS NOT NULL ORDER BY e.filing DESC"
	if err := db.Each(ctx, s.db, scan, fmt.Sprintf(bodies, keys), args...); err != nil {
		return err
	}
	seen := map[uuid.UUID]bool{}
	for _, x := range slices.Backward(list) { // an exemplar may be one of the newest
		id := uuid.UUID(x.event)
		if seen[id] {
			continue
		}
		seen[id] = true
		raw, err := s.events.UnpackBody(ctx, x.dictionary, x.body)
		if err != nil {
			return err
		}
		k := &Kept{variant: x.variant, filing: x.filing, thrown: x.thrown}
		ok := false
		if k.Readable, ok, err = read.try(ctx, raw); err != nil {
			return err
		}
		if !ok {
			continue
		}
		if x.version == p.GroupingVersion {
			k.base = fingerprint.Key(x.base)
		}
		if err := take(k); err != nil {
			return err
		}
	}
	return nil
}

// Split takes the events of an issue that have a difference out into an issue
// of their own, and returns its number. New events follow at once, and variants
// whose key says that all their events have it; kept bodies of the others are
// looked through in the background. It refuses where no kept event has it, or
// all have.
func (s *Service) Split(ctx context.Context, project *projects.Project, number int64, d difference.Difference,
	read Reader, who accounts.Actor) (int64, error) {
	is, err := s.issues.Issue(ctx, project, number)
	if err != nil {
		return 0, err
	}
	var show *Kept
	var settled []int64
	events, having := 0, 0
	err = s.KeptOf(ctx, project, is.ID, read, func(k *Kept) error {
		events++
		if !d.Holds(k.Event, k.Frames) {
			return nil
		}
		having++
		if show == nil || show.filing < k.filing {
			show = k
		}
		if k.Settled(d) && !slices.Contains(settled, k.variant) {
			settled = append(settled, k.variant)
		}
		return nil
	})
	switch {
	case err != nil:
		return 0, err
	case events == 0:
		return 0, fault.New(fault.Conflict, "no bodies of events of %s/%d are kept any more, so there is nothing to split by", project.Name, is.Number)
	case having == 0:
		return 0, fault.New(fault.BadInput, "no kept event of %s/%d matches (%s); firethorn issue split %s/%d lists what its events differ in", project.Name, is.Number, d.Words(), project.Name, is.Number)
	case having == events:
		return 0, fault.New(fault.BadInput, "every kept event of %s/%d matches (%s), so there is nothing to split; firethorn issue split %s/%d lists what its events differ in", project.Name, is.Number, d.Words(), project.Name, is.Number)
	}
	var made int64
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		var err error
		made, err = s.split(ctx, tx, project, splitting{is.Number, d, show, settled, who})
		return err
	})
	return made, err
}

// splitting is a part that is taken out of an issue.
type splitting struct {
	number  int64 // of the issue
	d       difference.Difference
	show    *Kept   // an event that shows the part
	settled []int64 // variants that go whole
	who     accounts.Actor
}

func (s *Service) split(ctx context.Context, tx *sql.Tx, p *projects.Project, x splitting) (int64, error) {
	var filed int64
	if err := tx.QueryRowContext(ctx, "SELECT filing FROM project_counter WHERE project=? FOR UPDATE", p.ID).Scan(&filed); err != nil {
		return 0, err
	}
	from, err := s.loadSide(ctx, tx, p, x.number)
	if err != nil {
		return 0, err
	}
	if from.into != 0 {
		return 0, fault.New(fault.Conflict, "%s/%d was merged into %s in between; split that one", p.Name, x.number,
			s.issues.IssueName(ctx, tx, from.into))
	}
	next, err := projects.NextIssue(ctx, tx, p.ID)
	if err != nil {
		return 0, err
	}
	to, err := s.NewPart(ctx, tx, p, next, ingest.ShownBy(x.show.Print, x.show.Event), x.show.filing, x.show.thrown)
	if err != nil {
		return 0, err
	}
	m := &Move{Project: p.ID, Kind: MoveSplit, From: from.ID, To: to.ID}
	if err := s.NewMove(ctx, tx, m, x.who, from, to); err != nil {
		return 0, err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO split (project, move, kind, name, value, active, looking, filing) VALUES (?,?,?,?,?,1,1,?)", p.ID, m.ID, string(x.d.Kind), x.d.Name, x.d.Value, filed)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	if err := splitAliases(ctx, tx, m, id); err != nil {
		return 0, err
	}
	if len(x.settled) > 0 {
		args := []any{m.ID, from.ID}
		for _, v := range x.settled {
			args = append(args, v)
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO move_variant (move, variant) SELECT ?, id FROM variant WHERE issue=? AND id IN ("+db.Marks(len(x.settled))+")", args...); err != nil {
			return 0, err
		}
	}
	if err := s.Flip(ctx, tx, m); err != nil {
		return 0, err
	}
	if err := s.AddMoveHistory(ctx, tx, from.ID, m, x.who, "split",
		fmt.Sprintf("split off %s/%d: %s", p.Name, to.Number, x.d.Words())); err != nil {
		return 0, err
	}
	if err := s.AddMoveHistory(ctx, tx, to.ID, m, x.who, "split_off",
		fmt.Sprintf("split off from %s/%d: %s; it was %s", p.Name, from.Number, x.d.Words(),
			issue.Describe(from.Standing))); err != nil {
		return 0, err
	}
	return to.Number, projects.Touch(ctx, tx, p.ID)
}

// NewPart makes the issue that a split takes a part out into, shown by an
// event that it will have.
func (s *Service) NewPart(ctx context.Context, tx *sql.Tx, p *projects.Project, number int64, x issues.Shown, filing,
	thrown int64) (*Side, error) {
	id, err := status.Create(ctx, tx, p.ID, number, s.db.Now())
	if err != nil {
		return nil, err
	}
	l := listRow{
		Headline: x.Headline, Place: x.Place, Message: x.Message, OriginFunction: x.OriginFunction,
		OriginFile: x.OriginFile, OriginLine: x.OriginLine, Severity: x.Severity, Unhandled: x.Unhandled,
		FirstFiling: filing, LastFiling: filing, FirstSeen: thrown, LastSeen: thrown,
	}
	if err := s.insertRow(ctx, tx, p.ID, id, issues.StatusRow{Standing: issue.Standing{State: issue.New}}, l,
		rowCounts{}); err != nil {
		return nil, err
	}
	return s.SideByID(ctx, tx, id)
}

// splitAliases notes for which fingerprints a split is: those that lead to the
// issue now. Those of the parts lead to the new one.
func splitAliases(ctx context.Context, tx *sql.Tx, m *Move, split int64) error {
	var bound, parts, moved [][]any
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var version int
		var hash []byte
		if err := r.Scan(&version, &hash); err != nil {
			return err
		}
		k := fingerprint.Key(hash)
		part := k.Part(split)
		bound = append(bound, []any{split, version, k[:]})
		parts = append(parts, []any{m.Project, version, part[:], m.To})
		moved = append(moved, []any{m.ID, version, part[:]})
		return nil
	}, "SELECT grouping_version, hash FROM alias WHERE issue=?", m.From)
	if err != nil {
		return err
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO split_alias (split, grouping_version, hash)", "", bound); err != nil {
		return err
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO alias (project, grouping_version, hash, issue)", "", parts); err != nil {
		return err
	}
	return db.InsertRows(ctx, tx, "INSERT INTO move_alias (move, grouping_version, hash)", "", moved)
}

// SplitInfo is a split that an issue is a side of.
type SplitInfo struct {
	difference.Difference
	From, To int64 // numbers
	Looking  bool  // kept events are being looked through
	Looked   int64 // how many were
	Stays    int64 // events without a body that stayed where they were
}

// Splits lists the splits, not undone, that took parts out of an issue or made it.
func (s *Service) Splits(ctx context.Context, id int64) (list []SplitInfo, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var x SplitInfo
		err := db.ScanNames(r,
			db.Into{"kind": &x.Kind, "name": &x.Name, "value": &x.Value, "from_number": &x.From, "to_number": &x.To,
				"looking": &x.Looking, "looked": &x.Looked, "stays": &x.Stays})
		list = append(list, x)
		return err
	}, "SELECT s.kind, s.name, s.value, f.number AS from_number, t.number AS to_number, s.looking, s.looked, s.stays FROM (SELECT id FROM move WHERE from_issue=? AND kind='split' UNION SELECT id FROM move WHERE to_issue=? AND kind='split') k"+
		" JOIN move m ON m.id=k.id JOIN split s ON s.move=m.id JOIN issue f ON f.id=m.from_issue JOIN issue t ON t.id=m.to_issue WHERE s.active=1 ORDER BY m.id", id, id)
	return list, err
}
