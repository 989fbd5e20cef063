package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Owner is the command about who has which issues.
func Owner() *cli.Command {
	return &cli.Command{
		Name: "owner", Usage: "who owns which issues",
		Description: "firethorn issue owners ID suggests owners of an issue, with reasons.",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list owners and their issues, most impact first",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.Fixed("/api/owners"), showCarriers)
				}},
			{Name: "hand-over", Usage: "hand all issues of a person over to another",
				Description: "Hands over all open and parked issues of all projects. firethorn issue undo --bulk takes it back, project by project.\n" +
					"  firethorn owner hand-over --from 'Maren Holt' --to 'Oke Farrow' --why 'holiday until 7 January'",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "from", Usage: "the owner `WHO`: a name or an address", Required: true},
					&cli.StringFlag{Name: "to", Usage: "the new owner `WHO`", Required: true},
					&cli.StringFlag{Name: "why", Usage: "a comment `TEXT` for the history of each"},
				},
				Action: func(ctx context.Context, c *cli.Command) error {
					in := contract.HandOver{From: c.String("from"), To: c.String("to"), Why: c.String("why")}
					return command.Request(ctx, c, command.Ask(http.MethodPost,
						command.Fixed("/api/owners/hand-over"), in), func(out io.Writer, v contract.HandedOver) {
						if len(v.Projects) == 0 {
							fmt.Fprintf(out, "%s has nothing that is open or parked.\n", show.Plain(in.From))
						}
						for _, p := range v.Projects {
							fmt.Fprintf(out, "%s: %s handed over; firethorn issue undo --project %s --bulk %d takes it back\n", p.Project, show.Counted(int64(len(p.Done)), "issue"), p.Project, p.Bulk)
							showRefused(out, p.ManyDone)
						}
					})
				}},
		},
	}
}

func showCarriers(out io.Writer, v contract.Carriers) {
	if len(v.Carriers) == 0 {
		fmt.Fprintln(out, "No issue has an owner. firethorn issue assign gives one to a person; firethorn issue owners proposes whom.")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("PERSON", "PROJECT", "   OPEN", " IMPACT", " PARKED", "OLDEST SEEN")
		for _, c := range v.Carriers {
			who := c.Person
			switch {
			case c.Left:
				who += " (left)"
			case c.Team:
				who += " (team)"
			}
			row(who, c.Project, show.Figure(c.Issues), fmt.Sprintf("%7.1f", c.Impact), show.Figure(c.Parked),
				show.Ago(c.Oldest))
		}
	})
}
