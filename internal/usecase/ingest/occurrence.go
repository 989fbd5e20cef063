package ingest

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"errors"
	"slices"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/occurrence"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
)

const (
	occurrenceKept = 10 * time.Minute
	maxReports     = 50 // that are remembered of one trace and message
)

// cluster is the reports of one occurrence: those of an event that is processed,
// or the rows of this batch that will be one.
type cluster struct {
	reports []occurrence.Report
	stored  *storedEvent
	rows    []*row // in the order of their time
}

// storedEvent is an event with another report.
type storedEvent struct {
	position, keepDay int64
	variant, issue    int64
	thrown            int64
	user              sql.NullInt64
}

// lateUser is a user named by a later report.
type lateUser struct {
	issue, variant, user, day int64
	position, keepDay         int64 // of its event
	number                    uint32
}

// fits says how far in time a report is from the nearest of the cluster that
// it is the same as; ok is false when it is none of this cluster.
func (c *cluster) fits(r occurrence.Report) (near time.Duration, ok bool) {
	for _, m := range c.reports {
		if m.Apart(r) {
			return 0, false
		}
		if d := m.At.Sub(r.At).Abs(); m.Same(r) && (!ok || d < near) {
			near, ok = d, true
		}
	}
	return near, ok
}

// joinOccurrences lets reports of one exception be one event: the first that
// is processed decides id, issue and fingerprint, the others add what it lacks.
// Within a batch one with a stack is processed before one without.
func (w *batchTx) joinOccurrences(ctx context.Context) error {
	reports := map[*row]occurrence.Report{}
	var hashes []any
	for _, r := range w.rows {
		if rep, ok := occurrence.Of(r.Event, r.When.Thrown); ok {
			reports[r] = rep
			hashes = append(hashes, bytes.Clone(rep.Key[:]))
		}
	}
	if len(reports) == 0 {
		return nil
	}
	clusters, err := w.loadOccurrences(ctx, hashes)
	if err != nil {
		return err
	}
	var rows []*row
	for _, r := range w.rows {
		if _, ok := reports[r]; ok {
			rows = append(rows, r)
		}
	}
	slices.SortStableFunc(rows, func(a, b *row) int { return reports[a].At.Compare(reports[b].At) })
	for _, r := range rows {
		rep := reports[r]
		var best *cluster
		var nearest time.Duration
		for _, c := range clusters[rep.Key] {
			if d, ok := c.fits(rep); ok && (best == nil || d < nearest) {
				best, nearest = c, d
			}
		}
		if best == nil {
			best = &cluster{}
			clusters[rep.Key] = append(clusters[rep.Key], best)
		}
		best.reports, best.rows = append(best.reports, rep), append(best.rows, r)
	}
	gone := map[*row]bool{}
	for _, list := range clusters {
		for _, c := range list {
			if err := w.join(ctx, c, gone); err != nil {
				return err
			}
		}
	}
	for _, r := range rows {
		if !gone[r] {
			w.reports = append(w.reports, reported{r, reports[r]})
		}
	}
	for _, list := range clusters {
		for _, c := range list {
			for _, r := range c.rows {
				if gone[r] {
					w.reports = append(w.reports, reported{c.lead(gone), reports[r]})
				}
			}
		}
	}
	w.rows = slices.DeleteFunc(w.rows, func(r *row) bool { return gone[r] })
	w.done.Events = len(w.rows)
	return nil
}

// reported is a report with the row it is processed as, or a stand-in for the
// event that it was joined to.
type reported struct {
	*row
	occurrence.Report
}

// lead is what the cluster's reports belong to.
func (c *cluster) lead(gone map[*row]bool) *row {
	if c.stored != nil {
		return &row{position: c.stored.position, keepDay: int(c.stored.keepDay)}
	}
	for _, r := range c.rows {
		if !gone[r] {
			return r
		}
	}
	return nil
}

// join makes one event of a cluster's reports.
func (w *batchTx) join(ctx context.Context, c *cluster, gone map[*row]bool) error {
	rest := c.rows
	if c.stored == nil {
		if len(rest) < 2 {
			return nil
		}
		lead := slices.MinFunc(rest, func(a, b *row) int {
			return cmp.Compare(stackless(a), stackless(b))
		}) // the first of them in time
		for _, r := range rest {
			if r == lead {
				continue
			}
			body, _, err := joinBodies(lead.Body, r.Body)
			if err != nil {
				return err
			}
			lead.Body, lead.joined = body, true
			if !lead.HasUser {
				lead.User, lead.HasUser = r.User, r.HasUser
			}
			w.ties = append(w.ties, tie{r.Print.Key, lead, 0})
			gone[r] = true
		}
	} else {
		for _, r := range rest {
			if err := w.joinStored(ctx, c.stored, r); err != nil {
				return err
			}
			w.ties = append(w.ties, tie{r.Print.Key, nil, c.stored.issue})
			gone[r] = true
		}
	}
	var ids [][]any
	for _, r := range rest {
		if gone[r] {
			ids = append(ids, []any{w.Project.ID, r.ID[:], r.sentMicros(), r.keepDay})
			w.tally.Add(r.Received, inbox.CauseJoined, "", 1)
		}
	}
	return db.InsertRows(ctx, w.tx, "INSERT IGNORE INTO odd_event (project, id, sent, keep_day)", "", ids) // a repeat of theirs is known by it
}

// stackless is 1 for an event without a stack.
func stackless(r *row) int {
	if r.Event.Exceptions[0].Stack == "" {
		return 1
	}
	return 0
}

// joinBodies adds what a second packed body has and the first has not.
func joinBodies(first, second []byte) ([]byte, bool, error) {
	a, err := pipeline.UnpackBody(first)
	if err != nil {
		return nil, false, err
	}
	b, err := pipeline.UnpackBody(second)
	if err != nil {
		return nil, false, err
	}
	joined, added, err := event.AddMissing(a.Event, b.Event)
	if err != nil || !added {
		return first, false, err
	}
	a.Event = joined
	a.Processed.Scrubbed = append(a.Processed.Scrubbed, b.Processed.Scrubbed...)
	out, err := a.Pack()
	return out, true, err
}

// joinStored adds a report to an event that is processed: to its body, where that is
// kept, and its user, where it had none.
func (w *batchTx) joinStored(ctx context.Context, f *storedEvent, r *row) error {
	if r.HasUser && !f.user.Valid {
		f.user = sql.NullInt64{Int64: r.User, Valid: true}
		if _, err := w.tx.ExecContext(ctx, "UPDATE event SET user=? WHERE project=? AND filing=? AND keep_day=?", r.User, w.Project.ID, f.position, f.keepDay); err != nil {
			return err
		}
		w.lateUsers = append(w.lateUsers,
			lateUser{issue: f.issue, variant: f.variant, user: r.User,
				day: int64(db.Day(db.FromMicros(f.thrown))), position: f.position, keepDay: f.keepDay})
	}
	key := []any{w.Project.ID, f.position, f.keepDay}
	for _, slot := range []struct {
		table, cond string
		args        []any
	}{{"event_body", "project=? AND filing=? AND keep_day=?", key}, {"newest_body",
		"project=? AND filing=? AND keep_day=? AND variant=?", append(key, f.variant)}} {
		var dictionary sql.NullInt64
		var packed []byte
		err := w.tx.QueryRowContext(ctx, "SELECT dictionary, body FROM "+slot.table+" WHERE "+slot.cond,
			slot.args...).Scan(&dictionary, &packed)
		if errors.Is(err, sql.ErrNoRows) {
			continue
		}
		if err != nil {
			return err
		}
		body, err := w.s.events.UnpackBody(ctx, dictionary, packed)
		if err != nil {
			return err
		}
		joined, added, err := joinBodies(body, r.Body)
		if err != nil || !added {
			return err
		}
		if err := w.showPlace(ctx, f.issue, r); err != nil {
			return err
		}
		if err := w.noteJoined(f, joined); err != nil {
			return err
		}
		_, err = w.tx.ExecContext(ctx, "UPDATE "+slot.table+" SET dictionary=NULL, body=? WHERE "+slot.cond,
			append([]any{pipeline.Compress(joined)}, slot.args...)...)
		return err
	}
	return nil
}

// showPlace shows an issue by a report that says where it broke, when none did
// before.
func (w *batchTx) showPlace(ctx context.Context, issue int64, r *row) error {
	s := ShownBy(r.Print, r.Event)
	if s.Place == "" {
		return nil
	}
	_, err := w.tx.ExecContext(ctx, "UPDATE issue_list SET worded=0, headline=?, place=?, search_text=?, origin_function=?, origin_file=?, origin_line=? WHERE issue=? AND place=''",
		s.Headline, s.Place, issues.SearchText(s.Headline, s.Place, s.Message), s.OriginFunction, s.OriginFile,
		s.OriginLine, issue)
	return err
}

// loadOccurrences reads the reports of the last minutes that have one of the
// hashes, with the events they belong to.
func (w *batchTx) loadOccurrences(ctx context.Context, hashes []any) (map[[16]byte][]*cluster, error) {
	out := map[[16]byte][]*cluster{}
	byEvent := map[int64]*cluster{}
	for chunk := range slices.Chunk(hashes, db.AskedRows) {
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var f storedEvent
			var rep occurrence.Report
			var hash []byte
			var thrown int64
			if err := db.ScanNames(r,
				db.Into{"hash": &hash, "span": &rep.Span, "parent": &rep.Parent, "stack": &rep.Stack, "log": &rep.Log,
					"thrown": &thrown, "filing": &f.position, "keep_day": &f.keepDay, "variant": &f.variant,
					"issue": &f.issue, "event_thrown": &f.thrown, "user": &f.user}); err != nil {
				return err
			}
			rep.Key, rep.At = [16]byte(hash), db.FromMicros(thrown)
			c := byEvent[f.position]
			if c == nil {
				c = &cluster{stored: &f}
				byEvent[f.position] = c
				out[rep.Key] = append(out[rep.Key], c)
			}
			c.reports = append(c.reports, rep)
			return nil
		}, "SELECT o.hash, o.span, o.parent, o.stack, o.log, o.thrown, o.filing, o.keep_day, e.variant, v.issue, e.thrown AS event_thrown, e.user"+
			" FROM occurrence o JOIN event e ON e.project=o.project AND e.filing=o.filing AND e.keep_day=o.keep_day JOIN variant v ON v.id=e.variant"+
			" WHERE o.project=? AND o.hash IN ("+db.Marks(len(chunk))+") AND o.filed>? ORDER BY o.id",
			append(append([]any{w.Project.ID}, chunk...), db.Micros(w.now.Add(-occurrenceKept)))...)
		if err != nil {
			return nil, err
		}
	}
	for hash, list := range out {
		for _, c := range list {
			w.remembered[hash] += len(c.reports)
		}
	}
	return out, nil
}

// writeOccurrences remembers the batch's reports for those that come later.
func (w *batchTx) writeOccurrences(ctx context.Context) error {
	var rows [][]any
	for _, r := range w.reports {
		if w.remembered[r.Key]++; w.remembered[r.Key] > maxReports {
			continue
		}
		rows = append(rows, []any{w.Project.ID, bytes.Clone(r.Key[:]), r.position, r.keepDay, r.Span, r.Parent, r.Stack,
			r.Log, db.Micros(r.At), db.Micros(w.now)})
	}
	return db.InsertRows(ctx, w.tx, "INSERT INTO occurrence (project, hash, filing, keep_day, span, parent, stack, log, thrown, filed)", "", rows)
}

// ForgetOccurrences deletes reports that are too old for another one of
// theirs to come.
func (s *Service) ForgetOccurrences(ctx context.Context) error {
	for {
		res, err := s.db.Slow.ExecContext(ctx, "DELETE FROM occurrence WHERE filed<? LIMIT 5000",
			db.Micros(s.db.Now().Add(-occurrenceKept)))
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n < 5000 {
			return err
		}
	}
}
