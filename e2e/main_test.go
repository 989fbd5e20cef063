package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"firethorn/internal/app"
	"firethorn/internal/cli"
	"firethorn/internal/intake"
	"firethorn/internal/testdb"
)

// service is a running Firethorn.
type service struct {
	url, console, dir string
	stop              func() error
}

// shared is the service that most tests use, each with a project of its own.
var shared *service

// patience is how long a test waits for what comes at last. Tests run beside each
// other, so it says nothing of speed.
const patience = 40 * time.Second

// atOnce is how many tests run beside each other: most of them wait.
const atOnce = "4"

func TestMain(m *testing.M) {
	flag.Parse()
	if err := flag.Set("test.parallel", atOnce); err != nil {
		panic(err)
	}
	testdb.InMemory()
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "firethorn-e2e")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		os.Setenv("XDG_CONFIG_HOME", filepath.Join(dir, "config"))
		for name, value := range map[string]string{"audit": "false", "fund": "false", "prefer_offline": "true"} {
			os.Setenv("npm_config_"+name, value) // npm asks for no more than it needs
		}
		shared, err = start(filepath.Join(dir, "data"), "127.0.0.1:0", "")
		if err != nil {
			fmt.Fprintln(os.Stderr, "the service does not start:", err)
			return 1
		}
		code := m.Run()
		browserStop()
		// After all the tests' traffic every counter must equal its rows.
		if c := cli.Run(context.Background(), []string{"firethorn", "--server", shared.url, "recount"}, nil, os.Stdout, os.Stderr); c != 0 {
			code = 1
		}
		if err := shared.stop(); err != nil {
			fmt.Fprintln(os.Stderr, "the service does not stop:", err)
			return 1
		}
		return code
	}())
}

// start runs a service until stop is called.
func start(dir, listen, database string) (*service, error) {
	ctx, cancel := context.WithCancel(context.Background())
	r, w := io.Pipe()
	level := slog.LevelError
	if testing.Verbose() {
		level = slog.LevelWarn
	}
	done := make(chan error, 1)
	go func() {
		err := app.Run(ctx, app.Config{
			Data: dir, Listen: listen, Database: database, SymbolMem: 64 << 20, SmallDatabase: true,
			Limits: intake.DefaultLimits,
			Log:    slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})),
		}, w)
		w.CloseWithError(err)
		done <- err
	}()
	s := &service{dir: dir, stop: func() error { cancel(); return <-done }}
	out := bufio.NewReader(r)
	line, err := out.ReadString('\n')
	if err != nil {
		cancel()
		return nil, err
	}
	s.url = strings.TrimSpace(strings.TrimPrefix(line, "ready "))
	go func() {
		line, _ := out.ReadString('\n')
		s.console = line
		_, _ = io.Copy(io.Discard, out)
	}()
	return s, nil
}

// run runs a command line against a service and returns what it prints.
func (s *service) run(t testing.TB, want int, args ...string) (out, errs string) {
	t.Helper()
	return s.runIn(t, "", want, args...)
}

func (s *service) runIn(t testing.TB, in string, want int, args ...string) (out, errs string) {
	t.Helper()
	var o, e bytes.Buffer
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	code := cli.Run(ctx, append([]string{"firethorn", "--server", s.url}, args...), strings.NewReader(in), &o, &e)
	if code != want {
		t.Fatalf("firethorn %s: exit %d, want %d\n%s%s", strings.Join(args, " "), code, want, o.String(), e.String())
	}
	return o.String(), e.String()
}

// json runs a command with --format json and reads its answer.
func (s *service) json(t testing.TB, v any, args ...string) {
	t.Helper()
	out, _ := s.run(t, 0, append(args, "--format", "json")...)
	if err := json.Unmarshal([]byte(out), v); err != nil {
		t.Fatalf("firethorn %s prints no JSON: %v\n%s", strings.Join(args, " "), err, out)
	}
}

// project makes a project and returns its ingest key.
func (s *service) project(t testing.TB, name string) string {
	t.Helper()
	var p struct {
		Name      string `json:"name"`
		IngestKey string `json:"ingest_key"`
	}
	s.json(t, &p, "project", "create", name)
	if p.Name != name || p.IngestKey == "" {
		t.Fatalf("project create answers %+v", p)
	}
	return p.IngestKey
}

// post sends events to the intake.
func (s *service) post(t testing.TB, key, body string) (int, string) {
	t.Helper()
	return s.postTo(t, "/v1/events", key, body)
}

// postTo sends a body to an endpoint of the intake.
func (s *service) postTo(t testing.TB, path, key, body string) (int, string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodPost, s.url+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+key)
	if strings.Contains(strings.TrimSpace(body), "\n") {
		req.Header.Set("Content-Type", "application/x-ndjson")
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(raw)
}

// authorised posts a body as the operator does.
func (s *service) authorised(t testing.TB, path, kind string, body []byte) (int, string) {
	t.Helper()
	token, err := os.ReadFile(filepath.Join(s.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequest(http.MethodPost, s.url+path, bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
	req.Header.Set("Content-Type", kind)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(text)
}

// settle waits until no event waits.
func (s *service) settle(t testing.TB) {
	t.Helper()
	for until := time.Now().Add(patience); ; time.Sleep(30 * time.Millisecond) {
		var st struct {
			Waiting int64 `json:"waiting"`
		}
		s.json(t, &st, "status")
		if st.Waiting == 0 {
			return
		}
		if time.Now().After(until) {
			t.Fatalf("%d events are not filed", st.Waiting)
		}
	}
}

// until waits for what the service does in the background.
func until(t testing.TB, what string, ok func() bool) {
	t.Helper()
	untilIn(t, patience, what, ok)
}

// untilIn is until for what takes longer.
func untilIn(t testing.TB, most time.Duration, what string, ok func() bool) {
	t.Helper()
	for end := time.Now().Add(most); !ok(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("it never comes true: %s", what)
		}
	}
}

type issueRow struct {
	ID           string  `json:"id"`
	Headline     string  `json:"headline"`
	Place        string  `json:"place"`
	State        string  `json:"state"`
	Owner        *string `json:"owner"`
	Events       int64   `json:"events"`
	Users        int64   `json:"users"`
	Impact       float64 `json:"impact"`
	FirstRelease string  `json:"first_release"`
	LastRelease  string  `json:"last_release"`
	Origin       struct {
		Function string `json:"function"`
		File     string `json:"file"`
		Line     int    `json:"line"`
	} `json:"origin"`
}

// issues lists all issues of a project.
func (s *service) issues(t testing.TB, project string, args ...string) []issueRow {
	t.Helper()
	var list struct {
		Issues []issueRow `json:"issues"`
	}
	s.json(t, &list, append([]string{"issue", "list", "--project", project, "--state", "all"}, args...)...)
	return list.Issues
}

// recounted fails when a counter differs from its rows. Those of a merge or split
// that another test has just made may be on their way.
func (s *service) recounted(t testing.TB) {
	t.Helper()
	var out bytes.Buffer
	for end := time.Now().Add(patience); ; time.Sleep(time.Second) {
		out.Reset()
		if cli.Run(t.Context(), []string{"firethorn", "--server", s.url, "recount"}, nil, &out, &out) == 0 {
			return
		}
		if time.Now().After(end) {
			t.Fatal(out.String())
		}
	}
}
