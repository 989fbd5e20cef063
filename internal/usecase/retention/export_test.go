package retention

import (
	"context"
	"time"
)

// CountChecks is how many counters are compared with rows.
func CountChecks(now time.Time) int { return len(countChecks(now)) }

// FoldSome adds up a chunk of what is dropped with a day.
func (s *Service) FoldSome(ctx context.Context, day int) (more bool, err error) {
	return s.foldSome(ctx, day)
}
