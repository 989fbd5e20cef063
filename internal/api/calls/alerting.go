package calls

import (
	"context"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/rules"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/store/tickets"
	"firethorn/internal/usecase/alerting"
)

// Alerting keeps destinations, deliveries, alerts and notice settings.
type Alerting interface {
	Alerts(ctx context.Context, p *projects.Project, issue, before int64, limit int) ([]*alerts.Occurrence, error)
	ChangeDestination(ctx context.Context, before, after *destinations.Destination) error
	CreateDestination(ctx context.Context, d *destinations.Destination) error
	Deliveries(ctx context.Context, q deliveries.Query) ([]deliveries.Row, error)
	Delivery(ctx context.Context, seen sight.Sight, id uuid.UUID) (deliveries.Row, []deliveries.Attempt, error)
	Destination(ctx context.Context, name string) (*alerting.State, error)
	Destinations(ctx context.Context) ([]alerting.State, error)
	MakeTicket(ctx context.Context, is *issues.Issue, name string, another bool, who accounts.Actor,
		read alerting.Reader) (deliveries.Row, error)
	Moments(ctx context.Context, p *projects.Project, since time.Time) ([]rules.Moment, error)
	Pause(ctx context.Context, p *projects.Project, rule string, until time.Time, who accounts.Actor) error
	Pauses(ctx context.Context, seen sight.Sight) ([]alerts.Pause, error)
	RemoveDestination(ctx context.Context, name string) error
	Resume(ctx context.Context, p *projects.Project, rule string) error
	Retry(ctx context.Context, id uuid.UUID) error
	SetWishes(ctx context.Context, person int64, zone *string, change map[string]accounts.Choice) error
	Test(ctx context.Context, name string, p *projects.Project) (deliveries.Row, []deliveries.Attempt, error)
	Wishes(ctx context.Context, person int64) (accounts.Wishes, error)
}

// Tickets ties tickets of trackers to issues.
type Tickets interface {
	Link(ctx context.Context, is *issues.Issue, name, key string, who accounts.Actor) error
	OfIssues(ctx context.Context, ids []int64) (map[int64][]tickets.Shown, error)
	Trackers(ctx context.Context, project string) ([]string, error)
	Unlink(ctx context.Context, is *issues.Issue, name, key string, who accounts.Actor) error
}
