package alerting

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/outgoing"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/projects"
)

// result is what came of one try.
type result struct {
	status int
	answer string
	err    error         // nil: the receiver took it
	final  bool          // no later try would succeed
	after  time.Duration // what the receiver asked to wait
}

// broken is a try that failed before anything was sent and would fail again.
func broken(err error) result { return result{err: err, final: true} }

// attempt sends a delivery: what is sent is rendered once, and stored before the first try.
func (s *Service) attempt(ctx context.Context, d *destinations.Destination, x *deliveries.Delivery) result {
	m, to, err := s.messageOf(ctx, s.DB, x)
	if err != nil {
		return result{err: err}
	}
	if x.Person != 0 && to == nil {
		return broken(errors.New("the person does not work here any more"))
	}
	again := x.Body != nil // a try before began, and may have arrived
	if !again {
		if x.Body, err = s.render(d, x, m, to); err != nil {
			return broken(err)
		}
		if err := deliveries.SetBody(ctx, s.DB, x.ID, x.Body); err != nil {
			return result{err: err}
		}
	}
	switch d.Kind {
	case destinations.Tickets:
		return s.ticket(ctx, d, x, m, again)
	case "webhook":
		return s.post(ctx, d, d.URL, s.webhookHeaders(d, x), x.Body)
	case "chat":
		return s.post(ctx, d, d.URL, http.Header{"Content-Type": {"application/json"}}, x.Body)
	case "pager":
		return s.page(ctx, d, x)
	case "mail":
		addresses := d.To
		if to != nil {
			addresses = []string{to.Email}
		}
		return s.mail(ctx, d, addresses, x.Body)
	}
	return broken(fmt.Errorf("this version cannot send to a destination of the kind %s", d.Kind))
}

// render makes the bytes that are sent.
func (s *Service) render(
	d *destinations.Destination,
	x *deliveries.Delivery,
	m alert.Message,
	to personTo,
) ([]byte, error) {
	switch d.Kind {
	case "webhook":
		return json.Marshal(alert.CloudEvent(m, x.ID.String(), x.Created))
	case "chat":
		return chatBody(d.Template, m.Chat())
	case destinations.Tickets: // the description says what is sent; this notes that a try began
		return json.Marshal(map[string]string{"title": m.Title(), "text": m.Markdown()})
	case "pager":
		return json.Marshal([]pagerAlert{s.pagerAlertOf(d, x, m)})
	}
	return s.mailBody(d, x, m, to)
}

// chatBody fills the template of a chat room: {{text}} within a JSON text.
func chatBody(template, text string) ([]byte, error) {
	raw, err := json.Marshal(text)
	if err != nil {
		return nil, err
	}
	if template == "" {
		return []byte(`{"text": ` + string(raw) + `}`), nil
	}
	body := strings.ReplaceAll(template, "{{text}}", string(raw[1:len(raw)-1]))
	if !json.Valid([]byte(body)) {
		return nil, errors.New("the destination's template is no JSON once {{text}} is filled in")
	}
	return []byte(body), nil
}

func (s *Service) webhookHeaders(d *destinations.Destination, x *deliveries.Delivery) http.Header {
	now := time.Now()
	h := http.Header{"Content-Type": {"application/cloudevents+json; charset=utf-8"}, "User-Agent": {"Firethorn"}}
	h["webhook-id"] = []string{x.ID.String()}
	h["webhook-timestamp"] = []string{strconv.FormatInt(now.Unix(), 10)}
	if sign, err := alert.Sign(d.Secret, x.ID.String(), now, x.Body); err == nil {
		h["webhook-signature"] = []string{sign}
	}
	return h
}

// maxShown is how much of an answer is kept.
const maxShown = 500

// post sends a body by HTTP.
func (s *Service) post(
	ctx context.Context,
	d *destinations.Destination,
	url string,
	h http.Header,
	body []byte,
) result {
	a, err := s.outside(d.AllowInside).Post(ctx, url, h, body)
	if err != nil {
		return result{err: err, final: errors.Is(err, outgoing.ErrInside)}
	}
	r := result{status: a.Status, answer: string(a.Body[:min(len(a.Body), maxShown)])}
	if a.Status >= 200 && a.Status < 300 {
		return r
	}
	r.err, r.final = fmt.Errorf("the receiver answered %d %s", a.Status, http.StatusText(a.Status)), alert.Final(
		a.Status,
	)
	r.after = alert.RetryAfter(a.Header.Get("Retry-After"), time.Now())
	return r
}

// makeTest writes a test message.
func (s *Service) makeTest(ctx context.Context, name string, p *projects.Project) (*destinations.Destination,
	*deliveries.Delivery, error) {
	d, err := destinations.Named(ctx, s.DB, name)
	if err != nil {
		return nil, nil, err
	}
	m := alert.Message{Trigger: "test", Project: "Firethorn", Why: "If you read this, " + d.Name + " works."}
	m.Links.Issue = s.public
	var id int64
	if p != nil {
		m.Project, id = p.Name, p.ID
	}
	if d.ServesPeople() {
		return nil, nil, problem.New(
			problem.BadInput,
			"%s sends mail to people; give it an address with --to, or wait for the first alert",
			d.Name,
		)
	}
	now := s.DB.Now()
	x, err := deliveries.Of(m, now)
	if err != nil {
		return nil, nil, err
	}
	x.Project, x.Destination, x.Episode = id, d.ID, now.UnixMicro()&0x7fffffff
	x.State, x.Due = deliveries.Held, now.AddDate(1, 0, 0) // nobody else sends it
	return d, x, s.DB.InTx(ctx, func(tx *sql.Tx) error {
		_, err := deliveries.Add(ctx, tx, x)
		return err
	})
}
