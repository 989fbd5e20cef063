// Package client hands out Firethorn's clients: the JavaScript one as an npm
// package, the Go one as a module proxy. The files are what `make build` puts
// into dist; without them it says so.
package client

import (
	"bytes"
	"embed"
	"errors"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"
)

//go:embed all:dist
var dist embed.FS

// Version is that of the clients.
const Version = "0.1.0"

// ErrNotBuilt says that the binary was made without the clients.
var ErrNotBuilt = errors.New("the clients are not in this binary: make build puts them there")

// Handler serves them below /clients/.
func Handler() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := path.Clean("/" + strings.TrimPrefix(r.URL.Path, "/clients/"))
		raw, err := dist.ReadFile("dist" + name)
		if errors.Is(err, fs.ErrNotExist) || err == nil && name == "/PLACEHOLDER.txt" {
			err = fs.ErrNotExist
			if _, built := dist.ReadFile("dist/firethorn-client-" + Version + ".tgz"); built != nil {
				err = ErrNotBuilt
			}
		}
		if err != nil {
			http.Error(w, "there is no "+name+": "+err.Error(), http.StatusNotFound)
			return
		}
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Cache-Control", "no-cache")
		switch path.Ext(name) {
		case ".tgz":
			h.Set("Content-Type", "application/gzip")
		case ".zip":
			h.Set("Content-Type", "application/zip")
		case ".info":
			h.Set("Content-Type", "application/json")
		default:
			h.Set("Content-Type", "text/plain; charset=utf-8")
		}
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(raw))
	})
}
