package cli

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/contract"
)

func receivedCommand() *cli.Command {
	return &cli.Command{Name: "received", Usage: "what came in, what was dropped, turned away or cut, and why",
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "hours", Value: 24, Usage: "how many `HOURS` back"},
			&cli.BoolFlag{Name: "examples", Usage: "with examples of each cause"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			return get(ctx, c, ofProject(fmt.Sprintf("/received?hours=%d", c.Int("hours"))),
				func(out io.Writer, v contract.Received) {
					showReceived(out, v, c.Bool("examples"))
				})
		}}
}

func showReceived(out io.Writer, v contract.Received, examples bool) {
	if len(v.Hours) == 0 {
		fmt.Fprintf(out, "Nothing came in for %s since %s. Send a test event: firethorn send --project %s\n", plain(v.Project), v.From.Format("2006-01-02 15:04"), plain(v.Project))
		return
	}
	fmt.Fprintf(out, "%s since %s UTC: %s stored, %s dropped by rules, %s over the allowance, %s refused\n\n", plain(v.Project), v.From.Format("2006-01-02 15:04"),
		count(v.Sum.Stored), count(v.Sum.Dropped), count(v.Sum.OverAllowance), count(v.Sum.Refused))
	if v.Sum.Sessions+v.Sum.Feedback > 0 {
		fmt.Fprintf(out, "beside them %s messages about sessions, and feedback %s times\n\n", count(v.Sum.Sessions), count(v.Sum.Feedback))
	}
	table(out, func(row func(...any)) {
		row("HOUR (UTC)", " STORED", "DROPPED", "   OVER", "REFUSED", "    CUT", "SCRUBBED", "")
		most := int64(1)
		for _, h := range v.Hours {
			most = max(most, h.Stored+h.Dropped+h.OverAllowance)
		}
		for _, h := range v.Hours {
			bar := strings.Repeat("█", int(20*h.Stored/most)) + strings.Repeat("▒",
				int(20*(h.Dropped+h.OverAllowance)/most))
			row(h.Hour.Format("Jan 02 15:04"), figure(h.Stored), figure(h.Dropped), figure(h.OverAllowance),
				figure(h.Refused), figure(h.Cut), figure(h.Scrubbed), bar)
		}
	})
	if len(v.Causes) > 0 {
		fmt.Fprintln(out)
		table(out, func(row func(...any)) {
			row(" EVENTS", "CAUSE", "RULE", "THAT IS")
			for _, c := range v.Causes {
				row(figure(c.Events), strings.ReplaceAll(c.Cause, "_", " "), orDash(c.Rule), c.Words)
			}
		})
	}
	for _, c := range v.Causes {
		for _, e := range c.Examples {
			if examples {
				fmt.Fprintf(out, "  %s %s, %s: %s\n", strings.ReplaceAll(c.Cause, "_", " "), plain(orDash(c.Rule)),
					ago(e.At), plain(cut(e.Words, 140)))
			}
		}
	}
	for _, o := range v.RulesOff {
		fmt.Fprintf(out, "\n! The %s rule %q was switched off %s: %s\n", o.Section, plain(o.Rule), ago(o.At),
			plain(o.Why))
	}
	if !examples && len(v.Causes) > 0 {
		fmt.Fprintln(out, "\nSee what they were with --examples.")
	}
}
