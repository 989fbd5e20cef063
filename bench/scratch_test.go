package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// What a killed run left is removed by the next one; what a living run has is not.
func TestScratch_RemovesWhatKilledRunsLeft(t *testing.T) {
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	ended := exec.Command("true")
	if err := ended.Run(); err != nil {
		t.Fatal(err)
	}
	dead := filepath.Join(tmp, fmt.Sprintf("firethorn-bench-%d-1", ended.Process.Pid))
	living := filepath.Join(tmp, fmt.Sprintf("firethorn-bench-%d-1", os.Getpid()))
	other := filepath.Join(tmp, "firethorn-bench-notes")
	for _, dir := range []string{dead, living, other} {
		if err := os.MkdirAll(filepath.Join(dir, "db"), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	made, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	for dir, stays := range map[string]bool{dead: false, living: true, other: true, made: true} {
		if _, err := os.Stat(dir); (err == nil) != stays {
			t.Errorf("%s: %v", filepath.Base(dir), err)
		}
	}
}
