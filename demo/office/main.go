// Command office is where the messages of the demo arrive: a chat room, a mail box, a receiver
// of webhooks and a ticket board, each with a page to look at. It keeps everything in memory.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"os/signal"
	"sync"
	"syscall"
	"time"
)

// kept is how many messages of each kind are remembered.
const kept = 500

// message is something that arrived.
type message struct {
	At     time.Time
	ID     string // of a webhook
	Sender string
	To     string
	Title  string
	Text   string
	HTML   string
	Raw    string
}

// box keeps the newest messages of a kind.
type box struct {
	mu   sync.Mutex
	list []message
}

func (b *box) add(m message) {
	b.mu.Lock()
	defer b.mu.Unlock()
	m.At = time.Now()
	if b.list = append(b.list, m); len(b.list) > kept {
		b.list = b.list[1:]
	}
}

// newest are the messages, the newest first.
func (b *box) newest() []message {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]message, 0, len(b.list))
	for i := len(b.list) - 1; i >= 0; i-- {
		out = append(out, b.list[i])
	}
	return out
}

// office is all of it.
type office struct {
	chat, mail, hooks box
	board             board
}

func main() {
	listen := flag.String("listen", "127.0.0.1:7424", "where the pages answer")
	smtp := flag.String("smtp", "127.0.0.1:7425", "where the mail box takes mail")
	token := flag.String("token", "harbour", "what the ticket board's API asks for")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *listen, *smtp, *token); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, listen, smtp, token string) error {
	var o office
	pages, err := net.Listen("tcp", listen)
	if err != nil {
		return err
	}
	o.board.at, o.board.token = "http://"+pages.Addr().String(), token
	mail, err := net.Listen("tcp", smtp)
	if err != nil {
		return err
	}
	go o.serveMail(mail)
	server := &http.Server{Handler: o.routes(), ReadHeaderTimeout: 5 * time.Second}
	go func() {
		<-ctx.Done()
		_ = mail.Close()
		_ = server.Shutdown(context.WithoutCancel(ctx))
	}()
	fmt.Printf("ready %s\n", o.board.at)
	if err := server.Serve(pages); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// maxBody is how much of a message is taken.
const maxBody = 1 << 20

func (o *office) routes() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /chat", func(w http.ResponseWriter, r *http.Request) {
		var in struct {
			Text string `json:"text"`
		}
		if err := json.NewDecoder(io.LimitReader(r.Body, maxBody)).Decode(&in); err != nil || in.Text == "" {
			http.Error(w, "a message is JSON with a text", http.StatusBadRequest)
			return
		}
		o.chat.add(message{Sender: "Firethorn", Text: in.Text})
		_, _ = io.WriteString(w, "ok")
	})
	mux.HandleFunc("POST /hook", func(w http.ResponseWriter, r *http.Request) {
		raw, err := io.ReadAll(io.LimitReader(r.Body, maxBody))
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		var e struct {
			Type    string `json:"type"`
			Subject string `json:"subject"`
		}
		_ = json.Unmarshal(raw, &e) // what is no event is shown as it is
		o.hooks.add(message{ID: r.Header.Get("webhook-id"), Title: e.Type + " " + e.Subject, Raw: indented(raw)})
		w.WriteHeader(http.StatusNoContent)
	})
	o.boardRoutes(mux)
	mux.HandleFunc("GET /{$}", o.page("index"))
	mux.HandleFunc("GET /chat", o.page("chat"))
	mux.HandleFunc("GET /mail", o.page("mail"))
	mux.HandleFunc("GET /hook", o.page("hook"))
	mux.HandleFunc("GET /messages.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(map[string][]message{"chat": o.chat.newest(), "mail": o.mail.newest(),
			"hooks": o.hooks.newest()})
	})
	return mux
}

func indented(raw []byte) string {
	var v any
	if err := json.Unmarshal(raw, &v); err != nil {
		return string(raw)
	}
	out, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return string(raw)
	}
	return string(out)
}
