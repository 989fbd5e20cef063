package tickets

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/tickets"
)

// Tracker is the destination of a name that a project may make tickets in.
func (s *Service) Tracker(ctx context.Context, project, name string) (*destinations.Destination, error) {
	d, err := destinations.Named(ctx, s.DB, name)
	if err != nil {
		return nil, err
	}
	if d.Kind != destinations.Tickets {
		return nil, problem.New(
			problem.BadInput,
			"%s is a %s; tickets are made in a destination of the kind tickets",
			d.Name,
			d.Kind,
		)
	}
	if !d.Serves(project) {
		return nil, problem.New(
			problem.BadInput,
			"%s does not serve %s; an operator adds it with: firethorn destination change '%s' --serves %s",
			d.Name,
			project,
			d.Name,
			project,
		)
	}
	return d, nil
}

// Trackers are the names of the destinations that a project may make tickets in.
func (s *Service) Trackers(ctx context.Context, project string) (names []string, err error) {
	all, err := destinations.List(ctx, s.DB)
	for _, d := range all {
		if d.Kind == destinations.Tickets && d.Serves(project) {
			names = append(names, d.Name)
		}
	}
	return names, err
}

// Link ties a ticket that is there already to an issue. Both must be open, or both closed:
// linking changes neither.
func (s *Service) Link(ctx context.Context, is *issues.Issue, name, key string, who accounts.Actor) error {
	d, err := s.Tracker(ctx, is.Project, name)
	if err != nil {
		return err
	}
	t, err := trackerOf(ctx, d)
	if err != nil {
		return err
	}
	if key = strings.TrimSpace(key); key == "" || len(key) > 200 {
		return problem.New(problem.BadInput, "a ticket's key has 1 to 200 bytes")
	}
	now, err := t.look(ticket.Ticket{Key: key})
	if gone(err) {
		return problem.New(problem.NotFound, "%s shows no ticket %.100q", d.Name, key)
	}
	if err != nil {
		return problem.New(
			problem.Unavailable,
			"%s could not be asked for the ticket: %s; nothing was changed, try again later",
			d.Name,
			err,
		)
	}
	closed := is.State == issue.Fixed || is.State == issue.Dismissed
	if now.State == ticket.Unknown || closed != (now.State == ticket.Closed) {
		return problem.New(
			problem.Conflict,
			"ticket %s is %q and the issue is %s: bring one in step with the other, then link them",
			now.Key,
			now.StateName,
			is.State,
		)
	}
	var made tied
	err = s.DB.InTx(ctx, func(tx *sql.Tx) (err error) {
		if made, err = s.tie(ctx, tx, t, now, is.ID, who.Name); err != nil {
			return err
		}
		if made.before {
			return problem.New(problem.Conflict, "ticket %s is already linked to this issue", now.Key)
		}
		return s.record(ctx, tx, []int64{is.ID}, who, fmt.Sprintf("ticket %s of %s was linked", now.Key, d.Name))
	})
	if err != nil || made.known || t.Ops[ticket.CommentsOf] == nil {
		return err
	}
	// What was written there before is not taken over. Where it cannot be read, it will be.
	if err := s.comments(ctx, t, made.id, now.Key, true); err != nil {
		s.Log.Warn("the comments of a linked ticket could not be read", "tracker", d.Name, "err", err)
	}
	return nil
}

// tied is a ticket that was tied to an issue.
type tied struct {
	id     int64
	known  bool // it represents another issue already
	before bool // it stood for this one before
}

// tie writes a ticket as its tracker shows it, and ties it to an issue.
func (s *Service) tie(ctx context.Context, tx *sql.Tx, t *tracker, now ticket.Ticket, issue int64, who string) (
	made tied, err error) {
	project, _, err := s.Status.Lock(ctx, tx, issue)
	if err != nil {
		return made, err
	}
	at := s.DB.Now()
	x := &tickets.Ticket{Destination: t.ID, Ticket: now, Read: at, Due: at.Add(t.Poll), Sides: ticket.Sides{
		Ours: now.State, Theirs: now.State, Agreed: now.State, OursAt: at, TheirsAt: at, AgreedAt: at}}
	if made.known, err = tickets.Add(ctx, tx, x); err != nil {
		return made, err
	}
	made.id = x.ID
	made.before, err = tickets.Tie(ctx, tx, x.ID, project, issue, at, who)
	return made, err
}

// Unlink unties a ticket from an issue; the ticket stays as it is.
func (s *Service) Unlink(ctx context.Context, is *issues.Issue, name, key string, who accounts.Actor) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		if _, _, err := s.Status.Lock(ctx, tx, is.ID); err != nil {
			return err
		}
		all, err := tickets.OfIssues(ctx, tx, []int64{is.ID})
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all[is.ID], func(x tickets.Shown) bool {
			return x.Key == key && (name == "" || x.Tracker == name)
		})
		if i < 0 {
			return problem.New(problem.NotFound, "the issue has no ticket %.100q", key)
		}
		x := all[is.ID][i]
		if err := tickets.Untie(ctx, tx, x.ID, is.ID); err != nil {
			return err
		}
		return s.record(ctx, tx, []int64{is.ID}, who, fmt.Sprintf("ticket %s of %s was unlinked", x.Key, x.Tracker))
	})
}

// OfIssues lists the tickets of issues.
func (s *Service) OfIssues(ctx context.Context, ids []int64) (map[int64][]tickets.Shown, error) {
	return tickets.OfIssues(ctx, s.DB, ids)
}

// try makes a ticket that is marked as a test, and calls everything that the description has.
// It says what came of each call.
func (t *tracker) try(id uuid.UUID, m alert.Message) (string, error) {
	m.Issue = &alert.Issue{ID: "test", Headline: "A test of Firethorn, which may be deleted"}
	var done []string
	x := ticket.Ticket{State: ticket.Open}
	steps := []string{
		ticket.Create,
		ticket.Read,
		ticket.Find,
		ticket.CommentOn,
		ticket.CommentsOf,
		ticket.CloseIt,
		ticket.Read,
		ticket.ReopenIt,
		ticket.Read,
		ticket.CloseIt,
		ticket.Read,
	}
	want := ticket.Open
	for _, name := range steps {
		if t.Ops[name] == nil {
			done = append(done, name+": not described")
			continue
		}
		v := valuesOf(id, m)
		v["key"], v["comment"] = x.Key, ticket.CommentText("A comment of the test.", m.Links.Issue, id)
		got, err := t.run(name, v)
		if err != nil {
			return strings.Join(done, "; "), fmt.Errorf("%w (done: %s)", err, strings.Join(done, "; "))
		}
		switch name {
		case ticket.CloseIt:
			want = ticket.Closed
		case ticket.ReopenIt:
			want = ticket.Open
		case ticket.Create, ticket.Read:
			x = t.TicketOf(got, x)
		}
		said := map[string]string{ticket.Create: "ticket " + x.Key, ticket.Read: x.StateName}[name]
		if name == ticket.Read && x.State != want {
			err := fmt.Errorf("%w: the ticket reads as %q, which the description does not list as %s", ErrOver, x.StateName,
				want)
			return strings.Join(done, "; "), err
		}
		if name == ticket.Find && got.First("key") != x.Key {
			said = "the ticket was not found by its id"
		}
		if name == ticket.CommentsOf {
			said = fmt.Sprintf("%d", len(got))
		}
		done = append(done, strings.TrimSuffix(name+": "+said, ": "))
	}
	return strings.Join(done, "; "), nil
}
