// Package console serves the web console from the binary: the files that
// `make build` puts into dist/app. Without them it says so; everything else
// works all the same.
package console

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"time"
)

//go:embed all:dist
var dist embed.FS

// Policy is the console's Content-Security-Policy.
const Policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'; require-trusted-types-for 'script'; trusted-types 'none'"

// ErrNotBuilt says that the binary was made without the console.
var ErrNotBuilt = errors.New("the console is not in this binary: make build puts it there")

type file struct {
	body map[string][]byte // by encoding: "", "gzip", "br"
	etag string
	mime string
}

// Handler serves the console. err is ErrNotBuilt when there is none; the
// handler then answers with that.
func Handler() (h http.Handler, err error) {
	files := map[string]*file{}
	err = fs.WalkDir(dist, "dist/app", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		raw, err := dist.ReadFile(name)
		if err != nil {
			return err
		}
		url, enc := strings.TrimPrefix(name, "dist/app"), ""
		for ext, e := range map[string]string{".gz": "gzip", ".br": "br"} {
			if strings.HasSuffix(url, ext) {
				url, enc = strings.TrimSuffix(url, ext), e
			}
		}
		if files[url] == nil {
			files[url] = &file{body: map[string][]byte{}, mime: mime.TypeByExtension(path.Ext(url))}
		}
		files[url].body[enc] = raw
		if enc == "" {
			sum := sha256.Sum256(raw)
			files[url].etag = hex.EncodeToString(sum[:10])
		}
		return nil
	})
	if err != nil || files["/index.html"] == nil {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			http.Error(w, ErrNotBuilt.Error(), http.StatusNotFound)
		}), ErrNotBuilt
	}
	return &server{files}, nil
}

type server struct{ files map[string]*file }

func (s *server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		http.Error(w, "only GET is answered here", http.StatusMethodNotAllowed)
		return
	}
	name := path.Clean(r.URL.Path)
	f := s.files[name]
	page := path.Ext(name) == "" && strings.Contains(r.Header.Get("Accept"), "text/html")
	if f == nil && page && !strings.HasPrefix(name, "/assets/") {
		name = "/index.html" // the console finds its page by the address
		f = s.files[name]
	}
	if f == nil {
		http.Error(w, fmt.Sprintf("there is nothing at %s", r.URL.Path), http.StatusNotFound)
		return
	}
	h := w.Header()
	h.Set("Content-Security-Policy", Policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Vary", "Accept-Encoding")
	h.Set("Content-Type", f.mime)
	h.Set("Cache-Control", "no-cache")
	if strings.HasPrefix(name, "/assets/") {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	enc := ""
	for _, e := range []string{"br", "gzip"} {
		if f.body[e] != nil && strings.Contains(r.Header.Get("Accept-Encoding"), e) {
			enc = e
			h.Set("Content-Encoding", e)
			break
		}
	}
	h.Set("ETag", `"`+f.etag+"-"+enc+`"`)
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(f.body[enc]))
}
