package localdb

import (
	"os/exec"
	"runtime"
	"syscall"
)

// StartTied starts a command that ends with this process, however that ends: Linux sends it
// SIGTERM when the thread that started it is gone. The thread is kept for that.
func StartTied(cmd *exec.Cmd) error {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	cmd.SysProcAttr.Pdeathsig = syscall.SIGTERM
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		started <- cmd.Start()
		select {}
	}()
	return <-started
}
