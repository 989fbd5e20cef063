package intake

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-sql-driver/mysql"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// memory is a store that keeps batches.
type memory struct {
	batches []*pipeline.Batch
	dropped map[string]int64
	away    bool
	to      []int64 // projects of batches
	rules   *rules.Set
	allowed projects.Allowance
	used    map[string]int64
	tallies []string

	examples []string

	messages event.Severity
}

func (m *memory) GrantOfKey(_ context.Context, key string) (*projects.KeyGrant, error) {
	p := projects.Project{Project: pipeline.Project{ID: 1, Name: "quayside", Rules: m.rules}, Origins: []string{"*"}, Allowance: m.allowed, LogMessages: m.messages}
	switch key {
	case "good":
		return &projects.KeyGrant{Project: &p}, nil
	case "routes":
		return &projects.KeyGrant{Project: &p, Key: projects.Key{Routes: true}}, nil
	case "narrow":
		return &projects.KeyGrant{Project: &projects.Project{Project: pipeline.Project{ID: 2, Name: "narrow"}, Origins: []string{"https://quayside.example"}}}, nil
	}
	return nil, problem.New(problem.Unauthorized, "this ingest key is not known")
}

func (m *memory) RouteProject(_ context.Context, _ *projects.Project, name string) (*projects.Project, bool, error) {
	if name == "one-too-many" {
		return nil, false, nil
	}
	origins := []string{"*"}
	if name == "narrow" {
		origins = []string{"https://quayside.example"}
	}
	return &projects.Project{Project: pipeline.Project{ID: int64(100 + len(name)), Name: name}, Origins: origins}, true, nil
}

func (m *memory) TakeAllowance(_ context.Context, _ int64, span projects.Span, start time.Time, events, limit int64) (bool, error) {
	k := string(span) + start.String()
	if m.used[k]+events > limit {
		return false, nil
	}
	if m.used == nil {
		m.used = map[string]int64{}
	}
	m.used[k] += events
	return true, nil
}

func (m *memory) CountReceived(_ context.Context, project int64, t *inbox.Tally) error {
	m.tallies = append(m.tallies, t.String())
	m.examples = append(m.examples, t.Examples()...)
	return nil
}

func (m *memory) Append(_ context.Context, project int64, b *pipeline.Batch) error {
	if m.away {
		return mysql.ErrInvalidConn
	}
	m.to = append(m.to, project)
	m.batches = append(m.batches, b)
	return nil
}

func (m *memory) CanAppend() error { return nil }
func (m *memory) SawAway(error)    {}

func (m *memory) ClientDrops(_ context.Context, _ int64, d map[string]int64) error {
	m.dropped = d
	return nil
}

func (m *memory) events() []string {
	var out []string
	for _, b := range m.batches {
		for _, e := range b.Events {
			out = append(out, string(e))
		}
	}
	return out
}

// watched counts what intake tells.
type watched struct {
	stored int
	away   []string
}

func (w *watched) Stored(n int)          { w.stored += n }
func (w *watched) Refused(int, string)   {}
func (w *watched) Rejected(cause string) { w.away = append(w.away, cause) }

func newIntake(m *memory) (*Intake, *watched) {
	w := &watched{}
	return New(Options{Projects: m, Inbox: m, Router: m, Wake: func(int64) {}, Log: slog.New(slog.DiscardHandler), Limits: Limits{Body: web.Limits{Wire: 1 << 20, Plain: 4 << 20}, Event: 2 << 20, Flight: 8 << 20, Inbox: 1000}, Watch: w, Now: time.Now}), w
}

func intakeOver(m *memory) http.Handler {
	in, _ := newIntake(m)
	return serving(in)
}

func serving(in *Intake) http.Handler {
	r := chi.NewRouter()
	in.Routes(r)
	return r
}

type call struct {
	body    []byte
	headers map[string]string
	query   string
	method  string
}

func (c call) do(h http.Handler) (*http.Response, string) {
	if c.method == "" {
		c.method = http.MethodPost
	}
	req := httptest.NewRequest(c.method, "/v1/events"+c.query, bytes.NewReader(c.body))
	if c.query == "" {
		req.Header.Set("Authorization", "Bearer good")
	}
	for k, v := range c.headers {
		req.Header.Set(k, v)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, req)
	return w.Result(), w.Body.String()
}

const id = "0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01"

func gzipped(raw string) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, _ = io.WriteString(z, raw) // into memory
	_ = z.Close()
	return b.Bytes()
}

func TestEvents_TakesEveryForm(t *testing.T) {
	one := `{"id":"` + id + `","message":"m"}`
	for name, c := range map[string]struct {
		call
		stored int
	}{
		"one":                      {call{body: []byte(one)}, 1},
		"an array":                 {call{body: []byte(`[` + one + `,{"exceptions":[{"type":"E"}]}]`)}, 2},
		"an envelope":              {call{body: []byte(`{"sent":"2026-11-23T04:39:02Z","resource":{"service.version":"1"},"events":[` + one + `],"dropped":{"queue_full":12}}`)}, 1},
		"an empty envelope":        {call{body: []byte(`{"events":[]}`)}, 0},
		"one a line":               {call{body: []byte(one + "\n\n" + one + "\n"), headers: map[string]string{"Content-Type": "application/x-ndjson"}}, 2},
		"text for a beacon":        {call{body: []byte(one), headers: map[string]string{"Content-Type": "text/plain;charset=UTF-8"}, query: "?key=good"}, 1},
		"gzip":                     {call{body: gzipped(one), headers: map[string]string{"Content-Encoding": "gzip"}}, 1},
		"bytes that are no UTF-8":  {call{body: []byte("{\"message\":\"m\xff\"}")}, 1},
		"a byte order mark":        {call{body: []byte("\xef\xbb\xbf" + one)}, 1},
		"markup stays what it was": {call{body: []byte(`{"message":"<img onerror=alert(1)>"}`)}, 1},
	} {
		t.Run(name, func(t *testing.T) {
			m := &memory{}
			res, body := c.do(intakeOver(m))
			if res.StatusCode != http.StatusAccepted || !strings.HasPrefix(body, fmt.Sprintf(`{"stored":%d,"refused":[]}`, c.stored)) || len(m.events()) != c.stored {
				t.Errorf("%d %s, %d in the store", res.StatusCode, body, len(m.events()))
			}
		})
	}
}

func TestEvents_RefusesWithTheReason(t *testing.T) {
	long := `{"message":"` + strings.Repeat("x", 3<<20) + `"}`
	for name, c := range map[string]struct {
		call
		status int
		want   string
	}{
		"no JSON":                  {call{body: []byte(`{"message":`)}, 400, "no JSON"},
		"neither":                  {call{body: []byte(`"text"`)}, 400, "neither an event nor an array"},
		"empty":                    {call{body: nil}, 400, "the body is empty"},
		"nothing that can be kept": {call{body: []byte(`[{"severity":"error"}]`)}, 400, `"index":0,"detail":"an event needs a message or an exception`},
		"an id that is no UUID":    {call{body: []byte(`{"id":"7","message":"m"}`)}, 400, "is no UUID"},
		"an event that is too big": {call{body: gzipped(long), headers: map[string]string{"Content-Encoding": "gzip"}}, 400, "2097152 are the most"},
		"a body that is too big":   {call{body: bytes.Repeat([]byte("x"), 2<<20)}, 413, "larger than 1 MiB"},
		"a bomb":                   {call{body: gzipped(strings.Repeat("[", 64<<20)), headers: map[string]string{"Content-Encoding": "gzip"}}, 413, "larger than 4 MiB"},
		"deep nesting":             {call{body: []byte(`{"message":"m","state":` + strings.Repeat("[", 100) + strings.Repeat("]", 100) + `}`)}, 400, "nested deeper than 64"},
		"mislabelled":              {call{body: []byte(`{}`), headers: map[string]string{"Content-Encoding": "gzip"}}, 400, "cannot be read"},
		"an unknown encoding":      {call{body: []byte(`{}`), headers: map[string]string{"Content-Encoding": "br"}}, 415, "gzip, deflate and zstd"},
		"an unknown type":          {call{body: []byte(`{}`), headers: map[string]string{"Content-Type": "image/png"}}, 415, "image/png is not read here"},
		"no key":                   {call{body: []byte(`{}`), headers: map[string]string{"Authorization": ""}, query: "?x=1"}, 401, "an ingest key is missing"},
		"an unknown key":           {call{body: []byte(`{}`), query: "?key=bad"}, 401, "not known"},
		"another origin":           {call{body: []byte(`{}`), query: "?key=narrow", headers: map[string]string{"Origin": "https://evil.example"}}, 403, "takes no reports from the origin"},
	} {
		t.Run(name, func(t *testing.T) {
			m := &memory{}
			res, body := c.do(intakeOver(m))
			if res.StatusCode != c.status || !strings.Contains(body, c.want) || len(m.batches) != 0 {
				t.Errorf("%d %.300s, %d stored; want %d with %q", res.StatusCode, body, len(m.batches), c.status, c.want)
			}
			if res.Header.Get("Access-Control-Allow-Origin") != "*" {
				t.Error("a browser would not see this error")
			}
		})
	}
}

func TestEvents_KeepsTheGoodOfAMixedBatch(t *testing.T) {
	m := &memory{}
	res, body := call{body: []byte("{\"message\":\"a\"}\n{\"nothing\":1}\n{\"message\":\"b\"}\n{\"mess"), headers: map[string]string{"Content-Type": "application/x-ndjson"}}.do(intakeOver(m))
	var a Answer
	if err := json.Unmarshal([]byte(body), &a); err != nil {
		t.Fatal(err)
	}
	if res.StatusCode != 202 || a.Stored != 2 || len(a.Refused) != 2 || a.Refused[0].Index != 1 || a.Refused[1].Index != 3 {
		t.Errorf("%d %+v", res.StatusCode, a)
	}
}

func TestEvents_ScrubsBeforeItStores(t *testing.T) {
	m := &memory{}
	call{body: []byte(`{"message":"m","attributes":{"user.password":"hunter2","url.full":"https://a.example/?token=abc123"}}`)}.do(intakeOver(m))
	if got := strings.Join(m.events(), ""); strings.Contains(got, "hunter2") || strings.Contains(got, "abc123") {
		t.Errorf("a secret was stored: %s", got)
	}
}

func TestEvents_TellsSendersWhenTheDatabaseIsAway(t *testing.T) {
	res, body := call{body: []byte(`{"message":"m"}`)}.do(intakeOver(&memory{away: true}))
	if res.StatusCode != 503 || res.Header.Get("Retry-After") == "" || !strings.Contains(body, "nothing was stored") {
		t.Errorf("%d, Retry-After %q: %s", res.StatusCode, res.Header.Get("Retry-After"), body)
	}
}

func TestPreflight_NeedsNoKey(t *testing.T) {
	res, _ := call{method: http.MethodOptions, query: "?x", headers: map[string]string{"Origin": "https://evil.example"}}.do(intakeOver(&memory{}))
	if res.StatusCode != 204 || res.Header.Get("Access-Control-Allow-Origin") != "*" || res.Header.Get("Access-Control-Allow-Credentials") != "" {
		t.Errorf("%d %v", res.StatusCode, res.Header)
	}
}

func TestEvents_CutsLargeRequestsIntoRows(t *testing.T) {
	m := &memory{}
	var list []string
	for range 30 {
		list = append(list, `{"message":"`+strings.Repeat("m", 30<<10)+`"}`)
	}
	call{body: []byte(`{"resource":{"service.version":"1"},"dropped":{"queue_full":3},"events":[` + strings.Join(list, ",") + `]}`)}.do(intakeOver(m))
	if len(m.batches) < 3 || len(m.events()) != 30 || string(m.batches[2].Resource) != `{"service.version":"1"}` || m.dropped["queue_full"] != 3 {
		t.Errorf("%d rows with %d events; dropped %v", len(m.batches), len(m.events()), m.dropped)
	}
}

func TestEvents_AreRejectedWhenTooManyWait(t *testing.T) {
	m := &memory{}
	in, w := newIntake(m)
	post := func(key string) (int, string) {
		res, _ := call{body: []byte(`{"message":"m"}`), headers: map[string]string{"Authorization": "Bearer " + key}}.do(serving(in))
		return res.StatusCode, res.Header.Get("Retry-After")
	}
	for _, c := range []struct {
		name         string
		backlog      Backlog
		good, narrow int
	}{
		{"below the limit", Backlog{Events: 999, ByProject: map[int64]int64{1: 999}}, 202, 202},
		{"over it: the flood alone is turned away", Backlog{Events: 1500, ByProject: map[int64]int64{1: 1400, 2: 100}}, 429, 202},
		{"far over it: all are", Backlog{Events: 2000, ByProject: map[int64]int64{1: 1990, 2: 10}}, 503, 503},
	} {
		in.SetBacklog(c.backlog)
		good, after := post("good")
		narrow, _ := post("narrow")
		if good != c.good || narrow != c.narrow || good != 202 && after != "20" {
			t.Errorf("%s: %d (Retry-After %q) and %d, want %d and %d", c.name, good, after, narrow, c.good, c.narrow)
		}
	}
	if len(w.away) != 3 || w.stored != 3 {
		t.Errorf("told: %d stored, turned away %v", w.stored, w.away)
	}
}

func TestEvents_BoundMemory(t *testing.T) {
	m := &memory{}
	in, w := newIntake(m)
	if !in.flight.TryAcquire(7 << 20) { // others are being read
		t.Fatal("no room")
	}
	big := call{body: []byte(`{"message":"` + strings.Repeat("m", 1<<19-100) + `"}`)} // once as sent, once as scrubbed
	if res, _ := big.do(serving(in)); res.StatusCode != 202 {
		t.Errorf("within the bound: %d", res.StatusCode)
	}
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, _ = z.Write([]byte(`[{"message":"` + strings.Repeat("m", 2<<20-100) + `"}]`)) // a buffer does not fail
	_ = z.Close()
	res, body := call{body: packed.Bytes(), headers: map[string]string{"Content-Encoding": "gzip"}}.do(serving(in))
	if res.StatusCode != 503 || res.Header.Get("Retry-After") == "" || !strings.Contains(body, "too much is being sent at once") {
		t.Errorf("beyond it: %d %s", res.StatusCode, body)
	}
	in.flight.Release(7 << 20)
	if res, _ := (call{body: packed.Bytes(), headers: map[string]string{"Content-Encoding": "gzip"}}).do(serving(in)); res.StatusCode != 202 {
		t.Errorf("when there is room again: %d", res.StatusCode)
	}
	if !in.flight.TryAcquire(8 << 20) {
		t.Error("memory is held after the requests have ended")
	}
	if len(w.away) != 1 || w.away[0] != "memory_full" {
		t.Errorf("told: %v", w.away)
	}
}

// stuck is a body that begins and does not go on.
func TestEvents_GiveUpOnASenderThatStopsInTheMiddle(t *testing.T) {
	in, _ := newIntake(&memory{})
	server := httptest.NewServer(serving(in))
	defer server.Close()
	in.patience = 50 * time.Millisecond
	c, err := net.Dial("tcp", server.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	fmt.Fprint(c, "POST /v1/events?key=good HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{\"mess")
	_ = c.SetReadDeadline(time.Now().Add(10 * time.Second))
	res, err := http.ReadResponse(bufio.NewReader(c), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	raw, _ := io.ReadAll(res.Body)
	if res.StatusCode != 400 || !strings.Contains(string(raw), "stopped coming") {
		t.Errorf("%d %s", res.StatusCode, raw)
	}
}
