package e2e

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"firethorn/internal/cli"
	"firethorn/internal/localdb"
)

// program is the service as a process of its own, for tests that kill it.
type program struct {
	*service
	cmd *exec.Cmd
}

func build(t *testing.T) string {
	t.Helper()
	bin := filepath.Join(t.TempDir(), "firethorn")
	if out, err := exec.Command("go", "build", "-o", bin, "firethorn/cmd/firethorn").CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	return bin
}

func launch(t *testing.T, bin, dir string, flags ...string) *program {
	t.Helper()
	cmd := exec.Command(bin, append([]string{"serve", "--data", dir, "--listen", "127.0.0.1:0", "--small-database", "--log-level", "error"}, flags...)...)
	var errs bytes.Buffer
	cmd.Stderr = &errs
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := localdb.StartTied(cmd); err != nil { // tests that are killed leave nothing behind
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatalf("it does not get ready: %v\n%s", err, errs.String())
	}
	p := &program{&service{url: strings.TrimSpace(strings.TrimPrefix(line, "ready ")), dir: dir}, cmd}
	t.Cleanup(p.end)
	return p
}

// end stops the program in order.
func (p *program) end() {
	_ = p.cmd.Process.Signal(syscall.SIGTERM) // it may have ended
	_ = p.cmd.Wait()
}

func databasePID(t *testing.T, dir string) int {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join(dir, "database", "run", "pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(raw)))
	if err != nil {
		t.Fatal(err)
	}
	return pid
}

func TestService_LosesNothingWhateverIsKilled(t *testing.T) {
	t.Parallel()
	bin, dir := build(t), filepath.Join(t.TempDir(), "data")
	p := launch(t, bin, dir)
	key := p.project(t, "killed")
	stored := 0
	send := func(n int) (refused int) {
		for range n {
			if code, answer := p.post(t, key, fmt.Sprintf(`{"exceptions":[{"type":"E%d","message":"x"}]}`, stored%5)); code == 202 {
				stored++
			} else if code == 503 && strings.Contains(answer, "nothing was stored") {
				refused++
			} else {
				t.Fatalf("%d %s", code, answer)
			}
		}
		return refused
	}
	send(20)
	_ = p.cmd.Process.Kill() // the service; its database goes on and is taken over
	_ = p.cmd.Wait()
	p = launch(t, bin, dir)
	send(20)
	pid := databasePID(t, dir)
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil { // the database, under the service
		t.Fatal(err)
	}
	if refused := send(3); refused == 0 {
		t.Log("the database was back before the next request")
	}
	for until := time.Now().Add(30 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		if res, err := http.Get(p.url + "/readyz"); err == nil {
			res.Body.Close()
			if res.StatusCode == 200 {
				break
			}
		}
		if time.Now().After(until) {
			t.Fatal("the database does not come back")
		}
	}
	send(20)
	_ = p.cmd.Process.Kill() // both
	_ = syscall.Kill(databasePID(t, dir), syscall.SIGKILL)
	_ = p.cmd.Wait()
	p = launch(t, bin, dir)
	p.settle(t)
	filed := int64(0)
	for _, i := range p.issues(t, "killed") {
		filed += i.Events
	}
	if filed != int64(stored) {
		t.Errorf("%d events were acknowledged, %d are filed", stored, filed)
	}
	p.recounted(t)
	pid = databasePID(t, dir)
	p.end()
	if syscall.Kill(pid, 0) == nil {
		t.Errorf("the database %d outlives the service", pid)
	}
}

func TestServe_ExplainsWhyItCannotStart(t *testing.T) {
	busy, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer busy.Close()
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		args []string
		code int
		want string
		env  map[string]string
	}{
		"a taken port":                      {[]string{"--listen", busy.Addr().String()}, 3, "listens on " + busy.Addr().String() + " already", nil},
		"a data directory that is none":     {[]string{"--data", filepath.Join(file, "x")}, 3, "cannot write to the data directory", nil},
		"a data directory in use":           {[]string{"--data", shared.dir}, 3, "is in use by process", nil},
		"no mariadbd":                       {nil, 3, "apt-get install mariadb-server-core", map[string]string{"PATH": "/nonexistent", "FIRETHORN_NO_SYSTEM_PATH": "1"}},
		"a database that does not answer":   {[]string{"--database", "a:b@tcp(127.0.0.1:1)/c"}, 3, "does not answer", nil},
		"a database that is not understood": {[]string{"--database", "somewhere"}, 2, "--database is not understood", nil},
		"an address that is none":           {[]string{"--listen", "here"}, 2, "--listen must be HOST:PORT", nil},
		"a public address that is none":     {[]string{"--public-url", "here"}, 2, "--public-url must be", nil},
	} {
		t.Run(name, func(t *testing.T) {
			for k, v := range c.env {
				t.Setenv(k, v)
			}
			args := append([]string{"firethorn", "serve", "--data", filepath.Join(t.TempDir(), "d"), "--listen", "127.0.0.1:0", "--log-level", "error"}, c.args...)
			var out, errs bytes.Buffer
			ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
			defer cancel()
			if code := cli.Run(ctx, args, strings.NewReader(""), &out, &errs); code != c.code || !strings.Contains(errs.String(), c.want) {
				t.Errorf("exit %d: %s, want %d with %q", code, errs.String(), c.code, c.want)
			}
			if strings.Contains(out.String(), "ready") {
				t.Error("it says it is ready")
			}
		})
	}
}

func TestService_SharesOneDatabase(t *testing.T) {
	t.Parallel()
	bin, dir := build(t), filepath.Join(t.TempDir(), "data")
	first := launch(t, bin, dir)
	pass, err := os.ReadFile(filepath.Join(dir, "database", "password"))
	if err != nil {
		t.Fatal(err)
	}
	dsn := fmt.Sprintf("firethorn:%s@unix(%s)/firethorn", pass, filepath.Join(dir, "database", "run", "s.sock"))
	second, err := start(filepath.Join(t.TempDir(), "second"), "127.0.0.1:0", dsn)
	if err != nil {
		t.Fatal(err)
	}
	key := first.project(t, "both")
	for range 10 {
		first.post(t, key, `{"message":"one way in"}`)
		second.post(t, key, `{"message":"another"}`)
	}
	second.settle(t)
	if list := second.issues(t, "both"); len(list) != 2 || list[0].Events+list[1].Events != 20 {
		t.Errorf("%+v", list)
	}
	second.recounted(t)
	if err := second.stop(); err != nil {
		t.Error(err)
	}
}
