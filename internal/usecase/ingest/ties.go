package ingest

import (
	"bytes"
	"context"
	"slices"

	"firethorn/internal/core/fingerprint"
)

// tie says that a report with one fingerprint was of an event with another:
// which of the two comes first differs from time to time, and both must lead
// to one issue.
type tie struct {
	key   fingerprint.Key
	lead  *row // of this batch, or
	issue int64
}

// maxTies bounds the fingerprints that lead to an issue through ties.
const maxTies = 50

// tieFirst lets the fingerprints of reports lead where the event that they were
// joined to leads, before issues are chosen: else another event of this batch
// would make a second issue of one of them.
func (w *batchTx) tieFirst(ctx context.Context) error {
	if w.apart {
		return nil
	}
	w.tied = map[fingerprint.Key][]fingerprint.Key{}
	for _, t := range w.ties {
		if t.lead == nil {
			if err := w.tieTo(ctx, t.key, t.issue); err != nil {
				return err
			}
			continue
		}
		lead := t.lead.Print.Key
		if lead == t.key || slices.Contains(w.tied[lead], t.key) {
			continue
		}
		w.tied[lead], w.tied[t.key] = append(w.tied[lead], t.key), append(w.tied[t.key], lead)
		for _, pair := range [][2]fingerprint.Key{{lead, t.key}, {t.key, lead}} {
			issue, err := w.aliasOf(ctx, pair[0])
			if err == nil && issue != 0 {
				err = w.tieTo(ctx, pair[1], issue)
			}
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// tieNew lets every fingerprint tied to that of a new issue lead to the issue.
func (w *batchTx) tieNew(ctx context.Context, k fingerprint.Key, issue int64) error {
	done := []fingerprint.Key{k}
	for i := 0; i < len(done); i++ {
		for _, other := range w.tied[done[i]] {
			if slices.Contains(done, other) {
				continue
			}
			done = append(done, other)
			if err := w.tieTo(ctx, other, issue); err != nil {
				return err
			}
		}
	}
	return nil
}

// tieTo lets a fingerprint that leads nowhere yet lead to an issue.
func (w *batchTx) tieTo(ctx context.Context, k fingerprint.Key, issue int64) error {
	done := tie{key: k, issue: issue}
	if w.tiedTo[done] {
		return nil
	}
	w.tiedTo[done] = true
	return w.s.db.ExecPrepared(ctx, w.tx, "INSERT IGNORE INTO alias (project, grouping_version, hash, issue) SELECT ?,?,?,? FROM DUAL WHERE (SELECT COUNT(*) FROM alias WHERE issue=?)<?",
		[]any{w.Project.ID, w.Project.GroupingVersion, bytes.Clone(k[:]), issue, issue, maxTies})
}

// writeTies ties what the choice of variants has changed since: the fingerprints of
// reports lead to the issue of the event of this batch that they were joined to.
// Where parts were split off, fingerprints are what people decided about, and stay
// as they are.
func (w *batchTx) writeTies(ctx context.Context) error {
	if w.apart {
		return nil
	}
	for _, t := range w.ties {
		if t.lead == nil || t.lead.Print.Key == t.key {
			continue
		}
		if err := w.tieTo(ctx, t.key, t.lead.variant.issue); err != nil {
			return err
		}
	}
	return nil
}
