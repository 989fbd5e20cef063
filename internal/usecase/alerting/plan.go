package alerting

import (
	"context"
	"database/sql"
	"slices"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/rules"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/projects"
)

// planned is how many occurrences are planned in one transaction.
const planned = 20

// Waiting lists the projects with occurrences that are due.
func (s *Service) Waiting(ctx context.Context) ([]int64, error) {
	return alerts.WithWaiting(ctx, s.DB)
}

// Plan turns a project's occurrences into deliveries: it asks the rules that were not asked
// yet, decides for each receiver, and writes down what became of each.
func (s *Service) Plan(ctx context.Context, project int64, read Reader) (more bool, err error) {
	p, err := s.Projects.ProjectByID(ctx, project)
	if err != nil {
		return false, err
	}
	n := 0
	err = s.DB.InTx(ctx, func(tx *sql.Tx) error {
		list, err := alerts.Waiting(ctx, tx, project, s.DB.Now(), planned)
		n = len(list)
		for _, o := range list {
			if err == nil {
				err = s.planOne(ctx, tx, p, o, read)
			}
		}
		return err
	})
	return n == planned && err == nil, err
}

// planOne decides about one occurrence.
func (s *Service) planOne(
	ctx context.Context,
	tx *sql.Tx,
	p *projects.Project,
	o *alerts.Occurrence,
	read Reader,
) error {
	now := s.DB.Now()
	list, facts, trouble, err := s.holding(ctx, tx, p, o, read)
	if err != nil {
		return err
	}
	var outcome []alerts.Outcome
	var fire []*rules.AlertRule
	for _, t := range trouble {
		outcome = append(
			outcome,
			alerts.Outcome{Rule: t.Rule, Did: "not sent", Why: "its condition failed: " + t.Why},
		)
	}
	for _, r := range list {
		d, err := s.fires(ctx, tx, p, r, o)
		if err != nil {
			return err
		}
		if d.Did != alert.Send {
			outcome = append(outcome, alerts.Outcome{Rule: r.Name, Did: "not sent", Why: string(d.Reason)})
			continue
		}
		fire = append(fire, r)
		if o.What != "threshold" { // the batch noted it when it was reached
			if err := alerts.SetFired(ctx, tx, p.ID, r.Name, o.Issue, o.What, o.At); err != nil {
				return err
			}
		}
	}
	if len(fire) > 0 {
		told, err := s.newMessage(ctx, tx, p, o, facts)
		if err != nil {
			return err
		}
		receivers, none, err := s.receivers(ctx, tx, p, o, fire)
		if err != nil {
			return err
		}
		outcome = append(outcome, none...)
		for _, r := range receivers {
			did, err := s.deliver(ctx, tx, o, r, told, now)
			if err != nil {
				return err
			}
			outcome = append(outcome, did...)
		}
	}
	return alerts.SetPlanned(ctx, tx, o.ID, now, outcome)
}

// fires says whether a rule fires for what occurred.
func (s *Service) fires(ctx context.Context, tx *sql.Tx, p *projects.Project, r *rules.AlertRule,
	o *alerts.Occurrence) (
	alert.Decision, error) {
	counts, err := alerts.RuleOf(ctx, tx, p.ID, r)
	if err != nil {
		return alert.Decision{}, err
	}
	past := alert.Past{Since: counts.Since}
	if past.PausedUntil, err = alerts.PausedUntil(ctx, tx, p.ID, r.Name); err != nil {
		return alert.Decision{}, err
	}
	if o.What != "threshold" && o.Issue != 0 {
		if past.FiredAt, err = alerts.FiredAt(ctx, tx, p.ID, r.Name, o.Issue, o.What); err != nil {
			return alert.Decision{}, err
		}
		if past.ClosedAt, err = alerts.ClosedAt(ctx, tx, o.Issue); err != nil {
			return alert.Decision{}, err
		}
	}
	return alert.Fires(alert.Asked{Rule: r, Trigger: o.What, At: o.At}, past), nil
}

// trigger is a part of a delivery's key: rules with the same trigger share a message, and
// thresholds of different rules never do.
func trigger(o *alerts.Occurrence, rule string) string {
	if o.What == "threshold" {
		return "threshold:" + rule
	}
	return o.What
}

// deliver writes the delivery to one receiver: sent now, or held.
func (s *Service) deliver(ctx context.Context, tx *sql.Tx, o *alerts.Occurrence, r *receiver, m alert.Message,
	now time.Time) (out []alerts.Outcome, err error) {
	best := alert.Decision{Did: alert.Hold}
	rule := r.rules[0].Name
	for i, x := range r.rules {
		past := alert.Past{}
		longest := alert.Burst.Within
		if x.AtMost != nil {
			longest = max(longest, x.AtMost.Within)
		}
		if past.Sent, past.HeldUntil, err = deliveries.SentLately(ctx, tx, r.destination.ID, r.person.ID, x.Name,
			now.Add(-longest)); err != nil {
			return nil, err
		}
		if d := alert.Decide(alert.Asked{Rule: x, Trigger: o.What, At: now}, past); i == 0 || d.Did == alert.Send &&
			best.Did != alert.Send || d.Did == best.Did && d.Until.Before(best.Until) {
			best, rule = d, x.Name
		}
		m.Rules = append(m.Rules, x.Name)
	}
	if r.digest && best.Did == alert.Send {
		best = alert.Decision{Did: alert.Hold, Reason: "daily digest", Until: alert.NextDigest(r.zone, now)}
	}
	m.Rules = slices.Compact(slices.Sorted(slices.Values(m.Rules)))
	if r.destination.Kind == destinations.Tickets {
		why, err := s.whyNoTicket(ctx, tx, r.destination, o.Issue, best)
		if err != nil {
			return nil, err
		}
		if why != "" {
			for _, x := range m.Rules {
				out = append(out, alerts.Outcome{Rule: x, To: r.name(), Did: "not sent", Why: why})
			}
			return out, nil
		}
		best = alert.Decision{Did: alert.Send}
	}
	m.Zone = nil
	d, err := deliveries.Of(m, now)
	if err != nil {
		return nil, err
	}
	d.Project, d.Position, d.Occurrence, d.Issue = o.Project, o.Position, o.ID, o.Issue
	d.Destination, d.Person, d.Rule = r.destination.ID, r.person.ID, rule
	d.What, d.Episode = trigger(o, rule), o.Episode
	if o.Issue == 0 {
		d.Episode = o.ID // what is about no issue has no episode of its own
	}
	outcome := alerts.Outcome{To: r.name(), Did: "sent", Why: string(best.Reason)}
	if best.Did == alert.Hold {
		d.State, d.Due, d.Expires = deliveries.Held, best.Until, best.Until.Add(alert.GiveUpAfter)
		outcome.Did, outcome.Why = "held", best.String()
	}
	made, err := deliveries.Add(ctx, tx, d)
	if !made {
		outcome.Did, outcome.Why = "not sent", "it was written before"
	}
	for _, x := range m.Rules {
		outcome.Rule = x
		out = append(out, outcome)
	}
	return out, err
}

// Expire deletes what is older than 90 days.
func (s *Service) Expire(ctx context.Context) (more bool, err error) {
	return alerts.Expire(ctx, s.DB, s.DB.Now())
}
