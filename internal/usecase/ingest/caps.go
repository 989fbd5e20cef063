package ingest

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// capOf says how many new things of one sort reports may make of a project in
// a while: ingest keys are public, so anybody can report.
type capOf struct {
	what  string
	limit int64
	span  time.Duration
}

// The caps.
var (
	newIssues        = capOf{"issues", 1_000, time.Hour}
	newVariants      = capOf{"variants", 10_000, time.Hour}
	newOverflows     = capOf{"overflow types", 30, time.Hour}
	newReleases      = capOf{"releases", 200, time.Hour}
	newEnvironments  = capOf{"environments", 50, time.Hour}
	newResources     = capOf{"resources", 2_000, time.Hour}
	newSessionValues = capOf{"devices of sessions", 200, time.Hour}
	newTraceFiles    = capOf{"generated files", 2_000, time.Hour}
	newFeedback      = capOf{"feedback", 1_000, time.Hour}
	newProjects      = capOf{"projects", 50, 24 * time.Hour}
)

// maxExtended is how many keys an application may make of one fingerprint.
const maxExtended = 1_000

// otherEnvironment is where events stand whose environment is one too many.
const otherEnvironment = "(other)"

// caps is what is used of the caps of one project, within one transaction.
type caps struct {
	tx      *sql.Tx
	project int64
	now     time.Time
	used    map[string]*capUse
}

type capUse struct {
	start, used int64
	changed     bool
}

// room says how many of the wanted new things may be made, and counts them.
func (c *caps) room(ctx context.Context, of capOf, want int) (int, error) {
	u := c.used[of.what]
	start := c.now.Truncate(of.span).Unix()
	if u == nil {
		u = &capUse{}
		err := c.tx.QueryRowContext(ctx, "SELECT start, used FROM cap WHERE project=? AND what=? FOR UPDATE", c.project, of.what).Scan(&u.start, &u.used)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return 0, err
		}
		if c.used == nil {
			c.used = map[string]*capUse{}
		}
		c.used[of.what] = u
	}
	if u.start != start {
		u.start, u.used = start, 0
	}
	n := int(max(0, min(int64(want), of.limit-u.used)))
	u.used += int64(n)
	u.changed = u.changed || n > 0
	return n, nil
}

// write keeps what was used.
func (c *caps) write(ctx context.Context) error {
	var rows [][]any
	for what, u := range c.used {
		if u.changed {
			rows = append(rows, []any{c.project, what, u.start, u.used})
		}
	}
	return db.InsertRows(ctx, c.tx, "INSERT INTO cap (project, what, start, used)", " ON DUPLICATE KEY UPDATE start=VALUES(start), used=VALUES(used)", rows)
}

// capped gives what an event without an issue is to be processed as: itself, or
// what takes in those that would be too many.
func (w *batchTx) capped(ctx context.Context, r *row) (fingerprint.Result, error) {
	if r.Print.Base != r.Print.Key {
		ok, err := w.mayExtend(ctx, r.Print.Base)
		if err != nil {
			return r.Print, err
		}
		if !ok {
			w.tally.Add(r.Received, inbox.CauseCapped, "extend", 1)
			return fingerprint.Unextended(r.Print, fmt.Sprintf("the application made more than %d keys of this one error; the events of the others are here", maxExtended)), nil
		}
	}
	n, err := w.caps.room(ctx, newIssues, 1)
	if err != nil || n > 0 {
		return r.Print, err
	}
	w.tally.Add(r.Received, inbox.CauseCapped, newIssues.what, 1)
	typ := ""
	if len(r.Event.Exceptions) > 0 {
		typ = r.Event.Exceptions[0].Type
	}
	why := fmt.Sprintf("reports made more than %d new issues within an hour; the events of the others are here, their bodies say what they were", newIssues.limit)
	print := fingerprint.Overflow(typ, why)
	there, err := w.aliasOf(ctx, print.Key)
	if err != nil || there != 0 || w.variants[print.Variant] != nil {
		return print, err
	}
	if n, err = w.caps.room(ctx, newOverflows, 1); err != nil || n > 0 {
		return print, err
	}
	return fingerprint.Overflow("", why), nil
}

// mayExtend counts a new key that an application makes of a fingerprint.
func (w *batchTx) mayExtend(ctx context.Context, base fingerprint.Key) (bool, error) {
	var made int64
	err := w.tx.QueryRowContext(ctx, "SELECT made FROM extended WHERE project=? AND base=? FOR UPDATE", w.Project.ID, base[:]).Scan(&made)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return false, err
	}
	if made >= maxExtended {
		return false, nil
	}
	_, err = w.tx.ExecContext(ctx, "INSERT INTO extended (project, base, made) VALUES (?,?,1) ON DUPLICATE KEY UPDATE made=made+1", w.Project.ID, base[:])
	return true, err
}

// aliasOf is the issue of a fingerprint, 0 when there is none yet.
func (w *batchTx) aliasOf(ctx context.Context, k fingerprint.Key) (issue int64, err error) {
	return issues.AliasOf(ctx, w.tx, w.Project.ID, w.Project.GroupingVersion, k)
}

// RouteProject finds the project that service.name names, or makes it in the
// name of the project whose key routes. ok is false when that one has made as
// many as it may today.
func (s *Service) RouteProject(ctx context.Context, home *projects.Project,
	name string) (p *projects.Project, ok bool, err error) {
	id := int64(0)
	err = s.db.QueryRowContext(ctx, "SELECT id FROM project WHERE name=?", name).Scan(&id)
	if err == nil {
		p, err = s.projects.ProjectByID(ctx, id)
		return p, err == nil, err
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return nil, false, err
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, home.ID); err != nil {
			return err
		}
		c := caps{tx: tx, project: home.ID, now: s.db.Now().UTC()}
		n, err := c.room(ctx, newProjects, 1)
		if ok = n > 0; err != nil || !ok {
			return err
		}
		return c.write(ctx)
	})
	if err != nil || !ok {
		return nil, false, err
	}
	if p, _, err = s.projects.CreateProject(ctx, projects.NewProject{Name: name, KeepDays: home.KeepDays,
		Like: home.ID}); err != nil { // another process may have been faster
		if again, found := s.projects.Project(ctx, name); found == nil {
			return again, true, nil
		}
		return nil, false, err
	}
	return p, true, nil
}
