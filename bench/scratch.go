package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// scratch makes the directory of a run. It removes those of runs that were killed: the name of a
// directory holds the number of its process.
func scratch() (string, error) {
	old, err := filepath.Glob(filepath.Join(os.TempDir(), "firethorn-bench-*"))
	for _, dir := range old {
		var pid int
		_, no := fmt.Sscanf(filepath.Base(dir), "firethorn-bench-%d-", &pid)
		if no == nil && pid > 0 && errors.Is(syscall.Kill(pid, 0), syscall.ESRCH) {
			err = errors.Join(err, os.RemoveAll(dir))
		}
	}
	if err != nil {
		return "", err
	}
	return os.MkdirTemp("", fmt.Sprintf("firethorn-bench-%d-", os.Getpid()))
}
