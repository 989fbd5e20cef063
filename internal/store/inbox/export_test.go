package inbox

import (
	"context"

	"firethorn/internal/pipeline"
)

// MaxLost is how many names of what clients lost are distinguished.
const MaxLost = maxLost

// Insert writes batches as rows of their own, in one write.
func (s *Store) Insert(ctx context.Context, project int64, batches []*pipeline.Batch) error {
	var list []inboxRow
	for _, b := range batches {
		list = append(list, s.inbox.rows([]*appendJob{{project: project, batch: b, size: 100}})...)
	}
	return s.inbox.insert(ctx, list)
}
