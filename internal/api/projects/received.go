package projects

import (
	"cmp"
	"context"
	"slices"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
)

// causeTexts say what the causes of what came in mean.
var causeTexts = map[string]string{
	inbox.CauseProcessed:       "processed as new events",
	inbox.CauseRepeat:          "sent again; processed before",
	inbox.CauseJoined:          "joined to an event that another report of the same exception made",
	inbox.CauseDropped:         "dropped by this rule",
	inbox.CauseEventFailed:     "stored, but failed to be processed: firethorn queue shows them",
	inbox.CauseScrubbed:        "something was scrubbed by this rule",
	inbox.CauseCut:             "something was over a limit and was cut",
	inbox.CauseCapped:          "would have made more new things of this sort than reports may",
	inbox.CauseConditionFailed: "the condition of this rule gave an error and counted as not met",
	inbox.CauseEmpty:           "the event lacks all that this grouping rule fills in, so that it did not fit",
	inbox.CauseCostly:          "the condition of this rule cost too much and counted as not met",
	inbox.CauseOver:            "turned away: the allowance of this span was used up",
	inbox.CauseRejected:        "requests turned away: the service was full",
	inbox.CauseRefused:         "refused",
	inbox.CauseLost:            "lost by clients, as they say",
	inbox.CauseDiscarded:       "failed, and discarded by a person",
	inbox.CauseExpired:         "failed, and not retried within 30 days",
}

// refusalTexts say why something was refused.
var refusalTexts = map[string]string{
	"unreadable": "could not be read as an event",
	"too large":  "larger than a request may be",
	"media type": "of a media type that is not read here",
	"origin":     "from a web origin that the project does not allow",
}

func (a *handlers) received(t *calls.Table) {
	calls.OnProject(t, "show-received", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Hours int `query:"hours" minimum:"1" maximum:"9600" default:"24" doc:"how far back"`
	}) (*calls.Body[contract.Received], error) {
		to := time.Now().UTC().Truncate(time.Hour).Add(time.Hour)
		from := to.Add(-time.Duration(in.Hours) * time.Hour)
		rows, err := a.Store.Inbox.Received(ctx, p.ID, from, to)
		if err != nil {
			return nil, err
		}
		examples, err := a.Store.Inbox.ReceivedExamples(ctx, p.ID, from)
		if err != nil {
			return nil, err
		}
		out := contract.Received{Project: p.Name, From: from, To: to, Hours: []contract.ReceivedHour{},
			Causes: []contract.ReceivedCause{}, Allowance: contract.Allowance(p.Allowance)}
		countHours(&out, rows)
		countCauses(&out, rows, examples)
		out.RulesOff, err = a.rulesOff(ctx, p.ID, p.RulesVersion)
		return calls.Answer(out), err
	})
}

// reason says why something was refused; "" for other causes.
func reason(r inbox.ReceivedRow) string {
	if r.Cause != inbox.CauseRefused {
		return ""
	}
	return refusalTexts[r.Rule]
}

// field is where a cause is counted; nil for causes that are counted by rule only.
func field(c *contract.ReceivedCounts, cause string) *int64 {
	switch cause {
	case inbox.CauseProcessed:
		return &c.Stored
	case inbox.CauseRepeat:
		return &c.Repeats
	case inbox.CauseJoined:
		return &c.Joined
	case inbox.CauseDropped:
		return &c.Dropped
	case inbox.CauseOver:
		return &c.OverAllowance
	case inbox.CauseRejected:
		return &c.Rejected
	case inbox.CauseRefused:
		return &c.Refused
	case inbox.CauseEventFailed:
		return &c.Failed
	case inbox.CauseLost:
		return &c.LostByClient
	case inbox.CauseCut:
		return &c.Cut
	case inbox.CauseScrubbed:
		return &c.Scrubbed
	case inbox.CauseCapped:
		return &c.Capped
	case inbox.CauseSession:
		return &c.Sessions
	case inbox.CauseFeedback:
		return &c.Feedback
	}
	return nil
}

func countHours(out *contract.Received, rows []inbox.ReceivedRow) {
	for _, r := range rows {
		if n := len(out.Hours); n == 0 || !out.Hours[n-1].Hour.Equal(r.Hour) {
			out.Hours = append(out.Hours, contract.ReceivedHour{Hour: r.Hour})
		}
		if f := field(&out.Hours[len(out.Hours)-1].ReceivedCounts, r.Cause); f != nil {
			*f += r.Events
			*field(&out.Sum, r.Cause) += r.Events
		}
	}
}

// countCauses sums by cause and rule. What is simply processed needs no list.
func countCauses(out *contract.Received, rows []inbox.ReceivedRow, examples []inbox.ReceivedExample) {
	type key struct{ cause, rule string }
	at := map[key]int{}
	for _, r := range rows {
		if r.Cause == inbox.CauseProcessed || r.Cause == inbox.CauseSession || r.Cause == inbox.CauseFeedback {
			continue
		}
		k := key{r.Cause, r.Rule}
		i, ok := at[k]
		if !ok {
			i = len(out.Causes)
			at[k] = i
			out.Causes = append(out.Causes,
				contract.ReceivedCause{Cause: r.Cause, Rule: r.Rule,
					Text: cmp.Or(reason(r), causeTexts[r.Cause], r.Cause), Examples: []contract.ReceivedExample{}})
		}
		out.Causes[i].Events += r.Events
	}
	for _, e := range examples {
		if i, ok := at[key{e.Cause, e.Rule}]; ok {
			c := &out.Causes[i]
			c.Examples = append(c.Examples, contract.ReceivedExample{At: e.At, Text: e.Text})
		}
	}
	slices.SortStableFunc(out.Causes, func(a, b contract.ReceivedCause) int { return cmp.Compare(b.Events, a.Events) })
}
