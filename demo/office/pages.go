package main

import (
	_ "embed"
	"html/template"
	"net/http"
	"time"
)

//go:embed pages.html
var templates string

var pages = template.Must(template.New("").Funcs(template.FuncMap{
	"at": func(t time.Time) string { return t.Format("15:04:05") },
}).Parse(templates))

// page shows what arrived.
func (o *office) page(name string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		show(w, name, map[string]any{"Chat": o.chat.newest(), "Mail": o.mail.newest(), "Hooks": o.hooks.newest(),
			"Open": o.board.counted()})
	}
}
