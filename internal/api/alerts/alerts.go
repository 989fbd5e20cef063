package alerts

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// DeliveryList asks for deliveries.
type DeliveryList struct {
	Destination string `query:"destination" maxLength:"60"`
	State       string `query:"state" maxLength:"20" doc:"waiting, sent, failed, held, summarised or cancelled"`
	Issue       string `query:"issue" maxLength:"100" doc:"PROJECT/NUMBER"`
	Limit       int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor      string `query:"cursor"`
}

// cursor is where a page ended.
type cursor struct{ Before int64 }

func (a *handlers) deliveries(t *calls.Table) {
	calls.Call(t, "list-deliveries", a.listDeliveries)
	calls.Call(t, "show-delivery", func(ctx context.Context, in *struct {
		ID string `path:"id" maxLength:"40"`
	}) (*calls.Body[contract.DeliveryDetail], error) {
		id, err := readID(in.ID)
		if err != nil {
			return nil, err
		}
		seen := a.Sight(ctx, access.ReadIssues)
		if a.May(ctx, access.ChangeDestinations, nil) == nil {
			seen = sight.All // operators mend what failed
		}
		return a.delivery(ctx, seen, id)
	})
	calls.Call(t, "retry-delivery", func(ctx context.Context, in *struct {
		ID string `path:"id" maxLength:"40"`
	}) (*calls.Body[contract.DeliveryDetail], error) {
		id, err := readID(in.ID)
		if err != nil {
			return nil, err
		}
		if err := a.Store.Alerting.Retry(ctx, id); err != nil {
			return nil, err
		}
		return a.delivery(ctx, sight.All, id)
	})
}

func (a *handlers) delivery(ctx context.Context, seen sight.Sight, id uuid.UUID) (
	*calls.Body[contract.DeliveryDetail], error) {
	row, tries, err := a.Store.Alerting.Delivery(ctx, seen, id)
	if err != nil {
		return nil, err
	}
	return calls.Answer(detail(row, tries)), nil
}

func readID(text string) (uuid.UUID, error) {
	id, err := uuid.Parse(text)
	if err != nil {
		return id, problem.New(problem.BadInput, "%.60q is no delivery id: it must be a UUID", text)
	}
	return id, nil
}

func (a *handlers) listDeliveries(ctx context.Context, in *DeliveryList) (*calls.Body[contract.Deliveries], error) {
	q := deliveries.Query{
		Sight: a.Sight(ctx, access.ReadIssues),
		State: deliveries.State(in.State),
		Limit: in.Limit + 1,
	}
	if q.State != "" && !slices.Contains(deliveries.States, q.State) {
		return nil, problem.New(
			problem.BadInput,
			"a delivery is waiting, sent, failed, held, summarised or cancelled, not %.40q",
			in.State,
		)
	}
	if in.Destination != "" {
		d, err := a.Store.Alerting.Destination(ctx, in.Destination)
		if err != nil {
			return nil, err
		}
		q.Destination = d.ID
	}
	if in.Issue != "" {
		var err error
		if q.Issue, err = a.issueNamed(ctx, in.Issue); err != nil {
			return nil, err
		}
	}
	if in.Cursor != "" {
		var c cursor
		if err := calls.ReadCursor(in.Cursor, &c); err != nil {
			return nil, err
		}
		q.Before = c.Before
	}
	list, err := a.Store.Alerting.Deliveries(ctx, q)
	if err != nil {
		return nil, err
	}
	out := contract.Deliveries{Deliveries: []contract.Delivery{}}
	if len(list) > in.Limit {
		list = list[:in.Limit]
		out.Next = calls.WriteCursor(cursor{list[in.Limit-1].N})
	}
	for _, r := range list {
		out.Deliveries = append(out.Deliveries, rows.DeliveryOf(r))
	}
	return calls.Answer(out), nil
}

// issueNamed is the issue that is called PROJECT/NUMBER.
func (a *handlers) issueNamed(ctx context.Context, name string) (int64, error) {
	project, number, _ := strings.Cut(name, "/")
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil {
		return 0, problem.New(problem.BadInput, "%.80q is no issue; write PROJECT/NUMBER, such as quayside/12", name)
	}
	p, err := a.Named(ctx, project, access.ReadIssues)
	if err != nil {
		return 0, err
	}
	is, err := a.Store.Issues.Issue(ctx, p, n)
	if err != nil {
		return 0, err
	}
	return is.ID, nil
}

func detail(r deliveries.Row, tries []deliveries.Attempt) contract.DeliveryDetail {
	out := contract.DeliveryDetail{Delivery: rows.DeliveryOf(r), Tries: []contract.DeliveryTry{}, Body: string(r.Body)}
	for _, t := range tries {
		out.Tries = append(
			out.Tries,
			contract.DeliveryTry{Time: t.At, TookMS: t.Took.Milliseconds(), Status: t.Status,
				Answer: t.Answer, Error: t.Error},
		)
	}
	return out
}

func (a *handlers) alerts(t *calls.Table) {
	calls.OnProject(t, "list-alerts", a.listAlerts)
	calls.OnProject(t, "pause-alert", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.PauseAlert
	}) (*calls.Body[contract.AlertPause], error) {
		who := calls.Actor(ctx)
		err := a.Store.Alerting.Pause(ctx, p, in.Body.Rule, in.Body.Until, who)
		if err != nil {
			return nil, err
		}
		return calls.Answer(contract.AlertPause{Project: p.Name, Rule: in.Body.Rule, Until: in.Body.Until,
			By: who.Name}), nil
	})
	calls.OnProject(t, "resume-alert", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.ResumeAlert
	}) (*calls.Body[contract.ResumeAlert], error) {
		if err := a.Store.Alerting.Resume(ctx, p, in.Body.Rule); err != nil {
			return nil, err
		}
		return calls.Answer(in.Body), nil
	})
	calls.Call(
		t,
		"list-alert-pauses",
		func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.AlertPauses], error) {
			list, err := a.Store.Alerting.Pauses(ctx, a.Sight(ctx, access.ReadIssues))
			out := contract.AlertPauses{Pauses: []contract.AlertPause{}}
			for _, p := range list {
				out.Pauses = append(out.Pauses,
					contract.AlertPause{Project: p.Project, Rule: p.Rule, Until: p.Until, By: p.By})
			}
			return calls.Answer(out), err
		},
	)
}

func (a *handlers) listAlerts(ctx context.Context, p *projects.Project, in *struct {
	calls.ProjectPath
	Issue  int64  `query:"issue" minimum:"0" doc:"the number of an issue of the project"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor string `query:"cursor"`
}) (*calls.Body[contract.Alerts], error) {
	var issue int64
	if in.Issue != 0 {
		is, err := a.Store.Issues.Issue(ctx, p, in.Issue)
		if err != nil {
			return nil, err
		}
		issue = is.ID
	}
	var c cursor
	if in.Cursor != "" {
		if err := calls.ReadCursor(in.Cursor, &c); err != nil {
			return nil, err
		}
	}
	list, err := a.Store.Alerting.Alerts(ctx, p, issue, c.Before, in.Limit+1)
	if err != nil {
		return nil, err
	}
	out := contract.Alerts{Alerts: []contract.Alert{}, Rules: []contract.AlertRule{}}
	if len(list) > in.Limit {
		list = list[:in.Limit]
		out.Next = calls.WriteCursor(cursor{list[in.Limit-1].ID})
	}
	for _, o := range list {
		x := contract.Alert{ID: o.ID, What: o.What, Why: o.Text, At: o.At, Outcome: []contract.AlertOutcome{}}
		if o.Number != 0 {
			x.Issue = fmt.Sprintf("%s/%d", p.Name, o.Number)
		}
		for _, y := range o.Outcome {
			x.Outcome = append(x.Outcome, contract.AlertOutcome(y))
		}
		out.Alerts = append(out.Alerts, x)
	}
	out.Rules, err = a.rulesOf(ctx, p)
	return calls.Answer(out), err
}

// rulesOf are the alert rules of a project as they act now.
func (a *handlers) rulesOf(ctx context.Context, p *projects.Project) ([]contract.AlertRule, error) {
	pauses, err := a.Store.Alerting.Pauses(ctx, a.Sight(ctx, access.ReadIssues))
	out := []contract.AlertRule{}
	for _, r := range p.Rules.AlertRules() {
		x := contract.AlertRule{Name: r.Name, When: r.Text, To: r.To, Limits: Limits(r), Off: p.Off[r.Name],
			Default: p.Rules == nil || !p.Rules.HasAlerts}
		for _, pause := range pauses {
			if pause.Project == p.Name && pause.Rule == r.Name {
				x.Paused, x.By = &pause.Until, pause.By
			}
		}
		out = append(out, x)
	}
	return out, err
}

// Limits says in words what a rule counts, and when it is silent.
func Limits(r *rules.AlertRule) string {
	var out []string
	for _, t := range []struct {
		n    int64
		what string
	}{{r.Users, "users"}, {r.Events, "events"}} {
		if t.n > 0 {
			out = append(out, fmt.Sprintf("%d %s", t.n, t.what))
		}
	}
	if r.Sessions > 0 {
		out = append(out, fmt.Sprintf("%g %% of sessions", r.Sessions))
	}
	text := strings.Join(out, " and ")
	if text != "" {
		text += " within " + r.Within.String()
	}
	add := func(format string, args ...any) {
		if text != "" {
			text += "; "
		}
		text += fmt.Sprintf(format, args...)
	}
	if r.Again > 0 {
		add("again after %s", r.Again)
	}
	if q := r.Quiet; q != nil {
		add("quiet from %02d:%02d to %02d:%02d %s", q.From/60, q.From%60, q.To/60, q.To%60, q.Zone)
	}
	if m := r.AtMost; m != nil {
		add("at most %d within %s", m.Messages, m.Within)
	}
	return strings.ReplaceAll(strings.ReplaceAll(text, "h0m0s", "h"), "m0s", "m")
}

func (a *handlers) wishes(t *calls.Table) {
	calls.Call(
		t,
		"show-notice-settings",
		func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Wishes], error) {
			return a.wishesOf(ctx)
		},
	)
	calls.Call(t, "change-notice-settings", func(ctx context.Context, in *struct {
		Body contract.SetWishes
	}) (*calls.Body[contract.Wishes], error) {
		me, err := a.me(ctx)
		if err != nil {
			return nil, err
		}
		change := map[string]accounts.Choice{}
		for kind, choice := range in.Body.Notices {
			change[kind] = accounts.Choice(choice)
		}
		if err := a.Store.Alerting.SetWishes(ctx, me, in.Body.Zone, change); err != nil {
			return nil, err
		}
		return a.wishesOf(ctx)
	})
}

// me is the person who asks.
func (a *handlers) me(ctx context.Context) (int64, error) {
	g := calls.GrantOf(ctx)
	if g.Person == nil {
		return 0, problem.New(problem.BadInput, "this is a person's own setting: sign in, or use a token of a person")
	}
	return g.Person.ID, nil
}

func (a *handlers) wishesOf(ctx context.Context) (*calls.Body[contract.Wishes], error) {
	me, err := a.me(ctx)
	if err != nil {
		return nil, err
	}
	w, err := a.Store.Alerting.Wishes(ctx, me)
	if err != nil {
		return nil, err
	}
	list, err := a.Store.Alerting.Destinations(ctx)
	out := contract.Wishes{Zone: w.Zone, Notices: map[string]string{}}
	for kind, choice := range w.Choices {
		out.Notices[kind] = string(choice)
	}
	for _, d := range list {
		out.Mail = out.Mail || d.ServesPeople()
	}
	return calls.Answer(out), err
}
