// Package alerts has the calls about destinations, deliveries, alerts and notice settings.
package alerts

import (
	"context"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/alerting"
)

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	for _, group := range []func(*calls.Table){h.destinations, h.deliveries, h.alerts, h.wishes} {
		group(t)
	}
}

// NamePath is the path of a destination.
type NamePath struct {
	Name string `path:"name" maxLength:"60"`
}

func (a *handlers) destinations(t *calls.Table) {
	calls.Call(
		t,
		"list-destinations",
		func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Destinations], error) {
			list, err := a.Store.Alerting.Destinations(ctx)
			out := contract.Destinations{Destinations: []contract.Destination{}}
			for i := range list {
				out.Destinations = append(out.Destinations, a.shown(ctx, &list[i]))
			}
			return calls.Answer(out), err
		},
	)
	calls.Call(
		t,
		"show-destination",
		func(ctx context.Context, in *NamePath) (*calls.Body[contract.Destination], error) {
			d, err := a.Store.Alerting.Destination(ctx, in.Name)
			if err != nil {
				return nil, err
			}
			return calls.Answer(a.shown(ctx, d)), nil
		},
	)
	calls.Call(t, "create-destination", a.create)
	calls.Call(t, "change-destination", a.change)
	calls.Call(t, "remove-destination", func(ctx context.Context, in *NamePath) (
		*calls.Body[contract.RemovedDestination], error) {
		if err := a.Store.Alerting.RemoveDestination(ctx, in.Name); err != nil {
			return nil, err
		}
		return calls.Answer(contract.RemovedDestination{Removed: in.Name}), nil
	})
	calls.Call(t, "test-destination", func(ctx context.Context, in *struct {
		NamePath
		Project string `query:"project" maxLength:"63"`
	}) (*calls.Body[contract.DeliveryDetail], error) {
		var p *projects.Project
		if in.Project != "" {
			var err error
			if p, err = a.Store.Projects.Project(ctx, in.Project); err != nil {
				return nil, err
			}
		}
		row, tries, err := a.Store.Alerting.Test(ctx, in.Name, p)
		if err != nil {
			return nil, err
		}
		return calls.Answer(detail(row, tries)), nil
	})
}

// create makes a destination; the secret of a webhook is shown here and never again.
func (a *handlers) create(ctx context.Context, in *struct {
	Body contract.SetDestination
}) (*calls.Body[contract.Destination], error) {
	if in.Body.Name == "" || in.Body.Kind == "" || in.Body.URL == nil {
		return nil, problem.New(problem.BadInput, "a destination needs a name, a kind and an address (url)")
	}
	d := &destinations.Destination{Name: in.Body.Name, Kind: in.Body.Kind, Maker: calls.Actor(ctx)}
	set(d, &in.Body)
	if err := a.Store.Alerting.CreateDestination(ctx, d); err != nil {
		return nil, err
	}
	out := a.shown(ctx, &alerting.State{Destination: d})
	out.Created = a.Store.DB.Now().UTC()
	out.Secret = signedWith(d)
	return calls.Answer(out), nil
}

// signedWith is the secret that is shown once.
func signedWith(d *destinations.Destination) string {
	switch d.Kind {
	case "webhook":
		return d.Secret
	case destinations.Tickets:
		return d.HookSecret
	}
	return ""
}

func (a *handlers) change(ctx context.Context, in *struct {
	NamePath
	Body contract.SetDestination
}) (*calls.Body[contract.Destination], error) {
	d, err := a.Store.Alerting.Destination(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	if in.Body.Kind != "" && in.Body.Kind != d.Kind {
		return nil, problem.New(
			problem.BadInput,
			"the kind of a destination stays: remove %s and create another one",
			d.Name,
		)
	}
	after := *d.Destination
	set(&after, &in.Body)
	if in.Body.Name != "" {
		after.Name = in.Body.Name
	}
	switch {
	case in.Body.NewSecret && d.Kind == "webhook":
		after.Secret = alert.NewSecret()
	case in.Body.NewSecret && d.Kind == destinations.Tickets:
		after.HookSecret = alert.NewSecret()
	}
	if err := a.Store.Alerting.ChangeDestination(ctx, d.Destination, &after); err != nil {
		return nil, err
	}
	now, err := a.Store.Alerting.Destination(ctx, after.Name)
	if err != nil {
		return nil, err
	}
	out := a.shown(ctx, now)
	if in.Body.NewSecret {
		out.Secret = signedWith(&after)
	}
	return calls.Answer(out), nil
}

// set brings what is given into a destination.
func set(d *destinations.Destination, in *contract.SetDestination) {
	for from, to := range map[**string]*string{&in.URL: &d.URL, &in.Secret: &d.Secret, &in.From: &d.From,
		&in.User:     &d.User,
		&in.Template: &d.Template, &in.Receiver: &d.Receiver, &in.AllowInside: &d.AllowInside,
		&in.Description: &d.Description} {
		if *from != nil {
			*to = **from
		}
	}
	if in.Projects != nil {
		if d.Projects = *in.Projects; len(d.Projects) == 0 {
			d.Projects = nil
		}
	}
	if in.To != nil {
		d.To = *in.To
	}
	if in.Insecure != nil {
		d.Insecure = *in.Insecure
	}
}

// shown is what who asks may see of a destination: never its secret, and its address only
// who may change it.
func (a *handlers) shown(ctx context.Context, d *alerting.State) contract.Destination {
	out := contract.Destination{Name: d.Name, Kind: d.Kind, Projects: d.Projects, State: "ready", Created: d.Created,
		CreatedBy: d.Maker.Name, ServesPeople: d.ServesPeople(), LastWeek: map[string]int64{}}
	if a.May(ctx, access.ChangeDestinations, nil) == nil {
		out.URL, out.AllowInside, out.From, out.To, out.User = d.URL, d.AllowInside, d.From, d.To, d.User
		out.Insecure, out.Template, out.Receiver = d.Insecure, d.Template, d.Receiver
		if out.Description = d.Description; d.Kind == destinations.Tickets {
			out.HookURL = a.Public.JoinPath("hooks", d.Name).String()
		}
	}
	for from, to := range map[*time.Time]**time.Time{&d.FailingSince: &out.FailingSince, &d.Paused: &out.Paused,
		&d.Probe: &out.NextProbe} {
		if !from.IsZero() {
			*to = from
		}
	}
	switch {
	case out.Paused != nil:
		out.State = "paused"
	case out.FailingSince != nil:
		out.State = "failing"
	}
	for state, n := range d.Counts {
		out.LastWeek[string(state)] = n
	}
	return out
}
