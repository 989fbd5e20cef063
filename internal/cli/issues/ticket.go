package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

func ticketCommand() *cli.Command {
	return &cli.Command{Name: "ticket", Usage: "create, link or unlink a ticket in a tracker",
		Arguments: []cli.Argument{command.Text("id")},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "in", Usage: "the tracker: a `DESTINATION` of the kind tickets"},
			&cli.StringFlag{Name: "link", Usage: "link the existing ticket `KEY` instead of creating one"},
			&cli.StringFlag{Name: "unlink", Usage: "unlink the ticket `KEY`; the tracker keeps it"},
			&cli.BoolFlag{Name: "another", Usage: "create a ticket although one is open"},
		},
		Description: "The ticket and the issue follow each other. A fixed issue closes its ticket, a closed ticket\n" +
			"fixes its issue, and a regressed issue reopens its ticket. Without a flag it lists the tickets.\n\n" +
			"  firethorn issue ticket quayside/12 --in 'harbour board'\n" +
			"  firethorn issue ticket quayside/12 --in 'harbour board' --link 41\n" +
			"  firethorn issue ticket quayside/12 --unlink 41",
		Action: ticket}
}

func ticket(ctx context.Context, c *cli.Command) error {
	id, err := command.Arg(c, "id")
	if err != nil {
		return err
	}
	in, link, unlink := c.String("in"), c.String("link"), c.String("unlink")
	switch {
	case unlink != "" && link != "" || unlink != "" && c.Bool("another"):
		return command.Usage("use --unlink alone, or with --in only")
	case unlink != "":
		q := url.Values{"key": {unlink}}
		if in != "" {
			q.Set("in", in)
		}
		return command.Request(ctx, c, command.Ask(http.MethodDelete, command.OfIssue(id, "/tickets?"+q.Encode())),
			showTicketed)
	case in == "" && (link != "" || c.Bool("another")):
		return command.Usage("say which tracker, with --in DESTINATION")
	case in == "":
		return command.Get(ctx, c, command.OfIssue(id, ""), func(out io.Writer, v contract.IssueDetail) {
			showTicketed(out, contract.Ticketed{Issue: v.ID, Tickets: v.Tickets})
		})
	}
	return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfIssue(id, "/tickets"),
		contract.MakeTicket{In: in, Key: link, Another: c.Bool("another")}), showTicketed)
}

func showTicketed(out io.Writer, v contract.Ticketed) {
	if v.Text != "" {
		fmt.Fprintln(out, show.Plain(v.Text))
	}
	if len(v.Tickets) == 0 {
		if v.Text == "" {
			fmt.Fprintf(out, "%s has no ticket: firethorn issue ticket %s --in DESTINATION makes one\n", v.Issue, v.Issue)
		}
		return
	}
	show.Table(out, func(row func(...any)) {
		row("TICKET", "IN", "STATE", "LINK")
		for _, t := range v.Tickets {
			row(show.Plain(t.Key), show.Plain(t.Destination), ticketState(t), show.OrDash(show.Plain(t.Link)))
		}
	})
	for _, t := range v.Tickets {
		if t.Trouble != "" {
			fmt.Fprintf(out, "%s: %s\n", show.Plain(t.Key), show.Plain(t.Trouble))
		}
	}
}

// ticketState says how a ticket stands, and which side has yet to follow.
func ticketState(t contract.Ticket) string {
	s := t.State
	if t.Status != "" && t.Status != t.State {
		s += " (" + show.Plain(t.Status) + ")"
	}
	switch t.Follows {
	case "there":
		s += ", the ticket has yet to follow"
	case "here":
		s += ", the issue has yet to follow"
	}
	return s
}

// ticketCell shows the tickets of an issue in a list: the first one that is open, else the
// first, and how many there are beside it.
func ticketCell(list []contract.Ticket) string {
	if len(list) == 0 {
		return "-"
	}
	t := list[0]
	if i := slices.IndexFunc(list, func(t contract.Ticket) bool { return t.State == "open" }); i >= 0 {
		t = list[i]
	}
	cell := show.Plain(t.Key) + " " + ticketState(contract.Ticket{State: t.State, Status: t.Status})
	if len(list) > 1 {
		cell += fmt.Sprintf(" and %d more", len(list)-1)
	}
	return cell
}
