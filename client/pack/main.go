// Command pack puts the clients into client/dist as they are handed out: an
// npm package, and the files of a Go module proxy (https://go.dev/ref/mod,
// "Serving modules directly from a proxy"). The same sources give the same
// bytes.
package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"log"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"firethorn/client"
)

const module = "firethorn.example/client"

func main() {
	log.SetFlags(0)
	if err := errors.Join(javaScript("client/js", "client/dist"), golang("client/go", "client/dist/go")); err != nil {
		log.Fatal("pack: ", err)
	}
}

// made is the time that the packed files say they have.
var made = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)

// files lists the files below a directory that are handed out.
func files(dir string, want func(name string) bool) ([]string, error) {
	var out []string
	err := filepath.WalkDir(dir, func(name string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		if name, err = filepath.Rel(dir, name); err == nil && want(filepath.ToSlash(name)) {
			out = append(out, filepath.ToSlash(name))
		}
		return err
	})
	slices.Sort(out)
	return out, err
}

// javaScript writes the npm package.
func javaScript(from, to string) error {
	list, err := files(from, func(name string) bool {
		return strings.HasPrefix(name, "dist/") || slices.Contains([]string{"package.json", "README.md"}, name)
	})
	if err != nil {
		return err
	}
	if !slices.Contains(list, "dist/browser.js") {
		return errors.New("client/js is not built: npm run build --workspace client/js")
	}
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	for _, name := range list {
		raw, err := os.ReadFile(filepath.Join(from, name))
		if err != nil {
			return err
		}
		if err := t.WriteHeader(&tar.Header{Name: path.Join("package", name), Mode: 0o644, Size: int64(len(raw)),
			ModTime: made}); err != nil {
			return err
		}
		if _, err := t.Write(raw); err != nil {
			return err
		}
	}
	if err := errors.Join(t.Close(), z.Close()); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(to, "firethorn-client-"+client.Version+".tgz"), b.Bytes(), 0o644)
}

// golang writes what a module proxy answers.
func golang(from, to string) error {
	list, err := files(from, func(name string) bool { return !strings.HasSuffix(name, "_test.go") })
	if err != nil {
		return err
	}
	version := "v" + client.Version
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, name := range list {
		raw, err := os.ReadFile(filepath.Join(from, name))
		if err != nil {
			return err
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: module + "@" + version + "/" + name, Method: zip.Deflate,
			Modified: made})
		if err != nil {
			return err
		}
		if _, err := w.Write(raw); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	mod, err := os.ReadFile(filepath.Join(from, "go.mod"))
	if err != nil {
		return err
	}
	dir := filepath.Join(to, module, "@v")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for name, raw := range map[string][]byte{"list": []byte(version + "\n"),
		version + ".info": []byte(`{"Version":"` + version + `","Time":"` + made.Format(time.RFC3339) + `"}`), version +
			".mod": mod, version + ".zip": b.Bytes()} {
		if err := os.WriteFile(filepath.Join(dir, name), raw, 0o644); err != nil {
			return err
		}
	}
	return nil
}
