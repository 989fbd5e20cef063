package alerting_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
	"firethorn/internal/usecase/alerting"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// office is a receiver of webhooks that a test looks into.
type office struct {
	*httptest.Server
	mu     sync.Mutex
	got    []arrived
	status func(n int) int // of the n-th message; nil: 204 always
}

// arrived is a message as it arrived.
type arrived struct {
	id, signature, timestamp string
	body                     []byte
	event                    struct {
		ID, Type, Subject string
		Data              struct {
			Alert struct {
				Name, Why string
				Names     []string
			}
			Alerts []struct{ Text string }
			More   int
		}
	}
}

func newOffice(t *testing.T) *office {
	o := &office{}
	o.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		a := arrived{id: r.Header.Get("Webhook-Id"), signature: r.Header.Get("Webhook-Signature"), timestamp: r.Header.Get("Webhook-Timestamp")}
		a.body, _ = io.ReadAll(r.Body)
		_ = json.Unmarshal(a.body, &a.event) // what is no event has no type
		o.mu.Lock()
		o.got = append(o.got, a)
		status := http.StatusNoContent
		if o.status != nil {
			status = o.status(len(o.got))
		}
		o.mu.Unlock()
		if status == 429 {
			w.Header().Set("Retry-After", "120")
		}
		w.WriteHeader(status)
	}))
	t.Cleanup(o.Close)
	return o
}

// scene is a project with destinations.
type scene struct {
	*testbed.Bench
	office      *office
	maren, oke  int64
	destination *destinations.Destination
}

func open(t *testing.T, rules string) *scene {
	t.Helper()
	b := testbed.Open(t, testbed.Noon)
	s := &scene{Bench: b, office: newOffice(t)}
	s.maren, s.oke = b.People()
	for _, who := range []int64{s.maren, s.oke} {
		if _, err := b.DB.ExecContext(t.Context(), "INSERT IGNORE INTO project_role (person, project, role) VALUES (?,?,2)", who, b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	b.Alerting.ReachedAt("https://firethorn.example")
	s.destination = s.make(&destinations.Destination{Name: "hook", Kind: "webhook", URL: s.office.URL})
	s.make(&destinations.Destination{Name: "second", Kind: "webhook", URL: s.office.URL + "/second"})
	s.push(rules)
	return s
}

func (s *scene) make(d *destinations.Destination) *destinations.Destination {
	s.T.Helper()
	d.AllowInside, d.Maker = "url", accounts.Actor{Kind: "person", ID: s.maren, Name: "Maren Holt"}
	if err := s.Alerting.CreateDestination(s.T.Context(), d); err != nil {
		s.T.Fatal(err)
	}
	return d
}

// mail gives the service a mail server, which nobody answers for.
func (s *scene) mail() {
	s.make(&destinations.Destination{Name: "post", Kind: "mail", URL: "smtp://127.0.0.1:1", Settings: destinations.Settings{From: "firethorn@marrowsound.example", Insecure: true}})
}

func (s *scene) push(rules string) {
	s.T.Helper()
	if rules == "" {
		return
	}
	s.Rule(rules)
}

// plan plans all that waits, and sends all that is due.
func (s *scene) plan() {
	s.T.Helper()
	for range 100 {
		more, err := s.Alerting.Plan(s.T.Context(), s.Project.ID, alerting.ReaderOf(s.Units))
		if err != nil {
			s.T.Fatal(err)
		}
		if !more {
			break
		}
	}
	held, err := s.Alerting.HeldDue(s.T.Context())
	for _, d := range held {
		if err == nil {
			_, err = s.Alerting.Digest(s.T.Context(), d)
		}
	}
	if err != nil {
		s.T.Fatal(err)
	}
	s.send()
}

// planQuietly plans everything, and sends nothing.
func (s *scene) planQuietly() {
	s.T.Helper()
	for more := true; more; {
		var err error
		if more, err = s.Alerting.Plan(s.T.Context(), s.Project.ID, alerting.ReaderOf(s.Units)); err != nil {
			s.T.Fatal(err)
		}
	}
}

func (s *scene) send() {
	s.T.Helper()
	for range 50 {
		due, err := s.Alerting.Due(s.T.Context())
		if err != nil {
			s.T.Fatal(err)
		}
		before := s.One("SELECT COUNT(*) FROM delivery_attempt")
		for _, d := range due {
			if _, err := s.Alerting.Send(s.T.Context(), d, s.Owner); err != nil {
				s.T.Fatal(err)
			}
		}
		if s.One("SELECT COUNT(*) FROM delivery_attempt") == before {
			return
		}
	}
}

func (s *scene) later(d time.Duration) { s.Now = s.Now.Add(d) }

// happen reports an event of a function.
func (s *scene) happen(function string, more ...func(*testbed.Event)) {
	s.T.Helper()
	e := testbed.Event{Function: function, User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"}
	for _, m := range more {
		m(&e)
	}
	s.File(e)
	s.plan()
}

func user(name string) func(*testbed.Event) { return func(e *testbed.Event) { e.User = name } }
func in(release string) func(*testbed.Event) {
	return func(e *testbed.Event) { e.Release = release }
}
func at(env string) func(*testbed.Event) { return func(e *testbed.Event) { e.Env = env } }

// crowd reports an event of each of so many users.
func (s *scene) crowd(function string, from, n int) {
	s.T.Helper()
	var list []testbed.Event
	for i := range n {
		list = append(list, testbed.Event{Function: function, User: fmt.Sprint("c-", from+i), Release: "4.2.0", At: s.Now, Env: "production"})
	}
	s.File(list...)
	s.plan()
}

func (s *scene) fix(n int64) { s.Act(n, testbed.FixedIn("4.2.0")); s.plan() }
func (s *scene) assign(n int64, to string) {
	s.Act(n, issue.Action{Verb: issue.Assign, To: to})
	s.plan()
}

// became are the outcomes of all that rules were asked about, in words, the oldest first.
func (s *scene) became() string {
	s.T.Helper()
	list, err := alerts.List(s.T.Context(), s.DB, s.Project.ID, 0, 0, 500)
	if err != nil {
		s.T.Fatal(err)
	}
	slices.Reverse(list)
	var out []string
	for _, o := range list {
		for _, x := range o.Outcome {
			word := fmt.Sprintf("%d %s", o.Number, o.What)
			if o.Number == 0 {
				word = o.What
			}
			did := x.Did
			if x.Did != "sent" {
				did += " (" + x.Why + ")"
			}
			if x.To != "" {
				word += " to " + x.To
			}
			out = append(out, word+" "+did)
		}
	}
	return strings.Join(out, "; ")
}

// states are how many deliveries stand in which state.
func (s *scene) states() string {
	s.T.Helper()
	var out []string
	for _, st := range deliveries.States {
		if n := s.One("SELECT COUNT(*) FROM delivery WHERE state=?", string(st)); n > 0 {
			out = append(out, fmt.Sprintf("%d %s", n, st))
		}
	}
	return strings.Join(out, ", ")
}

const newRule = "alerts:\n  - {name: fresh, when: 'became(\"new\")', to: [hook]}\n"

func rule(name, when, rest string) string {
	if rest == "" {
		rest = ", to: [hook]"
	}
	return fmt.Sprintf("  - {name: %s, when: '%s'%s}\n", name, when, rest)
}

// situation is what happens, and what becomes of it.
type situation struct {
	name, rules string
	happens     func(s *scene)
	want        string // outcomes
	states      string // of deliveries; "": not looked at
}

// TestSituations is the table of what is sent when, and why not.
func TestSituations(t *testing.T) {
	list := slices.Concat(becoming, counting, silence, people, keys)
	t.Logf("%d situations", len(list))
	for _, x := range list {
		t.Run(strings.ReplaceAll(x.name, " ", "_"), func(t *testing.T) {
			rules := x.rules
			if rules != "" && !strings.HasPrefix(rules, "alerts:") && !strings.HasPrefix(rules, "assign:") {
				rules = "alerts:\n" + rules
			}
			s := open(t, rules)
			x.happens(s)
			if got := s.became(); x.want != "-" && got != x.want {
				t.Errorf("became\n  %s, want\n  %s", got, x.want)
			}
			want := strings.TrimPrefix(x.states, "-")
			if got := s.states(); x.states != "" && got != want {
				t.Errorf("deliveries: %s, want %s", got, x.states)
			}
		})
	}
}
