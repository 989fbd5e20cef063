// Package cli is the command line: a client of the HTTP API, and the commands
// that work offline. Run returns the exit code: 0 done, 1 the answer is no,
// 2 wrong use, 3 could not reach or was refused.
package cli

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/api"
	"firethorn/internal/cli/alerts"
	"firethorn/internal/cli/command"
	"firethorn/internal/cli/grouping"
	"firethorn/internal/cli/issues"
	"firethorn/internal/cli/offline"
	"firethorn/internal/cli/people"
	"firethorn/internal/cli/projects"
	"firethorn/internal/cli/releases"
	"firethorn/internal/cli/round"
	"firethorn/internal/cli/search"
	"firethorn/internal/cli/service"
	"firethorn/internal/cli/symbols"
	"firethorn/internal/core/text"
)

// Run runs one command line.
func Run(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	root := firethorn()
	root.Reader, root.Writer, root.ErrWriter = in, out, errOut
	root.ExitErrHandler = func(context.Context, *cli.Command, error) {} // codes are ours
	strict(root)
	err := root.Run(ctx, optionalValues(args))
	if err == nil {
		return command.ExitDone
	}
	fmt.Fprintln(errOut, "firethorn: "+command.Explain(err))
	return command.CodeOf(err)
}

// optionalValues gives flags their value that may stand without one: --allow-inside alone
// means the address of --url.
func optionalValues(args []string) []string {
	out := make([]string, 0, len(args))
	for i, a := range args {
		if a == "--allow-inside" && (i+1 == len(args) || strings.HasPrefix(args[i+1], "-")) {
			a = "--allow-inside=url"
		}
		out = append(out, a)
	}
	return out
}

// strict makes every command refuse what it does not know: the library lets
// surplus arguments pass, and does not hand OnUsageError down.
func strict(c *cli.Command) {
	c.OnUsageError = func(_ context.Context, cmd *cli.Command, err error, _ bool) error {
		return command.Usage("%v; %s --help shows how it is used", err, cmd.FullName())
	}
	c.CommandNotFound = nil
	if len(c.Commands) > 0 {
		own := c.Action // of a command that does something by itself, too
		c.Action = func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				what := fmt.Sprintf("there is no command %q", cmd.FullName()+" "+cmd.Args().First())
				var names []string
				for _, sub := range cmd.Commands {
					if !sub.Hidden && sub.Name != "help" {
						names = append(names, sub.Name)
					}
				}
				if s := text.Nearest(cmd.Args().First(), names); s != "" {
					what += fmt.Sprintf("; did you mean %s?", s)
				} else {
					what += fmt.Sprintf("; %s --help lists them", cmd.FullName())
				}
				return command.Usage("%s", what)
			}
			if own != nil {
				return own(ctx, cmd)
			}
			return cli.ShowSubcommandHelp(cmd)
		}
	} else if inner := c.Action; inner != nil {
		c.Action = func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				return command.Usage("%s does not know what to do with %q; %s --help shows how it is used",
					cmd.FullName(), cmd.Args().First(), cmd.FullName())
			}
			return inner(ctx, cmd)
		}
	}
	for _, sub := range c.Commands {
		strict(sub)
	}
}

// withSettings adds the settings of notices to the command about notices.
func withSettings(c *cli.Command) *cli.Command {
	c.Commands = append(c.Commands, alerts.NoticeSettings())
	return c
}

func firethorn() *cli.Command {
	return &cli.Command{
		Name:    "firethorn",
		Usage:   "collect exceptions, read their stack traces, group them into issues, triage",
		Version: api.Version,
		Description: "Start the service with `firethorn serve`, then in another terminal:\n\n" +
			"  firethorn project create quayside        create a project\n" +
			"  firethorn send --project quayside        send a test event\n" +
			"  firethorn issue list --project quayside  the issue that it made\n\n" +
			"Server, token and project come from flags, from FIRETHORN_SERVER, FIRETHORN_TOKEN (or FIRETHORN_TOKEN_FILE) and\n" +
			"FIRETHORN_PROJECT, or from what `firethorn login` stored. A service that the same user started on this machine is found\n" +
			"automatically; if there are several, name one with --server.\n" +
			"Exit codes: 0 done, 1 the answer is no, 2 wrong use, 3 the service could not be reached or refused.",
		EnableShellCompletion: true,
		Suggest:               true,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "server", Usage: "the service's `URL`", Sources: cli.EnvVars("FIRETHORN_SERVER")},
			&cli.StringFlag{Name: "token", Usage: "the token; visible in the list of processes, so prefer --token-file or FIRETHORN_TOKEN", Sources: cli.EnvVars("FIRETHORN_TOKEN")},
			&cli.StringFlag{Name: "token-file", Usage: "a `FILE` with the token",
				Sources: cli.EnvVars("FIRETHORN_TOKEN_FILE")},
			&cli.StringFlag{Name: "project", Aliases: []string{"p"}, Usage: "the project's `NAME`",
				Sources: cli.EnvVars("FIRETHORN_PROJECT")},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json (the API's answer), or csv where a command offers it",
				Validator: func(s string) error {
					if s != "text" && s != "json" && s != "csv" {
						return fmt.Errorf("--format is text or json, or csv where a command says so, not %q", s)
					}
					return nil
				}},
		},
		Commands: []*cli.Command{
			serveCommand(), projects.Init(), service.Status(), service.Login(), projects.Overview(), projects.Project(),
			service.Send(),
			service.Forward(),
			symbols.Symbols(),
			issues.Event(), issues.Issue(), search.Facets(), search.Histogram(), search.Search(), round.Round(),
			issues.Impact(), grouping.Group(), releases.Release(),
			alerts.Alert(), alerts.Destination(), alerts.Delivery(), withSettings(issues.Notice()),
			issues.Owner(), service.User(), issues.Session(), issues.Feedback(), people.Person(),
			people.Team(), people.Member(), people.Token(), grouping.Rules(), projects.Received(), service.Queue(),
			service.Recount(),
			service.Audit(),
			offline.Stack(), symbols.Locate(), offline.Fingerprint(), versionCommand(),
		},
	}
}
