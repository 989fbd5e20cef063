package main

import (
	"io"
	"os/exec"
	"path/filepath"
	"testing"
	"time"
)

// The short form of make torture.
func TestTorture_LosesNothingAndCountsNothingTwice(t *testing.T) {
	program := filepath.Join(t.TempDir(), "firethorn")
	if out, err := exec.Command("go", "build", "-o", program, "firethorn/cmd/firethorn").CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	report, err := Run(t.Context(), Options{Program: program, Kills: 6, Days: 4, Senders: 2, Seed: time.Now().UnixNano(), Out: io.Discard})
	t.Log("\n" + report.String())
	if err != nil {
		t.Error(err)
	}
	if report.Processed < 100 || report.Repeats == 0 || report.happened() != 6 {
		t.Error("too little has happened for the run to mean anything")
	}
}
