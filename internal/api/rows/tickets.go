package rows

import (
	"cmp"
	"fmt"

	"firethorn/internal/contract"
	"firethorn/internal/core/ticket"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/tickets"
)

// TicketsOf reports tickets.
func TicketsOf(list []tickets.Shown) (out []contract.Ticket) {
	for _, x := range list {
		t := contract.Ticket{Destination: x.Tracker, Key: x.Key, Link: x.Link, Status: x.StateName, Trouble: x.Trouble,
			State: cmp.Or(string(x.Theirs), "unknown")}
		switch {
		case x.Gone:
			t.State = "gone"
		case x.Theirs != ticket.Unknown && x.Ours != x.Theirs:
			t.Follows = "here"
			if x.Ours != x.Agreed {
				t.Follows = "there"
			}
		}
		if !x.Read.IsZero() {
			t.Read = &x.Read
		}
		out = append(out, t)
	}
	return out
}

// DeliveryOf converts a delivery.
func DeliveryOf(r deliveries.Row) contract.Delivery {
	out := contract.Delivery{
		ID:          r.ID.String(),
		Destination: r.DestinationName,
		Person:      r.PersonName,
		Project:     r.ProjectName,
		Rule:        r.Rule,
		Type:        r.Type,
		Subject:     r.Subject,
		State:       string(r.State),
		Attempts:    r.Attempts,
		Created:     r.Created,
	}
	if r.Number != 0 {
		out.Issue = fmt.Sprintf("%s/%d", r.ProjectName, r.Number)
	}
	if r.State == deliveries.Waiting || r.State == deliveries.Held {
		out.Due = &r.Due
	}
	if !r.Sent.IsZero() {
		out.Sent = &r.Sent
	}
	return out
}
