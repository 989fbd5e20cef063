// Command record makes the demo's recording again: it runs quayside in headless
// Chromium and gangway in Node, breaks everything that can be broken, and
// writes down what the client library sends, word for word.
package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/demo/apps"
	"firethorn/internal/chromium"
)

// Line is one line of the recording.
type line struct {
	App      string          `json:"app"`
	Release  string          `json:"release"`
	Doing    string          `json:"doing"`
	Resource json.RawMessage `json:"resource"`
	Event    json.RawMessage `json:"event"`
}

// hostName is the one fact of this machine that is not for the recording.
var hostName = regexp.MustCompile(`"host\.name":"[^"]*"`)

// recorder is a stand-in for the intake that keeps what it is sent.
type recorder struct {
	mu                  sync.Mutex
	app, release, doing string
	lines               []line
	seen                map[string]bool // ids of events
}

func (r *recorder) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	w.Header().Set("Access-Control-Allow-Origin", "*")
	raw, err := io.ReadAll(req.Body)
	var env struct {
		Resource json.RawMessage   `json:"resource"`
		Events   []json.RawMessage `json:"events"`
	}
	if err != nil || json.Unmarshal(raw, &env) != nil {
		http.Error(w, "unreadable", http.StatusBadRequest)
		return
	}
	env.Resource = hostName.ReplaceAll(env.Resource, []byte(`"host.name":"gate-server-1"`))
	r.mu.Lock()
	for _, e := range env.Events {
		// A page that goes may hand over what is on its way already: an id counts once.
		var named struct {
			ID string `json:"id"`
		}
		if json.Unmarshal(e, &named) == nil && r.seen[named.ID] {
			continue
		}
		r.seen[named.ID] = true
		r.lines = append(r.lines, line{r.app, r.release, r.doing, env.Resource, e})
	}
	r.mu.Unlock()
	w.WriteHeader(http.StatusAccepted)
	fmt.Fprintf(w, `{"stored":%d,"refused":[]}`, len(env.Events))
}

func (r *recorder) begin(app, release, doing string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.app, r.release, r.doing = app, release, doing
}

func (r *recorder) count() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.lines)
}

// wait waits until something new was recorded; in a release where the doing
// ends well nothing comes.
func (r *recorder) wait(had int) bool {
	for until := time.Now().Add(1500 * time.Millisecond); time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		if r.count() > had {
			return true
		}
	}
	return false
}

func main() {
	log.SetFlags(0)
	if err := run(context.Background(), "demo"); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, demo string) error {
	rec := &recorder{seen: map[string]bool{}}
	if err := recordQuayside(ctx, demo, rec); err != nil {
		return err
	}
	if err := recordGangway(ctx, demo, rec); err != nil {
		return err
	}
	f, err := os.Create(filepath.Join(demo, "recording", "recording.ndjson"))
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriter(f)
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	for _, l := range rec.lines {
		if err := enc.Encode(l); err != nil {
			return err
		}
	}
	log.Printf("%d events recorded", len(rec.lines))
	return w.Flush()
}

func recordQuayside(ctx context.Context, demo string, rec *recorder) error {
	var release string
	site := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.Host, "firethorn.example") {
			rec.ServeHTTP(w, r)
			return
		}
		apps.Quayside(demo, release).ServeHTTP(w, r)
	}))
	defer site.Close()
	dir, err := os.MkdirTemp("", "quayside")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	browser, stop, err := chromium.Start(ctx, dir, chromium.Flag{Name: "ignore-certificate-errors", Value: true},
		chromium.Flag{Name: "host-resolver-rules", Value: "MAP * " + site.Listener.Addr().String()})
	if err != nil {
		return err
	}
	defer stop()
	for _, release = range apps.QuaysideReleases {
		for i, doing := range apps.Doings {
			rec.begin("quayside", release, doing)
			had := rec.count()
			url := fmt.Sprintf("https://quayside.example/?report-to=https://firethorn.example&key=recording&afresh=1&user=p-%d", 1000+i)
			err := chromedp.Do(browser, chromedp.Navigate(url), chromedp.Click(chromedp.ID(doing)))
			if err != nil {
				return fmt.Errorf("quayside %s, %s: %w", release, doing, err)
			}
			log.Printf("quayside %s %-14s recorded: %v", release, doing, rec.wait(had))
		}
	}
	return nil
}

func recordGangway(ctx context.Context, demo string, rec *recorder) error {
	intake := httptest.NewServer(rec)
	defer intake.Close()
	for _, release := range apps.GangwayReleases {
		// The traces name the directory: it should be one that could stand anywhere.
		dir := filepath.Join(os.TempDir(), "gangway-"+release)
		if err := errors.Join(os.RemoveAll(dir), os.CopyFS(dir, os.DirFS(apps.GangwayDir(demo, release)))); err != nil {
			return err
		}
		defer os.RemoveAll(dir)
		address, stop, err := apps.Gangway(ctx, dir, intake.URL, "recording", 0)
		if err != nil {
			return err
		}
		for _, call := range apps.Calls {
			rec.begin("gangway", release, call)
			had := rec.count()
			req, err := http.NewRequestWithContext(ctx, http.MethodGet, address+call, nil)
			if err != nil {
				return err
			}
			req.Header.Set("X-Gate-User", "gate-7")
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				return err
			}
			res.Body.Close()
			log.Printf("gangway %s %-28s recorded: %v", release, call, rec.wait(had))
		}
		stop()
	}
	return nil
}
