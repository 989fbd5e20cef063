package similar

import (
	"context"
	"database/sql"
	"encoding/hex"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/core/together"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// NearIssue is an issue that happens together with another one.
type NearIssue struct {
	together.Near
	Project string
	Number  int64
	Head    string
}

const (
	nearSample = 300 // occurrences of the issue that are looked at, the newest
	nearTies   = 100 // users, sessions and traces that others are looked for by
	maxNear    = 20_000
)

// Together finds the issues that happen together with an issue: to the same
// users and sessions of its project, and in the same traces of any.
func (s *Service) Together(ctx context.Context, project *projects.Project, id int64,
	seen sight.Sight) ([]NearIssue, error) {
	keys, err := s.events.KeysOfIssue(ctx, s.db, events.KeyQuery{Project: project.ID, Issue: id,
		Direction: events.Newest, Limit: nearSample})
	if err != nil {
		return nil, err
	}
	var of []together.Occurrence
	var users, sessions, traces []any
	take := func(into *[]together.Occurrence, ties bool) func(*sql.Rows) error {
		return func(r *sql.Rows) error {
			var o together.Occurrence
			var thrown int64
			var user sql.NullInt64
			var session, trace []byte
			if err := r.Scan(&o.Issue, &thrown, &user, &session, &trace); err != nil {
				return err
			}
			o.Thrown, o.User, o.Session, o.Trace = db.FromMicros(thrown), user.Int64, hex.EncodeToString(session),
				hex.EncodeToString(trace)
			*into = append(*into, o)
			if !ties {
				return nil
			}
			if user.Valid && len(users) < nearTies && !slices.Contains(users, any(user.Int64)) {
				users = append(users, user.Int64)
			}
			if session != nil && len(sessions) < nearTies {
				sessions = append(sessions, slices.Clone(session))
			}
			if trace != nil && len(traces) < nearTies {
				traces = append(traces, slices.Clone(trace))
			}
			return nil
		}
	}
	const columns = "SELECT v.issue, e.thrown, e.user, e.session, e.trace FROM "
	for cond, args := range events.ByKeys(project.ID, keys) {
		query := columns + "event e JOIN variant v ON v.id=e.variant WHERE " + cond
		if err := db.Each(ctx, s.db, take(&of, true), query, args...); err != nil {
			return nil, err
		}
	}
	if len(of) == 0 {
		return nil, nil
	}
	byTime := func(a, b together.Occurrence) int { return a.Thrown.Compare(b.Thrown) }
	first := slices.MinFunc(of, byTime).Thrown.Add(-together.Within)
	last := slices.MaxFunc(of, byTime).Thrown.Add(together.Within)
	sees, seesArgs := seen.Where("e.project")
	var others []together.Occurrence
	for _, q := range []struct {
		index, where string
		args, ties   []any
	}{
		{"of_user", "e.project=? AND e.user", []any{project.ID}, users}, {"of_session", "e.project=? AND e.session",
			[]any{project.ID}, sessions}, {"of_trace", "e.trace", nil, traces},
	} {
		if len(q.ties) == 0 {
			continue
		}
		query := columns + "event e FORCE INDEX (" + q.index + ") JOIN variant v ON v.id=e.variant WHERE " + q.where + " IN (" + db.Marks(len(q.ties)) + ") AND e.thrown BETWEEN ? AND ? AND e.keep_day>=? AND v.issue<>? AND " + sees + " LIMIT ?"
		span := []any{db.Micros(first), db.Micros(last), db.Day(s.db.Now()), id}
		all := slices.Concat(q.args, q.ties, span, seesArgs, []any{maxNear})
		if err := db.Each(ctx, s.db, take(&others, false), query, all...); err != nil {
			return nil, fmt.Errorf("events by %s: %w", q.index, err)
		}
	}
	near := together.Find(of, others, max(last.Sub(first), time.Hour))
	var out []NearIssue
	for _, n := range near {
		x := NearIssue{Near: n}
		err := s.db.QueryRowContext(ctx, "SELECT p.name, i.number, l.headline FROM issue i JOIN project p ON p.id=i.project JOIN issue_list l ON l.issue=i.id WHERE i.id=?", n.Issue).Scan(&x.Project, &x.Number, &x.Head)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}
