// Package search has the commands that answer searches: facets, histograms, users, and saved searches.
package search

import (
	"context"
	"fmt"
	"io"
	"math"
	"net/url"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Facets is the command that shows the values of attributes.
func Facets() *cli.Command {
	return &cli.Command{
		Name:  "facets",
		Usage: "values of attributes: what events have in common, and how some differ",
		Description: "Counts events and users for each value; without --by for the twelve attributes that say most about which\n" +
			"issue an event belongs to. With --against others it shows what is far more common in the events of an issue, or of a search,\n" +
			"than in all others of the same time.\n\n" + command.SearchHelp,
		Flags: append(command.SearchFlags(),
			&cli.StringFlag{Name: "issue", Usage: "only events of issue `ID`"},
			&cli.StringSliceFlag{Name: "by", Usage: "this `ATTRIBUTE`; may be repeated"},
			&cli.StringFlag{Name: "against", Usage: "compare with the `others`"},
			&cli.IntFlag{Name: "limit", Value: 10, Usage: "print this many values of each attribute"}),
		Action: facets,
	}
}

func facets(ctx context.Context, c *cli.Command) error {
	q := command.SearchQuery(c, url.Values{"limit": {strconv.Itoa(c.Int("limit"))}})
	for _, name := range c.StringSlice("by") {
		q.Add("by", name)
	}
	switch c.String("against") {
	case "":
		return command.Get(ctx, c, command.OfSearch("/facets", c.String("issue"), q), showFacets)
	case "others":
	default:
		return command.Usage(
			"--against is others, not %q: the project's other events of the same time",
			c.String("against"),
		)
	}
	if c.String("issue") == "" && c.String("search") == "" {
		return command.Usage("--against others needs --issue ID or --search SEARCH: what is compared with the others")
	}
	return command.Get(ctx, c, command.OfSearch("/facets/against", c.String("issue"), q), showAgainst)
}

func showFacets(out io.Writer, v contract.Facets) {
	defer Completeness(out, v.Searched)
	if v.Events == 0 {
		fmt.Fprintln(out, "No event fits. Events are searched in the last 7 days; a longer time: --window 30d")
		return
	}
	fmt.Fprintf(out, "%s of %s\n", show.Counted(v.Events, "event"), show.Counted(v.Users, "user"))
	for _, f := range v.Facets {
		fmt.Fprintf(out, "\n%s\n", f.Name)
		show.Table(out, func(row func(...any)) {
			for _, x := range f.Values {
				row(
					"  "+show.OrDash(show.Cut(show.Plain(x.Value), 60)),
					show.Figure(x.Events),
					Share(x.Events, v.Events),
					show.Amount(x.Users, "user"),
				)
			}
			if f.Others > 0 {
				row("  (other values)", show.Figure(f.Others), Share(f.Others, v.Events), "")
			}
			if f.Absent > 0 {
				row("  (no value)", show.Figure(f.Absent), Share(f.Absent, v.Events), "")
			}
		})
	}
}

// Share writes how many of all, in percent.
func Share(n, of int64) string {
	p := 100 * float64(n) / float64(max(of, 1))
	switch {
	case n > 0 && p < 1:
		return " <1 %"
	case n < of && p > 99:
		return ">99 %"
	}
	return fmt.Sprintf("%3.0f %%", p)
}

func showAgainst(out io.Writer, v contract.Against) {
	defer Completeness(out, v.Searched)
	if len(v.Values) == 0 {
		fmt.Fprintf(
			out,
			"Nothing sets these events apart: of %s, none is more common here than chance would have it.\n",
			show.Counted(int64(v.Looked), "value"),
		)
		return
	}
	show.Table(out, func(row func(...any)) {
		row("ATTRIBUTE", "VALUE", "HERE", "ELSEWHERE", "TIMES", "P")
		for _, x := range v.Values {
			row(
				x.Name,
				show.Cut(show.Plain(x.Value), 50),
				of(x.Here, x.HereOf),
				of(x.Elsewhere, x.ElsewhereOf),
				times(x.Ratio),
				probability(x.P),
			)
		}
	})
	fmt.Fprintf(
		out,
		"\n%s compared. P is the probability that chance does this, times that number.\n",
		show.Counted(int64(v.Looked), "value"),
	)
}

func of(n, all int64) string {
	return fmt.Sprintf("%s of %s, %s", show.Count(n), show.Count(all), strings.TrimSpace(Share(n, all)))
}

func times(ratio float64) string {
	switch {
	case ratio >= 1e6:
		return "only here"
	case ratio >= 10:
		return fmt.Sprintf("%.0f", ratio)
	}
	return fmt.Sprintf("%.1f", ratio)
}

func probability(p float64) string {
	if p < 1e-12 {
		return "<1e-12"
	}
	return fmt.Sprintf("%.0e", p)
}

// Completeness writes how complete an answer is.
func Completeness(out io.Writer, s contract.Searched) {
	for _, w := range s.Warnings {
		fmt.Fprintf(out, "\nNote: %s.\n", show.Plain(w))
	}
	if s.CompleteFrom != nil {
		fmt.Fprintf(
			out,
			"\nThe search index is being filled in: events before %s may be missing.\n",
			s.CompleteFrom.Format("2006-01-02 15:04"),
		)
	}
}

// Histogram is the command that shows when events came.
func Histogram() *cli.Command {
	return &cli.Command{Name: "histogram", Usage: "events and affected users by hour or day",
		Description: command.SearchHelp,
		Flags: append(command.SearchFlags(),
			&cli.StringFlag{Name: "issue", Usage: "only events of issue `ID`"},
			&cli.StringFlag{Name: "by", Usage: "one series for each frequent value of this `ATTRIBUTE`"},
			&cli.StringFlag{Name: "interval", Usage: "such as 15m, 1h or 1d (default: what suits the window)"},
			&cli.IntFlag{Name: "limit", Value: 8, Usage: "series"}),
		Action: func(ctx context.Context, c *cli.Command) error {
			q := command.SearchQuery(c, url.Values{"limit": {strconv.Itoa(c.Int("limit"))}})
			for _, name := range []string{"by", "interval"} {
				if v := c.String(name); v != "" {
					q.Set(name, v)
				}
			}
			return command.Get(ctx, c, command.OfSearch("/histogram", c.String("issue"), q), showHistogram)
		}}
}

const barWidth = 40 // columns

func showHistogram(out io.Writer, v contract.Histogram) {
	defer Completeness(out, v.Searched)
	form := "2006-01-02 15:04"
	if v.IntervalS%86400 == 0 {
		form = "2006-01-02"
	}
	most := int64(1)
	for _, s := range v.Series {
		for _, p := range s.Points {
			most = max(most, p.Events)
		}
	}
	for i, s := range v.Series {
		if s.Value != "" {
			if i > 0 {
				fmt.Fprintln(out)
			}
			fmt.Fprintln(out, show.Plain(s.Value))
		}
		for _, p := range trimmed(s.Points) {
			n := int(math.Round(float64(p.Events) * barWidth / float64(most)))
			if p.Events > 0 {
				n = max(n, 1)
			}
			line := fmt.Sprintf(
				"%s  %s  %-*s",
				p.At.Format(form),
				show.Figure(p.Events),
				barWidth,
				strings.Repeat("█", n),
			)
			if p.Users > 0 {
				line += "  " + show.Counted(p.Users, "user")
			}
			fmt.Fprintln(out, strings.TrimRight(line, " "))
		}
	}
	if len(v.Series) == 0 {
		fmt.Fprintln(out, "No event fits. Events are searched in the last 7 days; a longer time: --window 30d")
	}
}

// trimmed leaves the empty points before the first event out.
func trimmed(list []contract.Point) []contract.Point {
	for i, p := range list {
		if p.Events > 0 {
			return list[i:]
		}
	}
	return nil
}
