package alerting

import (
	"context"
	"database/sql"
	"errors"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/attributes"
	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// known is what is known of an occurrence's issue and event.
type known struct {
	issue  *issues.Issue // nil: it is about none, or it is gone
	row    *events.EventRow
	event  *event.Event // nil: no body is kept
	frames [][]event.Frame
}

// holding gives the rules whose condition holds: those that the batch found, or, of what
// time and people cause, those that hold for the issue's newest event.
func (s *Service) holding(ctx context.Context, tx *sql.Tx, p *projects.Project, o *alerts.Occurrence, read Reader) (
	list []*rules.AlertRule, k known, trouble []rules.Trouble, err error) {
	for _, r := range p.Rules.AlertRules() {
		if asks(r, o) {
			list = append(list, r)
		}
	}
	if len(list) == 0 {
		return nil, k, nil, nil
	}
	if o.Issue != 0 {
		if k, err = s.look(ctx, p, o, read); err != nil || k.issue == nil {
			return nil, k, nil, err
		}
	}
	if o.Rules != nil {
		return list, k, nil, nil
	}
	occasion, facts, err := s.occasion(ctx, tx, p, o, k)
	if err != nil {
		return nil, k, nil, err
	}
	list, trouble = rules.Alerts(list, facts.On(occasion), func(rule string) bool { return p.Off[rule] })
	return list, k, trouble, nil
}

// asks says whether a rule may fire for an occurrence: the batch found so, or it asks for what
// happened.
func asks(r *rules.AlertRule, o *alerts.Occurrence) bool {
	if o.Rules != nil {
		return slices.Contains(o.Rules, r.Name)
	}
	return r.Becoming(o.What) && !r.Threshold() || o.What == "release.worse" && len(r.Worse) > 0 ||
		o.What == "symbols.missing" && r.Missing
}

// occasion is what rules see of an occurrence that no batch caused.
func (s *Service) occasion(ctx context.Context, tx *sql.Tx, p *projects.Project, o *alerts.Occurrence, k known) (
	rules.Occasion, *rules.Facts, error) {
	e := k.event
	if e == nil {
		e = &event.Event{StandsFor: 1}
	}
	facts := rules.NewFacts(e, o.At, func() [][]event.Frame { return k.frames })
	occasion := rules.Occasion{Became: o.What}
	switch {
	case o.What == "release.worse":
		occasion.Worse, occasion.Became = o.Scope, ""
		return occasion, facts, nil
	case o.What == "symbols.missing":
		occasion.Gaps, occasion.Became = true, ""
		return occasion, facts, nil
	}
	inputs, err := s.Issues.ScoringInputs(ctx, tx, p.ID)
	if err != nil {
		return occasion, facts, err
	}
	order, err := s.Releases.Facts(ctx, tx, p.ID)
	if err != nil {
		return occasion, facts, err
	}
	is := k.issue
	occasion.Issue = rules.IssueFacts{State: string(is.State), Owner: is.Owner, Users: is.Users, Events: is.Events,
		Impact: float64(is.Impact) / 10, FirstRelease: is.FirstRelease}
	occasion.Newest = order.Newest(e.Release(), inputs.Newest)
	seen := alert.Seen{
		Event:      e,
		Frames:     k.frames,
		Attributes: attributes.Of(e),
		Headline:   is.Headline,
		Place:      is.Place,
		Issue:      occasion.Issue,
		Before:     order.Before,
		Saved:      alerts.SharedSearches(ctx, tx, p.ID),
	}
	occasion.Matches = seen.Matches
	return occasion, facts, nil
}

// look reads the issue of an occurrence, and the event that caused it, or else the newest
// whose body is kept.
func (s *Service) look(
	ctx context.Context,
	p *projects.Project,
	o *alerts.Occurrence,
	read Reader,
) (k known, err error) {
	if k.issue, err = s.Issues.ByID(ctx, o.Issue); err != nil || k.issue == nil {
		return k, err
	}
	which := "newest"
	if o.Event != uuid.Nil {
		which = o.Event.String()
	}
	for _, id := range []string{which, "newest"} {
		if k.row, err = s.Events.IssueEvent(ctx, p, o.Issue, id); err != nil {
			if _, ok := errors.AsType[*problem.Error](err); ok {
				continue // it is no longer kept
			}
			return k, err
		}
		body, err := s.Events.AnyBody(ctx, k.row)
		if err != nil {
			if errors.Is(err, events.ErrNoBody) {
				continue
			}
			return k, err
		}
		kept, err := read(ctx, p, body)
		if err != nil {
			return k, err
		}
		k.event, k.frames = kept.Event, kept.Frames
		return k, nil
	}
	return k, nil
}
