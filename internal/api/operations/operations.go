package operations

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/store/audit"
	"firethorn/internal/usecase/retention"
)

// When something is worth a word.
const (
	slowProcessing = 30 * time.Second
	farClocks      = 5 * time.Minute
	littleDisk     = 2 << 30 // bytes
)

func (a *handlers) operations(t *calls.Table) {
	calls.Call(t, "status", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Status], error) {
		out := contract.Status{Well: true, Advice: []string{}}
		if err := a.inboxStatus(ctx, &out); err != nil {
			return nil, err
		}
		off, err := a.Store.Projects.ProjectsWithRulesOff(ctx, a.Sight(ctx, access.ReadProject))
		if err != nil {
			return nil, err
		}
		for _, project := range slices.Sorted(maps.Keys(off)) {
			advise(&out, "rules of %s cost too much and were switched off: %s; firethorn rules pull shows them, mend and push them", project, strings.Join(off[project], ", "))
		}
		if err := a.databaseStatus(ctx, &out); err != nil {
			return nil, err
		}
		return calls.Answer(out), nil
	})
	calls.Call(t, "recount", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Recount], error) {
		return a.recount(ctx, false)
	})
	calls.Call(t, "repair", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Recount], error) {
		return a.recount(ctx, true)
	})
}

func (a *handlers) recount(ctx context.Context, repair bool) (*calls.Body[contract.Recount], error) {
	list, following, err := a.Store.Retention.Recount(ctx)
	repaired := 0
	if err == nil && repair && len(list) > 0 {
		if repaired, err = a.Store.Retention.Repair(ctx, list); err == nil {
			err = a.Store.Audit.Note(ctx, audit.Act{Action: "counters repaired", Target: "counters",
				After: map[string]int{"issues": repaired}})
		}
		if err == nil {
			list, following, err = a.Store.Retention.Recount(ctx)
		}
	}
	out := contract.Recount{Compared: retention.Recounts(), Differences: []contract.Difference{}, Recounting: following,
		Repaired: repaired}
	for _, d := range list {
		out.Differences = append(out.Differences, contract.Difference{What: d.What, Issue: d.Issue,
			Stored: d.Stored, Rows: d.Rows})
	}
	return calls.Answer(out), err
}

func advise(out *contract.Status, format string, args ...any) {
	out.Advice = append(out.Advice, fmt.Sprintf(format, args...))
}

func (a *handlers) inboxStatus(ctx context.Context, out *contract.Status) error {
	st, err := a.Store.Overview.Inbox(ctx)
	if err != nil {
		return err
	}
	out.Waiting, out.Failed, out.Recounting = st.Events, st.Failed, st.Following
	if !st.Oldest.IsZero() {
		out.Oldest = &st.Oldest
		if age := time.Since(st.Oldest); age > slowProcessing {
			out.Well = false
			advise(out, "the oldest event has waited %s to be processed: the service's log says whether a project fails or too many events arrive; another serve on the same database shares the work", age.Round(time.Second))
		}
	}
	if st.Failed > 0 {
		advise(out, "%d events failed: firethorn queue says why, firethorn queue retry processes them again", st.Failed)
	}
	if out.Processes, err = a.Store.Inbox.Filers(ctx); err != nil {
		return err
	}
	if out.Processes == 0 {
		out.Well = false
		advise(out, "no process works on new events: start firethorn serve without --store-only")
	}
	return nil
}

func (a *handlers) databaseStatus(ctx context.Context, out *contract.Status) error {
	promises, err := a.Store.Schema.Promises(ctx)
	if err != nil {
		return err
	}
	parts, err := a.Store.Schema.PartitionState(ctx)
	if err != nil {
		return err
	}
	skew, err := a.Store.DB.ClockSkew(ctx)
	if err != nil {
		return err
	}
	d := &contract.StatusDatabase{Version: promises.Version, Durable: promises.Flush == 1, PartitionsAhead: parts.Ahead,
		Stray: parts.Stray, ClockAhead: skew.Round(time.Millisecond).Seconds()}
	out.Database = d
	if !d.Durable {
		out.Well = false
		advise(out, "the database has innodb_flush_log_at_trx_commit=%d: an event that was acknowledged could be lost in a crash; set it to 1", promises.Flush)
	}
	if !promises.Doublewrite {
		out.Well = false
		advise(out, "the database has innodb_doublewrite off: a crash in the middle of a write could break a page; set it on")
	}
	if parts.Needed && parts.Ahead < 1 {
		out.Well = false
		advise(out, "the partitions of coming days are missing (%d days ahead): the service's log says why they could not be made", parts.Ahead)
	}
	if parts.Stray > 0 {
		out.Well = false
		advise(out, "%d events are in no daily partition and will not expire: their times are beyond the existing partitions", parts.Stray)
	}
	if skew > farClocks || skew < -farClocks {
		out.Well = false
		advise(out, "the database's clock differs from the service's by %s: set both by one source; until then nothing is dropped by age", skew.Round(time.Second))
	}
	if a.Disk != nil {
		if free, err := a.Disk(); err == nil {
			d.DiskFree = &free
			if free < littleDisk {
				out.Well = false
				advise(out, "the disk of the private database has %d MiB left: make room, or keep events for less long (firethorn project keep)", free>>20)
			}
		}
	}
	return nil
}
