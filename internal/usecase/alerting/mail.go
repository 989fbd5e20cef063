package alerting

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/mail"
	"net/smtp"
	"net/textproto"
	"net/url"
	"strings"
	"time"

	gomail "github.com/wneessen/go-mail"

	"firethorn/internal/core/alert"
	"firethorn/internal/outgoing"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
)

// personTo is who gets a mail; nil: the addresses of the destination.
type personTo = *accounts.Person

// CheckAddress gives the problem of a mail address. One with a line break would add lines
// of its own to a mail.
func CheckAddress(address string) error {
	a, err := mail.ParseAddress(address)
	if err != nil || strings.ContainsAny(address, "\r\n\x00") || a.Address == "" {
		return fmt.Errorf("%.100q is no mail address", address)
	}
	return nil
}

// mailBody writes a mail as RFC 5322 has it. All mails about an issue are one thread.
func (s *Service) mailBody(
	d *destinations.Destination,
	x *deliveries.Delivery,
	m alert.Message,
	to personTo,
) ([]byte, error) {
	g := gomail.NewMsg()
	if err := g.From(d.From); err != nil {
		return nil, err
	}
	addresses := d.To
	if to != nil {
		addresses = []string{(&mail.Address{Name: to.Name, Address: to.Email}).String()}
	}
	for _, a := range addresses {
		if err := CheckAddress(a); err != nil {
			return nil, err
		}
	}
	if err := g.To(addresses...); err != nil {
		return nil, err
	}
	host := "firethorn.invalid"
	if at := strings.LastIndexByte(d.From, '@'); at >= 0 {
		host = strings.Trim(d.From[at+1:], "> ")
	}
	g.Subject(m.Subject())
	g.SetDateWithValue(x.Created)
	g.SetMessageIDWithValue(fmt.Sprintf("%s@%s", x.ID, host))
	if x.Issue != 0 {
		thread := fmt.Sprintf("<issue-%d@%s>", x.Issue, host)
		g.SetGenHeader("References", thread)
		g.SetGenHeader("In-Reply-To", thread)
	}
	g.SetGenHeader("Auto-Submitted", "auto-generated")
	if l := m.Links.Unsubscribe; l != "" {
		g.SetGenHeader("List-Unsubscribe", "<"+l+">")
		g.SetGenHeader("List-Unsubscribe-Post", "List-Unsubscribe=One-Click")
	}
	g.SetBodyString(gomail.TypeTextPlain, m.Text())
	g.AddAlternativeString(gomail.TypeTextHTML, m.HTML())
	var b bytes.Buffer
	_, err := g.WriteTo(&b)
	return b.Bytes(), err
}

// mail sends a mail by SMTP: with TLS from the beginning (smtps), or STARTTLS. Without TLS it
// is sent only where the destination says so, to a server that it may reach inside.
func (s *Service) mail(ctx context.Context, d *destinations.Destination, to []string, body []byte) result {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	u, err := url.Parse(d.URL)
	if err != nil {
		return broken(err)
	}
	address, client := hostPort(u), s.outside(d.AllowInside)
	conn, err := client.Dial(ctx, "tcp", address)
	if err != nil {
		return result{err: err, final: errors.Is(err, outgoing.ErrInside)}
	}
	defer conn.Close()
	if at, ok := ctx.Deadline(); ok {
		_ = conn.SetDeadline(at)
	}
	if err := (talk{d, client, u}).with(conn, to, body); err != nil {
		r := result{err: err}
		if t, ok := errors.AsType[*textproto.Error](err); ok {
			r.status, r.answer = t.Code, t.Msg
			r.final = t.Code >= 500
		}
		return r
	}
	return result{status: 250, answer: "accepted"}
}

// hostPort is the server of an address. The ports of mail are those of RFC 8314.
func hostPort(u *url.URL) string {
	if u.Port() != "" {
		return u.Host
	}
	ports := map[string]string{"smtps": "465", "smtp": "587", "https": "443", "http": "80"}
	return net.JoinHostPort(u.Hostname(), ports[u.Scheme])
}

// talk is a conversation with a mail server.
type talk struct {
	destination *destinations.Destination
	client      *outgoing.Client
	server      *url.URL
}

func (t talk) with(conn net.Conn, to []string, body []byte) error {
	d, client, u := t.destination, t.client, t.server
	if u.Scheme == "smtps" {
		conn = tls.Client(conn, client.TLS(u.Hostname()))
	}
	c, err := smtp.NewClient(conn, u.Hostname())
	if err != nil {
		return err
	}
	defer c.Close()
	if u.Scheme == "smtp" {
		ok, _ := c.Extension("STARTTLS")
		switch {
		case ok:
			if err := c.StartTLS(client.TLS(u.Hostname())); err != nil {
				return err
			}
		case !d.Insecure:
			return errors.New(
				"the mail server offers no TLS; --insecure sends without, to a server that --allow-inside names",
			)
		}
	}
	if d.User != "" {
		if err := c.Auth(smtp.PlainAuth("", d.User, d.Secret, u.Hostname())); err != nil {
			return err
		}
	}
	from, err := mail.ParseAddress(d.From)
	if err != nil {
		return err
	}
	if err := c.Mail(from.Address); err != nil {
		return err
	}
	for _, a := range to {
		p, err := mail.ParseAddress(a)
		if err != nil {
			return err
		}
		if err := c.Rcpt(p.Address); err != nil {
			return err
		}
	}
	w, err := c.Data()
	if err != nil {
		return err
	}
	if _, err := w.Write(body); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	_ = c.Quit() // the mail is taken
	return nil
}
