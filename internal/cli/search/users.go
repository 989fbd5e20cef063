package search

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
)

// identities are the names that users are called by, in the order of their columns.
var identities = []string{
	"user.id",
	"user.email",
	"user.name",
	"enduser.id",
	"enduser.pseudo.id",
	"app.installation.id",
}

// Users are the commands that find users.
func Users() []*cli.Command {
	return []*cli.Command{
		{Name: "show", Usage: "show a user and their issues", Arguments: []cli.Argument{command.Text("who")},
			Description: "WHO is any name that events have of the user: an id, an e-mail address, a name. An address also finds events\n" +
				"that have the id only. All stored events are searched.",
			Action: func(ctx context.Context, c *cli.Command) error {
				who, err := command.Arg(c, "who")
				if err != nil {
					return err
				}
				return command.Get(ctx, c, command.OfProject("/users/"+url.PathEscape(who)), showUser)
			}},
		{
			Name:        "list",
			Usage:       "list users of an issue or search, most events first",
			Description: command.SearchHelp + "\n--format csv writes all of them, a line each.",
			Flags: append(command.SearchFlags(),
				&cli.StringFlag{Name: "issue", Usage: "only users of issue `ID`"},
				&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most this many"},
				&cli.StringFlag{Name: "cursor", Usage: "the value `next` of the previous page"}),
			Action: listUsers,
		},
		affectedCommand(),
		trailCommand(),
	}
}

func showUser(out io.Writer, v contract.UserTrail) {
	defer Completeness(out, v.Searched)
	if len(v.Several) > 0 {
		fmt.Fprintf(
			out,
			"This name means %s. Ask for one of them by another name:\n\n",
			show.Counted(int64(len(v.Several)), "user"),
		)
		show.Table(out, func(row func(...any)) {
			row("USER", " EVENTS", "LAST SEEN")
			for _, x := range v.Several {
				row(called(x.Identities), show.Figure(x.Events), show.Ago(x.Last))
			}
		})
		return
	}
	for _, name := range identities {
		for _, value := range v.Identities[name] {
			fmt.Fprintf(out, "%-20s %s\n", name, show.Plain(value))
		}
	}
	if v.First != nil && v.Last != nil {
		fmt.Fprintf(
			out,
			"\n%s from %s to %s; %s\n",
			show.Counted(v.Events, "event"),
			v.First.Format("2006-01-02 15:04"),
			v.Last.Format("2006-01-02 15:04"),
			show.Counted(v.Sessions, "session"),
		)
	}
	fmt.Fprintln(out)
	show.Table(out, func(row func(...any)) {
		row("ISSUE", "HEADLINE", "STATE", " EVENTS", "FIRST", "LAST")
		for _, i := range v.Issues {
			row(
				i.ID,
				show.Cut(i.Headline, 60),
				i.State,
				show.Figure(i.Events),
				i.First.Format("2006-01-02 15:04"),
				i.Last.Format("2006-01-02 15:04"),
			)
		}
	})
	if len(v.Newest) > 0 {
		fmt.Fprintf(out, "\nThe newest event: firethorn event show %s\n", shell.Arguments(v.Newest[0].ID))
		if name := anyName(v.Identities); name != "" {
			fmt.Fprintf(out, "What they went through: firethorn user trail %s\n", shell.Arguments(name))
		}
	}
}

// anyName is the name by which a user is best asked for.
func anyName(names map[string][]string) string {
	for _, name := range identities {
		if list := names[name]; len(list) > 0 {
			return list[0]
		}
	}
	return ""
}

// called is what a user is called, in one line.
func called(names map[string][]string) string {
	var parts []string
	for _, name := range identities {
		if list := names[name]; len(list) > 0 {
			parts = append(parts, show.Plain(list[0]))
		}
	}
	if len(parts) == 0 {
		return "(no name is kept)"
	}
	return strings.Join(parts, " · ")
}

func listUsers(ctx context.Context, c *cli.Command) error {
	q := command.SearchQuery(c, url.Values{"limit": {strconv.Itoa(c.Int("limit"))}})
	if v := c.String("cursor"); v != "" {
		q.Set("cursor", v)
	}
	if c.String("format") == "csv" {
		return exportUsers(ctx, c, q)
	}
	return command.Get(
		ctx,
		c,
		command.OfSearch("/users", c.String("issue"), q),
		func(out io.Writer, v contract.UserList) {
			defer Completeness(out, v.Searched)
			if len(v.Users) == 0 {
				fmt.Fprintln(out, "No user fits. Events are searched in the last 7 days; a longer time: --window 30d")
				return
			}
			show.Table(out, func(row func(...any)) {
				row("USER", " EVENTS", "FIRST SEEN", "LAST SEEN")
				for _, x := range v.Users {
					row(show.Cut(called(x.Identities), 70), show.Figure(x.Events), show.Ago(x.First), show.Ago(x.Last))
				}
			})
			fmt.Fprintf(out, "\n%s in all.", show.Counted(v.Total, "user"))
			if v.Next != "" {
				fmt.Fprintf(out, " There are more: --cursor %s", v.Next)
			}
			fmt.Fprintln(out)
		},
	)
}

// exportUsers writes all users, page by page.
func exportUsers(ctx context.Context, c *cli.Command, q url.Values) error {
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	q.Set("limit", "1000")
	w := csv.NewWriter(c.Root().Writer)
	if err := w.Write(append(identities, "events", "first", "last")); err != nil {
		return err
	}
	for {
		path, err := command.OfSearch("/users", c.String("issue"), q)(cl)
		if err != nil {
			return err
		}
		var page contract.UserList
		if _, err := cl.Call(ctx, http.MethodGet, path, nil, &page); err != nil {
			return err
		}
		for _, x := range page.Users {
			if err := w.Write(csvRow(x)); err != nil {
				return err
			}
		}
		if page.Next == "" {
			w.Flush()
			return w.Error()
		}
		q.Set("cursor", page.Next)
	}
}

// csvRow is a user as a line. A spreadsheet takes no cell for a formula.
func csvRow(x contract.Somebody) []string {
	var out []string
	for _, name := range identities {
		cell := ""
		if list := x.Identities[name]; len(list) > 0 {
			cell = list[0]
		}
		if cell != "" && strings.ContainsAny(cell[:1], "=+-@\t\r") {
			cell = "'" + cell
		}
		out = append(out, cell)
	}
	return append(
		out,
		strconv.FormatInt(x.Events, 10),
		x.First.UTC().Format(time.RFC3339),
		x.Last.UTC().Format(time.RFC3339),
	)
}
