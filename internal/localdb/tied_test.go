package localdb

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// A process that is killed takes what is tied to it along.
func TestStartTied_EndsWithWhoStartedIt(t *testing.T) {
	if os.Getenv("FIRETHORN_TEST_PARENT") != "" {
		cmd := exec.Command("sleep", "60")
		if err := StartTied(cmd); err != nil {
			t.Fatal(err)
		}
		fmt.Printf("child %d\n", cmd.Process.Pid)
		time.Sleep(time.Minute)
		return
	}
	parent := exec.Command(os.Args[0], "-test.run=^TestStartTied_EndsWithWhoStartedIt$")
	parent.Env = append(os.Environ(), "FIRETHORN_TEST_PARENT=1")
	out, err := parent.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := parent.Start(); err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	child, e := strconv.Atoi(strings.TrimSpace(strings.TrimPrefix(line, "child ")))
	if err != nil || e != nil {
		t.Fatal(line, err, e)
	}
	if err := syscall.Kill(child, 0); err != nil {
		t.Fatalf("the child does not run: %v", err)
	}
	if err := parent.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = parent.Wait() // killed
	for until := time.Now().Add(10 * time.Second); running(child); time.Sleep(10 * time.Millisecond) {
		if time.Now().After(until) {
			_ = syscall.Kill(child, syscall.SIGKILL)
			t.Fatal("the child runs on")
		}
	}
}

// running says whether a process runs; one that ended and was not asked for yet does not.
func running(pid int) bool {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, rest, _ := strings.Cut(string(raw), ") ")
	return !strings.HasPrefix(rest, "Z")
}
