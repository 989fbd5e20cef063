package main

import (
	"net/http"
	"strconv"
)

// pages are the board as people see it: columns of tickets, and one page for each ticket.
func (b *board) pages(mux *http.ServeMux) {
	mux.HandleFunc("GET /board", func(w http.ResponseWriter, _ *http.Request) {
		type column struct {
			Name    string
			Tickets []ticket
		}
		list := make([]column, len(states))
		for i, s := range states {
			list[i].Name = columns[s]
			for _, t := range b.list() {
				if t.State == s {
					list[i].Tickets = append(list[i].Tickets, t)
				}
			}
		}
		show(w, "board", map[string]any{"Columns": list})
	})
	mux.HandleFunc("GET /board/{key}", func(w http.ResponseWriter, r *http.Request) {
		t, ok := b.get(r.PathValue("key"))
		if !ok {
			http.NotFound(w, r)
			return
		}
		show(w, "ticket", map[string]any{"Ticket": t, "Column": columns[t.State], "States": states, "Columns": columns})
	})
	back := func(w http.ResponseWriter, r *http.Request, err error) {
		if err != nil {
			http.Error(w, err.Error(), http.StatusUnprocessableEntity)
			return
		}
		http.Redirect(w, r, "/board/"+r.PathValue("key"), http.StatusSeeOther)
	}
	mux.HandleFunc("POST /board/{key}/move", func(w http.ResponseWriter, r *http.Request) {
		_, err := b.move(r.PathValue("key"), r.FormValue("state"), r.FormValue("fixed_in"))
		back(w, r, err)
	})
	mux.HandleFunc("POST /board/{key}/say", func(w http.ResponseWriter, r *http.Request) {
		_, err := b.say(r.PathValue("key"), "Ines Prado", r.FormValue("text"))
		back(w, r, err)
	})
	mux.HandleFunc(
		"GET /board.json",
		func(w http.ResponseWriter, _ *http.Request) { answer(w, http.StatusOK, b.list()) },
	)
}

// show writes a page.
func show(w http.ResponseWriter, name string, v any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'; form-action 'self'")
	_ = pages.ExecuteTemplate(w, name, v) // who asked may have gone
}

// counted are how many tickets stand in each column.
func (b *board) counted() string {
	open := 0
	for _, t := range b.list() {
		if t.State == "todo" || t.State == "doing" {
			open++
		}
	}
	return strconv.Itoa(open)
}
