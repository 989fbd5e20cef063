package projects

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Received is the command about what came in, and what became of it.
func Received() *cli.Command {
	return &cli.Command{Name: "received", Usage: "events received, dropped, refused and cut, with reasons",
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "hours", Value: 24, Usage: "look `HOURS` back"},
			&cli.BoolFlag{Name: "examples", Usage: "with examples of each cause"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			return command.Get(ctx, c, command.OfProject(fmt.Sprintf("/received?hours=%d", c.Int("hours"))),
				func(out io.Writer, v contract.Received) {
					showReceived(out, v, c.Bool("examples"))
				})
		}}
}

func showReceived(out io.Writer, v contract.Received, examples bool) {
	if len(v.Hours) == 0 {
		fmt.Fprintf(out, "Nothing came in for %s since %s. Send a test event: firethorn send --project %s\n",
			show.Plain(v.Project), v.From.Format("2006-01-02 15:04"), show.Plain(v.Project))
		return
	}
	fmt.Fprintf(out, "%s since %s UTC: %s stored, %s dropped by rules, %s over the allowance, %s refused\n\n",
		show.Plain(v.Project), v.From.Format("2006-01-02 15:04"),
		show.Count(v.Sum.Stored), show.Count(v.Sum.Dropped), show.Count(v.Sum.OverAllowance), show.Count(v.Sum.Refused))
	if v.Sum.Sessions+v.Sum.Feedback > 0 {
		fmt.Fprintf(out, "also %s about sessions, and feedback %s\n\n",
			show.Counted(v.Sum.Sessions, "message"), show.Counted(v.Sum.Feedback, "time"))
	}
	show.Table(out, func(row func(...any)) {
		row("HOUR (UTC)", " STORED", "DROPPED", "   OVER", "REFUSED", "    CUT", "SCRUBBED", "")
		most := int64(1)
		for _, h := range v.Hours {
			most = max(most, h.Stored+h.Dropped+h.OverAllowance)
		}
		for _, h := range v.Hours {
			bar := strings.Repeat("█", int(20*h.Stored/most)) + strings.Repeat("▒",
				int(20*(h.Dropped+h.OverAllowance)/most))
			row(h.Hour.Format("Jan 02 15:04"), show.Figure(h.Stored), show.Figure(h.Dropped),
				show.Figure(h.OverAllowance),
				show.Figure(h.Refused), show.Figure(h.Cut), show.Figure(h.Scrubbed), bar)
		}
	})
	if len(v.Causes) > 0 {
		fmt.Fprintln(out)
		show.Table(out, func(row func(...any)) {
			row(" EVENTS", "CAUSE", "RULE", "MEANING")
			for _, c := range v.Causes {
				row(show.Figure(c.Events), strings.ReplaceAll(c.Cause, "_", " "), show.OrDash(c.Rule), c.Text)
			}
		})
	}
	for _, c := range v.Causes {
		for _, e := range c.Examples {
			if examples {
				fmt.Fprintf(out, "  %s %s, %s: %s\n", strings.ReplaceAll(c.Cause, "_", " "),
					show.Plain(show.OrDash(c.Rule)),
					show.Ago(e.At), show.Plain(show.Cut(e.Text, 140)))
			}
		}
	}
	for _, o := range v.RulesOff {
		fmt.Fprintf(out, "\n! The %s rule %q was switched off %s: %s\n", o.Section, show.Plain(o.Rule), show.Ago(o.At),
			show.Plain(o.Why))
	}
	if !examples && len(v.Causes) > 0 {
		fmt.Fprintln(out, "\nSee what they were with --examples.")
	}
}
