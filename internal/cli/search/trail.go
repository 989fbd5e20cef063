package search

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// trailCommand is the command that shows one user's trail.
func trailCommand() *cli.Command {
	return &cli.Command{Name: "trail", Usage: "show the trail of one user, newest first",
		Arguments: []cli.Argument{command.Text("who")},
		Description: "Shows sessions, events, the breadcrumbs that led up to each event, and feedback, in order of time.\n" +
			"WHO is any name that events have of the user: an id, an e-mail address, a name.",
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "limit", Value: 30, Usage: "print at most this many events, with everything between them"},
			&cli.StringFlag{Name: "cursor", Usage: "the value `next` of the previous page"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			who, err := command.Arg(c, "who")
			if err != nil {
				return err
			}
			q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
			if v := c.String("cursor"); v != "" {
				q.Set("cursor", v)
			}
			return command.Get(ctx, c, command.OfProject("/users/"+url.PathEscape(who)+"/trail?"+q.Encode()), showTrail)
		}}
}

func showTrail(out io.Writer, v contract.Trail) {
	defer Completeness(out, v.Searched)
	if len(v.Entries) == 0 {
		fmt.Fprintln(out,
			"Nothing that is kept names this user: their events may be past retention, or the user was erased.")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("TIME", "WHAT", "")
		for _, e := range v.Entries {
			what, said := trailLine(e)
			row(e.At.Format("2006-01-02 15:04:05"), what, show.Cut(show.Plain(said), 100))
		}
	})
	if v.Next != "" {
		fmt.Fprintf(out, "\nThere is more before that: --cursor %s\n", v.Next)
	}
}

// trailLine is what happened, and what is said of it.
func trailLine(e contract.TrailEntry) (what, said string) {
	switch {
	case e.Session != nil:
		s := e.Session
		return "session", fmt.Sprintf("%s, %s, %s in %s", s.Outcome, (time.Duration(s.DurationMS) *
			time.Millisecond).Round(time.Second), show.OrElse(s.Release, "no release"), s.Environment)
	case e.Breadcrumb != nil:
		return "  " + show.OrElse(show.Plain(e.Breadcrumb.Kind), "breadcrumb"), e.Breadcrumb.Message
	case e.Feedback != nil:
		return "feedback", e.Feedback.Text
	case e.Event != nil:
		return "event", e.Event.Issue + "  " + e.Event.Headline
	}
	return e.Kind, ""
}

// affectedCommand says how many users an issue or a search hit.
func affectedCommand() *cli.Command {
	return &cli.Command{Name: "affected", Usage: "count the affected users of an issue or search, and how many came back",
		Description: command.SearchHelp,
		Flags:       append(command.SearchFlags(), &cli.StringFlag{Name: "issue", Usage: "only users of issue `ID`"}),
		Action: func(ctx context.Context, c *cli.Command) error {
			return command.Get(ctx, c, command.OfSearch("/affected", c.String("issue"),
				command.SearchQuery(c, url.Values{})), showAffected)
		}}
}

func showAffected(out io.Writer, v contract.Affected) {
	defer Completeness(out, v.Searched)
	if v.Users == 0 {
		fmt.Fprintln(out, "No user fits. Events are searched in the last 7 days; a longer time: --window 30d")
		return
	}
	fmt.Fprintf(out, "%s in %s: %s of %s that were seen.\n", show.Counted(v.Users, "user"), show.Counted(v.Events,
		"event"),
		strings.TrimSpace(Share(v.Users, v.Active)), show.Counted(v.Active, "user"))
	fmt.Fprintf(out, "%s came back (%s).\n\n", show.Counted(v.CameBack, "user"), strings.TrimSpace(Share(v.CameBack,
		v.Users)))
	show.Table(out, func(row func(...any)) {
		row("RELEASE", "  USERS", " EVENTS")
		for _, r := range v.Releases {
			row(show.OrElse(show.Plain(r.Value), "none"), show.Figure(r.Users), show.Figure(r.Events))
		}
	})
}
