package alerting

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

const (
	maxDigest = 5000 // held messages that become one
	listed    = 100  // of them are listed; the rest is counted
)

// HeldDue lists the destinations for which messages were held until now.
func (s *Service) HeldDue(ctx context.Context) ([]int64, error) {
	return deliveries.Destinations(ctx, s.DB, deliveries.Held, s.DB.Now())
}

// Digest sends the messages held for a destination until now: of each rule, and each person, in
// one message.
func (s *Service) Digest(ctx context.Context, destination int64) (more bool, err error) {
	err = s.DB.InTx(ctx, func(tx *sql.Tx) error {
		now := s.DB.Now()
		list, err := deliveries.HeldDue(ctx, tx, destination, now, maxDigest)
		if err != nil {
			return err
		}
		more = len(list) == maxDigest
		return s.summarise(ctx, tx, list, now)
	})
	return more, err
}

// summarise lets one message of each rule and receiver say what several would have said. One
// alone is sent as it is. To a person all rules together are one message.
func (s *Service) summarise(ctx context.Context, tx *sql.Tx, list []*deliveries.Delivery, now time.Time) error {
	type key struct {
		project, person int64
		rule            string
	}
	groups := map[key][]*deliveries.Delivery{}
	var order []key
	for _, d := range list {
		k := key{d.Project, d.Person, d.Rule}
		if d.Person != 0 {
			k.rule, k.project = "", 0
		}
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], d)
	}
	for _, k := range order {
		group := groups[k]
		if len(group) == 1 {
			d := group[0]
			if err := deliveries.Postpone(ctx, tx, d.ID, now, now.Add(alert.GiveUpAfter)); err != nil {
				return err
			}
			continue
		}
		if err := s.oneFor(ctx, tx, group, now); err != nil {
			return err
		}
	}
	return nil
}

// oneFor writes one delivery in the place of several.
func (s *Service) oneFor(ctx context.Context, tx *sql.Tx, group []*deliveries.Delivery, now time.Time) error {
	first := group[0]
	digest := alert.Message{Trigger: "digest"}
	var ids []uuid.UUID
	for i, d := range group {
		ids = append(ids, d.ID)
		var m alert.Message
		if err := json.Unmarshal([]byte(d.Message), &m); err != nil {
			return fmt.Errorf("the message of delivery %s: %w", d.ID, err)
		}
		digest.Project = cmp.Or(digest.Project, m.Project)
		if digest.Project != m.Project {
			digest.Project = "several projects"
		}
		for _, r := range m.Rules {
			if len(digest.Rules) < 10 && !slices.Contains(digest.Rules, r) {
				digest.Rules = append(digest.Rules, r)
			}
		}
		if i >= listed {
			digest.More++
			continue
		}
		digest.Lines = append(digest.Lines,
			alert.Line{Text: m.Subject(), Link: cmp.Or(m.Links.Issue, m.Links.Release)})
	}
	if err := deliveries.SetState(ctx, tx, deliveries.Summarised, ids...); err != nil {
		return err
	}
	d, err := deliveries.Of(digest, now)
	if err != nil {
		return err
	}
	if first.Person == 0 {
		d.Project = first.Project
	}
	d.Destination, d.Person, d.Rule = first.Destination, first.Person, first.Rule
	d.Position, d.Episode = group[len(group)-1].Position, first.N
	_, err = deliveries.Add(ctx, tx, d)
	return err
}

// writeOwn writes a message of the service itself.
func (s *Service) writeOwn(ctx context.Context, tx *sql.Tx, destination, person int64, m alert.Message) error {
	now := s.DB.Now()
	d, err := deliveries.Of(m, now)
	if err != nil {
		return err
	}
	d.Destination, d.Person, d.Episode = destination, person, now.Unix()
	_, err = deliveries.Add(ctx, tx, d)
	return err
}

// Test sends a message marked as a test to a destination at once, outside of the order, and
// gives the try.
func (s *Service) Test(
	ctx context.Context,
	name string,
	to *projects.Project,
) (deliveries.Row, []deliveries.Attempt, error) {
	d, x, err := s.makeTest(ctx, name, to)
	if err != nil {
		return deliveries.Row{}, nil, err
	}
	if err := s.try(ctx, d, x); err != nil {
		return deliveries.Row{}, nil, err
	}
	return s.Delivery(ctx, sight.All, x.ID)
}
