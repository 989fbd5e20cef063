package people

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
)

// Person is the command about who works here.
func Person() *cli.Command {
	return &cli.Command{Name: "person", Usage: "the people who use the service", Commands: []*cli.Command{
		addCommand(), linkCommand(),
		{Name: "list", Usage: "list people and their roles",
			Action: func(ctx context.Context, c *cli.Command) error {
				return command.Get(ctx, c, command.Fixed("/api/people"), showPeople)
			}},
		operatorCommand(), mergeCommand(), sessionsCommand(), endSessionCommand(), signOutCommand(), leaveCommand(),
		returnCommand(),
	}}
}

func showInvited(out io.Writer, p contract.Person) {
	fmt.Fprintf(out, "%s <%s>: %s\nsign-in link, good once within 24 hours:\n  %s\n", show.Plain(p.Name),
		show.Plain(p.Email), rolesOf(p), p.SignInLink)
	if !p.Operator && p.Everywhere == "" && len(p.Roles) == 0 {
		fmt.Fprintf(out, "They see no project yet: firethorn member set %s member --project NAME\n",
			shell.Arguments(p.Name))
	}
}

// rolesOf says in words what a person may do.
func rolesOf(p contract.Person) string {
	var list []string
	if p.Operator {
		list = append(list, "operator")
	}
	if p.Everywhere != "" {
		list = append(list, p.Everywhere+" of all projects")
	}
	for _, r := range p.Roles {
		list = append(list, r.Role+" of "+r.Project)
	}
	if p.MoreRoles > 0 {
		list = append(list, fmt.Sprintf("%d more", p.MoreRoles))
	}
	if p.Left != nil {
		return "left " + p.Left.Format("2006-01-02")
	}
	if len(list) == 0 {
		return "no role"
	}
	return strings.Join(list, ", ")
}

func showPeople(out io.Writer, v contract.People) {
	show.Table(out, func(row func(...any)) {
		row("NAME", "ADDRESS", "ROLES")
		for _, p := range v.People {
			row(p.Name, p.Email, rolesOf(p))
		}
	})
}

func addCommand() *cli.Command {
	return &cli.Command{Name: "add", Usage: "add a person and print a one-time sign-in link",
		Arguments: []cli.Argument{command.Text("name"), command.Text("email")},
		Description: "Without --role the person sees no project. --role alone gives the role in all projects, including later ones;\n" +
			"with --project, in that project. Operators run the service: people, projects, the audit, the queue. They do\n" +
			"not read events of a project unless they have a role in it.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "role", Usage: "viewer, member or maintainer"},
			&cli.BoolFlag{Name: "operator", Aliases: []string{"admin"}, Usage: "make them an operator of the service"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			email, err := command.Arg(c, "email")
			if err != nil {
				return err
			}
			n := contract.NewPerson{Name: c.StringArg("name"), Email: email, Operator: c.Bool("operator"),
				Role: c.String("role")}
			if n.Role != "" {
				n.Project = c.String("project")
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/people"), n), showInvited)
		}}
}

func linkCommand() *cli.Command {
	return &cli.Command{Name: "link", Usage: "print a new one-time sign-in link for a person",
		Arguments:   []cli.Argument{command.Text("name")},
		Description: "Without a NAME it is a link for you, valid for 15 minutes, for a browser that asks you to sign in again.",
		Action: func(ctx context.Context, c *cli.Command) error {
			name := c.StringArg("name")
			path := "/api/people/" + url.PathEscape(name) + "/link"
			within := "24 hours"
			if name == "" {
				path, within = "/api/me/link", "15 minutes"
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed(path)),
				func(out io.Writer, p contract.Person) {
					fmt.Fprintf(out, "%s <%s>\nsign-in link, good once within %s:\n  %s\n", show.Plain(p.Name),
						show.Plain(p.Email), within, p.SignInLink)
				})
		}}
}

func operatorCommand() *cli.Command {
	return &cli.Command{Name: "operator", Usage: "make a person an operator of the service",
		Arguments:   []cli.Argument{command.Text("name")},
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "remove", Usage: "no longer an operator; the last operator stays"}},
		Description: "Operators run the service: people, projects, the audit, the queue. They do not\nread events of a project unless they have a role in it.",
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := command.Arg(c, "name")
			if err != nil {
				return err
			}
			return command.Request(ctx, c, command.Ask(http.MethodPut,
				command.Fixed("/api/people/"+url.PathEscape(name)+"/operator"),
				contract.SetOperator{Operator: !c.Bool("remove")}), showRoles)
		}}
}

func showRoles(out io.Writer, p contract.Person) {
	fmt.Fprintf(out, "%s: %s\n", show.Plain(p.Name), show.Plain(rolesOf(p)))
}

func mergeCommand() *cli.Command {
	return &cli.Command{Name: "merge", Usage: "merge two accounts of one person",
		Arguments: []cli.Argument{command.Text("name")},
		Flags: []cli.Flag{&cli.StringFlag{Name: "into", Usage: "keep `WHO`: a name or an e-mail address",
			Required: true}},
		Description: "WHO gets the issues, teams, roles, notices and watched issues of NAME. Sessions and tokens of NAME end. History\n" +
			"keeps the name NAME, and later assignments to NAME go to WHO.",
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := command.Arg(c, "name")
			if err != nil {
				return err
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost,
				command.Fixed("/api/people/"+url.PathEscape(name)+"/merge"),
				contract.MergePeople{Into: c.String("into")}), func(out io.Writer, m contract.Merged) {
				issues := 0
				for _, p := range m.Projects {
					issues += len(p.Done)
				}
				fmt.Fprintf(out, "%s is %s now: %s handed over.\n", show.Plain(m.From), show.Plain(m.Into),
					show.Plural(issues, "1 issue", show.Count(int64(issues))+" issues"))
			})
		}}
}

func sessionsCommand() *cli.Command {
	return &cli.Command{Name: "sessions", Usage: "your signed-in browsers",
		Action: func(ctx context.Context, c *cli.Command) error {
			return command.Get(ctx, c, command.Fixed("/api/me/sessions"), func(out io.Writer, v contract.SignIns) {
				if len(v.Sessions) == 0 {
					fmt.Fprintln(out, "You are signed in with no browser; firethorn person link prints a link.")
					return
				}
				show.Table(out, func(row func(...any)) {
					row("SESSION", "BROWSER", "LAST USED", "FROM", "RUNS OUT")
					for _, s := range v.Sessions {
						row(strconv.FormatInt(s.ID, 10), show.OrDash(s.Agent), s.LastUsed.Format("2006-01-02 15:04"),
							show.OrDash(s.Address), s.RunsOut.Format("2006-01-02 15:04"))
					}
				})
			})
		}}
}

func endSessionCommand() *cli.Command {
	return &cli.Command{Name: "end-session", Usage: "sign out of one of your browsers",
		Arguments: []cli.Argument{command.Text("session")},
		Action: func(ctx context.Context, c *cli.Command) error {
			return endByNumber(ctx, c, numbered{what: "session", path: "/api/me/sessions/",
				hint: "firethorn person sessions lists them", said: "Session %d has ended.\n", field: "ended"})
		}}
}

// numbered is a kind of thing that is ended by its number.
type numbered struct {
	what, path string
	hint       string // where the numbers stand
	said       string // when it has ended
	field      string // of the JSON that says so
}

// endByNumber ends what has a number.
func endByNumber(ctx context.Context, c *cli.Command, n numbered) error {
	number, err := command.Arg(c, n.what)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(number, 10, 64)
	if err != nil || id < 1 {
		return command.Usage("%q is no number of a %s; %s", number, n.what, n.hint)
	}
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	if _, err := cl.Call(ctx, http.MethodDelete, n.path+number, nil, nil); err != nil {
		return err
	}
	if c.String("format") == "json" {
		_, err = fmt.Fprintf(c.Root().Writer, "{%q:%d}\n", n.field, id)
		return err
	}
	fmt.Fprintf(c.Root().Writer, n.said, id)
	return nil
}

func signOutCommand() *cli.Command {
	return &cli.Command{Name: "sign-out", Usage: "end all sessions and sign-in links of a person",
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
		}}
}

func leaveCommand() *cli.Command {
	return &cli.Command{Name: "leave", Usage: "mark a person as gone, or dissolve a team",
		Arguments:   []cli.Argument{command.Text("name")},
		Description: "Nothing can be assigned to them any more. Their roles, tokens and sessions end. Their issues stay theirs until you hand them over:\n  firethorn owner hand-over --from NAME --to NAME",
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
	return &cli.Command{Name: "return", Usage: "mark a person as back",
		Arguments: []cli.Argument{command.Text("name")},
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := command.Arg(c, "name")
			if err != nil {
				return err
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost,
				command.Fixed("/api/people/"+url.PathEscape(name)+"/return")), func(out io.Writer, p contract.Person) {
				fmt.Fprintf(out, "%s works here again, without a role: firethorn member set %s ROLE gives one, firethorn person link %s prints a sign-in link.\n",
					show.Plain(p.Name), shell.Arguments(p.Name), shell.Arguments(p.Name))
			})
		}}
}
