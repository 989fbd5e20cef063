package main

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"sync"
	"time"
)

// states are the columns of the board, by the words of its API.
var states = []string{"todo", "doing", "done", "rejected"}

// ticket is a card on the board.
type ticket struct {
	Number       int       `json:"number"`
	URL          string    `json:"url"`
	Title        string    `json:"title"`
	Text         string    `json:"text"`
	Labels       []string  `json:"labels"`
	Reference    string    `json:"reference,omitempty"`
	State        string    `json:"state"`
	Revision     int       `json:"revision"`
	StateChanged time.Time `json:"state_changed"`
	FixedIn      string    `json:"fixed_in,omitempty"`
	Comments     []comment `json:"comments,omitempty"`
}

type comment struct {
	ID     string    `json:"id"`
	Author string    `json:"author"`
	Text   string    `json:"text"`
	At     time.Time `json:"at"`
}

// board keeps tickets in memory, and reports each change by a signed webhook.
type board struct {
	mu      sync.Mutex
	at      string // the address of its pages
	token   string // that its API asks for
	tickets []*ticket
	sent    int

	hookURL, hookSecret string
}

// add makes a ticket.
func (b *board) add(t ticket) ticket {
	b.mu.Lock()
	defer b.mu.Unlock()
	t.Number, t.State, t.Revision = len(b.tickets)+1, "todo", 1
	t.URL = fmt.Sprintf("%s/board/%d", b.at, t.Number)
	t.StateChanged = time.Now().UTC()
	b.tickets = append(b.tickets, &t)
	b.changed(&t)
	return t
}

// get is a ticket by its number, as text.
func (b *board) get(key string) (ticket, bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if t := b.find(key); t != nil {
		return *t, true
	}
	return ticket{}, false
}

func (b *board) find(key string) *ticket {
	n, err := strconv.Atoi(key)
	if err != nil || n < 1 || n > len(b.tickets) {
		return nil
	}
	return b.tickets[n-1]
}

// referring lists the tickets that were made with a reference.
func (b *board) referring(reference string) []ticket {
	out := []ticket{}
	for _, t := range b.list() {
		if reference == "" || t.Reference == reference {
			out = append(out, t)
		}
	}
	return out
}

func (b *board) list() []ticket {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]ticket, 0, len(b.tickets))
	for _, t := range b.tickets {
		out = append(out, *t)
	}
	return out
}

// move moves a ticket to a state, and says in which release it is fixed, if that is known.
func (b *board) move(key, state, fixedIn string) (ticket, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	t := b.find(key)
	if t == nil {
		return ticket{}, errNoTicket
	}
	known := false
	for _, s := range states {
		known = known || s == state
	}
	if !known {
		return ticket{}, fmt.Errorf("a ticket is todo, doing, done or rejected, not %q", state)
	}
	if t.FixedIn = fixedIn; t.State != state {
		t.State, t.StateChanged = state, time.Now().UTC()
		t.Revision++
		b.changed(t)
	}
	return *t, nil
}

// say writes a comment.
func (b *board) say(key, author, text string) (comment, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	t := b.find(key)
	if t == nil {
		return comment{}, errNoTicket
	}
	if text == "" {
		return comment{}, fmt.Errorf("a comment has a text")
	}
	c := comment{fmt.Sprintf("%d-%d", t.Number, len(t.Comments)+1), author, text, time.Now().UTC()}
	t.Comments = append(t.Comments, c)
	t.Revision++
	b.changed(t)
	return c, nil
}

var errNoTicket = fmt.Errorf("there is no such ticket")

// changed reports a change. The board is locked.
func (b *board) changed(t *ticket) {
	if b.hookURL == "" {
		return
	}
	b.sent++
	body, err := json.Marshal(
		map[string]any{"ticket": map[string]any{"number": t.Number, "key": strconv.Itoa(t.Number), "state": t.State}},
	)
	if err != nil {
		return
	}
	go tell(b.hookURL, b.hookSecret, fmt.Sprintf("delivery-%d-%d", time.Now().Unix(), b.sent), body)
}

// tell sends a signed webhook, and retries a few times if it is refused.
func tell(url, secret, id string, body []byte) {
	for try := range 5 {
		time.Sleep(time.Duration(try) * time.Second)
		at := strconv.FormatInt(time.Now().Unix(), 10)
		mac := hmac.New(sha256.New, []byte(secret))
		mac.Write([]byte(at + "." + string(body)))
		req, err := http.NewRequest(http.MethodPost, url, bytes.NewReader(body))
		if err != nil {
			return
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("X-Board-Signature", "sha256="+hex.EncodeToString(mac.Sum(nil)))
		req.Header.Set("X-Board-Time", at)
		req.Header.Set("X-Board-Delivery", id)
		client := http.Client{Timeout: 5 * time.Second}
		res, err := client.Do(req)
		if err != nil {
			continue
		}
		res.Body.Close()
		if res.StatusCode < 500 {
			return
		}
	}
}
