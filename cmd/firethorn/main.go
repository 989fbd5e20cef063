// Command firethorn is the service and its command line.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"firethorn/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Run(ctx, os.Args, os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
