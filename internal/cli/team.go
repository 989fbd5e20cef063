package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/contract"
)

func teamCommand() *cli.Command {
	return &cli.Command{Name: "team", Usage: "people who have issues together",
		Description: "A team can be given issues as a person can, by hand, by CODEOWNERS (@GROUP/NAME) and by the rules' section assign; its members hear of\nthem. firethorn person leave NAME dissolves one.",
		Commands: []*cli.Command{
			{Name: "list", Usage: "the teams, with their members",
				Action: func(ctx context.Context, c *cli.Command) error {
					return get(ctx, c, fixed("/api/teams"), func(out io.Writer, v contract.Teams) {
						if len(v.Teams) == 0 {
							fmt.Fprintln(out, "No team yet: firethorn team create 'Harbour Crew' --member maren.holt@marrowsound.example")
							return
						}
						table(out, func(row func(...any)) {
							row("TEAM", "HANDLE", "MEMBERS")
							for _, t := range v.Teams {
								row(t.Name, t.Handle, orDash(strings.Join(t.Members, ", ")))
							}
						})
					})
				}},
			{Name: "create", Usage: "make one", Arguments: []cli.Argument{text("name")},
				Flags: []cli.Flag{&cli.StringSliceFlag{Name: "member", Usage: "`WHO` is in it: a name or an address"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := arg(c, "name")
					if err != nil {
						return err
					}
					return request(ctx, c, http.MethodPost,
						contract.NewTeam{Name: name, Members: c.StringSlice("member")}, fixed("/api/teams"), showTeam)
				}},
			{Name: "change", Usage: "let people in, or out", Arguments: []cli.Argument{text("name")},
				Flags: []cli.Flag{&cli.StringSliceFlag{Name: "add", Usage: "`WHO` comes in"},
					&cli.StringSliceFlag{Name: "remove", Usage: "`WHO` goes out"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := arg(c, "name")
					if err != nil {
						return err
					}
					return request(ctx, c, http.MethodPatch,
						contract.ChangeTeam{Add: c.StringSlice("add"), Remove: c.StringSlice("remove")},
						fixed("/api/teams/"+url.PathEscape(name)), showTeam)
				}},
		}}
}

func showTeam(out io.Writer, t contract.Team) {
	members := "nobody yet: firethorn team change --add WHO"
	if len(t.Members) > 0 {
		members = strings.Join(t.Members, ", ")
	}
	fmt.Fprintf(out, "%s (%s): %s\n", plain(t.Name), plain(t.Handle), plain(members))
}
