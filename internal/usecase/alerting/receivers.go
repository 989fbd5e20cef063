package alerting

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/rules"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/projects"
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
					return d.Name == to && d.Serves(p.Name) && (d.Kind != "mail" || len(d.To) > 0)
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
			people, mail, why, err := s.people(ctx, tx, p, o, all, cond, args)
			if err != nil {
				return nil, nil, err
			}
			if why != "" {
				none = append(none, alerts.Outcome{Rule: rule.Name, To: to, Did: "not sent", Why: why})
			}
			for _, r := range people {
				r.destination = mail
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

// people are those who want to hear of it by mail, and by which destination; why says why
// nobody does. Who did it is not told.
func (s *Service) people(ctx context.Context, tx *sql.Tx, p *projects.Project, o *alerts.Occurrence,
	all []*destinations.Destination, cond string,
	args []any) (out []*receiver, mail *destinations.Destination, why string,
	err error) {
	i := slices.IndexFunc(all, func(d *destinations.Destination) bool {
		return d.Kind == "mail" && len(d.To) == 0 && d.Serves(p.Name)
	})
	if i < 0 {
		return nil, nil, string(alert.NoMail), nil
	}
	people, err := accounts.MailablePeople(ctx, tx, p.ID, cond, args...)
	if err != nil {
		return nil, nil, "", err
	}
	why = string(alert.NobodyToTell)
	for _, x := range people {
		if o.Who.Kind == "person" && (o.Who.ID == x.ID || o.Who.Name == x.Name) {
			continue
		}
		w, err := accounts.WishesOf(ctx, tx, x.ID)
		if err != nil {
			return nil, nil, "", err
		}
		switch w.Choices[o.What] {
		case accounts.Console:
			if why == string(alert.NobodyToTell) {
				why = string(alert.ConsoleOnly)
			}
			continue
		case accounts.Daily:
			out = append(out, &receiver{person: *x, zone: w.Location(), digest: true})
		default:
			out = append(out, &receiver{person: *x, zone: w.Location()})
		}
	}
	if len(out) > 0 {
		why = ""
	}
	return out, all[i], why, nil
}
