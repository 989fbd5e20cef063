package alerting

import (
	"context"
	"database/sql"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/text"
	"firethorn/internal/core/ticket"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// State is a destination with its recent deliveries.
type State struct {
	*destinations.Destination
	Counts map[deliveries.State]int64 // of seven days
}

// Destinations lists all destinations by name.
func (s *Service) Destinations(ctx context.Context) (out []State, err error) {
	list, err := destinations.List(ctx, s.DB)
	if err != nil {
		return nil, err
	}
	counts, err := deliveries.Counts(ctx, s.DB, s.DB.Now().AddDate(0, 0, -7))
	for _, d := range list {
		out = append(out, State{d, counts[d.ID]})
	}
	return out, err
}

// Destination is one of a name.
func (s *Service) Destination(ctx context.Context, name string) (*State, error) {
	d, err := destinations.Named(ctx, s.DB, name)
	if err != nil {
		return nil, err
	}
	counts, err := deliveries.Counts(ctx, s.DB, s.DB.Now().AddDate(0, 0, -7))
	return &State{d, counts[d.ID]}, err
}

// CreateDestination makes a destination. Webhooks get a secret, which is given once.
func (s *Service) CreateDestination(ctx context.Context, d *destinations.Destination) error {
	if d.Kind == "webhook" && d.Secret == "" {
		d.Secret = alert.NewSecret()
	}
	if d.Kind == destinations.Tickets {
		d.HookSecret = alert.NewSecret()
	}
	if err := s.check(ctx, d); err != nil {
		return err
	}
	return destinations.Create(ctx, s.DB, d)
}

// ChangeDestination writes a destination again.
func (s *Service) ChangeDestination(ctx context.Context, before, after *destinations.Destination) error {
	if err := s.check(ctx, after); err != nil {
		return err
	}
	return destinations.Change(ctx, s.DB, before, after)
}

// RemoveDestination removes a destination and cancels what waits for it.
func (s *Service) RemoveDestination(ctx context.Context, name string) error {
	d, err := destinations.Named(ctx, s.DB, name)
	if err != nil {
		return err
	}
	return destinations.Remove(ctx, s.DB, d)
}

// check says what is wrong with a destination.
func (s *Service) check(ctx context.Context, d *destinations.Destination) error {
	if !slices.Contains(destinations.Kinds, d.Kind) {
		e := problem.New(
			problem.BadInput,
			"a destination's kind is %s, not %.60q",
			strings.Join(destinations.Kinds, ", "),
			d.Kind,
		)
		if n := text.Nearest(d.Kind, destinations.Kinds); n != "" {
			return problem.New(problem.BadInput, "%s; did you mean %s?", e.Pub, n)
		}
		return e
	}
	u, err := url.Parse(d.URL)
	schemes := []string{"https", "http"}
	if d.Kind == "mail" {
		schemes = []string{"smtp", "smtps"}
	}
	if err != nil || u.Host == "" || !slices.Contains(schemes, u.Scheme) || u.User != nil {
		return problem.New(
			problem.BadInput,
			"the address of a destination of the kind %s begins with %s:// and a host, and holds no password; "+
				"%.200q does not",
			d.Kind,
			strings.Join(schemes, ":// or "),
			d.URL,
		)
	}
	if d.AllowInside == "url" ||
		d.AllowInside != "" && !strings.Contains(d.AllowInside, ":") && u.Hostname() == d.AllowInside {
		d.AllowInside = hostPort(u)
	}
	if d.Kind != "mail" && u.Scheme == "http" && !strings.EqualFold(hostPort(u), d.AllowInside) {
		return problem.New(
			problem.BadInput,
			"an address outside begins with https://; plain http is for one that --allow-inside %s permits",
			u.Host,
		)
	}
	if d.AllowInside != "" && !strings.Contains(d.AllowInside, ":") {
		return problem.New(
			problem.BadInput,
			"--allow-inside takes HOST:PORT, such as 10.0.4.2:8080, not %.100q",
			d.AllowInside,
		)
	}
	if d.Insecure && !strings.EqualFold(hostPort(u), d.AllowInside) {
		return problem.New(
			problem.BadInput,
			"mail without TLS goes only to a server inside: add --allow-inside %s",
			hostPort(u),
		)
	}
	if err := checkParts(d); err != nil {
		return err
	}
	for _, p := range d.Projects {
		if _, err := s.Projects.Project(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

// checkParts says what is wrong with what only some kinds have.
func checkParts(d *destinations.Destination) error {
	if d.Kind == "mail" {
		if d.From == "" {
			return problem.New(problem.BadInput, "mail needs a sender: --from \"Firethorn <firethorn@ferries.example>\"")
		}
		for _, a := range append([]string{d.From}, d.To...) {
			if err := CheckAddress(a); err != nil {
				return problem.New(problem.BadInput, "%s", err)
			}
		}
	}
	if d.Kind == destinations.Tickets {
		if d.Description == "" {
			return problem.New(
				problem.BadInput,
				"a tracker needs a description of its API: --file tracker.yaml; docs/tickets.md has three to begin with",
			)
		}
		if _, err := ticket.Parse(d.Description); err != nil {
			return problem.New(problem.BadInput, "the description is not understood:\n%s", err)
		}
	} else if d.Description != "" {
		return problem.New(problem.BadInput, "only a destination of the kind tickets has a description")
	}
	if d.Template != "" {
		if _, err := chatBody(d.Template, "a \"text\"\nof two lines"); err != nil ||
			!strings.Contains(d.Template, "{{text}}") {
			return problem.New(
				problem.BadInput,
				"a template is JSON with {{text}} within a text, such as {\"body\": \"{{text}}\"}",
			)
		}
	}
	return nil
}

// Deliveries lists deliveries, the newest first.
func (s *Service) Deliveries(ctx context.Context, q deliveries.Query) ([]deliveries.Row, error) {
	return deliveries.List(ctx, s.DB, q)
}

// Delivery is one delivery with its tries, if it is about a project that is seen, or about none.
func (s *Service) Delivery(ctx context.Context, seen sight.Sight, id uuid.UUID) (deliveries.Row,
	[]deliveries.Attempt, error) {
	row, err := deliveries.One(ctx, s.DB, seen, id)
	if err != nil {
		return row, nil, err
	}
	list, err := deliveries.Attempts(ctx, s.DB, id)
	return row, list, err
}

// Retry lets a delivery be tried again now.
func (s *Service) Retry(ctx context.Context, id uuid.UUID) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		d, err := deliveries.ByID(ctx, tx, id)
		if err != nil {
			return err
		}
		if d.State != deliveries.Failed && d.State != deliveries.Waiting {
			return problem.New(
				problem.Conflict,
				"the delivery is %s; those that failed or wait can be tried again",
				d.State,
			)
		}
		now := s.DB.Now()
		return deliveries.TryAgain(ctx, tx, id, now, now.Add(alert.GiveUpAfter))
	})
}

// Alerts lists what rules were asked about and what became of it, the newest first.
func (s *Service) Alerts(
	ctx context.Context,
	p *projects.Project,
	issue, before int64,
	limit int,
) ([]*alerts.Occurrence, error) {
	return alerts.List(ctx, s.DB, p.ID, issue, before, limit)
}

// Pauses are the paused rules of the projects that a person sees.
func (s *Service) Pauses(ctx context.Context, seen sight.Sight) ([]alerts.Pause, error) {
	return alerts.Pauses(ctx, s.DB, seen, s.DB.Now())
}

// longestPause is how long a rule can be paused.
const longestPause = 90 * 24 * time.Hour

// Pause pauses a rule until a time.
func (s *Service) Pause(
	ctx context.Context,
	p *projects.Project,
	rule string,
	until time.Time,
	who accounts.Actor,
) error {
	names := s.ruleNames(p)
	if !slices.Contains(names, rule) {
		e := problem.New(
			problem.NotFound,
			"%s has no alert rule %.80q; there are %s",
			p.Name,
			rule,
			strings.Join(names, ", "),
		)
		return e
	}
	now := s.DB.Now()
	if !until.After(now) || until.After(now.Add(longestPause)) {
		return problem.New(
			problem.BadInput,
			"a pause ends in the future and within 90 days, not %s",
			until.UTC().Format(time.RFC3339),
		)
	}
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		if err := alerts.SetPause(
			ctx,
			tx,
			p.ID,
			alerts.Pause{Rule: rule, Until: until, At: now, By: who.Name},
		); err != nil {
			return err
		}
		return projects.Record(ctx, tx, now, p.ID, audit.Act{Action: "alert paused", Target: rule,
			After: map[string]string{"until": until.UTC().Format(time.RFC3339)}})
	})
}

// ruleNames are the names of a project's alert rules.
func (s *Service) ruleNames(p *projects.Project) (names []string) {
	for _, r := range p.Rules.AlertRules() {
		names = append(names, r.Name)
	}
	return names
}

// Resume ends a pause.
func (s *Service) Resume(ctx context.Context, p *projects.Project, rule string) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		was, err := alerts.Resume(ctx, tx, p.ID, rule)
		if err != nil {
			return err
		}
		if !was {
			return problem.New(problem.NotFound, "the alert rule %.80q of %s is not paused", rule, p.Name)
		}
		return projects.Record(ctx, tx, s.DB.Now(), p.ID, audit.Act{Action: "alert resumed", Target: rule})
	})
}

// Wishes are a person's notice settings.
func (s *Service) Wishes(ctx context.Context, person int64) (accounts.Wishes, error) {
	return accounts.WishesOf(ctx, s.DB, person)
}

// SetWishes changes a person's notice settings.
func (s *Service) SetWishes(
	ctx context.Context,
	person int64,
	zone *string,
	change map[string]accounts.Choice,
) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error { return accounts.SetWishes(ctx, tx, person, zone, change) })
}

// maxMoments is how many of them a trial looks at, the newest.
const maxMoments = 5000

// Moments are what happened to a project's issues since a time that alert rules may ask for,
// for a trial of rules.
func (s *Service) Moments(ctx context.Context, p *projects.Project, since time.Time) (out []rules.Moment, err error) {
	from := db.Micros(since)
	return out, db.Each(ctx, s.DB, func(r *sql.Rows) error {
		var number, at int64
		var kind string
		err := r.Scan(&number, &kind, &at)
		if kind == "first_seen" {
			kind = "new"
		}
		out = append(out, rules.Moment{Issue: fmt.Sprintf("%s/%d", p.Name, number), What: kind, At: db.FromMicros(at)})
		return err
	}, "SELECT i.number, CASE h.kind WHEN 'fix' THEN 'fixed' WHEN 'assign' THEN 'assigned' WHEN 'given' THEN 'assigned' ELSE h.kind END, h.at"+
		" FROM history h JOIN issue i ON i.id=h.issue WHERE i.project=? AND h.at>=? AND h.undone=0 AND h.kind IN ('first_seen','regressed','woken','surging','fix','holding','assign','given')"+
		" UNION ALL SELECT i.number, 'commented', c.at FROM comment c JOIN issue i ON i.id=c.issue WHERE c.project=? AND c.at>=? ORDER BY 3 DESC LIMIT ?",
		p.ID, from, p.ID, from, maxMoments)
}
