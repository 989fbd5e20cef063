package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// firethorn init finds out what the application runs in, makes the project, prints
// the steps, and says what arrived.
func TestInit(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "pier-kiosk")
	application(t, dir, map[string]string{"package.json": `{"name":"@ferries/pier-kiosk","dependencies":{"express":"5"}}`})
	token, err := os.ReadFile(filepath.Join(shared.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	run := func(in string, args ...string) (string, int) {
		t.Helper()
		cmd := exec.Command(filepath.Join(commandDir(t), "firethorn"), append([]string{"init"}, args...)...)
		cmd.Dir, cmd.Stdin = dir, strings.NewReader(in)
		cmd.Env = append(os.Environ(), "FIRETHORN_SERVER="+shared.url, "FIRETHORN_TOKEN="+strings.TrimSpace(string(token)))
		out, _ := cmd.CombinedOutput() // its exit code says it
		return string(out), cmd.ProcessState.ExitCode()
	}
	out, code := run("\n\n", "--wait", "0s") // Enter twice: what it guessed
	if code != 0 || !strings.Contains(out, "Project [pier-kiosk]: ") || !strings.Contains(out, "Number [4]: ") || !strings.Contains(out, "The project pier-kiosk was made.") ||
		!strings.Contains(out, "Wrap the application") {
		t.Errorf("exit %d: %s", code, out)
	}
	if out, code := run("", "--name", "pier-kiosk", "--runtime", "go", "--wait", "1s"); code != 1 || strings.Contains(out, "was made") || !strings.Contains(out, "nothing arrived within 1s") {
		t.Errorf("nothing came, exit %d: %s", code, out)
	}
	log := filepath.Join(t.TempDir(), "out")
	file, err := os.Create(log)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	waits := exec.Command(filepath.Join(commandDir(t), "firethorn"), "init", "--name", "pier-kiosk", "--runtime", "go", "--wait", "1m")
	waits.Env = append(os.Environ(), "FIRETHORN_SERVER="+shared.url, "FIRETHORN_TOKEN="+strings.TrimSpace(string(token)))
	waits.Stdout, waits.Stderr = file, file
	if err := waits.Start(); err != nil {
		t.Fatal(err)
	}
	said := func(words string) func() bool {
		return func() bool {
			raw, err := os.ReadFile(log)
			return err == nil && strings.Contains(string(raw), words)
		}
	}
	until(t, "it listens", said("Listening for an event of pier-kiosk"))
	shared.run(t, 0, "send", "--project", "pier-kiosk")
	if err := waits.Wait(); err != nil || !said("It arrived.\n  pier-kiosk/1  TestError")() || !said("firethorn issue list --project pier-kiosk")() {
		raw, _ := os.ReadFile(log)
		t.Errorf("%v: %s", err, raw)
	}
	if out, code := run("tide\n99\n"); code != 2 || !strings.Contains(out, `"99" is none of 1 to 7`) {
		t.Errorf("no such number, exit %d: %s", code, out)
	}
	if out, code := run("", "--name", "Pier Kiosk", "--runtime", "go"); code != 1 || !strings.Contains(out, "lower-case letters") {
		t.Errorf("no name, exit %d: %s", code, out)
	}
	var steps struct {
		Runtime string
		Steps   []struct{ Title string }
	}
	shared.json(t, &steps, "init", "--name", "pier-kiosk", "--runtime", "logs")
	if steps.Runtime != "logs" || len(steps.Steps) < 2 {
		t.Errorf("%+v", steps)
	}
}
