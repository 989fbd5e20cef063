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
)

// Member is the command about roles in projects.
func Member() *cli.Command {
	everywhere := func(what string) cli.Flag {
		return &cli.BoolFlag{Name: "everywhere", Usage: what + ", those to come too: only operators"}
	}
	reason := &cli.StringFlag{Name: "reason",
		Usage: "a reason for the audit, `TEXT`; required if operators give themselves a role"}
	return &cli.Command{Name: "member", Usage: "roles of people in a project",
		Description: "Roles; each includes the ones before:\n" +
			"  viewer      reads issues, events, releases; comments\n" +
			"  member      triages: decides, assigns, merges, splits; pushes symbols and announces releases\n" +
			"  maintainer  changes rules, keys, settings and members; deletes issues, regroups, erases users\n" +
			"A person without a role in a project does not see it. A team's role is that of all its members.\n" +
			"What operators may do: firethorn person operator --help",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list roles in the project and where they come from",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.OfProject("/members"), showMembers)
				}},
			{Name: "set", Usage: "give a person or team a role",
				Arguments: []cli.Argument{command.Text("name"), command.Text("role")},
				Flags:     []cli.Flag{everywhere("in all projects"), reason},
				Action: func(ctx context.Context, c *cli.Command) error {
					role, err := command.Arg(c, "role")
					if err != nil {
						return err
					}
					return setRole(ctx, c, c.StringArg("name"), role)
				}},
			{Name: "remove", Usage: "remove a person's or team's role", Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{everywhere("the role in all projects"), reason},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return setRole(ctx, c, name, "none")
				}},
		}}
}

func setRole(ctx context.Context, c *cli.Command, who, role string) error {
	if c.Bool("everywhere") {
		return command.Request(ctx, c, command.Ask(http.MethodPut,
			command.Fixed("/api/people/"+url.PathEscape(who)+"/role"),
			contract.SetRole{Role: role, Reason: c.String("reason")}), showRoles)
	}
	return command.Request(ctx, c, command.Ask(http.MethodPut, command.OfProject("/members"),
		contract.SetMember{Who: who, Role: role, Reason: c.String("reason")}), showMembers)
}

func showMembers(out io.Writer, v contract.Members) {
	if len(v.Members) == 0 {
		fmt.Fprintf(out, "Nobody has a role in %s: firethorn member set NAME member --project %s\n", v.Project,
			v.Project)
		return
	}
	show.Table(out, func(row func(...any)) {
		row("NAME", "ADDRESS", "ROLE", "BY")
		for _, m := range v.Members {
			by := "this project"
			if m.Everywhere {
				by = "all projects"
			}
			if m.Through != "" {
				by += ", team " + m.Through
			}
			name := m.Name
			if m.Team {
				name += " (team)"
			}
			row(name, show.OrDash(m.Email), m.Role, by)
		}
	})
}
