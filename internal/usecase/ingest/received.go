package ingest

import (
	"context"
	"strings"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
)

// countReceived counts what became of everything in this batch.
func (w *batchTx) countReceived(ctx context.Context) error {
	for _, r := range w.rows {
		w.tally.Add(r.Received, inbox.CauseProcessed, "", 1)
		if len(r.Event.Notes) > 0 {
			w.tally.Add(r.Received, inbox.CauseCut, "", 1)
			w.tally.Example(r.Received, inbox.CauseCut, "", r.Event.Notes[0]+" ("+r.Print.Headline+")")
		}
		w.countScrubbed(r.Item)
		w.countTrouble(r.Item)
	}
	for _, it := range w.Dropped {
		w.tally.Add(it.Received, inbox.CauseDropped, it.Verdict.Rule, 1)
		w.tally.Example(it.Received, inbox.CauseDropped, it.Verdict.Rule, inOneLine(it))
		w.countTrouble(it)
	}
	for _, a := range w.Failed {
		w.tally.Add(a.Received, inbox.CauseEventFailed, "", 1)
	}
	if w.tally.Empty() {
		return nil
	}
	return w.s.inbox.WriteTally(ctx, w.tx, w.Project.ID, &w.tally)
}

// countScrubbed counts an event once for each rule that replaced something.
func (w *batchTx) countScrubbed(it *pipeline.Item) {
	for i, f := range it.Scrubbed {
		first := true
		for _, before := range it.Scrubbed[:i] {
			first = first && before.Rule != f.Rule
		}
		if first {
			w.tally.Add(it.Received, inbox.CauseScrubbed, f.Rule, 1)
			w.tally.Example(it.Received, inbox.CauseScrubbed, f.Rule, f.Where)
		}
	}
}

func (w *batchTx) countTrouble(it *pipeline.Item) {
	for _, t := range it.Trouble {
		cause := inbox.CauseConditionFailed
		switch {
		case t.TooCostly:
			cause = inbox.CauseCostly
		case t.Empty:
			cause = inbox.CauseEmpty
		}
		w.tally.Add(it.Received, cause, t.Rule, 1)
		w.tally.Example(it.Received, cause, t.Rule, t.Why+" — "+inOneLine(it))
	}
}

// inOneLine describes an event that is not processed in one line.
func inOneLine(it *pipeline.Item) string {
	text := it.Event.Message
	if len(it.Event.Exceptions) > 0 {
		x := it.Event.Exceptions[0]
		text = strings.TrimPrefix(x.Type+": "+x.Message, ": ")
	}
	if it.Release != "" {
		text += " · " + it.Release
	}
	if agent := it.Event.Attributes.Text("user_agent.original"); agent != "" {
		text += " · " + agent
	}
	return text
}
