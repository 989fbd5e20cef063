package cli

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"firethorn/internal/cli/command"
)

var update = flag.Bool("update", false, "rewrite testdata/golden")

// printed are commands whose output is compared, with the exit code they end with.
var printed = map[string]int{
	"project list": 0, "project show quayside": 0, "project keys quayside": 0, "issue list": 0, "issue list --state all --order users": 0,
	"issue show quayside/2": 0, "issue ticket quayside/2": 0, "issue history quayside/1": 0, "issue history quayside/3": 0, "issue since quayside/3": 0, "issue beside quayside/1": 0,
	"issue owners quayside/2": 0, "event list": 0, "event show 01a219b0-6ed8-779f-a0ef-e5e91eb9f0fc": 0, "release list": 0, "release show 4.2.0": 0,
	"release order 4.2.0 4.3.0": 0, "impact show": 0, "group review": 0, "group why quayside/1": 0, "notice list": 0, "owner list": 0,
	"session list": 0, "feedback list": 0, "person list": 0, "person sessions": 0, "member list": 0, "token list": 0, "team list": 0, "received": 0, "symbols list": 0, "symbols check --release 4.2.0": 1, "status": 0,
	"facets --by berth.zone --by os.name --search os.version:14": 0, "facets --issue quayside/10 --against others": 0,
	"histogram --by os.name --interval 1d --window 3d": 0, "user show ines.marlow@ferries.example": 0, "user show Anna": 0, "user list --issue quayside/10": 0,
	"search list": 0, "search show mine": 0, "search attributes": 0,
}

// answered is when the answers of testdata/answers.json were given. They are those
// of a service with the demo's recording.
var answered = time.Date(2026, 11, 30, 11, 58, 0, 0, time.UTC)

// answering answers as testdata/answers.json has it, as if it had just been asked.
func answering(t *testing.T) *httptest.Server {
	t.Helper()
	raw, err := os.ReadFile("testdata/answers.json")
	if err != nil {
		t.Fatal(err)
	}
	shift := time.Since(answered)
	raw = regexp.MustCompile(`"\d{4}-\d\d-\d\dT[\d:.]+Z"`).ReplaceAllFunc(raw, func(b []byte) []byte {
		at, err := time.Parse(`"`+time.RFC3339Nano+`"`, string(b))
		if err != nil {
			return b
		}
		return fmt.Appendf(nil, "%q", at.Add(shift).Format(time.RFC3339Nano))
	})
	var answers map[string]json.RawMessage
	if err := json.Unmarshal(raw, &answers); err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		a, ok := answers[r.Method+" "+r.URL.String()]
		if !ok {
			w.WriteHeader(http.StatusNotFound)
			fmt.Fprintf(w, `{"detail":%q,"code":"not_found"}`, "the recording has no "+r.Method+" "+r.URL.String())
			return
		}
		w.Write(a)
	}))
	t.Cleanup(s.Close)
	return s
}

// masked replaces what differs from run to run by signs of the same width.
func masked(out, server string) string {
	out = strings.ReplaceAll(out, server, "http://127.0.0.1:7420")
	out = regexp.MustCompile(`\d{4}-\d\d-\d\dT[\d:.]+Z`).ReplaceAllString(out, "####-##-##T##:##:##Z")
	return regexp.MustCompile(`\d{4}-\d\d-\d\d( \d\d:\d\d(:\d\d)?)?|(Nov|Dec|Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct) [ \d]\d( \d\d:\d\d)?`).ReplaceAllStringFunc(out, func(s string) string {
		return regexp.MustCompile(`\w`).ReplaceAllString(s, "#")
	})
}

// What commands print is compared with testdata/golden; go test ./internal/cli
// -update rewrites it.
func TestPrinted(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	s := answering(t)
	for line, want := range printed {
		args := append([]string{"firethorn", "--server", s.URL, "--token", "x", "--project", "quayside"}, strings.Fields(line)...)
		var out, errs bytes.Buffer
		if code := Run(t.Context(), args, strings.NewReader(""), &out, &errs); code != want {
			t.Errorf("firethorn %s: exit %d, want %d: %s", line, code, want, errs.String())
			continue
		}
		got := masked(out.String(), s.URL)
		file := filepath.Join("testdata/golden", regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(line, "-")+".txt")
		if *update {
			if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		golden, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if got != string(golden) {
			t.Errorf("firethorn %s prints\n%s\n%s has\n%s", line, got, file, golden)
		}
	}
}

// Every command that prints data prints the answer as it came with --format json.
func TestPrinted_AsJSON(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	s := answering(t)
	for line, want := range printed {
		args := append([]string{"firethorn", "--format", "json", "--server", s.URL, "--token", "x", "--project", "quayside"}, strings.Fields(line)...)
		var out, errs bytes.Buffer
		if code := Run(t.Context(), args, strings.NewReader(""), &out, &errs); code != want {
			t.Errorf("firethorn %s: exit %d, want %d: %s", line, code, want, errs.String())
		}
		if !json.Valid(out.Bytes()) {
			t.Errorf("firethorn %s --format json prints no JSON: %.200s", line, out.String())
		}
	}
}

// A list of users as CSV holds all of them, and nothing that a spreadsheet takes for a
// formula.
func TestUserList_AsCSV(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	s := answering(t)
	run := func(line string) (string, int) {
		var out, errs bytes.Buffer
		args := append([]string{"firethorn", "--server", s.URL, "--token", "x", "--project", "quayside", "--format", "csv"}, strings.Fields(line)...)
		code := Run(t.Context(), args, strings.NewReader(""), &out, &errs)
		return out.String(), code
	}
	out, code := run("user list --issue quayside/10")
	want := "user.id,user.email,user.name,enduser.id,enduser.pseudo.id,app.installation.id,events,first,last\np-1400,,'=SUM(A1),,,,3,"
	if code != 0 || !strings.HasPrefix(out, want) || !strings.Contains(out, "\n,\"a,b@quay.example\",,,,,1,") {
		t.Errorf("exit %d:\n%s", code, out)
	}
	if _, code := run("issue list"); code != command.ExitUse {
		t.Errorf("issues as CSV: exit %d, want %d", code, command.ExitUse)
	}
}

// closed is a terminal that went away: firethorn issue list | head.
type closed struct{ left int }

func (c *closed) Write(p []byte) (int, error) {
	if c.left -= len(p); c.left < 0 {
		return 0, io.ErrClosedPipe
	}
	return len(p), nil
}

// Output that nobody reads to its end does no harm.
func TestPrinted_IntoAPipeThatCloses(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	s := answering(t)
	for line := range printed {
		args := append([]string{"firethorn", "--server", s.URL, "--token", "x", "--project", "quayside"}, strings.Fields(line)...)
		var errs bytes.Buffer
		if code := Run(t.Context(), args, strings.NewReader(""), &closed{20}, &errs); code > command.ExitNo {
			t.Errorf("firethorn %s | head: exit %d: %s", line, code, errs.String())
		}
	}
}
