package ingest

import (
	"context"
	"database/sql"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
)

// Bounds that tests run into.
var (
	MaxTraceFiles = newTraceFiles.limit
	MaxReports    = maxReports
)

// KeepBuckets keeps the ids of some buckets of a partition.
func (s *Service) KeepBuckets(ctx context.Context, part string, project int64, day, buckets, from, to int) error {
	return s.keepBuckets(ctx, part, project, day, someBuckets{from, to, buckets})
}

// DroppedOn marks the ids that events of a dropped day had.
func (s *Service) DroppedOn(ctx context.Context, tx *sql.Tx, project pipeline.Project, day int, ids []uuid.UUID, found map[uuid.UUID]bool) error {
	w := &batchTx{s: s, tx: tx, Batch: Batch{Project: project}, now: s.db.Now()}
	return w.droppedOn(ctx, day, ids, found)
}
