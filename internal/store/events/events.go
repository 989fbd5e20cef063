package events

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// EventRow is a processed event without its body.
type EventRow struct {
	ID                   uuid.UUID
	Position             int64
	Thrown, Received     time.Time
	Issue                int64 // number
	Headline             string
	Release, Environment string
	StandsFor            int64
	Kept                 bool // its body is there
	keepDay              int
	project, variant     int64
}

// What a statement about events e selects and joins, for ScanEvent.
const (
	eventColumns = "SELECT e.id, e.filing, e.thrown, e.received, i.number, l.headline, COALESCE(r.name,'') AS release_name, COALESCE(n.name,'') AS environment_name, e.stands_for, e.has_body OR s.variant IS NOT NULL AS kept, e.keep_day, e.project, e.variant"
	eventJoins   = " JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue JOIN issue_list l ON l.issue=v.issue" +
		" LEFT JOIN app_release r ON r.id=e.app_release LEFT JOIN environment n ON n.id=e.environment" +
		" LEFT JOIN newest_body s ON s.variant=e.variant AND s.filing=e.filing"
)

// EventSelect reads events whose keys a subquery k gives: the order and the
// limit are the subquery's, which reads one index, so that joins touch no more
// rows than are wanted.
const EventSelect = eventColumns + " FROM (%s) k" +
	" JOIN event e ON e.project=k.project AND e.filing=k.filing AND e.keep_day=k.keep_day" + eventJoins + " ORDER BY k.filing %s"

// newest and oldest are the directions events are read in, by position.
const (
	Newest = "DESC"
	oldest = "ASC"
)

// ScanEvent reads a row of EventSelect.
func ScanEvent(r *sql.Rows) (*EventRow, error) {
	var e EventRow
	var id []byte
	var thrown, received int64
	err := db.ScanNames(r,
		db.Into{"id": &id, "filing": &e.Position, "thrown": &thrown, "received": &received, "number": &e.Issue,
			"headline": &e.Headline, "release_name": &e.Release, "environment_name": &e.Environment,
			"stands_for": &e.StandsFor, "kept": &e.Kept, "keep_day": &e.keepDay, "project": &e.project,
			"variant": &e.variant})
	if err != nil {
		return nil, err
	}
	e.ID, e.Thrown, e.Received = uuid.UUID(id), db.FromMicros(thrown), db.FromMicros(received)
	return &e, nil
}

// EventQuery asks for a page of events, in the order they were processed.
type EventQuery struct {
	Project int64
	Issue   int64 // internal id, 0: all of the project
	Kept    bool  // only those of the issue whose body is there
	Before  int64 // processing number to go on from, newest first; 0: from the newest
	Limit   int
}

// Events lists events, newest processed first; next is 0 on the last page.
func (s *Store) Events(ctx context.Context, q EventQuery) (list []*EventRow, next int64, err error) {
	var keys []Key
	if q.Issue != 0 {
		keys, err = s.KeysOfIssue(ctx, s.db, KeyQuery{Project: q.Project, Issue: q.Issue, Kept: q.Kept,
			Before: q.Before, Direction: Newest, Limit: q.Limit + 1})
	} else {
		keys, err = s.keysOfProject(ctx, s.db, q.Project, q.Before, q.Limit+1)
	}
	if err != nil {
		return nil, 0, err
	}
	if len(keys) > q.Limit {
		keys = keys[:q.Limit]
		next = keys[q.Limit-1].Position
	}
	list, err = s.ByKey(ctx, s.db, q.Project, keys)
	return list, next, err
}

// ByKey reads events of a project, the newest processed first.
func (s *Store) ByKey(ctx context.Context, q db.Querier, project int64, keys []Key) (list []*EventRow, err error) {
	for cond, args := range ByKeys(project, keys) {
		some, err := db.List(ctx, q, ScanEvent, eventColumns+" FROM event e"+eventJoins+" WHERE "+cond, args...)
		if err != nil {
			return nil, err
		}
		list = append(list, some...)
	}
	slices.SortFunc(list, func(a, b *EventRow) int { return cmp.Compare(b.Position, a.Position) })
	return list, nil
}

// Event finds an event of a project by its id.
func (s *Store) Event(ctx context.Context, project *projects.Project, id uuid.UUID) (*EventRow, error) {
	keys, err := s.keyOf(ctx, project.ID, id)
	if err != nil {
		return nil, err
	}
	list, err := s.ByKey(ctx, s.db, project.ID, keys)
	if err == nil && len(list) == 0 {
		err = problem.New(problem.NotFound, "%s has no event %s; it may not be processed yet", project.Name, id)
	}
	if err != nil {
		return nil, err
	}
	return list[0], nil
}

// EndOfIssue is the newest or the oldest event of an issue.
func (s *Store) EndOfIssue(ctx context.Context, project, issue int64, direction string) (*EventRow, error) {
	keys, err := s.KeysOfIssue(ctx, s.db, KeyQuery{Project: project, Issue: issue, Kept: true, Direction: direction,
		Limit: 1})
	if err != nil {
		return nil, err
	}
	list, err := s.ByKey(ctx, s.db, project, keys)
	if err == nil && len(list) == 0 {
		err = problem.New(problem.NotFound, "no event of this issue is kept any more")
	}
	if err != nil {
		return nil, err
	}
	return list[0], nil
}

// Neighbours are the processing-order neighbours of an event among those of its
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
		return s.EndOfIssue(ctx, project.ID, issue, Newest)
	case "oldest":
		return s.EndOfIssue(ctx, project.ID, issue, oldest)
	}
	id, err := uuid.Parse(which)
	if err != nil {
		return nil, problem.New(problem.BadInput, "%q is no event: write newest, oldest or an event's id", which)
	}
	return s.Event(ctx, project, id)
}

// maxCounted is how far from the newest an event's position is counted.
const maxCounted = 10_000

// EventNeighbours finds where an event stands among those of its issue.
func (s *Store) EventNeighbours(ctx context.Context, issue int64, e *EventRow) (Neighbours, error) {
	var n Neighbours
	var wanted []Key
	at := map[int64][]*uuid.UUID{} // which answers an event is
	for _, q := range []struct {
		from, before int64
		direction    string
		limit        int
		to           *uuid.UUID
	}{
		{0, 0, Newest, 1, &n.Newest},
		{0, 0, oldest, 1, &n.Oldest},
		{0, e.Position, Newest, 1, &n.Older},
		{e.Position, 0, oldest, maxCounted + 1, &n.Newer}, // they are counted, and not for ever
	} {
		keys, err := s.KeysOfIssue(ctx, s.db, KeyQuery{Project: e.project, Issue: issue, Kept: true, From: q.from,
			Before: q.before, Direction: q.direction, Limit: q.limit})
		if err != nil {
			return n, err
		}
		if q.to == &n.Newer {
			n.Position = int64(len(keys))
			keys = slices.DeleteFunc(keys, func(k Key) bool { return k.Position == e.Position })
		}
		if len(keys) > 0 {
			wanted = append(wanted, keys[0])
			at[keys[0].Position] = append(at[keys[0].Position], q.to)
		}
	}
	if n.Position > maxCounted {
		n.Position = 0
	}
	for cond, args := range ByKeys(e.project, wanted) {
		err := db.Each(ctx, s.db, func(r *sql.Rows) error {
			var position int64
			var id []byte
			err := r.Scan(&position, &id)
			for _, to := range at[position] {
				*to = uuid.UUID(id)
			}
			return err
		}, "SELECT e.filing, e.id FROM event e WHERE "+cond, args...)
		if err != nil {
			return n, err
		}
	}
	return n, nil
}

// StoredFingerprint is the computed fingerprint that an event's variant was processed
// under; that of a part that was split off is the one it was part of.
func (s *Store) StoredFingerprint(ctx context.Context, e *EventRow) (k fingerprint.Key, err error) {
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
// projects that a person sees.
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
