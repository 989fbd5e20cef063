// Package people has the commands about people, teams and tokens.
package people

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Team is the command about teams.
func Team() *cli.Command {
	return &cli.Command{Name: "team", Usage: "teams: people who own issues together",
		Description: "A team can own issues like a person: assigned by hand, by CODEOWNERS (@GROUP/NAME) or by the rules' section assign. Its members are\nnotified. firethorn person leave NAME dissolves a team.",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list teams and their members",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.Fixed("/api/teams"), func(out io.Writer, v contract.Teams) {
						if len(v.Teams) == 0 {
							fmt.Fprintln(out, "No team yet: firethorn team create 'Harbour Crew' --member maren.holt@marrowsound.example")
							return
						}
						show.Table(out, func(row func(...any)) {
							row("TEAM", "HANDLE", "MEMBERS")
							for _, t := range v.Teams {
								row(t.Name, t.Handle, show.OrDash(strings.Join(t.Members, ", ")))
							}
						})
					})
				}},
			{Name: "create", Usage: "create a team", Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{&cli.StringSliceFlag{Name: "member", Usage: "a member `WHO`: a name or an address"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/teams"),
						contract.NewTeam{Name: name, Members: c.StringSlice("member")}), showTeam)
				}},
			{Name: "change", Usage: "add or remove members", Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{&cli.StringSliceFlag{Name: "add", Usage: "add the person `WHO`"},
					&cli.StringSliceFlag{Name: "remove", Usage: "remove the person `WHO`"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPatch,
						command.Fixed("/api/teams/"+url.PathEscape(name)),
						contract.ChangeTeam{Add: c.StringSlice("add"), Remove: c.StringSlice("remove")}), showTeam)
				}},
		}}
}

func showTeam(out io.Writer, t contract.Team) {
	members := "no members yet: firethorn team change --add WHO"
	if len(t.Members) > 0 {
		members = strings.Join(t.Members, ", ")
	}
	fmt.Fprintf(out, "%s (%s): %s\n", show.Plain(t.Name), show.Plain(t.Handle), show.Plain(members))
}
