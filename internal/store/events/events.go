package events

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// EventRow is a filed event without its body.
type EventRow struct {
	ID                   uuid.UUID
	Filing               int64
	Thrown, Received     time.Time
	Issue                int64 // number
	Headline             string
	Release, Environment string
	StandsFor            int64
	Kept                 bool // its body is there
	keepDay              int
	project, variant     int64
}

// EventSelect reads events whose keys a subquery k gives: the order and the
// limit are the subquery's, which reads one index, so that joins touch no more
// rows than are wanted.
const EventSelect = "SELECT e.id, e.filing, e.thrown, e.received, i.number, l.headline, COALESCE(r.name,'') AS release_name, COALESCE(n.name,'') AS environment_name, e.stands_for, e.has_body OR s.variant IS NOT NULL AS kept, e.keep_day, e.project, e.variant" +
	" FROM (%s) k JOIN event e ON e.project=k.project AND e.filing=k.filing AND e.keep_day=k.keep_day" +
	" JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue JOIN issue_list l ON l.issue=v.issue" +
	" LEFT JOIN app_release r ON r.id=e.app_release LEFT JOIN environment n ON n.id=e.environment LEFT JOIN newest_body s ON s.variant=e.variant AND s.filing=e.filing ORDER BY k.filing %s"

// newest and oldest are the directions events are read in, by filing.
const (
	Newest = "DESC"
	oldest = "ASC"
)

// IssueKeys asks for the keys of an issue's events.
type IssueKeys struct {
	Issue     int64
	Kept      bool   // only of those whose body is there
	Cond      string // "<", ">" or ">=" Filing; "" is all
	Filing    int64
	Direction string // Newest first or oldest
	Limit     int
}

// KeysOfIssue gives the keys of an issue's events in order: for each variant a
// read of its index for events with and without a body, merged.
func (s *Store) KeysOfIssue(ctx context.Context, k IssueKeys) (query string, args []any, err error) {
	var parts []string
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		if err := r.Scan(&id); err != nil {
			return err
		}
		from := []string{"event FORCE INDEX (by_variant) WHERE has_body=1 AND",
			"event FORCE INDEX (by_variant) WHERE has_body=0 AND"}
		if k.Kept {
			from[1] = "newest_body WHERE"
		}
		for _, f := range from {
			part := "(SELECT project, filing, keep_day FROM " + f + " variant=?"
			args = append(args, id)
			if k.Cond != "" {
				part += " AND filing" + k.Cond + "?"
				args = append(args, k.Filing)
			}
			parts = append(parts, part+" ORDER BY filing "+k.Direction+" LIMIT ?)")
			args = append(args, k.Limit)
		}
		return nil
	}, "SELECT id FROM variant WHERE issue=? ORDER BY events DESC LIMIT 250", k.Issue)
	if len(parts) == 0 {
		return "SELECT project, filing, keep_day FROM event WHERE 1=0", nil, err
	}
	return "SELECT project, filing, keep_day FROM (" + strings.Join(parts, " UNION ALL ") + ") u ORDER BY filing " +
		k.Direction + " LIMIT ?", append(args, k.Limit), err
}

// ScanEvent reads a row of EventSelect.
func ScanEvent(r *sql.Rows) (*EventRow, error) {
	var e EventRow
	var id []byte
	var thrown, received int64
	err := db.ScanNames(r,
		db.Into{"id": &id, "filing": &e.Filing, "thrown": &thrown, "received": &received, "number": &e.Issue,
			"headline": &e.Headline, "release_name": &e.Release, "environment_name": &e.Environment,
			"stands_for": &e.StandsFor, "kept": &e.Kept, "keep_day": &e.keepDay, "project": &e.project,
			"variant": &e.variant})
	if err != nil {
		return nil, err
	}
	e.ID, e.Thrown, e.Received = uuid.UUID(id), db.FromMicros(thrown), db.FromMicros(received)
	return &e, nil
}

// EventQuery asks for a page of events, in the order they were filed.
type EventQuery struct {
	Project int64
	Issue   int64 // internal id, 0: all of the project
	Kept    bool  // only those of the issue whose body is there
	Before  int64 // filing number to go on from, newest first; 0: from the newest
	Limit   int
}

// Events lists events, newest filed first; next is 0 on the last page.
func (s *Store) Events(ctx context.Context, q EventQuery) (list []*EventRow, next int64, err error) {
	cond := ""
	if q.Before != 0 {
		cond = "<"
	}
	keys, args := "", []any(nil)
	if q.Issue != 0 {
		if keys, args, err = s.KeysOfIssue(ctx,
			IssueKeys{q.Issue, q.Kept, cond, q.Before, Newest, q.Limit + 1}); err != nil {
			return nil, 0, err
		}
	} else {
		keys, args = "SELECT project, filing, keep_day FROM event WHERE project=?", []any{q.Project}
		if q.Before != 0 {
			keys += " AND filing<?"
			args = append(args, q.Before)
		}
		keys += " ORDER BY filing DESC LIMIT ?"
		args = append(args, q.Limit+1)
	}
	list, err = db.List(ctx, s.db, ScanEvent, fmt.Sprintf(EventSelect, keys, Newest), args...)
	if len(list) > q.Limit {
		list = list[:q.Limit]
		next = list[q.Limit-1].Filing
	}
	return list, next, err
}

// Key names an event within its project.
type Key struct {
	Filing  int64
	KeepDay int
}

// ByKey reads events of a project, the newest filed first.
func (s *Store) ByKey(ctx context.Context, q db.Querier, project int64, keys []Key) ([]*EventRow, error) {
	if len(keys) == 0 {
		return nil, nil
	}
	byDay := map[int][]any{}
	for _, k := range keys {
		byDay[k.KeepDay] = append(byDay[k.KeepDay], k.Filing)
	}
	var parts []string
	var args []any
	for _, day := range slices.Sorted(maps.Keys(byDay)) {
		parts = append(parts, "(SELECT project, filing, keep_day FROM event WHERE project=? AND keep_day=? AND filing IN ("+db.Marks(len(byDay[day]))+"))")
		args = append(append(args, project, day), byDay[day]...)
	}
	return db.List(ctx, q, ScanEvent, fmt.Sprintf(EventSelect, strings.Join(parts, " UNION ALL "), Newest), args...)
}

// Event finds an event of a project by its id.
func (s *Store) Event(ctx context.Context, project *projects.Project, id uuid.UUID) (*EventRow, error) {
	e, err := db.First(ctx, s.db, ScanEvent, fmt.Sprintf(EventSelect, "SELECT project, filing, keep_day FROM event WHERE project=? AND id=? LIMIT 1", Newest), project.ID, id[:])
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.NotFound, "%s has no event %s; it may not be filed yet", project.Name, id)
	}
	return e, err
}

// EndOfIssue is the newest or the oldest event of an issue.
func (s *Store) EndOfIssue(ctx context.Context, issue int64, direction string) (*EventRow, error) {
	keys, args, err := s.KeysOfIssue(ctx, IssueKeys{Issue: issue, Kept: true, Direction: direction, Limit: 1})
	if err != nil {
		return nil, err
	}
	e, err := db.First(ctx, s.db, ScanEvent, fmt.Sprintf(EventSelect, keys, direction), args...)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.NotFound, "no event of this issue is kept any more")
	}
	return e, err
}

// Neighbours are the filing-order neighbours of an event among those of its
// issue whose bodies are there.
type Neighbours struct {
	Newest, Newer, Older, Oldest uuid.UUID // zero where there is none
	Position                     int64     // 1 is the newest; 0: more than are counted
}

// IssueEvent finds an event of an issue: "newest", "oldest" or an id.
func (s *Store) IssueEvent(ctx context.Context, project *projects.Project, issue int64,
	which string) (*EventRow, error) {
	switch which {
	case "newest":
		return s.EndOfIssue(ctx, issue, Newest)
	case "oldest":
		return s.EndOfIssue(ctx, issue, oldest)
	}
	id, err := uuid.Parse(which)
	if err != nil {
		return nil, fault.New(fault.BadInput, "%q is no event: write newest, oldest or an event's id", which)
	}
	return s.Event(ctx, project, id)
}

// mostCounted is how far from the newest an event's position is counted.
const mostCounted = 10_000

// EventNeighbours finds where an event stands among those of its issue.
func (s *Store) EventNeighbours(ctx context.Context, issue int64, e *EventRow) (Neighbours, error) {
	var n Neighbours
	for _, q := range []struct {
		to              *uuid.UUID
		cond, direction string
	}{{&n.Newest, "", Newest}, {&n.Oldest, "", oldest}, {&n.Newer, ">", oldest}, {&n.Older, "<", Newest}} {
		keys, args, err := s.KeysOfIssue(ctx, IssueKeys{issue, true, q.cond, e.Filing, q.direction, 1})
		if err != nil {
			return n, err
		}
		var id []byte
		err = s.db.QueryRowContext(ctx, "SELECT e.id FROM ("+keys+") k JOIN event e ON e.project=k.project AND e.filing=k.filing AND e.keep_day=k.keep_day", args...).Scan(&id)
		if err == nil {
			*q.to = uuid.UUID(id)
		} else if !errors.Is(err, sql.ErrNoRows) {
			return n, err
		}
	}
	// Counting goes from the newest, and not for ever.
	keys, args, err := s.KeysOfIssue(ctx, IssueKeys{issue, true, ">=", e.Filing, oldest, mostCounted + 1})
	if err != nil {
		return n, err
	}
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM ("+keys+") k", args...).Scan(&n.Position)
	if n.Position > mostCounted {
		n.Position = 0
	}
	return n, err
}

// FiledUnder is the computed fingerprint that an event's variant was filed
// under; that of a part that was split off is the one it was part of.
func (s *Store) FiledUnder(ctx context.Context, e *EventRow) (k fingerprint.Key, err error) {
	var raw []byte
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(base_fingerprint, fingerprint) FROM variant WHERE id=?", e.variant).Scan(&raw); err != nil {
		return k, err
	}
	return fingerprint.Key(raw), nil
}

// TracedEvent is an event of a trace with its project's name.
type TracedEvent struct {
	EventRow
	Project string
}

// EventsOfTrace lists events of a trace in the order they were thrown, of the
// projects that somebody sees.
func (s *Store) EventsOfTrace(ctx context.Context, trace string, seen sight.Sight,
	limit int) (list []TracedEvent, err error) {
	// A trace that millions of events name is none: so many are looked at.
	where, of := seen.Where("project")
	args := append([]any{db.Hash16(strings.ToLower(trace))}, of...)
	keys := "SELECT project, filing, keep_day FROM (SELECT project, filing, keep_day, thrown FROM event WHERE trace=? AND " + where + " LIMIT 5000) t"
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		e, err := ScanEvent(r)
		if err == nil {
			list = append(list, TracedEvent{EventRow: *e})
		}
		return err
	}, fmt.Sprintf(EventSelect, keys+" ORDER BY thrown LIMIT ?", oldest), append(args, limit)...)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	names := map[int64]string{}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var name string
		err := r.Scan(&id, &name)
		names[id] = name
		return err
	}, "SELECT id, name FROM project")
	for i := range list {
		list[i].Project = names[list[i].project]
	}
	slices.SortStableFunc(list, func(a, b TracedEvent) int { return a.Thrown.Compare(b.Thrown) })
	return list, err
}
