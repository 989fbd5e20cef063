package alerting

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/event"
	"firethorn/internal/core/rules"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/status"
)

// receiver is who gets a message: a destination, and of mail a person.
type receiver struct {
	destination *destinations.Destination
	person      accounts.Person // ID 0: none
	zone        *time.Location  // of the person
	digest      bool            // the person wants it once a day
	rules       []*rules.AlertRule
}

// name is how lists call it.
func (r *receiver) name() string {
	if r.person.ID != 0 {
		return r.person.Name
	}
	return r.destination.Name
}

// receivers are those of all rules that fire, each once for each trigger, and an outcome for
// each name that leads to nobody. Rules that count share no message.
func (s *Service) receivers(ctx context.Context, tx *sql.Tx, p *projects.Project, o *alerts.Occurrence,
	fire []*rules.AlertRule) (out []*receiver, none []alerts.Outcome, err error) {
	all, err := destinations.List(ctx, tx)
	if err != nil {
		return nil, nil, err
	}
	type key struct {
		destination, person int64
		trigger             string
	}
	by := map[key]*receiver{}
	add := func(rule *rules.AlertRule, r *receiver) {
		k := key{r.destination.ID, r.person.ID, trigger(o, rule.Name)}
		if by[k] == nil {
			by[k] = r
			out = append(out, r)
		}
		if !slices.Contains(by[k].rules, rule) {
			by[k].rules = append(by[k].rules, rule)
		}
	}
	for _, rule := range fire {
		for _, to := range rule.To {
			cond, args := peopleOf(to, o.Issue)
			if cond == "" {
				i := slices.IndexFunc(all, func(d *destinations.Destination) bool {
					return d.Name == to && d.Serves(p.Name) && !d.ServesPeople()
				})
				if i < 0 {
					none = append(
						none,
						alerts.Outcome{Rule: rule.Name, To: to, Did: "not sent", Why: string(alert.NoDestination)},
					)
					continue
				}
				add(rule, &receiver{destination: all[i]})
				continue
			}
			t, err := s.people(ctx, tx, p, o, all, cond, args)
			if err != nil {
				return nil, nil, err
			}
			if t.why != "" {
				none = append(none, alerts.Outcome{Rule: rule.Name, To: to, Did: "not sent", Why: t.why})
			}
			for _, name := range t.console {
				none = append(none, alerts.Outcome{Rule: rule.Name, To: name, Did: "sent", Why: "in the console"})
			}
			for _, r := range t.mailed {
				r.destination = t.mail
				add(rule, r)
			}
		}
	}
	return out, none, nil
}

// peopleOf is the condition that names the people of a reserved word; "" for the name of a
// destination.
func peopleOf(to string, issue int64) (cond string, args []any) {
	const inTeam = "p.id IN (SELECT m.person FROM team_member m JOIN person t ON t.id=m.team WHERE t.team=1 AND "
	switch {
	case to == "members":
		return "1=1", nil
	case to == "owner":
		return "p.id=(SELECT i.owner FROM issue i WHERE i.id=?) OR " + inTeam +
				"t.id=(SELECT i.owner FROM issue i WHERE i.id=?))",
			[]any{issue, issue}
	case to == "watchers":
		return "p.id IN (SELECT w.person FROM watcher w WHERE w.issue=?)", []any{issue}
	case strings.HasPrefix(to, "team:"):
		return inTeam + "t.name=?)", []any{strings.TrimSpace(strings.TrimPrefix(to, "team:"))}
	}
	return "", nil
}

// recipients are the people behind a word of a rule.
type recipients struct {
	mail    *destinations.Destination
	mailed  []*receiver
	console []string // who was told in the console
	why     string   // why nobody is told; "": somebody is
}

// people are those who get a notice: by mail, or in the console, where they want it so or there
// is no mail. The person who did it gets none. The default rules wait for a mail server.
func (s *Service) people(ctx context.Context, tx *sql.Tx, p *projects.Project, o *alerts.Occurrence,
	all []*destinations.Destination, cond string, args []any) (t recipients, err error) {
	i := slices.IndexFunc(all, func(d *destinations.Destination) bool {
		return d.ServesPeople() && d.Serves(p.Name)
	})
	if i >= 0 {
		t.mail = all[i]
	} else if p.Rules == nil || !p.Rules.HasAlerts {
		t.why = string(alert.NoMail)
		return t, nil
	}
	people, err := accounts.MailablePeople(ctx, tx, p.ID, cond, args...)
	if err != nil {
		return t, err
	}
	ids := make([]int64, len(people))
	for i, x := range people {
		ids[i] = x.ID
	}
	wishes, err := accounts.WishesOfAll(ctx, tx, ids...)
	if err != nil {
		return t, err
	}
	for _, x := range people {
		if o.Who.Kind == "person" && (o.Who.ID == x.ID || o.Who.Name == x.Name) {
			continue
		}
		w := wishes[x.ID]
		switch c := w.Choices[o.What]; {
		case t.mail == nil || c == accounts.Console:
			if err := s.notice(ctx, tx, o, x.ID); err != nil {
				return t, err
			}
			t.console = append(t.console, x.Name)
		default:
			t.mailed = append(t.mailed, &receiver{person: *x, zone: w.Location(), digest: c == accounts.Daily})
		}
	}
	if len(t.mailed)+len(t.console) == 0 {
		t.why = string(alert.NobodyToTell)
	}
	return t, nil
}

// notice writes a person's notice in the console, unless they get the same one already: who
// owns an issue or watches it gets a notice of decisions anyway.
func (s *Service) notice(ctx context.Context, tx *sql.Tx, o *alerts.Occurrence, person int64) error {
	if o.Issue == 0 {
		return nil
	}
	return status.Notify(ctx, tx, status.NewNotice{Person: person, Project: o.Project, Issue: o.Issue, At: o.At,
		Who: o.Who.Name, Kind: o.What, Text: event.TrimText(alert.Why(o.What, o.Who.Name, o.Text), 490)})
}
