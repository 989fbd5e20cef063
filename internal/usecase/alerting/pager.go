package alerting

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/db"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
)

// pagerAlert is an alert as the Alertmanager's API v2 takes it.
type pagerAlert struct {
	Labels       map[string]string `json:"labels"`
	Annotations  map[string]string `json:"annotations"`
	StartsAt     time.Time         `json:"startsAt"`
	EndsAt       time.Time         `json:"endsAt,omitzero"`
	GeneratorURL string            `json:"generatorURL,omitempty"`
}

// An Alertmanager resolves alerts that are not sent again: firing ones are, each minute.
const (
	pagerEvery = time.Minute
	pagerEnds  = 5 * time.Minute
)

// pagerAlertOf makes the alert of a delivery. Its labels say which alert it is; they stay the
// same as long as it fires.
func (s *Service) pagerAlertOf(d *destinations.Destination, x *deliveries.Delivery, m alert.Message) pagerAlert {
	a := pagerAlert{StartsAt: x.Created.UTC(), EndsAt: x.Created.UTC().Add(pagerEnds),
		GeneratorURL: cmp.Or(m.Links.Issue, m.Links.Release),
		Labels:       map[string]string{"alertname": cmp.Or(x.Rule, m.Trigger), "project": m.Project},
		Annotations:  map[string]string{"summary": m.Subject(), "description": m.Description()}}
	if d.Receiver != "" {
		a.Labels["receiver"] = d.Receiver
	}
	if m.Issue != nil {
		a.Labels["issue"], a.Labels["severity"] = m.Issue.ID, m.Issue.Severity
	}
	if m.Event != nil && m.Event.Environment != "" {
		a.Labels["environment"] = m.Event.Environment
	}
	return a
}

func pagerURL(d *destinations.Destination) string {
	return strings.TrimSuffix(d.URL, "/") + "/api/v2/alerts"
}

var jsonHeader = http.Header{"Content-Type": {"application/json"}}

// page sends an alert, and notes that it fires from now on.
func (s *Service) page(ctx context.Context, d *destinations.Destination, x *deliveries.Delivery) result {
	body := x.Body
	if later := s.DB.Now(); later.Sub(x.Created) > pagerEnds/2 { // it would be over when it arrives
		var list []pagerAlert
		if err := json.Unmarshal(body, &list); err == nil && len(list) == 1 {
			list[0].EndsAt = later.UTC().Add(pagerEnds)
			if body, err = json.Marshal(list); err != nil {
				return broken(err)
			}
		}
	}
	r := s.post(ctx, d, pagerURL(d), jsonHeader.Clone(), body)
	if r.err != nil || x.Issue == 0 || x.What == "fixed" || x.What == "holding" {
		return r
	}
	// Where this is lost with the process, the message is sent again with the same labels.
	if err := s.DB.InTx(ctx, func(tx *sql.Tx) error {
		now := db.Micros(s.DB.Now())
		_, err := tx.ExecContext(
			ctx,
			"INSERT INTO pager_alert (destination, issue, rule, alert, since, refreshed) VALUES (?,?,?,?,?,?) ON DUPLICATE KEY UPDATE refreshed=VALUES(refreshed)",
			d.ID,
			x.Issue,
			x.Rule,
			string(body),
			now,
			now,
		)
		return err
	}); err != nil {
		return result{err: err}
	}
	return r
}

// Paging lists the destinations with alerts that fire and must be sent again, or are over.
func (s *Service) Paging(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.DB, "SELECT DISTINCT a.destination FROM pager_alert a LEFT JOIN issue i ON i.id=a.issue"+
		" WHERE a.refreshed<=? OR i.state IN ('fixed','dismissed') OR i.id IS NULL OR i.merged_into IS NOT NULL OR i.deleted IS NOT NULL",
		db.Micros(s.DB.Now().Add(-pagerEvery)))
}

// maxPaged is how many alerts are sent again in one request.
const maxPaged = 500

// Page sends an Alertmanager the firing alerts again, and those that ended since their issue was fixed,
// dismissed, merged away or deleted.
func (s *Service) Page(ctx context.Context, destination int64) (more bool, err error) {
	d, err := destinations.ByID(ctx, s.DB, destination)
	if err != nil || d == nil {
		return false, err
	}
	type key struct {
		issue int64
		rule  string
		over  bool
	}
	var keys []key
	var list []pagerAlert
	now := s.DB.Now()
	err = db.Each(ctx, s.DB, func(r *sql.Rows) error {
		var k key
		var raw string
		if err := r.Scan(&k.issue, &k.rule, &raw, &k.over); err != nil {
			return err
		}
		var a []pagerAlert
		if err := json.Unmarshal([]byte(raw), &a); err != nil || len(a) != 1 {
			return err
		}
		a[0].EndsAt = now.UTC().Add(pagerEnds)
		if k.over {
			a[0].EndsAt = now.UTC()
		}
		keys, list = append(keys, k), append(list, a[0])
		return nil
	}, "SELECT a.issue, a.rule, a.alert, COALESCE(i.state IN ('fixed','dismissed') OR i.merged_into IS NOT NULL OR i.deleted IS NOT NULL, 1) AS gone FROM pager_alert a LEFT JOIN issue i ON i.id=a.issue WHERE a.destination=? ORDER BY a.refreshed LIMIT ?",
		destination, maxPaged)
	if err != nil || len(list) == 0 {
		return false, err
	}
	body, err := json.Marshal(list)
	if err != nil {
		return false, err
	}
	if r := s.post(ctx, d, pagerURL(d), jsonHeader.Clone(), body); r.err != nil {
		s.Log.Warn("an Alertmanager could not be sent the firing alerts again", "destination", d.Name, "err", r.err)
		return false, nil // in a while again; it resolves by itself what it is not told
	}
	return len(list) == maxPaged, s.DB.InTx(ctx, func(tx *sql.Tx) error {
		for _, k := range keys {
			q := "UPDATE pager_alert SET refreshed=? WHERE destination=? AND issue=? AND rule=?"
			args := []any{db.Micros(now), destination, k.issue, k.rule}
			if k.over {
				q, args = "DELETE FROM pager_alert WHERE destination=? AND issue=? AND rule=?", args[1:]
			}
			if _, err := tx.ExecContext(ctx, q, args...); err != nil {
				return err
			}
		}
		return nil
	})
}
