package tickets_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/issue"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/sight"
	"firethorn/internal/store/tickets"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/alerting"
)

// card is a ticket of the board.
type card struct {
	Number   int       `json:"number"`
	URL      string    `json:"url"`
	Title    string    `json:"title"`
	Text     string    `json:"text"`
	State    string    `json:"state"`
	Revision int       `json:"revision"`
	Changed  time.Time `json:"state_changed"`
	FixedIn  string    `json:"fixed_in,omitempty"`
	Ref      string    `json:"reference"`
	notes    []note
	gone     bool
	was      int // its number before it was moved
}

type note struct {
	ID     string `json:"id"`
	Text   string `json:"text"`
	Author string `json:"author"`
}

// board is a tracker as docs/trackers/rest.yaml describes it.
type board struct {
	mu     sync.Mutex
	now    func() time.Time
	cards  []*card
	fail   func(call string) int // a status to answer, 0: none
	lose   func(call string) bool
	writes []string // calls that changed something
	moved  int      // how often a call changed a state
}

func (b *board) find(key string) *card {
	for _, c := range b.cards {
		if (fmt.Sprint(c.Number) == key || c.was != 0 && fmt.Sprint(c.was) == key) && !c.gone {
			return c
		}
	}
	return nil
}

// set changes the state of a card, as people do.
func (b *board) set(number int, state string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if c := b.cards[number-1]; c.State != state {
		c.State, c.Changed, c.Revision = state, b.now(), c.Revision+1
	}
}

func (b *board) state(number int) string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.cards[number-1].State
}

func (b *board) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	defer b.mu.Unlock()
	parts := strings.Split(strings.TrimPrefix(r.URL.Path, "/tickets"), "/")
	call := r.Method + " " + strings.Join(append([]string{"tickets"}, parts[min(len(parts), 2):]...), "/")
	if b.fail != nil {
		if status := b.fail(call); status != 0 {
			w.Header().Set("Retry-After", "7")
			w.WriteHeader(status)
			return
		}
	}
	var in card
	_ = json.NewDecoder(r.Body).Decode(&in) // what has no body has none
	if r.Method != http.MethodGet {
		b.writes = append(b.writes, call)
	}
	answer := b.answer(r, parts, in)
	body, err := json.Marshal(answer)
	if err != nil {
		panic(err)
	}
	if b.lose != nil && b.lose(call) {
		panic(http.ErrAbortHandler)
	}
	if answer == nil {
		w.WriteHeader(http.StatusNotFound)
		return
	}
	_, _ = w.Write(body) // to a service that may have gone
}

func (b *board) answer(r *http.Request, parts []string, in card) any {
	if len(parts) == 1 {
		if r.Method == http.MethodPost {
			c := &card{Number: len(b.cards) + 1, URL: "https://board.example/t/" + fmt.Sprint(len(b.cards)+1), Title: in.Title, Text: in.Text,
				State: "todo", Revision: 1, Changed: b.now(), Ref: in.Ref}
			b.cards = append(b.cards, c)
			return c
		}
		list := []*card{}
		for _, c := range b.cards {
			if c.Ref == r.URL.Query().Get("reference") {
				list = append(list, c)
			}
		}
		return list
	}
	c := b.find(parts[1])
	switch {
	case c == nil:
		return nil
	case len(parts) == 3 && r.Method == http.MethodPost:
		c.notes = append(c.notes, note{fmt.Sprint(len(c.notes) + 1), in.Text, "Firethorn"})
		return c.notes[len(c.notes)-1]
	case len(parts) == 3:
		return append([]note{}, c.notes...)
	case r.Method == http.MethodPatch && in.State != c.State:
		c.State, c.Changed, c.Revision = in.State, b.now(), c.Revision+1
		b.moved++
	}
	return c
}

// scene is a service with a board, and an issue.
type scene struct {
	*testbed.Bench
	board *board
	owner uuid.UUID
}

func open(t *testing.T) *scene {
	t.Helper()
	s := &scene{Bench: testbed.Open(t, testbed.Noon), owner: uuid.New()}
	s.board = &board{now: func() time.Time { return s.Now.Truncate(time.Second) }}
	server := httptest.NewServer(s.board)
	t.Cleanup(server.Close)
	raw, err := os.ReadFile("../../../docs/trackers/rest.yaml")
	if err != nil {
		t.Fatal(err)
	}
	u, err := url.Parse(server.URL)
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"board", "second"} {
		d := &destinations.Destination{Name: name, Kind: "tickets", URL: server.URL, Secret: "t", AllowInside: u.Host}
		d.Description = string(raw)
		if err := s.Alerting.CreateDestination(t.Context(), d); err != nil {
			t.Fatal(err)
		}
	}
	s.Alerting.Jitter = func() float64 { return 0 }
	s.Alerting.ReachedAt("https://firethorn.example")
	s.Tickets.ReachedAt("https://firethorn.example")
	s.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	return s
}

var maren = accounts.Actor{Kind: "person", ID: 1, Name: "Maren Holt"}

// make makes a ticket for an issue.
func (s *scene) make(number int64) deliveries.Row {
	s.T.Helper()
	row, err := s.Alerting.MakeTicket(s.T.Context(), s.Issue(number), "board", false, maren, alerting.ReaderOf(s.Units))
	if err != nil {
		s.T.Fatal(err)
	}
	return row
}

// step does once what the service does by itself.
func (s *scene) step() {
	s.T.Helper()
	ctx := s.T.Context()
	s.each(s.Alerting.Waiting, func(id int64) error {
		_, err := s.Alerting.Plan(ctx, id, alerting.ReaderOf(s.Units))
		return err
	})
	s.each(s.Tickets.Dirty, func(id int64) error { _, err := s.Tickets.Settle(ctx, id); return err })
	s.each(s.Alerting.Due, func(id int64) error { _, err := s.Alerting.Send(ctx, id, s.owner); return err })
	s.each(s.Tickets.Reading, func(id int64) error { _, err := s.Tickets.Read(ctx, id, s.owner); return err })
}

func (s *scene) each(list func(context.Context) ([]int64, error), do func(id int64) error) {
	s.T.Helper()
	ids, err := list(s.T.Context())
	if err != nil {
		s.T.Fatal(err)
	}
	for _, id := range ids {
		if err := do(id); err != nil {
			s.T.Fatal(err)
		}
	}
}

// hour lets an hour pass, and what is due then.
func (s *scene) hour() {
	s.T.Helper()
	s.Now = s.Now.Add(time.Hour + time.Minute)
	for range 3 {
		s.step()
	}
}

// tickets are those of an issue.
func (s *scene) tickets(number int64) []tickets.Shown {
	s.T.Helper()
	id := s.Issue(number).ID
	by, err := s.Tickets.OfIssues(s.T.Context(), []int64{id})
	if err != nil {
		s.T.Fatal(err)
	}
	return by[id]
}

func (s *scene) deliveries() (out []deliveries.Row) {
	s.T.Helper()
	out, err := s.Alerting.Deliveries(s.T.Context(), deliveries.Query{Sight: sight.All, Limit: 500})
	if err != nil {
		s.T.Fatal(err)
	}
	return out
}

func (s *scene) fix(number int64) {
	s.T.Helper()
	s.Act(number, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}})
}

func (s *scene) want(number int64, state issue.State, cards ...string) {
	s.T.Helper()
	if got := s.Issue(number).State; got != state {
		s.T.Errorf("the issue is %s, not %s", got, state)
	}
	for i, want := range cards {
		if got := s.board.state(i + 1); got != want {
			s.T.Errorf("ticket %d is %s, not %s", i+1, got, want)
		}
	}
}

func (s *scene) comments(number int64) (out []string) {
	s.T.Helper()
	list, err := s.Triage.Comments(s.T.Context(), s.Issue(number).ID)
	if err != nil {
		s.T.Fatal(err)
	}
	for _, c := range list {
		out = append(out, c.Text)
	}
	return out
}

// alertTo pushes a rule that makes tickets.
func (s *scene) alertTo(when string) {
	s.T.Helper()
	text := "alerts:\n  - {name: tickets, when: '" + when + "', to: [board]}\n"
	s.Bench.Rules(text)
	if _, err := s.Projects.PushRules(s.T.Context(), s.Project.ID, text, "", -1, maren); err != nil {
		s.T.Fatal(err)
	}
}
