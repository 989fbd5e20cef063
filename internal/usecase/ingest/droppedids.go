package ingest

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"math/bits"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/store/projects"
)

// Senders may send an event again long after its partition was dropped: a
// laptop that was closed for weeks does. So the ids of dropped events are kept
// for droppedDays, eight bytes each. They are exact, within the odds of SHA-256:
// a filter that is sometimes wrong would lose events that were acknowledged.
const (
	DroppedDays  = 60
	bucketIDs    = 4096    // ids in one row, about
	idsAtOnce    = 4 << 20 // ids in memory while a day is written down
	bucketsAtOne = 64      // rows in one statement
)

// idHash is what is kept of an event's id.
func idHash(id uuid.UUID) uint64 {
	h := sha256.Sum256(id[:])
	return binary.BigEndian.Uint64(h[:8])
}

// bucketOf is the row that holds a hash: hashes are spread evenly, so each
// row holds an even part of their range.
func bucketOf(hash uint64, buckets int) int {
	hi, _ := bits.Mul64(hash, uint64(buckets))
	return int(hi)
}

// KeepIDs writes down the ids of a day's events before its partition goes.
// What an earlier try wrote is written again.
func (s *Service) KeepIDs(ctx context.Context, day int) error {
	part := fmt.Sprintf("event PARTITION (p%d)", day)
	sizes := map[int64]int{}
	err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var project int64
		var n int
		err := r.Scan(&project, &n)
		sizes[project] = n
		return err
	}, "SELECT project, COUNT(*) FROM "+part+" GROUP BY project")
	if err != nil {
		return err
	}
	for _, project := range slices.Sorted(maps.Keys(sizes)) {
		if _, err := s.db.Slow.ExecContext(ctx, "DELETE FROM dropped_id WHERE project=? AND keep_day=?", project,
			day); err != nil {
			return err
		}
		buckets := max(1, (sizes[project]+bucketIDs-1)/bucketIDs)
		for from := 0; from < buckets; from += idsAtOnce / bucketIDs {
			some := someBuckets{from, min(from+idsAtOnce/bucketIDs, buckets), buckets}
			if err := s.keepBuckets(ctx, part, project, day, some); err != nil {
				return err
			}
		}
	}
	return nil
}

// someBuckets are the buckets from one up to another, of so many.
type someBuckets struct{ from, to, of int }

// keepBuckets writes some buckets of a project's day.
func (s *Service) keepBuckets(ctx context.Context, part string, project int64, day int, some someBuckets) error {
	all := make([][]uint64, some.to-some.from)
	err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var raw sql.RawBytes
		if err := r.Scan(&raw); err != nil {
			return err
		}
		hash := idHash(uuid.UUID(raw))
		if b := bucketOf(hash, some.of); b >= some.from && b < some.to {
			all[b-some.from] = append(all[b-some.from], hash)
		}
		return nil
	}, "SELECT id FROM "+part+" FORCE INDEX (once) WHERE project=?", project)
	if err != nil {
		return err
	}
	var rows [][]any
	for i, hashes := range all {
		slices.Sort(hashes)
		packed := make([]byte, 0, 8*len(hashes))
		for _, h := range hashes {
			packed = binary.BigEndian.AppendUint64(packed, h)
		}
		rows = append(rows, []any{project, day, some.from + i, some.of, packed})
	}
	for chunk := range slices.Chunk(rows, bucketsAtOne) {
		if err := db.InsertRows(ctx, s.db.Slow, "INSERT INTO dropped_id (project, keep_day, bucket, buckets, hashes)", "", chunk); err != nil {
			return err
		}
	}
	return nil
}

// droppedBefore finds which rows repeat events whose partition was dropped. Only
// rows whose time is past being kept can: others have a partition to be found in.
func (w *batchTx) droppedBefore(ctx context.Context) (map[uuid.UUID]bool, error) {
	byDay := map[int][]uuid.UUID{}
	today := db.Day(w.now)
	for _, r := range w.rows {
		if !r.odd || r.When.Sent.IsZero() {
			continue
		}
		for _, class := range projects.KeepClasses {
			if d := db.Day(r.When.Sent) + class; d < today && d >= today-DroppedDays-projects.GraceDays {
				byDay[d] = append(byDay[d], r.ID)
			}
		}
	}
	found := map[uuid.UUID]bool{}
	for day, ids := range byDay {
		if err := w.droppedOn(ctx, day, ids, found); err != nil {
			return nil, err
		}
	}
	return found, nil
}

func (w *batchTx) droppedOn(ctx context.Context, day int, ids []uuid.UUID, found map[uuid.UUID]bool) error {
	var buckets int
	err := w.tx.QueryRowContext(ctx, "SELECT buckets FROM dropped_id WHERE project=? AND keep_day=? LIMIT 1", w.Project.ID, day).Scan(&buckets)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	in := map[int][]uuid.UUID{}
	for _, id := range ids {
		b := bucketOf(idHash(id), buckets)
		in[b] = append(in[b], id)
	}
	for chunk := range slices.Chunk(slices.Sorted(maps.Keys(in)), bucketsAtOne) {
		args := []any{w.Project.ID, day}
		for _, b := range chunk {
			args = append(args, b)
		}
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var bucket int
			var hashes sql.RawBytes
			if err := r.Scan(&bucket, &hashes); err != nil {
				return err
			}
			for _, id := range in[bucket] {
				found[id] = found[id] || holdsHash(hashes, idHash(id))
			}
			return nil
		}, "SELECT bucket, hashes FROM dropped_id WHERE project=? AND keep_day=? AND bucket IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return err
		}
	}
	return nil
}

// holdsHash looks for a hash among sorted ones.
func holdsHash(sorted []byte, hash uint64) bool {
	lo, hi := 0, len(sorted)/8
	for lo < hi {
		mid := (lo + hi) / 2
		switch at := binary.BigEndian.Uint64(sorted[8*mid:]); {
		case at == hash:
			return true
		case at < hash:
			lo = mid + 1
		default:
			hi = mid
		}
	}
	return false
}
