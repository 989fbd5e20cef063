package people

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
)

// Person is the command about who works here.
func Person() *cli.Command {
	invited := func(out io.Writer, p contract.Person) {
		fmt.Fprintf(out, "%s <%s>\nsign-in link, good once within 24 hours:\n  %s\n", show.Plain(p.Name),
			show.Plain(p.Email),
			p.SignInLink)
	}
	return &cli.Command{Name: "person", Usage: "who works here", Commands: []*cli.Command{
		{Name: "add", Usage: "add someone; prints a one-time sign-in link",
			Arguments: []cli.Argument{command.Text("name"), command.Text("email")},
			Flags:     []cli.Flag{&cli.BoolFlag{Name: "admin", Usage: "may do everything"}},
			Action: func(ctx context.Context, c *cli.Command) error {
				email, err := command.Arg(c, "email")
				if err != nil {
					return err
				}
				return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/people"),
					contract.NewPerson{Name: c.StringArg("name"), Email: email, Admin: c.Bool("admin")}), invited)
			}},
		{Name: "link", Usage: "a new one-time sign-in link", Arguments: []cli.Argument{command.Text("name")},
			Action: func(ctx context.Context, c *cli.Command) error {
				name, err := command.Arg(c, "name")
				if err != nil {
					return err
				}
				return command.Request(ctx, c, command.Ask(http.MethodPost,
					command.Fixed("/api/people/"+url.PathEscape(name)+"/link")), invited)
			}},
		{Name: "list", Usage: "who works here", Action: func(ctx context.Context, c *cli.Command) error {
			return command.Get(ctx, c, command.Fixed("/api/people"), func(out io.Writer, v contract.People) {
				show.Table(out, func(row func(...any)) {
					row("NAME", "ADDRESS", "RIGHTS")
					for _, p := range v.People {
						rights := "triage"
						if p.Admin {
							rights = "admin"
						}
						if p.Left != nil {
							rights = "left " + p.Left.Format("2006-01-02")
						}
						row(p.Name, p.Email, rights)
					}
				})
			})
		}},
		{Name: "sign-out", Usage: "end all sessions and unused sign-in links of somebody",
			Arguments: []cli.Argument{command.Text("name")}, Action: func(ctx context.Context, c *cli.Command) error {
				name, err := command.Arg(c, "name")
				if err != nil {
					return err
				}
				return command.Request(ctx, c, command.Ask(http.MethodPost,
					command.Fixed("/api/people/"+url.PathEscape(name)+"/sign-out")),
					func(out io.Writer, s contract.SignedOut) {
						fmt.Fprintf(out, "%s is signed out: %s ended. Tokens go on: firethorn token list\n",
							show.Plain(s.Name), show.Plural(int(s.Sessions), "1 session",
								show.Count(s.Sessions)+" sessions"))
					})
			}},
		leaveCommand(), returnCommand(),
	}}
}

func leaveCommand() *cli.Command {
	return &cli.Command{Name: "leave", Usage: "say that somebody does not work here any more, or dissolve a team",
		Arguments:   []cli.Argument{command.Text("name")},
		Description: "Nothing can be given to them from then on; their tokens and sessions end. What they have stays theirs until it is handed over:\n  firethorn owner hand-over --from NAME --to NAME",
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := command.Arg(c, "name")
			if err != nil {
				return err
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost,
				command.Fixed("/api/people/"+url.PathEscape(name)+"/leave")), func(out io.Writer, p contract.Person) {
				fmt.Fprintf(out, "%s left.\n", show.Plain(p.Name))
				if p.Carries > 0 {
					fmt.Fprintf(out, "%s still theirs: firethorn owner hand-over %s --to …\n",
						show.Plural(int(p.Carries), "1 issue is", show.Count(p.Carries)+" issues are"),
						shell.Option("--from", p.Name))
				}
			})
		}}
}

func returnCommand() *cli.Command {
	return &cli.Command{Name: "return", Usage: "say that somebody works here again",
		Arguments: []cli.Argument{command.Text("name")},
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := command.Arg(c, "name")
			if err != nil {
				return err
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost,
				command.Fixed("/api/people/"+url.PathEscape(name)+"/return")), func(out io.Writer, p contract.Person) {
				fmt.Fprintf(out, "%s works here again; firethorn person link %s prints a sign-in link.\n",
					show.Plain(p.Name), shell.Arguments(p.Name))
			})
		}}
}
