package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

type guideStep struct {
	Title, Run, File, Text string
	Later                  bool
}

func guideOf(t *testing.T, project, runtime string) []guideStep {
	t.Helper()
	var g struct{ Steps []guideStep }
	shared.json(t, &g, "project", "set-up", project, "--runtime", runtime)
	if len(g.Steps) < 2 {
		t.Fatalf("%s: %d steps", runtime, len(g.Steps))
	}
	return g.Steps
}

// write writes a step's file as it says.
func (s guideStep) write(t *testing.T, dir string) {
	t.Helper()
	if s.File == "" {
		return
	}
	name := filepath.Join(dir, s.File)
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(name, []byte(s.Text), 0o644); err != nil {
		t.Fatal(err)
	}
}

// run runs a step's commands as a person would, with firethorn on the path.
func (s guideStep) run(t *testing.T, dir string, env ...string) {
	t.Helper()
	if s.Run == "" {
		return
	}
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, "bash", "-e", "-c", s.Run)
	cmd.Dir = dir
	cmd.Env = append(append(os.Environ(), "PATH="+commandDir(t)+":"+os.Getenv("PATH"), "npm_config_fund=false", "npm_config_audit=false", "npm_config_prefer_offline=true", "npm_config_update_notifier=false", "GOFLAGS=-mod=mod", "GOWORK=off"), env...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	t.Cleanup(func() {
		if cmd.Process != nil {
			_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) // what it left running, if anything
		}
	})
	var out strings.Builder
	cmd.Stdout, cmd.Stderr, cmd.WaitDelay = &out, &out, time.Second
	if err := cmd.Run(); err != nil && !strings.Contains(err.Error(), "WaitDelay") {
		t.Fatalf("%s: %v\n%s\n%s", s.Title, err, s.Run, out.String())
	}
}

var commandBuilt struct {
	sync.Once
	dir string
}

// commandDir has the program firethorn in it.
func commandDir(t *testing.T) string {
	t.Helper()
	commandBuilt.Do(func() {
		dir, err := os.MkdirTemp("", "firethorn-command")
		if err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("go", "build", "-o", filepath.Join(dir, "firethorn"), "firethorn/cmd/firethorn").CombinedOutput(); err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		commandBuilt.dir = dir
	})
	return commandBuilt.dir
}

// readable waits for the first issue of a project and tells how it reads.
func readable(t *testing.T, project string) issueRow {
	t.Helper()
	until(t, "the first issue of "+project, func() bool { return len(shared.issues(t, project)) > 0 })
	return shared.issues(t, project)[0]
}

// follow follows a guide in a fresh directory, up to what belongs into the
// build or the deployment; prepare makes the application that is there before.
func follow(t *testing.T, runtime string, prepare func(dir string), env ...string) (dir string, issue func(want string)) {
	t.Helper()
	needBuild(t, "../client/dist/go")
	project := "guide-" + runtime
	shared.project(t, project)
	dir = t.TempDir()
	if prepare != nil {
		prepare(dir)
	}
	began, steps := time.Now(), 0
	for _, s := range guideOf(t, project, runtime) {
		if s.Later {
			continue
		}
		s.write(t, dir)
		s.run(t, dir, env...)
		steps++
	}
	return dir, func(want string) {
		t.Helper()
		first := readable(t, project)
		if got := first.Headline + " " + first.Place; !strings.Contains(got, want) {
			t.Errorf("the first issue reads %q, want %q", got, want)
		}
		t.Logf("%s: %d steps, %s to the first issue: %s", runtime, steps, time.Since(began).Round(100*time.Millisecond), first.Headline)
	}
}

// application writes the files of an application.
func application(t *testing.T, dir string, files map[string]string) {
	t.Helper()
	for name, text := range files {
		guideStep{File: name, Text: text}.write(t, dir)
	}
}

func TestGuide_Vite(t *testing.T) {
	t.Parallel()
	var token struct{ Token string }
	shared.json(t, &token, "token", "create", "guide", "--scope", "build")
	dir, issue := follow(t, "vite", func(dir string) {
		application(t, dir, map[string]string{
			"package.json": `{"name":"berths","private":true,"type":"module","dependencies":{"vite":"8.3.8"}}`,
			"index.html":   `<!doctype html><title>Berths</title><script type="module" src="/src/main.js"></script>`,
			"src/main.js":  "import './report.js'\nexport function drawBerth(zone) {\n  throw new RangeError('no berth in zone ' + zone)\n}\nsetTimeout(() => drawBerth('D'), 100)\n",
		})
		guideStep{Title: "the application", Run: "npm install --no-save vite@8.3.8"}.run(t, dir)
	}, "FIRETHORN_TOKEN="+token.Token)
	site := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "dist"))))
	defer site.Close()
	tab := newTab(t)
	if err := chromedp.Do(tab, chromedp.Navigate(site.URL)); err != nil {
		t.Fatal(err)
	}
	issue("RangeError in drawBerth src/main.js:3")
}

func TestGuide_Browser(t *testing.T) {
	t.Parallel()
	project := "guide-browser"
	shared.project(t, project)
	steps := guideOf(t, project, "browser")
	dir := t.TempDir()
	application(t, dir, map[string]string{
		"package.json": `{"name":"berths","private":true,"type":"module"}`,
		"src/main.js":  "import './report.js'\nfunction drawPier(n) {\n  throw new RangeError('no pier ' + n)\n}\nsetTimeout(() => drawPier(4), 100)\n",
		"index.html":   `<!doctype html><title>Berths</title><script type="module" src="/main.js"></script>`,
	})
	steps[0].run(t, dir)
	steps[1].write(t, dir)
	guideStep{Title: "the application's own bundler", Run: "npm install --no-save rollup@4 @rollup/plugin-node-resolve@16 && npx rollup src/main.js -d dist -p node-resolve -m hidden && cp index.html dist/"}.run(t, dir)
	site := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "dist"))))
	defer site.Close()
	push := steps[3]
	push.Run = strings.ReplaceAll(push.Run, "https://app.example/", site.URL+"/")
	token, err := os.ReadFile(filepath.Join(shared.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	push.run(t, dir, "FIRETHORN_SERVER="+shared.url, "FIRETHORN_TOKEN="+strings.TrimSpace(string(token)))
	tab := newTab(t)
	if err := chromedp.Do(tab, chromedp.Navigate(site.URL)); err != nil {
		t.Fatal(err)
	}
	if first := readable(t, project); first.Headline != "RangeError in drawPier" || first.Place != "src/main.js:3" {
		t.Errorf("%s at %s", first.Headline, first.Place)
	}
}

func TestGuide_Node(t *testing.T) {
	t.Parallel()
	_, issue := follow(t, "node", func(dir string) {
		application(t, dir, map[string]string{"package.json": `{"name":"gate","private":true,"type":"module"}`})
	})
	issue("Error in [eval]")
}

// What these guides start has only so much time: they run beside each other, and
// beside nothing else.
func TestGuide_NodeServers(t *testing.T) {
	t.Run("with Express", guideNodeWithExpress)
	t.Run("bundled by esbuild", guideNodeBundledByEsbuild)
}

func guideNodeWithExpress(t *testing.T) {
	t.Parallel()
	_, issue := follow(t, "node-web", func(dir string) {
		application(t, dir, map[string]string{"package.json": `{"name":"gate","private":true,"type":"module"}`})
		guideStep{Title: "the application", Run: "npm install express@5"}.run(t, dir)
	})
	issue("/server.mjs:9")
	e := newest(t, shared, "guide-node-web")
	if text(e, "attributes", "url.path") != "/test" || text(e, "session", "outcome") != "faulty" {
		t.Errorf("%v in %v", e["attributes"], e["session"])
	}
}

func TestGuide_Go(t *testing.T) {
	t.Parallel()
	_, issue := follow(t, "go", func(dir string) {
		application(t, dir, map[string]string{"go.mod": "module plans\n\ngo 1.24\n"})
	}, "GOMODCACHE="+filepath.Join(t.TempDir(), "mod"), "GOFLAGS=-modcacherw")
	issue("*errors.errorString in main.main")
}

func TestGuide_OpenTelemetry(t *testing.T) {
	t.Parallel()
	dir, issue := follow(t, "opentelemetry", nil)
	issue("NoCrewError")
	raw, err := os.ReadFile(filepath.Join(dir, "otel.env"))
	if err != nil || !strings.Contains(string(raw), shared.url) {
		t.Errorf("%s %v", raw, err)
	}
}

func TestGuide_Logs(t *testing.T) {
	t.Parallel()
	_, issue := follow(t, "logs", nil)
	issue("ZeroDivisionError in rate")
}

func TestClients_AreHandedOut(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/dist/go")
	for path, want := range map[string]int{"/clients/firethorn-client-0.1.0.tgz": 200, "/clients/go/firethorn.example/client/@v/list": 200, "/clients/go/firethorn.example/client/@v/v0.1.0.info": 200,
		"/clients/PLACEHOLDER.txt": 404, "/clients/../admin-token": 404, "/clients/go": 404, "/clients/nothing.tgz": 404} {
		res, err := http.Get(shared.url + path)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != want {
			t.Error(fmt.Sprint(path, " is answered with ", res.Status))
		}
	}
}
