package rows

import (
	"fmt"

	"firethorn/internal/contract"
	"firethorn/internal/store/events"
	"firethorn/internal/usecase/find"
)

// Searched is the part that all answers to searches share.
func Searched(s find.Completeness) contract.Searched {
	out := contract.Searched{Warnings: s.Warnings}
	if !s.CompleteFrom.IsZero() {
		out.CompleteFrom = &s.CompleteFrom
	}
	return out
}

// EventRow is an event as lists show it.
func EventRow(project string, e *events.EventRow) contract.EventRow {
	return contract.EventRow{ID: e.ID.String(), Time: e.Thrown, Received: e.Received,
		Issue: fmt.Sprintf("%s/%d", project, e.Issue), Headline: e.Headline, Release: e.Release,
		Environment: e.Environment, StandsFor: e.StandsFor, Kept: e.Kept}
}
