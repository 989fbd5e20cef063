package api

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/mariadb"
)

// causeWords say what the causes of what came in mean.
var causeWords = map[string]string{
	mariadb.CauseFiled:      "filed as new events",
	mariadb.CauseRepeat:     "sent again; filed before",
	mariadb.CauseJoined:     "joined to an event that another report of the same exception made",
	mariadb.CauseDropped:    "dropped by this rule",
	mariadb.CauseSetAside:   "stored, but could not be filed: firethorn queue shows them",
	mariadb.CauseScrubbed:   "something was scrubbed by this rule",
	mariadb.CauseCut:        "something was over a limit and was cut",
	mariadb.CauseCapped:     "would have made more new things of this sort than reports may",
	mariadb.CauseFailed:     "the condition of this rule gave an error and counted as not met",
	mariadb.CauseEmpty:      "the event lacks all that this grouping rule fills in, so that it did not fit",
	mariadb.CauseCostly:     "the condition of this rule cost too much and counted as not met",
	mariadb.CauseOver:       "turned away: the allowance of this span was used up",
	mariadb.CauseTurnedAway: "requests turned away: the service was full",
	mariadb.CauseRefused:    "refused",
	mariadb.CauseLost:       "lost by clients, as they say",
	mariadb.CauseDiscarded:  "set aside, and let go of by someone",
	mariadb.CauseExpired:    "set aside, and nobody filed them again in 30 days",
}

// refusedWords say why something was refused.
var refusedWords = map[string]string{
	"unreadable": "could not be read as an event",
	"too large":  "larger than a request may be",
	"media type": "of a media type that is not read here",
	"origin":     "from a web origin that the project does not allow",
}

func (a *API) received(h huma.API) {
	op(h, a, "GET", "/api/projects/{project}/received", "show-received", "What came in and what became of it, by hour", see, func(ctx context.Context, in *struct {
		ProjectPath
		Hours int `query:"hours" minimum:"1" maximum:"9600" default:"24" doc:"how far back"`
	}) (*body[contract.Received], error) {
		p, err := a.store.Project(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		to := time.Now().UTC().Truncate(time.Hour).Add(time.Hour)
		from := to.Add(-time.Duration(in.Hours) * time.Hour)
		rows, err := a.store.Received(ctx, p.ID, from, to)
		if err != nil {
			return nil, err
		}
		examples, err := a.store.ReceivedExamples(ctx, p.ID, from)
		if err != nil {
			return nil, err
		}
		out := contract.Received{Project: p.Name, From: from, To: to, Hours: []contract.ReceivedHour{}, Causes: []contract.ReceivedCause{}, Allowance: contract.Allowance(p.Allowance)}
		countHours(&out, rows)
		countCauses(&out, rows, examples)
		out.RulesOff, err = a.rulesOff(ctx, p.ID, p.RulesVersion)
		return &body[contract.Received]{out}, err
	})
}

// reason says why something was refused; "" for other causes.
func reason(r mariadb.ReceivedRow) string {
	if r.Cause != mariadb.CauseRefused {
		return ""
	}
	return refusedWords[r.Rule]
}

// field is where a cause is counted; nil for those that are told by rule alone.
func field(c *contract.ReceivedCounts, cause string) *int64 {
	switch cause {
	case mariadb.CauseFiled:
		return &c.Stored
	case mariadb.CauseRepeat:
		return &c.Repeats
	case mariadb.CauseJoined:
		return &c.Joined
	case mariadb.CauseDropped:
		return &c.Dropped
	case mariadb.CauseOver:
		return &c.OverAllowance
	case mariadb.CauseTurnedAway:
		return &c.TurnedAway
	case mariadb.CauseRefused:
		return &c.Refused
	case mariadb.CauseSetAside:
		return &c.SetAside
	case mariadb.CauseLost:
		return &c.LostByClient
	case mariadb.CauseCut:
		return &c.Cut
	case mariadb.CauseScrubbed:
		return &c.Scrubbed
	case mariadb.CauseCapped:
		return &c.Capped
	case mariadb.CauseSession:
		return &c.Sessions
	case mariadb.CauseFeedback:
		return &c.Feedback
	}
	return nil
}

func countHours(out *contract.Received, rows []mariadb.ReceivedRow) {
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

// countCauses sums by cause and rule. What is simply filed needs no list.
func countCauses(out *contract.Received, rows []mariadb.ReceivedRow, examples []mariadb.ReceivedExample) {
	type key struct{ cause, rule string }
	at := map[key]int{}
	for _, r := range rows {
		if r.Cause == mariadb.CauseFiled || r.Cause == mariadb.CauseSession || r.Cause == mariadb.CauseFeedback {
			continue
		}
		k := key{r.Cause, r.Rule}
		i, ok := at[k]
		if !ok {
			i = len(out.Causes)
			at[k] = i
			out.Causes = append(out.Causes, contract.ReceivedCause{Cause: r.Cause, Rule: r.Rule, Words: cmp.Or(reason(r), causeWords[r.Cause], r.Cause), Examples: []contract.ReceivedExample{}})
		}
		out.Causes[i].Events += r.Events
	}
	for _, e := range examples {
		if i, ok := at[key{e.Cause, e.Rule}]; ok {
			c := &out.Causes[i]
			c.Examples = append(c.Examples, contract.ReceivedExample{At: e.At, Words: e.Words})
		}
	}
	slices.SortStableFunc(out.Causes, func(a, b contract.ReceivedCause) int { return cmp.Compare(b.Events, a.Events) })
}
