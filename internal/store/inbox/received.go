package inbox

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/db"
)

// The causes under which events are counted by hour of receipt. Those of
// processing are counted in its transaction: each acknowledged event under
// CauseProcessed, CauseRepeat, CauseJoined, CauseDropped or CauseEventFailed exactly
// once.
const (
	CauseProcessed   = "filed"
	CauseRepeat      = "repeat"    // processed before
	CauseJoined      = "joined"    // to an event that another report of the exception made
	CauseDropped     = "dropped"   // by a rule
	CauseEventFailed = "set_aside" // could not be processed

	CauseSession  = "session"  // a message about a session
	CauseFeedback = "feedback" // what a person said

	CauseScrubbed        = "scrubbed"           // something was, by a rule or kind
	CauseCut             = "cut"                // something was over a limit
	CauseCapped          = "capped"             // would have made more new things than an hour allows
	CauseConditionFailed = "condition_failed"   // a rule's condition gave an error
	CauseCostly          = "too_costly"         // a rule's condition was stopped
	CauseEmpty           = "nothing_to_fill_in" // a grouping rule's values were all empty

	CauseOver     = "over_allowance" // turned away: the project's allowance was used up
	CauseRejected = "turned_away"    // turned away: the service was full
	CauseRefused  = "refused"        // not readable, or not allowed

	CauseLost      = "lost_by_client" // as clients say
	CauseDiscarded = "discarded"      // failed, and let go of by a person
	CauseExpired   = "expired"        // failed, and nobody cared
)

// Tally counts events by cause and rule, and keeps an example of each.
type Tally struct {
	counts   map[tallyKey]int64
	examples map[exampleKey][]example
}

type tallyKey struct {
	hour        int64
	cause, rule string
}

type exampleKey struct{ cause, rule string }

type example struct {
	at   time.Time
	text string
}

// longestRule is how long a rule's name may be.
const longestRule = 240

// Add counts events that were received at a time.
func (t *Tally) Add(at time.Time, cause, rule string, events int64) {
	if events <= 0 {
		return
	}
	if t.counts == nil {
		t.counts, t.examples = map[tallyKey]int64{}, map[exampleKey][]example{}
	}
	t.counts[tallyKey{at.Unix() / 3600, cause, event.TrimText(rule, longestRule)}] += events
}

// Example keeps a text that describes such an event; of the same cause and
// rule a few that differ.
func (t *Tally) Example(at time.Time, cause, rule, words string) {
	if t.counts == nil {
		t.counts, t.examples = map[tallyKey]int64{}, map[exampleKey][]example{}
	}
	k, ex := exampleKey{cause, event.TrimText(rule, longestRule)}, example{at, event.TrimText(words, 480)}
	if list := t.examples[k]; len(list) < exampleSlots && !slices.ContainsFunc(list, func(e example) bool {
		return e.text == ex.text
	}) {
		t.examples[k] = append(list, ex)
	}
}

// Empty says whether nothing was counted.
func (t *Tally) Empty() bool { return len(t.counts) == 0 && len(t.examples) == 0 }

// String lists the counts, sorted, for those who look.
func (t *Tally) String() string {
	var lines []string
	for k, n := range t.counts {
		lines = append(lines, strings.TrimSpace(fmt.Sprintf("%d %s %s", n, k.cause, k.rule)))
	}
	slices.Sort(lines)
	return strings.Join(lines, ", ")
}

// Examples lists the words kept, sorted, for those who look.
func (t *Tally) Examples() (words []string) {
	for _, list := range t.examples {
		for _, e := range list {
			words = append(words, e.text)
		}
	}
	slices.Sort(words)
	return words
}

// exampleSlots is how many examples are kept of a cause and rule.
const exampleSlots = 5

// CountReceived adds to a project's counts of received events.
func (s *Store) CountReceived(ctx context.Context, project int64, t *Tally) error {
	return s.WriteTally(ctx, s.db, project, t)
}

// WriteTally adds a tally to the totals of a project.
func (s *Store) WriteTally(ctx context.Context, q db.Querier, project int64, t *Tally) error {
	var rows [][]any
	for k, n := range t.counts {
		rows = append(rows, []any{project, k.hour, k.cause, k.rule, n})
	}
	if err := db.InsertRows(ctx, q, "INSERT INTO received (project, hour, cause, rule, events)",
		" ON DUPLICATE KEY UPDATE events=events+VALUES(events)", rows); err != nil {
		return err
	}
	rows = nil
	for k, list := range t.examples {
		for i, e := range list {
			rows = append(rows, []any{project, k.cause, k.rule, (list[0].at.Unix() + int64(i)) % exampleSlots,
				db.Micros(e.at), e.text})
		}
	}
	return db.InsertRows(ctx, q, "INSERT INTO received_example (project, cause, rule, slot, at, text)", " ON DUPLICATE KEY UPDATE at=VALUES(at), text=VALUES(text)", rows)
}

// maxLost is how many causes of loss clients may name in an hour.
const maxLost = 30

// ClientDrops adds to the counts of what clients say they lost. The names of
// causes are theirs, so what is no plain name, or one too many, is "other".
func (s *Store) ClientDrops(ctx context.Context, project int64, drops map[string]int64) error {
	now := s.db.Now()
	known := map[string]bool{}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var rule string
		err := r.Scan(&rule)
		known[rule] = true
		return err
	}, "SELECT rule FROM received WHERE project=? AND hour=? AND cause=?", project, now.Unix()/3600, CauseLost)
	if err != nil {
		return err
	}
	var t Tally
	for cause, n := range drops {
		if !plainName(cause) || !known[cause] && len(known) >= maxLost {
			cause = "other"
		}
		known[cause] = true
		t.Add(now, CauseLost, cause, n)
	}
	return s.CountReceived(ctx, project, &t)
}

func plainName(s string) bool {
	return s != "" && len(s) <= 40 && !slices.ContainsFunc([]byte(s), func(c byte) bool {
		return c != '_' && (c < 'a' || c > 'z') && (c < '0' || c > '9')
	})
}

// ReceivedRow is what one cause and rule did in one hour.
type ReceivedRow struct {
	Hour        time.Time
	Cause, Rule string
	Events      int64
}

// Received lists a project's counts of received events from one hour up to another,
// oldest first.
func (s *Store) Received(ctx context.Context, project int64, from, to time.Time) ([]ReceivedRow, error) {
	var out []ReceivedRow
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var row ReceivedRow
		var hour int64
		err := r.Scan(&hour, &row.Cause, &row.Rule, &row.Events)
		row.Hour = time.Unix(hour*3600, 0).UTC()
		out = append(out, row)
		return err
	}, "SELECT hour, cause, rule, events FROM received WHERE project=? AND hour>=? AND hour<? ORDER BY hour, cause, rule", project, from.Unix()/3600, to.Unix()/3600)
}

// ReceivedExample is one event that a cause befell, in words.
type ReceivedExample struct {
	Cause, Rule, Text string
	At                time.Time
}

// ReceivedExamples lists the newest examples of each cause and rule, newest
// first.
func (s *Store) ReceivedExamples(ctx context.Context, project int64, from time.Time) ([]ReceivedExample, error) {
	var out []ReceivedExample
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var e ReceivedExample
		var at int64
		err := r.Scan(&e.Cause, &e.Rule, &at, &e.Text)
		e.At = db.FromMicros(at)
		out = append(out, e)
		return err
	}, "SELECT cause, rule, at, text FROM received_example WHERE project=? AND at>=? ORDER BY at DESC, cause, rule LIMIT 500", project, db.Micros(from))
}

// Drops sums dropped events by cause, for metrics.
func (s *Store) Drops(ctx context.Context) (map[string]int64, error) {
	out := map[string]int64{}
	causes := []string{CauseDiscarded, CauseExpired, CauseDropped, CauseOver, CauseRejected, CauseRefused, CauseLost}
	args := make([]any, len(causes))
	for i, c := range causes {
		out[c], args[i] = 0, c
	}
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var cause string
		var n int64
		err := r.Scan(&cause, &n)
		out[cause] = n
		return err
	}, "SELECT cause, SUM(events) FROM received WHERE cause IN ("+db.Marks(len(causes))+") GROUP BY cause", args...)
}
