package alerting

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/url"
	"strconv"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
)

// shownFrames is how many frames a message shows.
const shownFrames = 5

// newMessage makes what a message says of an occurrence.
func (s *Service) newMessage(
	ctx context.Context, tx *sql.Tx, p *projects.Project, o *alerts.Occurrence, k known,
) (alert.Message, error) {
	m := alert.Message{Trigger: o.What, Project: p.Name, Why: alert.Why(o.What, o.Who.Name, o.Text)}
	if k.issue == nil {
		m.Links.Release = s.public + "/p/" + url.PathEscape(p.Name) + "/releases"
		return m, nil
	}
	is := k.issue
	m.Issue = &alert.Issue{ID: fmt.Sprintf("%s/%d", p.Name, is.Number), Headline: is.Headline, Place: is.Place,
		State: string(is.State), Owner: is.Owner, Severity: is.Severity, Users: is.Users, Events: is.Events,
		FirstSeen: is.FirstSeen, FirstRelease: is.FirstRelease}
	at := s.issueAt(p.Name, is.Number)
	m.Links = alert.Links{Issue: at}
	if is.State == "new" || is.State == "regressed" {
		m.Links.Accept = at + "?do=accept"
	}
	if is.Owner == "" {
		m.Links.Take = at + "?do=take"
	}
	if k.row != nil {
		m.Event = &alert.Event{
			ID:          k.row.ID.String(),
			Release:     k.row.Release,
			Environment: k.row.Environment,
			At:          k.row.Thrown,
		}
		m.Links.Event = at + "?event=" + k.row.ID.String()
		built, err := releases.Built(ctx, tx, p.ID, k.row.Release)
		if err != nil {
			return m, err
		}
		if built { // else no commits are known that could be to blame
			m.Links.Change = at + "#likely"
		}
	}
	if k.event != nil {
		m.Event.Exception, m.Event.Frames = alert.Blamed(k.event, k.frames, shownFrames)
	}
	return m, nil
}

// issueAt is the address of an issue in the console.
func (s *Service) issueAt(project string, number int64) string {
	return s.public + "/p/" + url.PathEscape(project) + "/issues/" + strconv.FormatInt(number, 10)
}

// UnsubscribeLink is the address of the page that ends mails of a kind to a person. It needs no
// sign-in, and does only that.
func (s *Service) UnsubscribeLink(ctx context.Context, person int64, kind string) (string, error) {
	sign, err := s.signed(ctx, person, kind)
	return s.public + "/unsubscribe?" + url.Values{"person": {strconv.FormatInt(person, 10)}, "kind": {kind},
		"sign": {sign}}.Encode(), err
}

func (s *Service) signed(ctx context.Context, person int64, kind string) (string, error) {
	key, err := accounts.ServiceSecret(ctx, s.DB, "unsubscribe")
	if err != nil {
		return "", err
	}
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%d %s", person, kind)
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil)), nil
}

// Unsubscribe ends mails of a kind to a person: they are notified of it in the console.
func (s *Service) Unsubscribe(ctx context.Context, person int64, kind, sign string) error {
	want, err := s.signed(ctx, person, kind)
	if err != nil {
		return err
	}
	if !hmac.Equal([]byte(want), []byte(sign)) {
		return problem.New(problem.NotFound, "this link does not end any mails; take it from the mail as it is")
	}
	change := map[string]accounts.Choice{kind: accounts.Console}
	if kind == "digest" {
		change = map[string]accounts.Choice{}
		w, err := accounts.WishesOf(ctx, s.DB, person)
		if err != nil {
			return err
		}
		for k, c := range w.Choices {
			if c == accounts.Daily {
				change[k] = accounts.Console
			}
		}
	}
	return s.DB.InTx(ctx, func(tx *sql.Tx) error { return accounts.SetWishes(ctx, tx, person, nil, change) })
}

// messageOf reads what a delivery says, with the links that only its receiver gets.
func (s *Service) messageOf(
	ctx context.Context,
	q db.Querier,
	d *deliveries.Delivery,
) (m alert.Message, to *accounts.Person, err error) {
	if err := json.Unmarshal([]byte(d.Message), &m); err != nil {
		return m, nil, fmt.Errorf("the message of delivery %s: %w", d.ID, err)
	}
	if d.Person == 0 {
		return m, nil, nil
	}
	list, err := accounts.PeopleByID(ctx, q, d.Person)
	if err != nil || len(list) == 0 {
		return m, nil, err
	}
	to = list[0]
	w, err := accounts.WishesOf(ctx, q, to.ID)
	if err != nil {
		return m, nil, err
	}
	m.Zone = w.Location()
	kind := m.Trigger
	if _, ok := w.Choices[kind]; ok || kind == "digest" {
		m.Links.Unsubscribe, err = s.UnsubscribeLink(ctx, to.ID, kind)
	}
	return m, to, err
}
