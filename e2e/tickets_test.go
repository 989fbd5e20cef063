package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// ticketBoard is the ticket board of the demo's office.
type ticketBoard struct {
	t  *testing.T
	at string
}

func newBoard(t *testing.T) *ticketBoard {
	t.Helper()
	cmd := exec.Command(filepath.Join("..", "bin", "office"), "-listen", "127.0.0.1:0", "-smtp", "127.0.0.1:0")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended
		_ = cmd.Wait()
	})
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	return &ticketBoard{t, strings.TrimSpace(strings.TrimPrefix(line, "ready "))}
}

type boardTicket struct {
	Number              int
	Title, Text, State  string
	Labels              []string
	Comments            []struct{ Author, Text string }
	URL, Reference, Key string
}

func (b *ticketBoard) list() (out []boardTicket) {
	b.t.Helper()
	res, err := http.Get(b.at + "/board.json")
	if err != nil {
		b.t.Fatal(err)
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(&out); err != nil {
		b.t.Fatal(err)
	}
	return out
}

// last is the newest ticket.
func (b *ticketBoard) last() boardTicket {
	b.t.Helper()
	list := b.list()
	if len(list) == 0 {
		return boardTicket{}
	}
	return list[len(list)-1]
}

// post does what a person does on the board.
func (b *ticketBoard) post(number int, what string, form url.Values) {
	b.t.Helper()
	res, err := http.PostForm(fmt.Sprintf("%s/board/%d/%s", b.at, number, what), form)
	if err != nil || res.StatusCode != http.StatusOK {
		b.t.Fatal(res, err)
	}
	res.Body.Close()
}

// sendHook has the board send its webhooks.
func (b *ticketBoard) sendHook(url, secret string) {
	b.t.Helper()
	raw, err := json.Marshal(map[string]string{"url": url, "secret": secret})
	if err != nil {
		b.t.Fatal(err)
	}
	req, err := http.NewRequest(http.MethodPut, b.at+"/board/hook", bytes.NewReader(raw))
	if err != nil {
		b.t.Fatal(err)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		b.t.Fatal(err)
	}
	res.Body.Close()
}

// soon waits until something holds.
func soon(t *testing.T, what string, holds func() bool) {
	t.Helper()
	for until := time.Now().Add(30 * time.Second); !holds(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(until) {
			t.Fatalf("not within 30 s: %s", what)
		}
	}
}

// withHook is a description with the board's webhooks.
func withHook(t *testing.T, file string) string {
	t.Helper()
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	out := filepath.Join(t.TempDir(), "described.yaml")
	hook := "hook: {signature: X-Board-Signature, prefix: sha256=, signs: '{{timestamp}}.{{body}}', timestamp: X-Board-Time, id: X-Board-Delivery, key: $.ticket.key}\n"
	if err := os.WriteFile(out, append(raw, hook...), 0o600); err != nil {
		t.Fatal(err)
	}
	return out
}

func stateOf(t *testing.T, s *service, id string) string {
	t.Helper()
	var is struct{ State string }
	s.json(t, &is, "issue", "show", id)
	return is.State
}

// Each shape of API that the documentation describes: a ticket is made, closed there, and
// reopened by an error that comes back.
func TestTickets_ThreeShapesOfAPI(t *testing.T) {
	t.Parallel()
	s, b := shared, newBoard(t)
	key := s.project(t, "ferry-tickets")
	token := filepath.Join(t.TempDir(), "token")
	if err := os.WriteFile(token, []byte("harbour\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	throw := func(event string) {
		t.Helper()
		if code, answer := s.post(t, key, event); code != http.StatusAccepted {
			t.Fatalf("%d %s", code, answer)
		}
		s.settle(t)
	}
	host := strings.TrimPrefix(b.at, "http://")
	for i, shape := range []string{"rest", "moves", "graphql"} {
		file := filepath.Join("..", "docs", "trackers", shape+".yaml")
		if shape == "moves" { // it sends no webhooks, and nobody waits five minutes
			file = withHook(t, file)
		}
		if out, _ := s.run(t, 0, "destination", "check", file); !strings.Contains(out, "The description is in order") {
			t.Errorf("%s: %s", shape, out)
		}
		name := "board by " + shape
		var made struct {
			Kind, Secret string
			HookURL      string `json:"hook_url"`
		}
		s.json(t, &made, "destination", "create", name, "--kind", "tickets", "--url", b.at+"/board/api", "--allow-inside", host, "--file", file, "--secret-file", token)
		if made.Kind != "tickets" || !strings.HasPrefix(made.Secret, "whsec_") || !strings.HasSuffix(made.HookURL, "/hooks/board%20by%20"+shape) {
			t.Fatalf("%s: %+v", shape, made)
		}
		if out, _ := s.run(t, 0, "destination", "test", name); !strings.Contains(out, "reopen") || b.last().State != "done" || len(b.last().Comments) != 1 {
			t.Errorf("%s: %s, %+v", shape, out, b.last())
		}
		b.sendHook(strings.Replace(made.HookURL, "http://localhost", "http://127.0.0.1", 1), made.Secret)
		throw(fmt.Sprintf(`{"message":"m","exceptions":[{"type":"Tide%d","message":"low water","frames":[{"function":"moor%d","file":"src/quay.ts","line":4}]}],"resource":{"service.version":"1.0.0"}}`, i, i))
		id := fmt.Sprintf("ferry-tickets/%d", i+1)
		if out, _ := s.run(t, 0, "issue", "ticket", id, "--in", name); !strings.Contains(out, "the ticket is made") {
			t.Fatalf("%s: %s", shape, out)
		}
		x := b.last()
		if !strings.Contains(x.Title, fmt.Sprintf("Tide%d", i)) || !strings.Contains(x.Text, "moor") || len(x.Labels) < 2 {
			t.Errorf("%s: %+v", shape, x)
		}
		if _, _, errs := s.code("issue", "ticket", id, "--in", name); !strings.Contains(errs, "has the open ticket") {
			t.Errorf("%s, a second one: %s", shape, errs)
		}
		b.post(x.Number, "say", url.Values{"text": {"High water at nine."}})
		b.post(x.Number, "move", url.Values{"state": {"done"}, "fixed_in": {"1.0.0"}})
		soon(t, shape+": closed there, fixed here", func() bool { return stateOf(t, s, id) == "fixed" })
		soon(t, shape+": what was said there and why it is fixed", func() bool {
			out, _ := s.run(t, 0, "issue", "history", id) // comments are read after the state
			return strings.Contains(out, "High water at nine") && strings.Contains(out, "was closed in "+name)
		})
		if shape != "rest" { // the other two fix in the next release: it is reopened here
			s.run(t, 0, "issue", "reopen", id)
		} else {
			throw(`{"message":"m","exceptions":[{"type":"Tide0","message":"low water","frames":[{"function":"moor0","file":"src/quay.ts","line":4}]}],"resource":{"service.version":"1.0.0"}}`)
		}
		soon(t, shape+": open again here, reopened there", func() bool { return b.last().State == "todo" })
		if out, _ := s.run(t, 0, "issue", "list", "--project", "ferry-tickets", "--search", "ticket:*"); strings.Count(out, "ferry-tickets/") != i+1 {
			t.Errorf("%s, ticket:* finds %s", shape, out)
		}
	}
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/ferry-tickets/issues")
	eventually(t, tab, "tickets in the list", `document.querySelectorAll('[role=row] a[target=_blank]').length === 3`)
	open(t, tab, s.url+"/p/ferry-tickets/issues/1")
	eventually(t, tab, "the ticket on its issue's page", `document.querySelector('dl a[target=_blank]')?.innerText.includes('todo')`)
	press(t, tab, "T")
	eventually(t, tab, "the dialog", `document.querySelector('dialog[open]')?.innerText.includes('It has an open ticket') === false && [...document.querySelectorAll('dialog[open] button')].some((b) => b.innerText === 'board by graphql')`)
	accessible(t, tab, "the dialog of tickets")
	eval[int](t, tab, `[...document.querySelectorAll('dialog[open] button')].find((b) => b.innerText === 'board by graphql').click(); 0`)
	eval[int](t, tab, `[...document.querySelectorAll('dialog[open] button')].find((b) => b.innerText === 'Make it').click(); 0`)
	eventually(t, tab, "a second ticket", `document.querySelectorAll('dl a[target=_blank]').length === 2`)
	press(t, tab, "T")
	eventually(t, tab, "both in the dialog", `[...document.querySelectorAll('dialog[open] button')].filter((b) => b.innerText === 'Unlink').length === 2`)
	eval[int](t, tab, `[...document.querySelectorAll('dialog[open] button')].filter((b) => b.innerText === 'Unlink')[1].click(); 0`)
	eventually(t, tab, "one again", `document.querySelectorAll('dl a[target=_blank]').length === 1`)
	check()
}
