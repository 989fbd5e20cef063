package ingest

import (
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/store/issues"
)

// FactOf is what the trace of a variant says, by one of its events.
func FactOf(variant, project int64, p fingerprint.Result, e *event.Event) issues.Fact {
	shown := ShownBy(p, e)
	return issues.Fact{Variant: variant, Project: project, Type: event.TrimText(p.Type, 290), Message: shown.Message,
		File: shown.OriginFile, Function: shown.OriginFunction, Headline: shown.Headline, Place: shown.Place}
}
