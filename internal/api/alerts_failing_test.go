package api

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

// failingAlerting fails at everything about alerts.
type failingAlerting struct{ err error }

func (f failingAlerting) Alerts(context.Context, *projects.Project, int64, int64, int) ([]*alerts.Occurrence, error) {
	return nil, f.err
}
func (f failingAlerting) ChangeDestination(context.Context, *destinations.Destination, *destinations.Destination) error {
	return f.err
}
func (f failingAlerting) CreateDestination(context.Context, *destinations.Destination) error {
	return f.err
}
func (f failingAlerting) Deliveries(context.Context, deliveries.Query) ([]deliveries.Row, error) {
	return nil, f.err
}
func (f failingAlerting) Delivery(context.Context, sight.Sight, uuid.UUID) (deliveries.Row, []deliveries.Attempt, error) {
	return deliveries.Row{}, nil, f.err
}
func (f failingAlerting) Destination(context.Context, string) (*alerting.State, error) {
	return &alerting.State{Destination: &destinations.Destination{}}, f.err
}
func (f failingAlerting) Destinations(context.Context) ([]alerting.State, error) { return nil, f.err }
func (f failingAlerting) Pause(context.Context, *projects.Project, string, time.Time, accounts.Actor) error {
	return f.err
}
func (f failingAlerting) Moments(context.Context, *projects.Project, time.Time) ([]rules.Moment, error) {
	return nil, f.err
}
func (f failingAlerting) Pauses(context.Context, sight.Sight) ([]alerts.Pause, error) {
	return nil, f.err
}
func (f failingAlerting) RemoveDestination(context.Context, string) error         { return f.err }
func (f failingAlerting) Resume(context.Context, *projects.Project, string) error { return f.err }
func (f failingAlerting) Retry(context.Context, uuid.UUID) error                  { return f.err }
func (f failingAlerting) Wishes(context.Context, int64) (accounts.Wishes, error) {
	return accounts.Wishes{}, f.err
}
func (f failingAlerting) SetWishes(context.Context, int64, *string, map[string]accounts.Choice) error {
	return f.err
}
func (f failingAlerting) Test(context.Context, string, *projects.Project) (deliveries.Row, []deliveries.Attempt, error) {
	return deliveries.Row{}, nil, f.err
}
func (f failingAlerting) MakeTicket(context.Context, *issues.Issue, string, bool, accounts.Actor, alerting.Reader) (deliveries.Row, error) {
	return deliveries.Row{}, f.err
}

// failingTickets fails at everything about tickets.
type failingTickets struct{ err error }

func (f failingTickets) Link(context.Context, *issues.Issue, string, string, accounts.Actor) error {
	return f.err
}
func (f failingTickets) OfIssues(context.Context, []int64) (map[int64][]tickets.Shown, error) {
	return nil, f.err
}
func (f failingTickets) Trackers(context.Context, string) ([]string, error) { return nil, f.err }
func (f failingTickets) Unlink(context.Context, *issues.Issue, string, string, accounts.Actor) error {
	return f.err
}
