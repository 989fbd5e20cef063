package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

func sinceCommand() *cli.Command {
	return &cli.Command{Name: "since", Usage: "releases, deployments and decisions on one time line, and what silence means", Arguments: []cli.Argument{command.Text("id")},
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			return command.Get(ctx, c, command.OfIssue(id, "/since"), showSince)
		}}
}

func showSince(out io.Writer, v contract.Since) {
	as := show.StyleOf(out)
	type line struct{ day, text string }
	events := map[string]contract.TrendDay{}
	most := int64(1)
	for _, d := range v.Days {
		events[d.Day] = d
		most = max(most, d.Events)
	}
	var lines []line
	last := ""
	add := func(day string) {
		if day == last {
			return
		}
		last = day
		if d, ok := events[day]; ok {
			bar := strings.Repeat("▇", int(1+d.Events*19/most))
			lines = append(lines,
				line{day, fmt.Sprintf("%-20s %s, %s", bar, show.Counted(d.Events, "event"),
					show.Counted(d.Users, "user"))})
		}
	}
	next := 0
	for _, m := range v.Marks {
		day := m.At.Format("2006-01-02")
		for next < len(v.Days) && v.Days[next].Day <= day {
			add(v.Days[next].Day)
			next++
		}
		mark := map[string]string{"regressed": "!", "fix": "✓", "released": "✓", "holding": "✓", "release": "▲",
			"deploy": "↑"}[m.Kind]
		words := show.Plain(m.Text)
		if m.Kind == "regressed" {
			words = as.Bright(words)
		}
		lines = append(lines, line{m.At.Format("2006-01-02 15:04"), show.OrElse(mark, "·") + " " + words})
	}
	for ; next < len(v.Days); next++ {
		add(v.Days[next].Day)
	}
	for _, l := range lines {
		fmt.Fprintf(out, "  %-16s  %s\n", l.day, l.text)
	}
	for _, words := range []string{holdingText(v.Holding), v.Quiet} {
		if words != "" {
			fmt.Fprintf(out, "\n%s\n", show.Plain(words))
		}
	}
}

func holdingText(h *contract.Holding) string {
	if h == nil {
		return ""
	}
	return h.Text
}

func likelyCommand() *cli.Command {
	return &cli.Command{Name: "likely", Usage: "commits that may have caused it, and who changed the line last",
		Arguments: []cli.Argument{command.Text("id")},
		Flags: []cli.Flag{&cli.StringFlag{Name: "in",
			Usage: "the `RELEASE` in which it appeared (default: where it came back last, else where it was first seen)"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			rest := "/likely"
			if in := c.String("in"); in != "" {
				rest += "?release=" + url.QueryEscape(in)
			}
			return command.Get(ctx, c, command.OfIssue(id, rest), showLikely)
		}}
}

func showLikely(out io.Writer, v contract.LikelyChanges) {
	as := show.StyleOf(out)
	fmt.Fprintf(out, "%s appeared in %s: %s\n", v.Issue, show.Plain(show.OrElse(v.Release, "no release")),
		show.Plain(v.Text))
	if v.Onset != nil {
		fmt.Fprintf(out, "%s\n", show.Plain(v.Onset.Text))
		for _, d := range v.Onset.Deploys {
			fmt.Fprintf(out, "  %s  %s\n", d.At.Format("2006-01-02 15:04"), show.Plain(d.Text))
		}
	}
	for _, c := range v.Changes {
		fmt.Fprintf(out, "\n  %5.1f  %s  %s\n         %s, %s; %s\n", c.Score, c.Hash[:min(10, len(c.Hash))],
			as.Bright(show.Plain(c.Subject)), show.Plain(c.Author), c.Committed.Format("2006-01-02 15:04"),
			show.Plain(strings.Join(c.Reasons, "; ")))
		if c.Link != "" {
			fmt.Fprintf(out, "         %s\n", show.Plain(c.Link))
		}
	}
	if len(v.Places) > 0 {
		fmt.Fprintln(out)
	}
	for _, p := range v.Places {
		fmt.Fprintf(out, "  %s\n",
			as.Faint(fmt.Sprintf("%s:%d is %s (%s)", show.Plain(p.Source), p.Line,
				show.Plain(show.OrElse(p.Path, "not found")),
				show.Plain(p.How))))
	}
	if l := v.Line; l != nil {
		fmt.Fprintf(out, "\n%s:%d was changed last by %s on %s: %s %s\n  %s\n", show.Plain(l.Path), v.Places[0].Line,
			show.Plain(l.Author), l.Authored.Format("2006-01-02"), l.Commit[:min(10, len(l.Commit))],
			show.Plain(l.Subject),
			show.Plain(strings.TrimSpace(l.Text)))
	}
}

func ownersCommand() *cli.Command {
	return &cli.Command{Name: "owners", Usage: "suggest owners, with reasons",
		Arguments: []cli.Argument{command.Text("id")},
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			return command.Get(ctx, c, command.OfIssue(id, "/owners"), showOwners)
		}}
}

func showOwners(out io.Writer, v contract.Owners) {
	as := show.StyleOf(out)
	if v.Owner != nil {
		fmt.Fprintf(out, "%s has %s\n", show.Plain(*v.Owner), v.Issue)
	}
	if len(v.Proposals) == 0 {
		fmt.Fprintf(out, "Nobody can be proposed for %s.\n", v.Issue)
	}
	for _, p := range v.Proposals {
		fmt.Fprintf(out, "  %5.1f  %s  %s\n", p.Score, as.Bright(show.Plain(p.Name)),
			show.Plain(strings.Join(p.Reasons, "; ")))
	}
	if v.Path != "" {
		fmt.Fprintf(out, "  %s\n", as.Faint(show.Plain(v.Path)))
	}
	if v.Text != "" {
		fmt.Fprintf(out, "  %s\n", as.Faint(show.Plain(v.Text)))
	}
	if len(v.Strangers) > 0 {
		fmt.Fprintf(out, "Named there, but no account here: %s\n", show.Plain(strings.Join(v.Strangers, ", ")))
	}
	for _, b := range v.Bad {
		fmt.Fprintf(out, "CODEOWNERS, line %d is not used: %s\n  %s\n", b.Line, show.Plain(b.Why), show.Plain(b.Text))
	}
}

// Notice is the command about a person's notices.
func Notice() *cli.Command {
	return &cli.Command{
		Name: "notice", Usage: "your notices",
		Description: "Notices about issues that you own or watch: they came back, woke, were decided about or commented on by others. Also comments that mention you.\nNotices belong to a person: sign in with firethorn login.",
		Commands: []*cli.Command{
			{Name: "list", Usage: "your notices, newest first", Flags: []cli.Flag{
				&cli.BoolFlag{Name: "unseen", Usage: "only unseen notices"}, &cli.IntFlag{Name: "limit",
					Value: 50, Usage: "print at most this many"},
				&cli.Int64Flag{Name: "before", Usage: "the value `next` of the previous page"},
			}, Action: func(ctx context.Context, c *cli.Command) error {
				q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
				if c.Bool("unseen") {
					q.Set("unseen", "true")
				}
				if n := c.Int64("before"); n > 0 {
					q.Set("before", strconv.FormatInt(n, 10))
				}
				return command.Get(ctx, c, command.Fixed("/api/notices?"+q.Encode()), showNotices)
			}},
			{Name: "seen", Usage: "mark notices as seen, all or up to one",
				Flags: []cli.Flag{&cli.Int64Flag{Name: "up-to", Usage: "the `ID` of the last notice you saw"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					cl, err := command.NewClient(ctx, c)
					if err != nil {
						return err
					}
					n := c.Int64("up-to")
					if n == 0 {
						var v contract.Notices
						if _, err := cl.Call(ctx, http.MethodGet, "/api/notices?limit=1", nil, &v); err != nil {
							return err
						}
						if len(v.Notices) == 0 {
							fmt.Fprintln(c.Root().Writer, "There is no notice for you yet.")
							return nil
						}
						n = v.Notices[0].ID
					}
					if _, err := cl.Call(ctx, http.MethodPost, "/api/notices/seen", contract.SeenNotices{UpTo: n},
						nil); err != nil {
						return err
					}
					fmt.Fprintln(c.Root().Writer, "You have seen them.")
					return nil
				}},
		},
	}
}

func showNotices(out io.Writer, v contract.Notices) {
	if len(v.Notices) == 0 {
		fmt.Fprintln(out, "No notice. You are notified here when an issue that you own, fixed, parked or watch regresses, wakes or holds, when others decide about it or comment on it, and when a comment mentions you.")
		return
	}
	for _, n := range v.Notices {
		mark := "•"
		if n.Seen {
			mark = " "
		}
		who := ""
		if n.Actor != "" {
			who = n.Actor + ": "
		}
		fmt.Fprintf(out, "%s %-11s %-14s %s\n", mark, show.Ago(n.At), n.Issue, show.Plain(n.Headline))
		for line := range strings.Lines(who + n.Text) {
			fmt.Fprintf(out, "  %s\n", show.Plain(strings.TrimSuffix(line, "\n")))
		}
	}
	if v.Next != 0 {
		fmt.Fprintf(out, "\nThere are more: --before %d\n", v.Next)
	}
}
