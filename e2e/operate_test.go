package e2e

import (
	"bytes"
	"compress/zlib"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"

	"firethorn/internal/cli"
)

// code runs a command line whatever it ends with.
func (s *service) code(args ...string) (code int, out, errs string) {
	var o, e bytes.Buffer
	code = cli.Run(context.Background(), append([]string{"firethorn", "--server", s.url}, args...), strings.NewReader(""), &o, &e)
	return code, o.String(), e.String()
}

// get fetches a page, as admin when asked.
func (s *service) get(t *testing.T, path string, admin bool) (int, string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, s.url+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	if admin {
		token, err := os.ReadFile(filepath.Join(s.dir, "admin-token"))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
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

func TestOperate_ShowsStatusWithoutTheDatabase(t *testing.T) {
	t.Parallel()
	bin, dir := build(t), filepath.Join(t.TempDir(), "data")
	p := launch(t, bin, dir)
	key := p.project(t, "away")
	if code, out, _ := p.code("status"); code != 0 || !strings.HasPrefix(out, "all is well\n") || !strings.Contains(out, "1 process runs") || !strings.Contains(out, "every commit is synced") {
		t.Errorf("before: %d %s", code, out)
	}
	pid := databasePID(t, dir)
	if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil { // it hangs: nothing answers, nothing is refused
		t.Fatal(err)
	}
	began := time.Now()
	if code, answer := p.post(t, key, `{"message":"m"}`); code != 503 || !strings.Contains(answer, "send it again later") {
		t.Errorf("the first: %d %s", code, answer)
	}
	if took := time.Since(began); took > 15*time.Second {
		t.Errorf("the first sender waited %s", took)
	}
	began = time.Now()
	if code, _ := p.post(t, key, `{"message":"m"}`); code != 503 {
		t.Errorf("the next: %d", code)
	}
	if took := time.Since(began); took > time.Second {
		t.Errorf("the next sender waited %s, not answered at once", took)
	}
	if code, _ := p.get(t, "/healthz", false); code != 200 {
		t.Errorf("the process lives, and healthz says %d", code)
	}
	if code, body := p.get(t, "/readyz", false); code != 503 || !strings.Contains(body, "database") {
		t.Errorf("readyz: %d %s", code, body)
	}
	if code, out, _ := p.code("status"); code != 1 || !strings.Contains(out, "not all is well") || !strings.Contains(out, "the database") {
		t.Errorf("status while it is away: %d %q", code, out)
	}
	if err := syscall.Kill(pid, syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	for until := time.Now().Add(30 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		if code, _ := p.post(t, key, `{"message":"m"}`); code == 202 {
			break
		}
		if time.Now().After(until) {
			t.Fatal("senders are still turned away")
		}
	}
	p.settle(t)
	if code, out, errs := p.code("status"); code != 0 {
		t.Errorf("after: %d %s%s", code, out, errs)
	}
	p.recounted(t)
}

func TestOperate_QueueRetryAndMetrics(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "queue")
	if code, answer := s.post(t, key, `{"exceptions":"no list","message":"bad"}`+"\n"+`{"message":"good"}`); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	var q struct {
		SetAside []struct {
			ID, Project, Event, Error string
			Body                      json.RawMessage
		} `json:"set_aside"`
	}
	s.json(t, &q, "queue")
	if len(q.SetAside) != 1 || q.SetAside[0].Project != "queue" || !strings.Contains(q.SetAside[0].Error, `field "exceptions" holds a text`) || !strings.Contains(string(q.SetAside[0].Body), "no list") {
		t.Fatalf("%+v", q)
	}
	if out, _ := s.run(t, 0, "queue"); !strings.Contains(out, q.SetAside[0].ID) || !strings.Contains(out, "firethorn queue retry") {
		t.Errorf("queue prints %s", out)
	}
	if _, errs := s.run(t, 2, "queue", "retry"); !strings.Contains(errs, "--all") {
		t.Errorf("queue retry without an id: %s", errs)
	}
	s.run(t, 0, "queue", "retry", q.SetAside[0].ID)
	s.settle(t)
	s.json(t, &q, "queue") // it is as bad as before
	if len(q.SetAside) != 1 {
		t.Fatalf("after the retry: %+v", q)
	}
	if out, _ := s.run(t, 0, "queue", "discard", "--all"); !strings.HasPrefix(out, "1 event let go of") {
		t.Errorf("discard says %s", out)
	}
	if _, errs := s.run(t, 1, "queue", "retry", q.SetAside[0].ID); !strings.Contains(errs, "no failed event has the id") {
		t.Errorf("an event that is gone: %s", errs)
	}

	if code, _ := s.get(t, "/metrics", false); code != 401 {
		t.Errorf("metrics without a token: %d", code)
	}
	code, text := s.get(t, "/metrics", true)
	if code != 200 || !strings.Contains(text, "firethorn_events_dropped_total{cause=\"discarded\"} 1") || !strings.Contains(text, "firethorn_database_up 1") || strings.Contains(text, `"queue"`) {
		t.Errorf("metrics: %d\n%.2000s", code, text)
	}
}

func TestOperate_MetricsOnAListenerOfTheirOwnEndWithTheService(t *testing.T) {
	t.Parallel()
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := free.Addr().String()
	free.Close()
	p := launch(t, build(t), filepath.Join(t.TempDir(), "data"), "--metrics-listen", address)
	res, err := http.Get("http://" + address + "/metrics")
	if err != nil {
		t.Fatal(err)
	}
	raw, _ := io.ReadAll(res.Body)
	res.Body.Close()
	if res.StatusCode != 200 || !strings.Contains(string(raw), "firethorn_inbox_events 0") {
		t.Errorf("%d %.300s", res.StatusCode, raw)
	}
	ended := make(chan struct{})
	go func() { p.end(); close(ended) }()
	select {
	case <-ended:
	case <-time.After(30 * time.Second):
		_ = p.cmd.Process.Kill() // or the test would wait for ever
		t.Error("the service does not stop")
	}
}

func TestOperate_KeepAndErase(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "forget")
	if out, _ := s.run(t, 0, "project", "keep", "forget", "--days", "90"); !strings.Contains(out, "events kept 90 days") {
		t.Errorf("keep says %s", out)
	}
	if _, errs := s.run(t, 1, "project", "keep", "forget", "--days", "31"); !strings.Contains(errs, "keep_days") {
		t.Errorf("a class that is none: %s", errs)
	}
	s.post(t, key, event("tideAt", "p-1182", "4.2.0")+"\n"+event("tideAt", "p-7", "4.2.0"))
	s.settle(t)
	if out, _ := s.run(t, 0, "user", "erase", "p-1182", "--project", "forget"); !strings.HasPrefix(out, "erased from 1 event, still counted") {
		t.Errorf("erase says %s", out)
	}
	if list := s.issues(t, "forget"); len(list) != 1 || list[0].Users != 2 || list[0].Events != 2 {
		t.Errorf("%+v", list)
	}
	var events struct {
		Events []struct {
			ID   string
			Kept bool
		}
	}
	s.json(t, &events, "event", "list", "--project", "forget")
	for _, e := range events.Events {
		out, _ := s.run(t, 0, "event", "show", e.ID, "--project", "forget")
		if strings.Contains(out, "p-1182") || e.Kept != strings.Contains(out, "p-7") || !e.Kept && !strings.Contains(out, "was not kept") {
			t.Errorf("kept %v: %s", e.Kept, out)
		}
	}
}

func TestIntake_TakesWhatIsStrangeAndRefusesWhatIsHostile(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "strange")
	many := map[string]any{}
	for i := range 10_000 {
		many[fmt.Sprintf("berth.%05d", i)] = i
	}
	wide, _ := json.Marshal(map[string]any{"message": "10,000 attributes", "attributes": many}) // plain values
	for name, body := range map[string]string{
		"NUL":             `{"message":"a \u0000 b","attributes":{"user.id":"p\u0000"}}`,
		"invalid UTF-8":   "{\"message\":\"a \xff\xfe b\"}",
		"1970":            `{"message":"old","time":"1970-01-01T00:00:00Z"}`,
		"2031":            `{"message":"to come","time":"2031-01-01T00:00:00Z"}`,
		"no time":         `{"message":"timeless"}`,
		"nonsense time":   `{"message":"when","time":"yesterday"}`,
		"10,000 attrs":    string(wide),
		"a long headline": `{"exceptions":[{"type":"` + strings.Repeat("É", 5000) + `"}]}`,
	} {
		if code, answer := s.post(t, key, body); code != 202 {
			t.Errorf("%s: %d %s", name, code, answer)
		}
	}
	for name, c := range map[string]struct{ encoding string }{"deflate": {"deflate"}, "zstd": {"zstd"}} {
		var packed bytes.Buffer
		var z io.WriteCloser = zlib.NewWriter(&packed)
		if c.encoding == "zstd" {
			z, _ = zstd.NewWriter(&packed) // no options that could fail
		}
		chunk := bytes.Repeat([]byte("["), 1<<20)
		for range 40 {
			_, _ = z.Write(chunk) // a buffer does not fail
		}
		_ = z.Close()
		req, _ := http.NewRequest(http.MethodPost, s.url+"/v1/events?key="+key, &packed)
		req.Header.Set("Content-Encoding", c.encoding)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != 413 {
			t.Errorf("a bomb in %s: %d", name, res.StatusCode)
		}
	}
	s.settle(t)
	if list := s.issues(t, "strange"); len(list) != 8 {
		t.Errorf("%d issues, want 8", len(list))
	}
	if code, out, _ := s.code("queue"); code != 0 || strings.Contains(out, "strange") {
		t.Errorf("something was set aside: %s", out)
	}
}

func TestIntake_HoldsUnderManyConnections(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "crowd")
	address := strings.TrimPrefix(s.url, "http://")
	var mu sync.Mutex
	var conns []net.Conn
	defer func() {
		for _, c := range conns {
			c.Close()
		}
	}()
	var g sync.WaitGroup
	for range 8 {
		g.Go(func() {
			for range 250 { // idle ones, and half of a request
				c, err := net.DialTimeout("tcp", address, 5*time.Second)
				if err != nil {
					continue // this machine's own bounds
				}
				fmt.Fprint(c, "POST /v1/events HTTP/1.1\r\n")
				mu.Lock()
				conns = append(conns, c)
				mu.Unlock()
			}
		})
	}
	g.Wait()
	if code, answer := s.post(t, key, `{"message":"in the crowd"}`); code != 202 {
		t.Errorf("with %d connections open: %d %s", len(conns), code, answer)
	}
	s.settle(t)
}
