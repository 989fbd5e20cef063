// Package cli is the command line: a client of the HTTP API, and the commands
// that work offline. Run returns the exit code: 0 done, 1 the answer is no,
// 2 wrong use, 3 could not reach or was refused.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/api"
	"firethorn/internal/core/fault"
)

// The exit codes.
const (
	exitDone = iota
	exitNo
	exitUse
	exitRefused
)

// usageError is a command line that makes no sense.
type usageError struct{ err error }

func (e *usageError) Error() string { return e.err.Error() }
func (e *usageError) Unwrap() error { return e.err }

func usage(format string, args ...any) error { return &usageError{fmt.Errorf(format, args...)} }

// Run runs one command line.
func Run(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	root := command()
	root.Reader, root.Writer, root.ErrWriter = in, out, errOut
	root.ExitErrHandler = func(context.Context, *cli.Command, error) {} // codes are ours
	strict(root)
	err := root.Run(ctx, args)
	if err == nil {
		return exitDone
	}
	fmt.Fprintln(errOut, "firethorn: "+explain(err))
	return codeOf(err)
}

func explain(err error) string {
	if f, ok := errors.AsType[*fault.Error](err); ok && f.Pub != "" {
		switch f.Code {
		case fault.NoDatabase, fault.DataDirBroken, fault.PortTaken:
			if f.Err != nil {
				return f.Pub + " (" + f.Err.Error() + ")"
			}
		}
		return f.Pub
	}
	return err.Error()
}

func codeOf(err error) int {
	if _, ok := errors.AsType[*usageError](err); ok {
		return exitUse
	}
	if f, ok := errors.AsType[*fault.Error](err); ok {
		switch f.Code {
		case fault.AnswerIsNo, fault.MapBroken:
			return exitNo
		case fault.WrongUse:
			return exitUse
		case fault.BadInput, fault.NotFound, fault.Conflict, fault.Stale:
			return exitNo
		}
		return exitRefused
	}
	if strings.HasPrefix(err.Error(), "No help topic") {
		return exitUse
	}
	return exitNo
}

// strict makes every command refuse what it does not know: the library lets
// surplus arguments pass, and does not hand OnUsageError down.
func strict(c *cli.Command) {
	c.OnUsageError = func(_ context.Context, cmd *cli.Command, err error, _ bool) error {
		return usage("%v; %s --help shows how it is used", err, cmd.FullName())
	}
	c.CommandNotFound = nil
	if len(c.Commands) > 0 {
		own := c.Action // of a command that does something by itself, too
		c.Action = func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				what := fmt.Sprintf("there is no command %q", cmd.FullName()+" "+cmd.Args().First())
				if s := cli.SuggestCommand(cmd.Commands, cmd.Args().First()); s != "" && s != "h" {
					what += fmt.Sprintf("; did you mean %s?", s)
				}
				return usage("%s", what)
			}
			if own != nil {
				return own(ctx, cmd)
			}
			return cli.ShowSubcommandHelp(cmd)
		}
	} else if inner := c.Action; inner != nil {
		c.Action = func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				return usage("%s does not know what to do with %q; %s --help shows how it is used", cmd.FullName(), cmd.Args().First(), cmd.FullName())
			}
			return inner(ctx, cmd)
		}
	}
	for _, sub := range c.Commands {
		strict(sub)
	}
}

func command() *cli.Command {
	return &cli.Command{
		Name:    "firethorn",
		Usage:   "collect exceptions, make them readable, group them into issues, triage",
		Version: api.Version,
		Description: "Start the service with `firethorn serve`, then in another terminal:\n\n" +
			"  firethorn project create quayside        an application that reports\n" +
			"  firethorn send --project quayside        a test event, waited for\n" +
			"  firethorn issue list --project quayside  what came of it\n\n" +
			"Server, token and project come from flags, from FIRETHORN_SERVER, FIRETHORN_TOKEN (or FIRETHORN_TOKEN_FILE) and\n" +
			"FIRETHORN_PROJECT, or from what `firethorn login` remembered. A service started on this machine by the same user is found\n" +
			"by itself; where there are several, name one with --server.\n" +
			"Exit codes: 0 done, 1 the answer is no, 2 wrong use, 3 could not reach or was refused.",
		EnableShellCompletion: true,
		Suggest:               true,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "server", Usage: "the service's `URL`", Sources: cli.EnvVars("FIRETHORN_SERVER")},
			&cli.StringFlag{Name: "token", Usage: "what to authorise with; others on the machine see it in the list of processes, so prefer --token-file or FIRETHORN_TOKEN", Sources: cli.EnvVars("FIRETHORN_TOKEN")},
			&cli.StringFlag{Name: "token-file", Usage: "the `FILE` that holds the token",
				Sources: cli.EnvVars("FIRETHORN_TOKEN_FILE")},
			&cli.StringFlag{Name: "project", Aliases: []string{"p"}, Usage: "the project's `NAME`",
				Sources: cli.EnvVars("FIRETHORN_PROJECT")},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, or json: what the API answers",
				Validator: func(s string) error {
					if s != "text" && s != "json" {
						return fmt.Errorf("--format is text or json, not %q", s)
					}
					return nil
				}},
		},
		Commands: []*cli.Command{
			serveCommand(), statusCommand(), loginCommand(), projectCommand(), sendCommand(), forwardCommand(),
			symbolsCommand(),
			eventCommand(), issueCommand(), roundCommand(), impactCommand(), groupCommand(), releaseCommand(),
			noticeCommand(), ownerCommand(), userCommand(), sessionCommand(), feedbackCommand(), personCommand(),
			teamCommand(), tokenCommand(), rulesCommand(), receivedCommand(), queueCommand(), recountCommand(),
			stackCommand(), locateCommand(), fingerprintCommand(),
		},
	}
}

// arg is a positional argument that must be there.
func arg(c *cli.Command, name string) (string, error) {
	if v := c.StringArg(name); v != "" {
		return v, nil
	}
	return "", usage("%s needs %s; %s --help shows how it is used", c.FullName(), strings.ToUpper(name), c.FullName())
}

func text(name string) cli.Argument {
	return &cli.StringArg{Name: name, UsageText: strings.ToUpper(name)}
}
