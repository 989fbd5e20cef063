package main

import (
	"html/template"
	"net/http"
	"time"
)

var pages = template.Must(template.New("").Funcs(template.FuncMap{"at": func(t time.Time) string { return t.Format("15:04:05") }}).Parse(`
{{define "head"}}<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>The office</title>
<style>
:root{color-scheme:light dark;--line:#8885;--soft:#777}
body{font:15px/1.45 system-ui,sans-serif;max-width:60rem;margin:0 auto;padding:1rem}
nav{display:flex;gap:1.2rem;border-bottom:1px solid var(--line);padding-bottom:.5rem;margin-bottom:1rem}
article{border:1px solid var(--line);border-radius:6px;padding:.6rem .9rem;margin:.7rem 0}
h1{font-size:1.2rem} h2{font-size:1rem;margin:.1rem 0}
.soft{color:var(--soft)} pre{white-space:pre-wrap;overflow-wrap:anywhere;margin:.4rem 0;font-size:13px}
.say{white-space:pre-wrap;overflow-wrap:anywhere} iframe{width:100%;height:26rem;border:1px solid var(--line);background:#fff}
</style></head><body><nav><b>Marrow Sound Ferries, the office</b><a href="/chat">chat room</a><a href="/mail">mail box</a><a href="/hook">webhooks</a></nav>{{end}}
{{define "index"}}{{template "head"}}<h1>Where messages arrive</h1><p>The chat room has {{len .Chat}} messages, the mail box {{len .Mail}}, and {{len .Hooks}} webhooks came.</p>{{end}}
{{define "chat"}}{{template "head"}}<h1># harbour</h1>{{range .Chat}}<article><h2>{{.Sender}} <span class="soft">{{at .At}}</span></h2><div class="say">{{.Text}}</div></article>{{else}}<p class="soft">Nobody has said anything yet.</p>{{end}}{{end}}
{{define "mail"}}{{template "head"}}<h1>Mail</h1>{{range .Mail}}<article><h2>{{.Title}}</h2><p class="soft">{{at .At}}, from {{.Sender}} to {{.To}}</p><details><summary>as text</summary><pre>{{.Text}}</pre></details>{{if .HTML}}<iframe sandbox srcdoc="{{.HTML}}" title="the mail"></iframe>{{end}}</article>{{else}}<p class="soft">No mail yet.</p>{{end}}{{end}}
{{define "hook"}}{{template "head"}}<h1>Webhooks</h1>{{range .Hooks}}<article><h2>{{.Title}}</h2><p class="soft">{{at .At}}, webhook-id {{.ID}}</p><pre>{{.Raw}}</pre></article>{{else}}<p class="soft">No webhook yet.</p>{{end}}{{end}}
`))

// page shows what arrived.
func (o *office) page(name string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'")
		_ = pages.ExecuteTemplate(w, name, map[string]any{"Chat": o.chat.newest(), "Mail": o.mail.newest(),
			"Hooks": o.hooks.newest()})
	}
}
