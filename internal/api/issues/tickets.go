package issues

import (
	"cmp"
	"context"
	"fmt"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/alerting"
)

func (a *handlers) tickets(t *calls.Table) {
	calls.OnProject(t, "list-trackers", func(ctx context.Context, p *projects.Project, _ *calls.ProjectPath) (
		*calls.Body[contract.Trackers], error) {
		names, err := a.Store.Tickets.Trackers(ctx, p.Name)
		return calls.Answer(contract.Trackers{Trackers: append([]string{}, names...)}), err
	})
	calls.OnIssue(t, "make-ticket", func(ctx context.Context, _ *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		Body contract.MakeTicket
	}) (*calls.Body[contract.Ticketed], error) {
		if in.Body.Key != "" {
			if err := a.Store.Tickets.Link(ctx, is, in.Body.In, in.Body.Key, calls.Actor(ctx)); err != nil {
				return nil, err
			}
			return a.ticketed(ctx, is, nil, fmt.Sprintf("ticket %s of %s is linked", in.Body.Key, in.Body.In))
		}
		row, err := a.Store.Alerting.MakeTicket(ctx, is, in.Body.In, in.Body.Another, calls.Actor(ctx),
			alerting.ReaderOf(a.Units))
		if err != nil {
			return nil, err
		}
		d := rows.DeliveryOf(row)
		said := "the ticket is made"
		switch row.State {
		case deliveries.Failed:
			said = in.Body.In + " did not make the ticket: firethorn delivery show " + d.ID + " says why"
		case deliveries.Waiting:
			said = in.Body.In + " did not answer well; the ticket is tried again: firethorn delivery show " + d.ID
		}
		return a.ticketed(ctx, is, &d, said)
	})
	calls.OnIssue(t, "unlink-ticket", func(ctx context.Context, _ *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		In  string `query:"in" maxLength:"60" doc:"the tracker; absent: any"`
		Key string `query:"key" required:"true" maxLength:"200"`
	}) (*calls.Body[contract.Ticketed], error) {
		if err := a.Store.Tickets.Unlink(ctx, is, in.In, in.Key, calls.Actor(ctx)); err != nil {
			return nil, err
		}
		return a.ticketed(ctx, is, nil, fmt.Sprintf("ticket %s is unlinked; it stays as it is in %s", in.Key,
			cmp.Or(in.In, "its tracker")))
	})
}

func (a *handlers) ticketed(ctx context.Context, is *issues.Issue, d *contract.Delivery, said string) (
	*calls.Body[contract.Ticketed], error) {
	by, err := a.Store.Tickets.OfIssues(ctx, []int64{is.ID})
	return calls.Answer(contract.Ticketed{Issue: fmt.Sprintf("%s/%d", is.Project, is.Number),
		Tickets: append([]contract.Ticket{}, rows.TicketsOf(by[is.ID])...), Delivery: d, Text: said}), err
}

// withTickets sets the tickets of issues; at gives the place of each.
func (a *handlers) withTickets(ctx context.Context, list []*issues.Issue, at func(i int) *contract.Issue) error {
	ids := make([]int64, len(list))
	for i, is := range list {
		ids[i] = is.ID
	}
	by, err := a.Store.Tickets.OfIssues(ctx, ids)
	for i, id := range ids {
		at(i).Tickets = rows.TicketsOf(by[id])
	}
	return err
}
