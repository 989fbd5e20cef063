// Package firing evaluates a project's alert rules for a batch, in the transaction that processes it.
// It writes each alert as an occurrence; usecase/alerting makes deliveries from it.
package firing

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/releases"
)

// Issue is an issue as rules see it.
type Issue struct {
	ID              int64
	Headline, Place string
	rules.IssueFacts
}

// Row is an event of the batch.
type Row struct {
	*pipeline.Item
	Issue             func(context.Context) Issue // as it stands after the batch
	IssueID           int64
	Position, Variant int64
	Release           string
}

// Occasion is what an event of the batch makes of its issue.
type Occasion struct {
	Row        Row
	What, Text string
}

// Batch is what rules are asked about.
type Batch struct {
	Tx        *sql.Tx
	Project   pipeline.Project
	Now       time.Time
	Newest    string // the newest release of the project; "": not known
	Rows      []Row
	Occasions []Occasion
	Releases  func(context.Context) (releases.ReleaseFacts, error)
	// Trouble gets the rules whose condition failed.
	Trouble func(*pipeline.Item, []rules.Trouble)

	last int64 // position of the newest occurrence
}

// readableIn is how long a new issue waits for symbols before rules are asked about it, so
// that unreadable traces do not alert one by one.
const readableIn = 2 * time.Minute

// Fire asks the alert rules about what the batch made of its issues, and lets rules with
// thresholds count its events. What fires is written as an occurrence.
func (w *Batch) Fire(ctx context.Context) error {
	list := w.Project.Rules.AlertRules()
	if len(list) == 0 {
		return nil
	}
	var k releases.ReleaseFacts
	if len(w.Occasions) > 0 ||
		slices.ContainsFunc(list, func(r *rules.AlertRule) bool { return r.Live && r.Threshold() }) {
		var err error
		if k, err = w.Releases(ctx); err != nil {
			return err
		}
	}
	for _, o := range w.Occasions {
		if err := w.become(ctx, k, list, o); err != nil {
			return err
		}
	}
	return w.countAlerts(ctx, k, list)
}

// become asks the rules that ask for what an issue became.
func (w *Batch) become(ctx context.Context, k releases.ReleaseFacts, list []*rules.AlertRule, o Occasion) error {
	var ask []*rules.AlertRule
	for _, r := range list {
		if r.Becoming(o.What) && !r.Threshold() {
			ask = append(ask, r)
		}
	}
	if len(ask) == 0 || o.Row.Alert == nil {
		return nil
	}
	now := alerts.Occurrence{
		Project:  w.Project.ID,
		Issue:    o.Row.IssueID,
		What:     o.What,
		Position: w.position(o.Row.Position),
		At:       w.Now,
		Due:      w.Now,
		Event:    o.Row.ID,
		Text:     o.Text,
		Who:      accounts.Service,
	}
	if o.What == "new" && o.Row.Print.Provisional {
		now.Due, now.Variant = w.Now.Add(readableIn), o.Row.Variant
		return alerts.Add(ctx, w.Tx, now) // the rules are asked once the trace is readable
	}
	hold, trouble := rules.Alerts(ask, o.Row.Alert.On(w.occasionOf(ctx, k, o.Row, o.What)), w.off)
	w.trouble(o.Row, trouble)
	for _, r := range hold {
		now.Rules = append(now.Rules, r.Name)
	}
	if len(hold) == 0 {
		return nil
	}
	return alerts.Add(ctx, w.Tx, now)
}

func (w *Batch) off(rule string) bool { return w.Project.Off[rule] }

// occasionOf is what rules see of an event's issue as it stands now.
func (w *Batch) occasionOf(ctx context.Context, k releases.ReleaseFacts, r Row, what string) rules.Occasion {
	is := r.Issue(ctx)
	seen := alert.Seen{Event: r.Event, Frames: r.Frames, Attributes: r.Attributes, Headline: is.Headline,
		Place: is.Place, Issue: is.IssueFacts, Before: k.Before,
		Saved: alerts.SharedSearches(ctx, w.Tx, w.Project.ID)}
	return rules.Occasion{
		Became: what, Issue: is.IssueFacts, Matches: seen.Matches,
		Newest: k.Newest(r.Release, w.Newest),
	}
}

func (w *Batch) trouble(r Row, list []rules.Trouble) {
	if len(list) > 0 {
		w.Trouble(&pipeline.Item{Received: r.Received, Event: r.Event, Release: r.Release, Trouble: list}, list)
	}
}

// counted is a rule that counted events of an issue in this batch.
type counted struct {
	rule  *rules.AlertRule
	issue int64
}

// countAlerts lets rules with thresholds count the events of the batch, and finds those
// that are reached.
func (w *Batch) countAlerts(ctx context.Context, k releases.ReleaseFacts, list []*rules.AlertRule) error {
	var live []*rules.AlertRule
	for _, r := range list {
		if r.Threshold() && r.Live {
			live = append(live, r)
		}
	}
	ids := map[*rules.AlertRule]alerts.Rule{}
	newest := map[counted]Row{}
	var hits []alerts.Hit
	for _, r := range w.Rows {
		hold := r.Counted
		if len(live) > 0 && r.Alert != nil {
			more, trouble := rules.Alerts(live, r.Alert.On(w.occasionOf(ctx, k, r, "")), w.off)
			w.trouble(r, trouble)
			hold = append(slices.Clone(hold), more...)
		}
		for _, rule := range hold {
			id, ok := ids[rule]
			if !ok {
				var err error
				if id, err = alerts.RuleOf(ctx, w.Tx, w.Project.ID, rule); err != nil {
					return err
				}
				ids[rule] = id
			}
			if r.When.Thrown.Before(id.Since) {
				continue // it counts what happens after its push
			}
			hits = append(hits, w.hitOf(r, id.ID))
			newest[counted{rule, r.IssueID}] = r
		}
	}
	if len(hits) == 0 {
		return nil
	}
	if err := alerts.Count(ctx, w.Tx, hits); err != nil {
		return err
	}
	order := slices.SortedFunc(maps.Keys(newest), func(a, b counted) int {
		return cmp.Or(cmp.Compare(newest[a].Position, newest[b].Position), cmp.Compare(a.rule.Name, b.rule.Name))
	})
	for _, c := range order {
		if err := w.reach(ctx, c, ids[c.rule].ID, newest[c]); err != nil {
			return err
		}
	}
	return nil
}

// position is an occurrence's place in the order of the project. What the batch writes
// later never stands before what it wrote before, whichever event caused it.
func (w *Batch) position(position int64) int64 {
	w.last = max(w.last, position)
	return w.last
}

func (w *Batch) hitOf(r Row, rule int64) alerts.Hit {
	h := alerts.Hit{Rule: rule, Issue: r.IssueID, Slot: alerts.SlotOf(r.When.Thrown), Events: r.Event.StandsFor,
		User: r.User, HasUser: r.HasUser}
	if name := r.Event.Attributes.Text("session.id"); name != "" {
		id := db.NameHash(name)
		for _, b := range id[:8] {
			h.Session = h.Session<<8 | int64(b)
		}
		h.HasSession = true
	}
	return h
}

// minSessions is how many sessions must have begun before a share of them is judged.
const minSessions = 100

// reach writes an occurrence where a rule's thresholds are reached and it may fire again.
func (w *Batch) reach(ctx context.Context, c counted, rule int64, r Row) error {
	fired, err := alerts.FiredAt(ctx, w.Tx, w.Project.ID, c.rule.Name, c.issue, "threshold")
	if err != nil {
		return err
	}
	past := alert.Past{FiredAt: fired}
	if !fired.IsZero() {
		if past.ClosedAt, err = alerts.ClosedAt(ctx, w.Tx, c.issue); err != nil {
			return err
		}
		if alert.Fires(alert.Asked{Rule: c.rule, Trigger: "threshold", At: w.Now}, past).Did != alert.Send {
			return nil
		}
	}
	from := w.Now.Add(-c.rule.Within)
	if past.ClosedAt.After(fired) && past.ClosedAt.After(from) {
		from = past.ClosedAt // what came before it was fixed counts no second time
	}
	sums, err := alerts.SumsOf(ctx, w.Tx, rule, c.issue, alerts.SlotOf(from)+1)
	if err != nil || sums.Events < c.rule.Events || sums.Users < c.rule.Users {
		return err
	}
	within := " in " + spanText(c.rule.Within)
	var words []string
	if c.rule.Users > 0 {
		words = append(
			words,
			fmt.Sprintf("%s%s (limit %s)", text.Counted(sums.Users, "user"), within, text.Number(c.rule.Users)),
		)
	}
	if c.rule.Events > 0 {
		words = append(
			words,
			fmt.Sprintf("%s%s (limit %s)", text.Counted(sums.Events, "event"), within, text.Number(c.rule.Events)),
		)
	}
	if c.rule.Sessions > 0 {
		all, err := alerts.SessionsSince(ctx, w.Tx, w.Project.ID, from, w.Now)
		if err != nil || all < minSessions || 100*float64(sums.Sessions) < c.rule.Sessions*float64(all) {
			return err
		}
		words = append(words, fmt.Sprintf("%s of %s%s (%.2f %%, limit %g %%)", text.Number(sums.Sessions),
			text.Counted(all, "session"), within, 100*float64(sums.Sessions)/float64(all), c.rule.Sessions))
	}
	if err := alerts.SetFired(ctx, w.Tx, w.Project.ID, c.rule.Name, c.issue, "threshold", w.Now); err != nil {
		return err
	}
	return alerts.Add(ctx, w.Tx, alerts.Occurrence{
		Project:  w.Project.ID,
		Issue:    c.issue,
		What:     "threshold",
		Position: w.position(r.Position),
		At:       w.Now,
		Due:      w.Now,
		Event:    r.ID,
		Text:     strings.Join(words, "; "),
		Who:      accounts.Service,
		Rules:    []string{c.rule.Name},
	})
}

// spanText writes the time of a threshold: 10 minutes, 2 hours, 14 days.
func spanText(d time.Duration) string {
	switch {
	case d%(24*time.Hour) == 0:
		return text.Counted(int64(d/(24*time.Hour)), "day")
	case d%time.Hour == 0:
		return text.Counted(int64(d/time.Hour), "hour")
	}
	return text.Counted(int64(d/time.Minute), "minute")
}
