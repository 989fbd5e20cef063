package ingest

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/status"
)

// seenIn is an issue seen in a release.
type seenIn struct{ issue, release int64 }

// checkLife asks the state machine what the batch does to issues that are
// fixed or parked: the youngest event of each release says it.
func (w *batchTx) checkLife(ctx context.Context) error {
	newest, weight := map[seenIn]*row{}, map[seenIn]int64{}
	parked := map[int64][]*row{}
	names := []string{}
	for _, r := range w.rows {
		switch st := r.issue.status; st.State {
		case issue.Fixed:
			k := seenIn{r.issue.id, r.release}
			if newest[k] == nil || r.When.Thrown.After(newest[k].When.Thrown) {
				newest[k] = r
			}
			weight[k] += r.Event.StandsFor
			names = append(names, r.Release, st.FixedIn, st.After)
		case issue.Parked:
			parked[r.issue.id] = append(parked[r.issue.id], r)
			names = append(names, r.Release, st.Parked.After)
		}
	}
	if len(names) == 0 {
		return nil
	}
	k, err := w.s.releases.Facts(ctx, w.tx, w.Project.ID, names...)
	if err != nil {
		return err
	}
	keys := slices.SortedFunc(maps.Keys(newest), func(a, b seenIn) int {
		return cmp.Or(cmp.Compare(a.issue, b.issue), cmp.Compare(a.release, b.release))
	})
	for _, key := range keys {
		if err := w.fixedSeen(ctx, k, newest[key], weight[key]); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(parked)) {
		if err := w.parkedSeen(ctx, k, w.issues[id], parked[id]); err != nil {
			return err
		}
	}
	return nil
}

// fixedSeen is an event of a fixed issue, the youngest of those in its release.
func (w *batchTx) fixedSeen(ctx context.Context, k releases.ReleaseFacts, r *row, weight int64) error {
	is := r.issue
	o := issue.Occurrence{Release: k.Release(r.Release), Thrown: r.When.Thrown}
	if r.Environment != event.NoEnvironment {
		o.Environment = r.Environment
	}
	if r.release != 0 {
		var all int64
		if err := w.tx.QueryRowContext(ctx, "SELECT COALESCE(SUM(events),0) FROM issue_release WHERE issue=? AND app_release=?", is.id, r.release).Scan(&all); err != nil {
			return err
		}
		o.KnownBefore = all > weight
	}
	_, entry, changed := k.Seen(is.status.Status, o)
	if entry == nil || entry.Quiet {
		return nil
	}
	if !changed {
		said, err := w.notedSinceFix(ctx, is.id, entry.Text)
		if err != nil || said {
			return err
		}
		return w.s.status.Record(ctx, w.tx, w.Project.ID, is.id,
			status.HistoryLine{Entry: *entry, Who: accounts.Service})
	}
	detail, err := w.s.cameFrom(ctx, w.tx, w.Project.ID, is.id, is.status.Fix, o.Release, k)
	if err != nil {
		return err
	}
	detail.Environment, detail.Event = o.Environment, r.ID.String()
	o.Since = detail.words()
	before := is.status
	next, entry, _ := k.Seen(before.Status, o)
	is.status.Status = next
	w.occasions = append(w.occasions, occasion{r, "regressed", entry.Text})
	return w.s.status.Change(ctx, w.tx, status.Change{
		Project: w.Project.ID, Issue: is.id, Before: before, After: &is.status, Need: issue.NeedNow,
		Entry: status.HistoryLine{Entry: *entry, Who: accounts.Service, Before: &before, Detail: detail, Asked: true},
	})
}

// notedSinceFix says whether the history has the same remark after the
// last fix: one for each older release is enough.
func (w *batchTx) notedSinceFix(ctx context.Context, issue int64, text string) (bool, error) {
	var n int
	err := w.tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM history WHERE issue=? AND text=? AND id > (SELECT COALESCE(MAX(id),0) FROM history WHERE issue=? AND kind='fix')", issue, text, issue).Scan(&n)
	return n > 0, err
}

// CameFrom is what lies between the last good release and the one in which an
// issue regressed.
type CameFrom struct {
	Environment string `json:"environment,omitempty"`
	Event       string `json:"event,omitempty"`
	// The newest release before that contains the fix, of which events came, and in which it was
	// not seen.
	LastGood string `json:"last_good,omitempty"`
	From     string `json:"from,omitempty"` // commits, in full
	To       string `json:"to,omitempty"`
	Commits  int    `json:"commits,omitempty"`
}

func (c CameFrom) words() string {
	switch {
	case c.LastGood == "" && c.Commits == 0:
		return ""
	case c.Commits == 0:
		return "it was not seen in " + c.LastGood + ", the last good release"
	}
	n := fmt.Sprintf("%d commits, %s to %s", c.Commits, release.Short(c.From), release.Short(c.To))
	if c.Commits == 1 {
		n = "1 commit, " + release.Short(c.To)
	}
	if c.LastGood == "" {
		return "since the fix: " + n
	}
	return "since " + c.LastGood + ", the last good release: " + n
}

// cameFrom finds the last good release before one, and the commits since then.
func (s *Service) cameFrom(ctx context.Context, tx *sql.Tx, project, id int64, f issue.Fix, in release.Release,
	k releases.ReleaseFacts) (CameFrom, error) {
	c := CameFrom{To: in.Commit}
	all, err := s.releases.Ordered(ctx, tx, project, k)
	if err != nil {
		return c, err
	}
	seen, err := db.Texts(ctx, tx, "SELECT n.name FROM app_release n WHERE n.project=? AND EXISTS (SELECT 1 FROM issue_release x WHERE x.app_release=n.id)", project)
	if err != nil {
		return c, err
	}
	bad, err := db.Texts(ctx, tx, "SELECT DISTINCT n.name FROM issue_release x JOIN app_release n ON n.id=x.app_release WHERE x.issue=?", id)
	if err != nil {
		return c, err
	}
	for _, r := range slices.Backward(all) {
		if !slices.Contains(seen, r.Version) || slices.Contains(bad, r.Version) || r.Version == in.Version ||
			release.Compare(r, in, k.Policy, k.Commits).Compare >= 0 {
			continue
		}
		if answer, _ := k.Holds(f, r); answer == issue.Contains {
			c.LastGood, c.From = r.Version, r.Commit
			break
		}
	}
	if c.LastGood == "" {
		c.From = f.Commit
		if f.Kind == issue.FixRelease && f.FixedIn != in.Version {
			c.From = k.Release(f.FixedIn).Commit
		}
	}
	if c.From == "" || c.From == c.To || !k.Graph.Contains(c.To, c.From) {
		c.From, c.To = "", ""
		return c, nil
	}
	c.Commits = len(k.Graph.Between(c.From, c.To))
	return c, nil
}

// parkedSeen adds what came to a parked issue, and lets it wake.
func (w *batchTx) parkedSeen(ctx context.Context, k releases.ReleaseFacts, is *issueRow, rows []*row) error {
	p, err := status.LoadParked(ctx, w.tx, is.id)
	if err != nil {
		return err
	}
	weight := map[int64]int64{} // by environment
	for _, r := range rows {
		p.Events += r.Event.StandsFor
		p.Hours[r.When.Thrown.Unix()/3600] += r.Event.StandsFor
		weight[r.env] += r.Event.StandsFor
	}
	p.Users += max(0, is.users-is.usersBefore)
	since := p.Since(w.now)
	for _, r := range rows {
		o := issue.Occurrence{Release: k.Release(r.Release), Environment: r.Environment, Thrown: r.When.Thrown}
		if is.status.Parked.NewEnvironment {
			var all int64
			if err := w.tx.QueryRowContext(ctx, "SELECT COALESCE(SUM(events),0) FROM issue_env WHERE issue=? AND environment=?", is.id, r.env).Scan(&all); err != nil {
				return err
			}
			o.NewPlace = all <= weight[r.env]
		}
		before := is.status
		next, entry := k.Wake(before.Status, w.now, since, &o)
		if entry == nil {
			continue
		}
		is.status.Status = next
		w.occasions = append(w.occasions, occasion{r, "woken", entry.Text})
		return w.s.status.Change(ctx, w.tx, status.Change{
			Project: w.Project.ID, Issue: is.id, Before: before, After: &is.status, Need: issue.NeedNow,
			Entry: status.HistoryLine{Entry: *entry, Who: accounts.Service, Before: &before, Asked: true},
		})
	}
	return p.Save(ctx, w.tx, is.id)
}
