package alerting_test

import (
	"bufio"
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"math/big"
	"net"
	"net/textproto"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/alerting"
)

// A webhook is a signed CloudEvent whose id is that of the delivery.
func TestSend_Webhook(t *testing.T) {
	s := open(t, newRule)
	s.happen("tideAt")
	if len(s.office.got) != 1 {
		t.Fatalf("%d messages", len(s.office.got))
	}
	a := s.office.got[0]
	id := s.only()
	if a.id != id.ID.String() || a.event.ID != a.id || a.event.Type != "firethorn.issue.new" || a.event.Subject != "quayside/1" || a.event.Data.Alert.Name != "fresh" {
		t.Errorf("%+v", a.event)
	}
	if err := alert.Verify(s.destination.Secret, alert.Signed{ID: a.id, Timestamp: a.timestamp, Signatures: a.signature, Body: a.body}, time.Now()); err != nil {
		t.Error(err)
	}
}

// only is the one delivery there is.
func (s *scene) only() deliveries.Row {
	s.T.Helper()
	list := s.deliveries()
	if len(list) != 1 {
		s.T.Fatalf("%d deliveries", len(list))
	}
	return list[0]
}

func (s *scene) deliveries() []deliveries.Row {
	s.T.Helper()
	list, err := s.Alerting.Deliveries(s.T.Context(), deliveries.Query{Sight: sight.All, Limit: 500})
	if err != nil {
		s.T.Fatal(err)
	}
	return list
}

// A receiver that fails is asked again, later each time, with the same id and the same bytes.
func TestSend_TriesAgain(t *testing.T) {
	s := open(t, newRule)
	s.Alerting.Jitter = func() float64 { return 0 }
	s.office.status = func(n int) int { return map[bool]int{true: 500, false: 204}[n < 4] }
	s.happen("tideAt")
	for _, after := range []time.Duration{2 * time.Second, 10 * time.Second, time.Minute} {
		d := s.only()
		if got := d.Due.Sub(s.Now); d.State != deliveries.Waiting || got != after {
			t.Fatalf("%s, next in %s, want %s", d.State, got, after)
		}
		s.later(after - time.Millisecond)
		before := len(s.office.got)
		s.send()
		if len(s.office.got) != before {
			t.Error("it was tried too early")
		}
		s.later(time.Millisecond)
		s.send()
	}
	d := s.only()
	if d.State != deliveries.Sent || d.Attempts != 4 || len(s.office.got) != 4 {
		t.Fatalf("%s after %d tries", d.State, d.Attempts)
	}
	for _, a := range s.office.got {
		if a.id != d.ID.String() || !bytes.Equal(a.body, s.office.got[0].body) {
			t.Errorf("another id or other bytes: %s", a.id)
		}
	}
	_, tries, err := s.Alerting.Delivery(t.Context(), sight.All, d.ID)
	if err != nil || len(tries) != 4 || tries[0].Status != 500 || tries[3].Status != 204 {
		t.Errorf("%+v, %v", tries, err)
	}
}

func TestSend_ObeysTheReceiver(t *testing.T) {
	for status, want := range map[int]string{404: "1 failed", 410: "1 failed", 301: "1 failed", 429: "1 waiting", 503: "1 waiting"} {
		s := open(t, newRule)
		s.Alerting.Jitter = func() float64 { return 0 }
		s.office.status = func(int) int { return status }
		s.happen("tideAt")
		if got := s.states(); got != want {
			t.Errorf("%d: %s, want %s", status, got, want)
		}
		if d := s.only(); status == 429 && d.Due.Sub(s.Now) != 2*time.Minute {
			t.Errorf("Retry-After: next in %s", d.Due.Sub(s.Now))
		}
		if status == 404 {
			s.office.status = nil
			if err := s.Alerting.Retry(t.Context(), s.only().ID); err != nil {
				t.Fatal(err)
			}
			if s.send(); s.states() != "1 sent" {
				t.Errorf("tried again by hand: %s", s.states())
			}
			if err := s.Alerting.Retry(t.Context(), s.only().ID); testbed.Code(err) != problem.Conflict {
				t.Errorf("one that arrived: %v", err)
			}
		}
	}
}

// A process that is killed after a message arrived and before that was noted sends it again
// with the same id, and loses none.
func TestSend_KilledBeforeItWasNoted(t *testing.T) {
	s := open(t, newRule)
	ctx, kill := context.WithCancel(t.Context())
	s.office.status = func(n int) int {
		if n == 1 {
			kill() // the answer is on its way
		}
		return 204
	}
	s.File(testbed.Event{Function: "tideAt", At: s.Now})
	s.planQuietly()
	if _, err := s.Alerting.Send(ctx, s.destination.ID, s.Owner); err == nil && s.states() != "1 sent" {
		t.Errorf("killed: %s", s.states())
	}
	s.send()
	if s.states() != "1 sent" || len(s.office.got) == 0 || len(s.office.got) > 2 {
		t.Errorf("%s, arrived %d times", s.states(), len(s.office.got))
	}
	for _, a := range s.office.got {
		if a.id != s.only().ID.String() {
			t.Errorf("another id: %s", a.id)
		}
	}
}

// Messages about one issue arrive in their order; another issue does not wait for them.
func TestSend_KeepsTheOrderOfAnIssue(t *testing.T) {
	s := open(t, "alerts:\n"+rule("all", `became("new") || became("assigned") || became("fixed")`, ""))
	s.office.status = func(n int) int { return map[bool]int{true: 500, false: 204}[n == 1] }
	s.happen("tideAt") // fails once
	s.assign(1, "Oke Farrow")
	s.fix(1)
	s.happen("zoneOf")
	var types []string
	for range 4 {
		s.later(5 * time.Second)
		s.send()
	}
	for _, a := range s.office.got[1:] {
		types = append(types, a.event.Subject+" "+strings.TrimPrefix(a.event.Type, "firethorn.issue."))
	}
	if got := strings.Join(types, ", "); got != "quayside/2 new, quayside/1 new, quayside/1 assigned, quayside/1 fixed" {
		t.Error(got)
	}
}

// A destination that fails for an hour and 50 tries is paused, its maker is told, and it is
// probed every five minutes. Its day of tries stands still; what waited becomes one summary.
func TestSend_PausesADestination(t *testing.T) {
	s := open(t, newRule)
	s.mail()
	s.Alerting.Jitter = func() float64 { return 0 }
	s.office.status = func(int) int { return 500 }
	for i := range 30 {
		s.File(testbed.Event{Function: fmt.Sprint("f", i), At: s.Now})
		s.planQuietly()
		s.later(61 * time.Second) // no burst
		s.send()
	}
	for range 40 {
		s.later(2 * time.Minute)
		s.send()
	}
	d, err := s.Alerting.Destination(t.Context(), "hook")
	if err != nil || d.Paused.IsZero() {
		t.Fatalf("%+v, %v", d.Destination, err)
	}
	told := 0
	for _, x := range s.deliveries() {
		if x.What == "destination.paused" && x.Person == s.maren {
			told++
		}
	}
	if told != 1 {
		t.Errorf("its maker was told %d times", told)
	}
	before := len(s.office.got)
	for range 10 {
		s.later(time.Minute)
		s.send()
	}
	if n := len(s.office.got) - before; n > 3 {
		t.Errorf("%d probes in ten minutes", n)
	}
	s.later(30 * time.Hour)
	s.send() // a probe that fails: nothing gives up while it is paused
	if n := s.One("SELECT COUNT(*) FROM delivery WHERE state='failed' AND destination=?", s.destination.ID); n != 0 {
		t.Errorf("%d gave up while the destination was paused", n)
	}
	s.office.status = nil
	for range 4 {
		s.later(6 * time.Minute)
		s.send()
	}
	if s.One("SELECT COUNT(*) FROM delivery WHERE state='waiting' AND destination=?", s.destination.ID) != 0 {
		t.Error(s.states())
	}
	last := s.office.got[len(s.office.got)-1]
	if last.event.Type != "firethorn.digest" || len(last.event.Data.Alerts) != 29 {
		t.Errorf("%s with %d alerts", last.event.Type, len(last.event.Data.Alerts))
	}
}

// A day of tries ends; a message is never tried forever.
func TestSend_GivesUpAfterADay(t *testing.T) {
	s := open(t, newRule)
	s.office.status = func(int) int { return 500 }
	s.happen("tideAt")
	for range 60 {
		s.later(time.Hour)
		s.send()
	}
	if d := s.only(); d.State != deliveries.Failed || d.Attempts > 32 {
		t.Errorf("%s after %d tries", d.State, d.Attempts)
	}
}

// Two processes that plan and send the same make one message.
func TestSend_TwoProcesses(t *testing.T) {
	s := open(t, newRule)
	s.File(testbed.Event{Function: "tideAt", At: s.Now})
	errs := make(chan error, 2)
	for range 2 {
		go func() {
			_, err := s.Alerting.Plan(context.WithoutCancel(t.Context()), s.Project.ID, alerting.ReaderOf(s.Units))
			errs <- err
		}()
	}
	for range 2 {
		if err := <-errs; err != nil {
			t.Fatal(err)
		}
	}
	s.plan()
	if s.states() != "1 sent" || len(s.office.got) != 1 {
		t.Errorf("%s, arrived %d times", s.states(), len(s.office.got))
	}
}

// mailServer is a mail server with STARTTLS, or TLS from the beginning, that keeps the mails.
type mailServer struct {
	address string
	roots   *x509.CertPool
	mails   chan string
}

func newMailServer(t *testing.T, implicit bool) *mailServer {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	cert := &x509.Certificate{SerialNumber: big.NewInt(1), NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature}
	raw, err := x509.CreateCertificate(rand.Reader, cert, cert, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	parsed, err := x509.ParseCertificate(raw)
	if err != nil {
		t.Fatal(err)
	}
	m := &mailServer{roots: x509.NewCertPool(), mails: make(chan string, 10)}
	m.roots.AddCert(parsed)
	config := &tls.Config{Certificates: []tls.Certificate{{Certificate: [][]byte{raw}, PrivateKey: key}}}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	m.address = l.Addr().String()
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			if implicit {
				conn = tls.Server(conn, config)
			}
			go m.converse(conn, config, implicit)
		}
	}()
	return m
}

// converse takes mail only over TLS, and only from who signed in.
func (m *mailServer) converse(conn net.Conn, config *tls.Config, secure bool) {
	defer conn.Close()
	signedIn := false
	fmt.Fprint(conn, "220 mail ESMTP\r\n")
	r := bufio.NewReader(conn)
	for {
		line, err := r.ReadString('\n')
		if err != nil {
			return
		}
		verb := strings.ToUpper(strings.Fields(line + " x")[0])
		switch {
		case verb == "EHLO" && !secure:
			fmt.Fprint(conn, "250-mail\r\n250 STARTTLS\r\n")
		case verb == "EHLO":
			fmt.Fprint(conn, "250-mail\r\n250 AUTH PLAIN\r\n")
		case verb == "STARTTLS":
			fmt.Fprint(conn, "220 go on\r\n")
			conn, secure = tls.Server(conn, config), true
			r = bufio.NewReader(conn)
		case verb == "AUTH":
			signedIn = strings.TrimSpace(line) == "AUTH PLAIN AGZpcmV0aG9ybgBzZWEtc2FsdA==" // firethorn, sea-salt
			fmt.Fprint(conn, map[bool]string{true: "235 welcome\r\n", false: "535 no\r\n"}[signedIn])
		case !signedIn:
			fmt.Fprint(conn, "530 sign in first\r\n")
		case verb == "DATA":
			fmt.Fprint(conn, "354 go on\r\n")
			raw, err := textproto.NewReader(r).ReadDotBytes()
			if err != nil {
				return
			}
			m.mails <- string(raw)
			fmt.Fprint(conn, "250 taken\r\n")
		default:
			fmt.Fprint(conn, "250 OK\r\n")
		}
	}
}

// Mail goes by TLS to people who want it: text and HTML, one thread an issue, a link that
// ends such mails.
func TestSend_Mail(t *testing.T) {
	for _, implicit := range []bool{false, true} {
		s := open(t, "alerts:\n"+rule("mine", `became("assigned") || became("fixed")`, ", to: [owner]"))
		server := newMailServer(t, implicit)
		s.Alerting.Roots = server.roots
		scheme := map[bool]string{false: "smtp://", true: "smtps://"}[implicit]
		s.make(&destinations.Destination{Name: "post", Kind: "mail", URL: scheme + server.address, Secret: "sea-salt", Settings: destinations.Settings{From: "Firethorn <firethorn@marrowsound.example>", User: "firethorn"}})
		s.happen("tideAt")
		s.assign(1, "Oke Farrow")
		s.fix(1)
		if s.states() != "2 sent" {
			t.Fatalf("%s: %s", scheme, s.states())
		}
		first, second := <-server.mails, <-server.mails
		for _, want := range []string{"To: \"Oke Farrow\" <oke@marrowsound.example>", "Subject: Assigned in quayside: TypeError in tideAt, 1 user", "Content-Type: text/plain", "Content-Type: text/html",
			"List-Unsubscribe: <https://firethorn.example/unsubscribe?", "List-Unsubscribe-Post: List-Unsubscribe=One-Click", "Auto-Submitted: auto-generated", "Message-ID: <"} {
			if !strings.Contains(strings.ReplaceAll(first, "\n ", " "), want) {
				t.Errorf("%s: the mail lacks %q:\n%s", scheme, want, first)
			}
		}
		thread := func(mail string) string {
			_, rest, _ := strings.Cut(mail, "References: ")
			line, _, _ := strings.Cut(rest, "\n")
			return line
		}
		if thread(first) == "" || thread(first) != thread(second) {
			t.Errorf("two threads: %q and %q", thread(first), thread(second))
		}
	}
}

// A mail server without a good certificate, or without TLS, gets nothing.
func TestSend_MailNeedsTLS(t *testing.T) {
	s := open(t, "")
	server := newMailServer(t, false)
	s.make(&destinations.Destination{Name: "post", Kind: "mail", URL: "smtp://" + server.address, Settings: destinations.Settings{From: "firethorn@marrowsound.example"}})
	s.happen("tideAt")
	list := s.deliveries()
	if len(list) != 2 || s.states() != "2 waiting" {
		t.Fatalf("%d, %s", len(list), s.states())
	}
	_, tries, err := s.Alerting.Delivery(t.Context(), sight.All, list[0].ID)
	if err != nil || len(tries) == 0 || !strings.Contains(tries[0].Error, "certificate") {
		t.Errorf("%+v, %v", tries, err)
	}
}

// The link in a mail ends mails of its kind to its person, and nothing else does.
func TestUnsubscribe(t *testing.T) {
	s := open(t, "")
	if err := s.Alerting.Unsubscribe(t.Context(), s.oke, "new", "AAAA"); testbed.Code(err) != problem.NotFound {
		t.Errorf("a link that was made up: %v", err)
	}
	link, err := s.Alerting.UnsubscribeLink(t.Context(), s.oke, "new")
	if err != nil {
		t.Fatal(err)
	}
	_, sign, _ := strings.Cut(link, "sign=")
	if err := s.Alerting.Unsubscribe(t.Context(), s.maren, "new", sign); testbed.Code(err) != problem.NotFound {
		t.Errorf("the link of somebody else: %v", err)
	}
	if err := s.Alerting.Unsubscribe(t.Context(), s.oke, "new", sign); err != nil {
		t.Fatal(err)
	}
	w, err := s.Alerting.Wishes(t.Context(), s.oke)
	if err != nil || w.Choices["new"] != accounts.Console || w.Choices["regressed"] != accounts.ByMail {
		t.Errorf("%+v, %v", w, err)
	}
}

func TestDestinations_AreChecked(t *testing.T) {
	s := open(t, "")
	for what, d := range map[string]*destinations.Destination{
		"an unknown kind":               {Name: "x", Kind: "webhok", URL: "https://x.example"},
		"a name that stands for people": {Name: "owner", Kind: "chat", URL: "https://x.example"},
		"a name of two lines":           {Name: "a\nb", Kind: "chat", URL: "https://x.example"},
		"no host":                       {Name: "x", Kind: "chat", URL: "https://"},
		"another scheme":                {Name: "x", Kind: "chat", URL: "file:///etc/passwd"},
		"plain http outside":            {Name: "x", Kind: "chat", URL: "http://chat.example/hook"},
		"a password in the address":     {Name: "x", Kind: "chat", URL: "https://a:b@chat.example"},
		"mail without a sender":         {Name: "x", Kind: "mail", URL: "smtp://mail.example"},
		"a sender with a line break":    {Name: "x", Kind: "mail", URL: "smtp://mail.example", Settings: destinations.Settings{From: "a@b.example\r\nBcc: c@d.example"}},
		"mail without TLS outside":      {Name: "x", Kind: "mail", URL: "smtp://mail.example", Settings: destinations.Settings{From: "a@b.example", Insecure: true}},
		"a template that is no JSON":    {Name: "x", Kind: "chat", URL: "https://x.example", Settings: destinations.Settings{Template: `{"text": {{text}}}`}},
		"a template without a place":    {Name: "x", Kind: "chat", URL: "https://x.example", Settings: destinations.Settings{Template: `{"text": "hello"}`}},
		"a project that is not there":   {Name: "x", Kind: "chat", URL: "https://x.example", Projects: []string{"lighthouse"}},
	} {
		if err := s.Alerting.CreateDestination(t.Context(), d); testbed.Code(err) != problem.BadInput && testbed.Code(err) != problem.NotFound {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := s.Alerting.CreateDestination(t.Context(), &destinations.Destination{Name: "hook", Kind: "webhook", URL: "https://x.example"}); testbed.Code(err) != problem.Conflict {
		t.Errorf("a second one of the name: %v", err)
	}
	inside := &destinations.Destination{Name: "inside", Kind: "webhook", URL: "https://127.0.0.1:9/hook"}
	if err := s.Alerting.CreateDestination(t.Context(), inside); err != nil {
		t.Fatal(err)
	}
	row, tries, err := s.Alerting.Test(t.Context(), "inside", nil)
	if err != nil || row.State != deliveries.Failed || len(tries) != 1 || !strings.Contains(tries[0].Error, "inside the network") {
		t.Errorf("an address inside: %s %+v, %v", row.State, tries, err)
	}
}

// An erased user is in no message any more, and what rules counted stays true.
func TestErase_ForgetsMessages(t *testing.T) {
	s := open(t, "alerts:\n"+rule("fresh", `became("new")`, "")+rule("many", "true", ", users: 3, within: 1h, to: [hook]"))
	s.happen("tideAt", user("p-1"))
	s.happen("tideAt", user("p-2"))
	before := s.only()
	if !strings.Contains(before.Message, "tideAt") || len(before.Body) == 0 {
		t.Fatalf("%s", before.Message)
	}
	if _, err := s.Retention.Erase(t.Context(), s.Project, "p-1", "Maren Holt"); err != nil {
		t.Fatal(err)
	}
	s.later(time.Minute)
	if err := s.Retention.EraseNext(t.Context(), s.Project.ID); err != nil {
		t.Fatal(err)
	}
	if d := s.only(); strings.Contains(d.Message, `"Exception"`) || len(d.Body) > 0 {
		t.Errorf("the message still says %s", d.Message)
	}
	if n := s.One("SELECT COUNT(DISTINCT who) FROM alert_hit WHERE kind=1"); n != 2 {
		t.Errorf("%d users are counted, want 2", n)
	}
	s.happen("tideAt", user("p-3"))
	if got := s.became(); !strings.HasSuffix(got, "1 threshold to hook sent") {
		t.Errorf("the third user: %s", got)
	}
}
