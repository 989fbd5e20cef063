package main

import (
	"crypto/subtle"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// boardRoutes are the board's API in three shapes over the same tickets, and its pages.
func (o *office) boardRoutes(mux *http.ServeMux) {
	b := &o.board
	api := func(pattern string, do func(in map[string]any, r *http.Request) (any, error)) {
		mux.HandleFunc(pattern, func(w http.ResponseWriter, r *http.Request) {
			if given := r.Header.Get(
				"Authorization",
			); subtle.ConstantTimeCompare(
				[]byte(given),
				[]byte("Bearer "+b.token),
			) != 1 {
				answer(w, http.StatusUnauthorized, map[string]string{"detail": "the token is not right"})
				return
			}
			in := map[string]any{}
			_ = json.NewDecoder(io.LimitReader(r.Body, maxBody)).Decode(&in) // what has no body has none
			out, err := do(in, r)
			switch {
			case errors.Is(err, errNoTicket):
				answer(w, http.StatusNotFound, map[string]string{"detail": err.Error()})
			case err != nil:
				answer(w, http.StatusUnprocessableEntity, map[string]string{"detail": err.Error()})
			default:
				answer(w, http.StatusOK, out)
			}
		})
	}
	b.plain(api)
	b.moves(api)
	api("POST /board/api/graphql", b.graphQL)
	mux.HandleFunc("PUT /board/hook", func(w http.ResponseWriter, r *http.Request) {
		var in struct{ URL, Secret string }
		if err := json.NewDecoder(io.LimitReader(r.Body, maxBody)).Decode(&in); err != nil {
			answer(w, http.StatusBadRequest, map[string]string{"detail": err.Error()})
			return
		}
		b.mu.Lock()
		b.hookURL, b.hookSecret = in.URL, in.Secret
		b.mu.Unlock()
		w.WriteHeader(http.StatusNoContent)
	})
	b.pages(mux)
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // who asked may have gone
}

type routes func(pattern string, do func(in map[string]any, r *http.Request) (any, error))

func word(in map[string]any, name string) string { s, _ := in[name].(string); return s }

func words(in map[string]any, name string) (out []string) {
	list, _ := in[name].([]any)
	for _, x := range list {
		if s, ok := x.(string); ok {
			out = append(out, s)
		}
	}
	return out
}

// made makes a ticket, if it has a title that fits.
func (b *board) made(title, text, reference string, labels []string) (ticket, error) {
	if title == "" || len([]rune(title)) > 200 {
		return ticket{}, errors.New("a title has 1 to 200 characters")
	}
	return b.add(ticket{Title: title, Text: text, Labels: labels, Reference: reference}), nil
}

// found is a ticket by its key.
func (b *board) found(key string) (ticket, error) {
	t, ok := b.get(key)
	if !ok {
		return t, errNoTicket
	}
	return t, nil
}

// plain is the API of docs/trackers/rest.yaml.
func (b *board) plain(api routes) {
	api("POST /board/api/tickets", func(in map[string]any, _ *http.Request) (any, error) {
		return b.made(word(in, "title"), word(in, "text"), word(in, "reference"), words(in, "labels"))
	})
	api("GET /board/api/tickets", func(_ map[string]any, r *http.Request) (any, error) {
		return b.referring(r.URL.Query().Get("reference")), nil
	})
	api(
		"GET /board/api/tickets/{key}",
		func(_ map[string]any, r *http.Request) (any, error) { return b.found(r.PathValue("key")) },
	)
	api("PATCH /board/api/tickets/{key}", func(in map[string]any, r *http.Request) (any, error) {
		return b.move(r.PathValue("key"), word(in, "state"), word(in, "fixed_in"))
	})
	api("POST /board/api/tickets/{key}/comments", func(in map[string]any, r *http.Request) (any, error) {
		return b.say(r.PathValue("key"), "Firethorn", word(in, "text"))
	})
	api("GET /board/api/tickets/{key}/comments", func(_ map[string]any, r *http.Request) (any, error) {
		t, err := b.found(r.PathValue("key"))
		return append([]comment{}, t.Comments...), err
	})
}

// columns are the board's columns as people read them.
var columns = map[string]string{"todo": "To do", "doing": "Doing", "done": "Done", "rejected": "Rejected"}

// moves is the API of docs/trackers/moves.yaml.
func (b *board) moves(api routes) {
	card := func(t ticket, err error) (any, error) {
		return map[string]any{
			"card": map[string]any{
				"key":      strconv.Itoa(t.Number),
				"version":  t.Revision,
				"moved_at": t.StateChanged.Format(time.RFC3339Nano),
				"column":   map[string]string{"name": columns[t.State]},
			},
		}, err
	}
	api("POST /board/api/cards", func(in map[string]any, _ *http.Request) (any, error) {
		c, _ := in["card"].(map[string]any)
		return card(b.made(word(c, "summary"), word(c, "description"), word(c, "outside_id"), words(c, "tags")))
	})
	api("GET /board/api/cards", func(_ map[string]any, r *http.Request) (any, error) {
		cards := []map[string]string{}
		for _, t := range b.referring(r.URL.Query().Get("outside_id")) {
			cards = append(cards, map[string]string{"key": strconv.Itoa(t.Number)})
		}
		return map[string]any{"cards": cards}, nil
	})
	api(
		"GET /board/api/cards/{key}",
		func(_ map[string]any, r *http.Request) (any, error) { return card(b.found(r.PathValue("key"))) },
	)
	api("GET /board/api/cards/{key}/moves", func(_ map[string]any, r *http.Request) (any, error) {
		t, err := b.found(r.PathValue("key"))
		list := []map[string]any{}
		for i, s := range states {
			if s != t.State {
				list = append(list, map[string]any{"id": i + 1, "to": columns[s]})
			}
		}
		return map[string]any{"moves": list}, err
	})
	api("POST /board/api/cards/{key}/moves", func(in map[string]any, r *http.Request) (any, error) {
		n, err := strconv.Atoi(strings.TrimSpace(word(in, "move")))
		if err != nil || n < 1 || n > len(states) {
			return nil, errors.New("there is no such move")
		}
		_, err = b.move(r.PathValue("key"), states[n-1], "")
		return map[string]bool{"moved": true}, err
	})
	api("POST /board/api/cards/{key}/notes", func(in map[string]any, r *http.Request) (any, error) {
		n, _ := in["note"].(map[string]any)
		c, err := b.say(r.PathValue("key"), "Firethorn", word(n, "text"))
		return map[string]any{"note": map[string]string{"id": c.ID}}, err
	})
	api("GET /board/api/cards/{key}/notes", func(_ map[string]any, r *http.Request) (any, error) {
		t, err := b.found(r.PathValue("key"))
		notes := []map[string]any{}
		for _, c := range t.Comments {
			notes = append(notes, map[string]any{"id": c.ID, "text": c.Text, "by": map[string]string{"name": c.Author}})
		}
		return map[string]any{"notes": notes}, err
	})
}

// field finds the one field that a GraphQL operation asks for, and the state it names.
var (
	field  = regexp.MustCompile(`\{\s*(\w+)\s*\(`)
	wanted = regexp.MustCompile(`state:\s*(\w+)`)
)

// graphQL is the API of docs/trackers/graphql.yaml: as much of GraphQL as it asks for.
func (b *board) graphQL(in map[string]any, _ *http.Request) (any, error) {
	query := word(in, "query")
	v, _ := in["variables"].(map[string]any)
	m := field.FindStringSubmatch(query)
	if m == nil {
		return map[string]any{"errors": []map[string]string{{"message": "the query asks for nothing"}}}, nil
	}
	told := func(t ticket) map[string]any {
		return map[string]any{
			"key":      strconv.Itoa(t.Number),
			"url":      t.URL,
			"state":    strings.ToUpper(t.State),
			"revision": t.Revision,
			"changed":  t.StateChanged.Format(time.RFC3339Nano),
		}
	}
	var out any
	var err error
	var t ticket
	switch m[1] {
	case "addTicket":
		t, err = b.made(word(v, "title"), word(v, "text"), word(v, "reference"), words(v, "labels"))
		out = told(t)
	case "ticket":
		t, err = b.found(word(v, "key"))
		out = told(t)
	case "tickets":
		list := []map[string]any{}
		for _, t := range b.referring(word(v, "reference")) {
			list = append(list, told(t))
		}
		out = list
	case "setState":
		state := ""
		if s := wanted.FindStringSubmatch(query); s != nil {
			state = strings.ToLower(s[1])
		}
		t, err = b.move(word(v, "key"), state, "")
		out = told(t)
	case "addComment":
		out, err = b.say(word(v, "key"), "Firethorn", word(v, "text"))
	case "comments":
		t, err = b.found(word(v, "key"))
		out = append([]comment{}, t.Comments...)
	default:
		err = errors.New("there is no field " + m[1])
	}
	if err != nil {
		return map[string]any{"data": nil, "errors": []map[string]string{{"message": err.Error()}}}, nil
	}
	return map[string]any{"data": map[string]any{m[1]: out}}, nil
}
