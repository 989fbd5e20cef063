package tickets

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/ticket"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/tickets"
)

// ErrOver says that a message will never succeed.
var ErrOver = errors.New("it is not tried again")

// Send carries out a message to a tracker: it makes a ticket, closes or reopens one, or tries
// each call. It gives a sentence about what was done. again says that a try began before, and
// may have arrived: what it may have done is looked for first. Errors: *ticket.Refused,
// *ticket.Changed, ErrOver, and those of the way there.
func (s *Service) Send(ctx context.Context, d *destinations.Destination, x *deliveries.Delivery, m alert.Message,
	again bool) (string, error) {
	t, err := trackerOf(ctx, d)
	if err != nil {
		return "", fmt.Errorf("%w: %s", ErrOver, publicText(err))
	}
	switch {
	case x.What == "test":
		return t.try(x.ID, m)
	case m.Ticket != 0:
		return s.bring(ctx, t, x, m, again)
	}
	return s.create(ctx, t, x, m, again)
}

// create makes a ticket for an issue, unless it has an open one there and no other is wanted.
func (s *Service) create(ctx context.Context, t *tracker, x *deliveries.Delivery, m alert.Message, again bool) (
	string, error) {
	if m.Issue == nil || x.Issue == 0 {
		return "", fmt.Errorf("a ticket needs an issue, and this message has none: %w", ErrOver)
	}
	if !m.Another {
		key, err := s.OpenTicket(ctx, t.Destination, x.Issue)
		if err != nil || key != "" {
			return "the issue has the open ticket " + key, err
		}
	}
	var made ticket.Ticket
	if again {
		var err error
		if made, err = t.find(x.ID, m); err != nil {
			return "", err
		}
	}
	if made.Key == "" {
		got, err := t.run(ticket.Create, valuesOf(x.ID, m))
		if err != nil {
			return "", err
		}
		made = t.TicketOf(got, ticket.Ticket{State: ticket.Open})
	}
	return s.made(ctx, t, x.Issue, made, m)
}

// valuesOf is what a ticket may say of a message.
func valuesOf(id uuid.UUID, m alert.Message) ticket.Values {
	v := ticket.Values{"id": id.String(), "title": m.Title(), "text": m.Markdown(), "labels": m.Labels(),
		"issue": m.Issue.ID, "project": m.Project, "issue_link": m.Links.Issue, "severity": m.Issue.Severity,
		"rule": strings.Join(m.Rules, ", ")}
	if m.Event != nil {
		v["release"], v["environment"] = m.Event.Release, m.Event.Environment
	}
	return v
}

// find looks for a ticket that an earlier attempt may have made; the zero Ticket if there is none,
// or the description does not say how to look.
func (t *tracker) find(id uuid.UUID, m alert.Message) (ticket.Ticket, error) {
	if t.Ops[ticket.Find] == nil {
		return ticket.Ticket{}, nil
	}
	got, err := t.run(ticket.Find, ticket.Values{"id": id.String(), "issue": m.Issue.ID, "issue_link": m.Links.Issue})
	if gone(err) {
		return ticket.Ticket{}, nil
	}
	return t.TicketOf(got, ticket.Ticket{State: ticket.Open}), err
}

// made notes a ticket that was made for an issue.
func (s *Service) made(ctx context.Context, t *tracker, id int64, made ticket.Ticket, m alert.Message) (string, error) {
	err := s.DB.InTx(ctx, func(tx *sql.Tx) error {
		if tied, err := s.tie(ctx, tx, t, made, id, t.Name); err != nil || tied.before {
			return err
		}
		who := t.actor()
		if m.By != "" {
			who.Kind, who.ID, who.Name = "person", 0, m.By
		}
		if err := s.record(
			ctx,
			tx,
			[]int64{id},
			who,
			fmt.Sprintf("ticket %s was made in %s", made.Key, t.Name),
		); err != nil {
			return err
		}
		return tickets.Changed(ctx, tx, id, 0, s.DB.Now()) // it may have been fixed while the ticket was made
	})
	return "made ticket " + made.Key, err
}

// OpenTicket gives the key of an issue's open ticket in a tracker; "" when it has none. A ticket
// counts as open when it is, or is to be.
func (s *Service) OpenTicket(ctx context.Context, d *destinations.Destination, id int64) (string, error) {
	all, err := tickets.OfIssue(ctx, s.DB, id)
	for _, x := range all {
		if x.Destination == d.ID && !x.Gone && (x.Theirs != ticket.Closed || x.Ours == ticket.Open) {
			return x.Key, err
		}
	}
	return "", err
}

// bring closes or reopens a ticket, if that is still to be done.
func (s *Service) bring(ctx context.Context, t *tracker, x *deliveries.Delivery, m alert.Message, again bool) (
	string, error) {
	want, name := ticket.Closed, ticket.CloseIt
	if m.Trigger == Reopening {
		want, name = ticket.Open, ticket.ReopenIt
	}
	y, step, err := s.now(ctx, t, m.Ticket, want)
	if err != nil || y == nil || step.Write != ticket.There || step.State != want {
		return "there is nothing to do any more", err
	}
	link, called, err := s.issueAt(ctx, x.Issue)
	if err != nil {
		return "", err
	}
	v := ticket.Values{"key": y.Key, "id": x.ID.String(), "issue": called, "issue_link": link, "project": m.Project,
		"comment": ticket.CommentText(m.Why, link, x.ID), "release": m.FixedIn}
	if err := t.comment(x.ID, y.Key, v, again); err != nil {
		return "", s.refused(ctx, t, y.ID, err)
	}
	got, err := t.run(name, v)
	if err != nil {
		return "", s.refused(ctx, t, y.ID, err)
	}
	now := t.TicketOf(got, y.Ticket)
	if got.First("state") == "" {
		now.State = want
	}
	err = s.DB.InTx(ctx, func(tx *sql.Tx) error {
		y, ids, err := s.lock(ctx, tx, m.Ticket)
		if err != nil || y == nil {
			return err
		}
		_, err = s.applyRead(ctx, tx, t, y, now, ids)
		return err
	})
	return fmt.Sprintf("ticket %s is %s", y.Key, cmp.Or(now.StateName, string(now.State))), err
}

// now reads a ticket again and gives the step that is left; this message does the one to want.
func (s *Service) now(ctx context.Context, t *tracker, id int64, want ticket.State) (y *tickets.Ticket,
	step ticket.Step, err error) {
	err = s.DB.InTx(ctx, func(tx *sql.Tx) (err error) {
		y, err = tickets.Lock(ctx, tx, id)
		return err
	})
	if err != nil || y == nil || y.Gone {
		return nil, step, err
	}
	now, err := t.look(y.Ticket)
	if gone(err) {
		return nil, step, errors.Join(s.vanished(ctx, t, id, err), fmt.Errorf("%w: %w", ErrOver, err))
	}
	if err != nil {
		return nil, step, err
	}
	return y, step, s.DB.InTx(ctx, func(tx *sql.Tx) error {
		var ids []int64
		if y, ids, err = s.lock(ctx, tx, id); err != nil || y == nil {
			return err
		}
		step, err = s.applyRead(ctx, tx, t, y, now, ids)
		if err != nil || step.Write != ticket.There || step.State != want {
			return err // another message does what is left
		}
		return tickets.Save(ctx, tx, y, false)
	})
}

// comment says in the ticket why it is closed or reopened, once.
func (t *tracker) comment(id uuid.UUID, key string, v ticket.Values, again bool) error {
	if t.Ops[ticket.CommentOn] == nil {
		return nil
	}
	if again && t.Ops[ticket.CommentsOf] != nil {
		list, err := t.run(ticket.CommentsOf, ticket.Values{"key": key})
		if err != nil {
			return err
		}
		for _, c := range list {
			if ticket.WrittenBy(c["text"], id) {
				return nil
			}
		}
	}
	_, err := t.run(ticket.CommentOn, v)
	return err
}

// refused notes that a tracker will not do what is to be done: it is not asked again for the
// same change.
func (s *Service) refused(ctx context.Context, t *tracker, id int64, why error) error {
	r, ok := errors.AsType[*ticket.Refused](why)
	if _, changed := errors.AsType[*ticket.Changed](why); !changed && (!ok || !alert.Final(r.Status)) {
		return why
	}
	return errors.Join(why, s.DB.InTx(ctx, func(tx *sql.Tx) error {
		y, ids, err := s.lock(ctx, tx, id)
		if err != nil || y == nil {
			return err
		}
		y.Refused, y.Trouble = y.OursAt, why.Error()
		if err := tickets.Save(ctx, tx, y, false); err != nil {
			return err
		}
		return s.record(ctx, tx, ids, t.actor(), fmt.Sprintf("%s did not let ticket %s follow", t.Name, y.Key))
	}))
}

// Triggers of messages about tickets.
const (
	Making    = "ticket.create"
	Closing   = "ticket.close"
	Reopening = "ticket.reopen"
)

// Dirty lists the tickets that need a message.
func (s *Service) Dirty(ctx context.Context) ([]int64, error) { return tickets.Dirty(ctx, s.DB, 500) }

// Settle writes the message that closes or reopens a ticket, when that is to be done.
func (s *Service) Settle(ctx context.Context, id int64) (more bool, err error) {
	return false, s.DB.InTx(ctx, func(tx *sql.Tx) error {
		x, ids, err := s.lock(ctx, tx, id)
		if err != nil || x == nil {
			return err
		}
		d, err := destinations.ByID(ctx, tx, x.Destination)
		if err != nil {
			return err
		}
		if d == nil || x.Gone {
			return tickets.Save(ctx, tx, x, false)
		}
		t, err := trackerOf(ctx, d)
		if err != nil {
			x.Trouble = publicText(err)
			return tickets.Save(ctx, tx, x, false)
		}
		step := x.Next(t.Follow)
		write := toWrite(x, step)
		if write {
			x.Change++
		}
		if err := tickets.Save(ctx, tx, x, false); err != nil || !write {
			return err
		}
		return s.write(ctx, tx, x, ids[0], step)
	})
}

// toWrite says whether a step is to be written in the tracker: not what it refused already.
func toWrite(x *tickets.Ticket, step ticket.Step) bool {
	return step.Write == ticket.There && !x.Refused.Equal(x.OursAt)
}

// whatOf is the part of a message's key that names the ticket.
func whatOf(x *tickets.Ticket) string { return fmt.Sprintf("ticket:%d", x.ID) }

// write writes the message.
func (s *Service) write(ctx context.Context, tx *sql.Tx, x *tickets.Ticket, id int64, step ticket.Step) error {
	is, err := s.Issues.ByID(ctx, id)
	if err != nil || is == nil {
		return err
	}
	m := alert.Message{
		Trigger: Reopening,
		Project: is.Project,
		Ticket:  x.ID,
		FixedIn: is.FixedIn,
		Issue: &alert.Issue{
			ID:        fmt.Sprintf("%s/%d", is.Project, is.Number),
			Headline:  is.Headline,
			State:     string(is.State),
			Users:     is.Users,
			Events:    is.Events,
			FirstSeen: is.FirstSeen,
		},
	}
	m.Why = "The issue is open again"
	if step.State == ticket.Closed {
		m.Trigger = Closing
		m.Why = "The issue was fixed"
		if is.State == issue.Dismissed {
			m.Why = "The issue was dismissed"
		}
	}
	last, err := s.lastChange(ctx, tx, id)
	if err != nil {
		return err
	}
	if m.Why += last; strings.HasPrefix(last, ": came back") {
		m.Why = "The issue " + strings.TrimPrefix(last, ": ")
	}
	m.Why += "."
	y, err := deliveries.Of(m, s.DB.Now())
	if err != nil {
		return err
	}
	y.What, y.Episode, y.Issue, y.Destination = whatOf(x), x.Change, id, x.Destination
	if y.Project, _, err = s.Status.Lock(ctx, tx, id); err != nil {
		return err
	}
	if y.Position, err = alerts.Position(ctx, tx, y.Project); err != nil {
		return err
	}
	_, err = deliveries.Add(ctx, tx, y)
	return err
}

// lastChange is what the history of an issue says of its last change, behind a colon.
func (s *Service) lastChange(ctx context.Context, tx *sql.Tx, id int64) (string, error) {
	var text, who string
	err := tx.QueryRowContext(ctx, "SELECT text, actor FROM history WHERE issue=? AND undone=0 AND status_before IS NOT NULL ORDER BY id DESC LIMIT 1", id).
		Scan(&text, &who)
	if errors.Is(err, sql.ErrNoRows) || err == nil && text == "" {
		return "", nil
	}
	if who != "" {
		text += ", by " + who
	}
	return ": " + text, err
}
