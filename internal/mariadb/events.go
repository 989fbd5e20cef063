package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fault"
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
	keepDay              int
	project              int64
}

const eventSelect = "SELECT e.id, e.filing, e.thrown, e.received, i.number, l.headline, COALESCE(r.name,''), n.name, e.stands_for, e.keep_day, e.project" +
	" FROM event e JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue JOIN issue_list l ON l.issue=v.issue" +
	" LEFT JOIN app_release r ON r.id=e.app_release JOIN environment n ON n.id=e.environment"

func scanEvent(r interface{ Scan(...any) error }) (*EventRow, error) {
	var e EventRow
	var id []byte
	var thrown, received int64
	err := r.Scan(&id, &e.Filing, &thrown, &received, &e.Issue, &e.Headline, &e.Release, &e.Environment, &e.StandsFor, &e.keepDay, &e.project)
	if err != nil {
		return nil, err
	}
	e.ID, e.Thrown, e.Received = uuid.UUID(id), fromMicros(thrown), fromMicros(received)
	return &e, nil
}

// EventQuery asks for a page of events, in the order they were filed.
type EventQuery struct {
	Project int64
	Issue   int64 // internal id, 0: all of the project
	Before  int64 // filing number to go on from, newest first; 0: from the newest
	Limit   int
}

// Events lists events, newest filed first; next is 0 on the last page.
func (s *Store) Events(ctx context.Context, q EventQuery) (list []*EventRow, next int64, err error) {
	cond, args := " WHERE e.project=?", []any{q.Project}
	if q.Issue != 0 {
		cond, args = " WHERE v.issue=?", []any{q.Issue}
	}
	if q.Before != 0 {
		cond += " AND e.filing<?"
		args = append(args, q.Before)
	}
	err = each(ctx, s.db, func(r *sql.Rows) error {
		e, err := scanEvent(r)
		list = append(list, e)
		return err
	}, eventSelect+cond+" ORDER BY e.filing DESC LIMIT ?", append(args, q.Limit+1)...)
	if len(list) > q.Limit {
		list = list[:q.Limit]
		next = list[q.Limit-1].Filing
	}
	return list, next, err
}

// Event finds an event of a project by its id.
func (s *Store) Event(ctx context.Context, project *Project, id uuid.UUID) (*EventRow, error) {
	e, err := scanEvent(s.db.QueryRowContext(ctx, eventSelect+" WHERE e.project=? AND e.id=? LIMIT 1", project.ID, id[:]))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.NotFound, "%s has no event %s; it may not be filed yet", project.Name, id)
	}
	return e, err
}

// Neighbours are the filing-order neighbours of an event within its issue.
type Neighbours struct {
	Newest, Newer, Older, Oldest uuid.UUID // zero where there is none
	Position                     int64     // 1 is the newest; 0: more than are counted
}

// IssueEvent finds an event of an issue: "newest", "oldest" or an id.
func (s *Store) IssueEvent(ctx context.Context, project *Project, issue int64, which string) (*EventRow, error) {
	order := "DESC"
	switch which {
	case "oldest":
		order = "ASC"
		fallthrough
	case "newest":
		e, err := scanEvent(s.db.QueryRowContext(ctx, eventSelect+" WHERE v.issue=? ORDER BY e.filing "+order+" LIMIT 1", issue))
		if errors.Is(err, sql.ErrNoRows) {
			return nil, fault.New(fault.NotFound, "no event of this issue is kept any more")
		}
		return e, err
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
		to          *uuid.UUID
		cond, order string
	}{{&n.Newest, "", "DESC"}, {&n.Oldest, "", "ASC"}, {&n.Newer, " AND e.filing>?", "ASC"}, {&n.Older, " AND e.filing<?", "DESC"}} {
		args := []any{issue}
		if q.cond != "" {
			args = append(args, e.Filing)
		}
		var id []byte
		err := s.db.QueryRowContext(ctx, "SELECT e.id FROM event e JOIN variant v ON v.id=e.variant WHERE v.issue=?"+q.cond+" ORDER BY e.filing "+q.order+" LIMIT 1", args...).Scan(&id)
		if err == nil {
			*q.to = uuid.UUID(id)
		} else if !errors.Is(err, sql.ErrNoRows) {
			return n, err
		}
	}
	// Counting goes from the newest, and not for ever.
	err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM (SELECT 1 FROM event e JOIN variant v ON v.id=e.variant WHERE v.issue=? AND e.filing>=? LIMIT ?) x", issue, e.Filing, mostCounted+1).Scan(&n.Position)
	if n.Position > mostCounted {
		n.Position = 0
	}
	return n, err
}

// EventBody reads the packed body of an event.
func (s *Store) EventBody(ctx context.Context, e *EventRow) ([]byte, error) {
	var body []byte
	err := s.db.QueryRowContext(ctx, "SELECT body FROM event_body WHERE project=? AND filing=? AND keep_day=?", e.project, e.Filing, e.keepDay).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.NotFound, "the body of event %s was not kept", e.ID)
	}
	if err != nil {
		return nil, fmt.Errorf("body of event %s: %w", e.ID, err)
	}
	return body, nil
}
