package app

import (
	"context"
	"html/template"
	"net/http"
	"strconv"

	"firethorn/internal/core/problem"
)

// unsubscriber ends mails of a kind to a person.
type unsubscriber interface {
	Unsubscribe(ctx context.Context, person int64, kind, sign string) error
}

// unsubscribePage is what a link in a mail opens: one button. It needs no sign-in and no
// script. Mail scanners follow links, so that GET changes nothing; mail programs send the
// same POST by themselves (RFC 8058).
var unsubscribePage = template.Must(template.New("").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta name="robots" content="noindex">
<title>Firethorn: mails</title></head>
<body>
<h1>Firethorn</h1>
{{if .Done}}<p>Done. Notices of the kind <b>{{.Kind}}</b> no longer come by mail. They are in the console. Your notice settings there turn mails on again.</p>
{{else}}<p>No more mails to you for notices of the kind <b>{{.Kind}}</b>?</p>
<form method="post" action="/unsubscribe?{{.Query}}"><button>End these mails</button></form>{{end}}
</body></html>
`))

func unsubscribe(a unsubscriber) func(w http.ResponseWriter, r *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		q := r.URL.Query()
		w.Header().Set("Cache-Control", "no-store")
		page := struct {
			Done  bool
			Kind  string
			Query template.URL
		}{r.Method == http.MethodPost, q.Get("kind"), template.URL(q.Encode())}
		if page.Done {
			person, err := strconv.ParseInt(q.Get("person"), 10, 64)
			if err != nil {
				return problem.New(problem.NotFound, "this link does not end any mails; take it from the mail as it is")
			}
			if err := a.Unsubscribe(r.Context(), person, q.Get("kind"), q.Get("sign")); err != nil {
				return err
			}
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		return unsubscribePage.Execute(w, page)
	}
}
