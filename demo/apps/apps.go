// Package apps runs two of the demo's applications: quayside, a browser app, and
// gangway, a Node server. They are broken on purpose and always stand on an
// origin of their own.
package apps

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"
	"syscall"
)

// Releases of the two applications, oldest first.
var (
	QuaysideReleases = []string{"4.2.0", "4.2.1"}
	GangwayReleases  = []string{"2.8.0", "2.9.0"}
)

// Doings are the buttons of quayside, each of which ends badly in 4.2.0.
var Doings = []string{"new-year", "new-year-week", "family-fare", "berth-plan", "deep-berth", "zoom-in", "departures",
	"saved-filter", "sailing", "harbour", "push", "follow"}

// Calls are the requests to gangway that end badly in 2.8.0.
var Calls = []string{"/scan?ticket=MSF-0000", "/ticket?code=not-a-ticket", "/manifest?sailing=1200",
	"/rate?boarded=90&minutes=0", "/gates", "/weather", "/berth?ship=Eider"}

// Quayside serves a release of quayside from the demo's directory. Its own API
// is down.
func Quayside(demo, release string) http.Handler {
	dir := filepath.Join(demo, "quayside", "build", release)
	files := http.FileServer(http.Dir(dir))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasPrefix(r.URL.Path, "/api/"):
			http.Error(w, "the harbour office is closed", http.StatusServiceUnavailable)
		case path.Ext(r.URL.Path) == "":
			http.ServeFile(w, r, filepath.Join(dir, "index.html"))
		default:
			files.ServeHTTP(w, r)
		}
	})
}

// GangwayDir is where a release of gangway lies.
func GangwayDir(demo, release string) string {
	return filepath.Join(demo, "gangway", "build", release)
}

// Gangway starts the gangway that lies in dir, reporting to server with key,
// and waits until it listens. It ends with ctx, or through stop. A port of 0
// takes a free one.
func Gangway(ctx context.Context, dir, server, key string, port int) (address string, stop func(), err error) {
	cmd := exec.CommandContext(ctx, "node", "gangway.mjs")
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "REPORT_TO="+server, "REPORT_KEY="+key, fmt.Sprintf("PORT=%d", port))
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := cmd.Start(); err != nil {
		return "", nil, fmt.Errorf("gangway does not start: %w", err)
	}
	stop = func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended
		_ = cmd.Wait()
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		stop()
		return "", nil, fmt.Errorf("gangway ended before it listened: %w", err)
	}
	bound := strings.TrimSpace(strings.TrimPrefix(line, "gangway listens on "))
	return "http://127.0.0.1:" + bound, stop, nil
}
