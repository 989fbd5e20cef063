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
	return &cli.Command{Name: "team", Usage: "people who have issues together",
		Description: "A team can be given issues as a person can, by hand, by CODEOWNERS (@GROUP/NAME) and by the rules' section assign; its members hear of\nthem. firethorn person leave NAME dissolves one.",
		Commands: []*cli.Command{
			{Name: "list", Usage: "the teams, with their members",
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
			{Name: "create", Usage: "make one", Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{&cli.StringSliceFlag{Name: "member", Usage: "`WHO` is in it: a name or an address"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/teams"),
						contract.NewTeam{Name: name, Members: c.StringSlice("member")}), showTeam)
				}},
			{Name: "change", Usage: "let people in, or out", Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{&cli.StringSliceFlag{Name: "add", Usage: "`WHO` comes in"},
					&cli.StringSliceFlag{Name: "remove", Usage: "`WHO` goes out"}},
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
	members := "nobody yet: firethorn team change --add WHO"
	if len(t.Members) > 0 {
		members = strings.Join(t.Members, ", ")
	}
	fmt.Fprintf(out, "%s (%s): %s\n", show.Plain(t.Name), show.Plain(t.Handle), show.Plain(members))
}
