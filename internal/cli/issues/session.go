package issues

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

// Session is the command about runs of an application.
func Session() *cli.Command {
	return &cli.Command{Name: "session", Usage: "runs of the application and their outcomes", Commands: []*cli.Command{
		{Name: "count", Usage: "count sessions by outcome, release and environment",
			Description: "clean: no error; faulty: an error occurred; crashed: an unhandled exception ended it;\ncut-off: it stopped reporting after a hang, a kill or a power failure; running: not ended yet.",
			Flags: []cli.Flag{&cli.IntFlag{Name: "days", Value: 14,
				Usage: "look `DAYS` back, including today (UTC)"}, &cli.BoolFlag{Name: "by-day",
				Usage: "one row for each day"}},
			Action: func(ctx context.Context, c *cli.Command) error {
				q := url.Values{"days": {strconv.Itoa(c.Int("days"))}, "by_day": {strconv.FormatBool(c.Bool("by-day"))}}
				return command.Get(ctx, c, command.OfProject("/session-counts?"+q.Encode()), showSessionCounts)
			}},
		{Name: "list", Usage: "sessions, newest first",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "outcome", Usage: "only running, clean, faulty, crashed or cut-off ones"},
				&cli.StringFlag{Name: "user", Usage: "only those of the user with this `IDENTITY`"},
				&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most this many"},
				&cli.StringFlag{Name: "cursor",
					Usage: "the value `next` of the previous page"},
			},
			Action: func(ctx context.Context, c *cli.Command) error {
				q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
				for _, name := range []string{"outcome", "user", "cursor"} {
					if v := c.String(name); v != "" {
						q.Set(name, v)
					}
				}
				return command.Get(ctx, c, command.OfProject("/sessions?"+q.Encode()),
					func(out io.Writer, v contract.Sessions) {
						if len(v.Sessions) == 0 {
							fmt.Fprintln(out, "No session. Clients of ours report them when they are started with sessions: firethorn project set-up")
							return
						}
						show.Table(out, func(row func(...any)) {
							row("SESSION", "STARTED", "LASTED", "OUTCOME", "RELEASE", "ENVIRONMENT")
							for _, s := range v.Sessions {
								row(s.ID, s.Started.Format("2006-01-02 15:04:05"), lasted(s.DurationMS), s.Outcome,
									show.OrDash(s.Release), s.Environment)
							}
						})
						if v.Next != "" {
							fmt.Fprintf(out, "\nThere are more: --cursor %s\n", v.Next)
						}
					})
			}},
		{Name: "show", Usage: "show a session and its events", Arguments: []cli.Argument{command.Text("id")},
			Action: func(ctx context.Context, c *cli.Command) error {
				id, err := command.Arg(c, "id")
				if err != nil {
					return err
				}
				return command.Get(ctx, c, command.OfProject("/sessions/"+url.PathEscape(id)),
					func(out io.Writer, s contract.SessionDetail) {
						fmt.Fprintf(out, "session %s: %s\n%s in %s, from %s on, %s; last message %s\n",
							show.Plain(s.ID), s.Outcome, show.OrElse(show.Plain(s.Release), "no release"),
							show.Plain(s.Environment), s.Started.Format("2006-01-02 15:04:05 UTC"),
							lasted(s.DurationMS), show.Ago(s.LastReceived))
						if len(s.Events) == 0 {
							fmt.Fprintln(out, "No event of it is kept.")
							return
						}
						fmt.Fprintln(out)
						listEvents(out, s.Events)
					})
			}},
	}}
}

func showSessionCounts(out io.Writer, v contract.SessionCounts) {
	if v.Total.Sessions == 0 {
		fmt.Fprintf(out, "No session began from %s to %s. Clients of ours report them; firethorn project set-up says how to start one.\n", v.From, v.To)
		return
	}
	show.Table(out, func(row func(...any)) {
		row("DAY", "RELEASE", "ENVIRONMENT", "SESSIONS", "CLEAN", "FAULTY", "CRASHED", "CUT-OFF", "RUNNING",
			"CRASH-FREE")
		for _, c := range append(v.Counts, v.Total) {
			if c.Release == "" && c.Environment == "" {
				c.Day, c.Release, c.Environment = "all", "all", "all"
			}
			row(show.OrElse(c.Day, "all"), show.OrDash(c.Release), c.Environment, show.Count(c.Sessions),
				show.Count(c.Clean),
				show.Count(c.Faulty), show.Count(c.Crashed), show.Count(c.CutOff), show.Count(c.Running),
				fmt.Sprintf("%.2f %%",
					100*c.CrashFree))
		}
	})
	fmt.Fprintf(out, "\nSessions that began from %s to %s (UTC).\n", v.From, v.To)
}

func lasted(ms int64) string {
	d := time.Duration(ms) * time.Millisecond
	if d >= time.Minute {
		return d.Round(time.Second).String()
	}
	return d.String()
}

// Feedback is the command about feedback.
func Feedback() *cli.Command {
	return &cli.Command{Name: "feedback", Usage: "feedback of affected users", Commands: []*cli.Command{
		{Name: "list", Usage: "list feedback, newest first",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "issue", Usage: "only feedback about issue `ID`"}, &cli.StringFlag{Name: "event",
					Usage: "only feedback about event `ID`"},
				&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most this many"},
				&cli.StringFlag{Name: "cursor",
					Usage: "the value `next` of the previous page"},
			},
			Action: func(ctx context.Context, c *cli.Command) error {
				q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
				if v := c.String("cursor"); v != "" {
					q.Set("cursor", v)
				}
				path := command.OfProject("/feedback?" + q.Encode())
				switch id, event := c.String("issue"), c.String("event"); {
				case id != "" && event != "":
					return command.Usage("--issue or --event, not both")
				case id != "":
					path = command.OfIssue(id, "/feedback?"+q.Encode())
				case event != "":
					q.Set("event", event)
					path = command.OfProject("/feedback?" + q.Encode())
				}
				return command.Get(ctx, c, path, func(out io.Writer, v contract.FeedbackList) {
					if len(v.Feedback) == 0 {
						fmt.Fprintln(out, "No feedback yet. The browser client has a dialog that asks for it: askForFeedback() of @firethorn/client/feedback")
						return
					}
					showFeedback(out, v.Feedback)
					if v.Next != "" {
						fmt.Fprintf(out, "There are more: --cursor %s\n", v.Next)
					}
				})
			}},
	}}
}

func showFeedback(out io.Writer, list []contract.Feedback) {
	for _, f := range list {
		who := "somebody"
		if f.Name != "" || f.Email != "" {
			who = strings.TrimSpace(show.Plain(f.Name) + orNothing(" <%s>", f.Email))
		}
		about := show.OrElse(f.Issue, orNothing("event %s, which is not processed yet", f.Event))
		fmt.Fprintf(out, "%s, %s%s\n", f.Time.Format("2006-01-02 15:04"), who, orNothing(", about %s", about))
		fmt.Fprintf(out, "  %s\n\n", show.Indent(show.Lines(f.Text)))
	}
}
