// Package round has the command that walks through the issues that need a decision.
package round

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
)

// Round is the command that walks through what needs a decision.
func Round() *cli.Command {
	return &cli.Command{
		Name: "round", Usage: "triage: decide about issues one after the other",
		Description: "Shows issues that are new, came back, woke, surge or have grown, and your own that others changed since you looked: highest impact first, each\n" +
			"with the reason and what is known about it, in all projects if none is selected. One key decides, and the next issue follows:\n\n" + show.IndentAll(roundKeys, "  ") +
			"\nWhere standard input is no terminal, lines are read instead of keys: the key, a blank, and what it asks for.\n" +
			"  printf 'a\\ns maren.holt@marrowsound.example\\np 2w users 10\\nq\\n' | firethorn round --project quayside",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "all", Usage: "search all projects, even if one is selected"},
			&cli.BoolFlag{Name: "list", Usage: "print the queue and start nothing; so does --format json"},
			&cli.IntFlag{Name: "limit", Value: 50, Usage: "with --list: print at most this many"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Bool("list") || c.String("format") == "json" {
				return command.Get(ctx, c, func(cl *client.Client) (string, error) {
					return roundPath("", roundIn(c, cl), fmt.Sprintf("limit=%d", c.Int("limit"))), nil
				}, showRound)
			}
			cl, err := command.NewClient(ctx, c)
			if err != nil {
				return err
			}
			w := &walk{cl: cl, out: c.Root().Writer, ask: asker(c.Root().Reader, c.Root().Writer),
				project: roundIn(c, cl)}
			return w.run(ctx)
		},
	}
}

// roundIn is the project that the round is in, "" for all.
func roundIn(c *cli.Command, cl *client.Client) string {
	if c.Bool("all") {
		return ""
	}
	return cl.Project
}

func roundPath(path, project, query string) string {
	q := url.Values{}
	if project != "" {
		q.Set("project", project)
	}
	return "/api/round" + path + "?" + strings.Trim(q.Encode()+"&"+query, "&")
}

const roundKeys = `a  accept                         m  merge into …
g  give to the proposed owner     +  raise its severity    -  lower it
s  assign to …                    c  comment
p  park until …                   z  undo what you did last
f  fixed in …                     j  later (what is accepted: seen)
d  dismiss                        k  the one before
i  the arithmetic of its impact   t  the whole trace
q  end the round                  ?  these keys
`

func showRound(out io.Writer, v contract.Round) {
	if len(v.Items) == 0 {
		fmt.Fprintf(out, "Nothing%s needs a decision of yours.%s\n", ofProjectWords(v.Project), lastRound(v))
		return
	}
	show.Table(out, func(row func(...any)) {
		row("IMPACT", "ISSUE", "HEADLINE", "WHY", "  USERS", "STATE", "OWNER")
		for _, i := range v.Items {
			owner := "-"
			if i.Owner != nil {
				owner = *i.Owner
			}
			row(fmt.Sprintf("%5.1f", i.Impact), i.ID, show.Cut(i.Headline, 40), show.Cut(whyHere(i.Why), 70),
				show.Figure(i.Users),
				i.State, owner)
		}
	})
	which := "--all"
	if v.Project != "" {
		which = "--project " + v.Project
	}
	fmt.Fprintf(out, "\n%s.%s firethorn round %s goes through them.\n", waiting(v), lastRound(v), which)
}

func ofProjectWords(project string) string {
	if project == "" {
		return ""
	}
	return " of " + project
}

func waiting(v contract.Round) string {
	if v.Waiting >= 1000 {
		return "1,000 or more need a decision"
	}
	return show.Plural(v.Waiting, "1 needs a decision", fmt.Sprintf("%d need a decision", v.Waiting))
}

func lastRound(v contract.Round) string {
	if v.Last == nil {
		return ""
	}
	return " Your last round ended " + show.Ago(*v.Last) + "."
}

// whyHere says why an issue needs a decision, in a line.
func whyHere(list []contract.Reason) string {
	var out []string
	for _, r := range list {
		who := ""
		if r.Actor != "" {
			who = r.Actor + ": "
		}
		prefix := ""
		if r.Kind == "yours" {
			prefix = "yours, "
		}
		out = append(out, prefix+who+r.Text+", "+show.Ago(r.At))
	}
	return strings.Join(out, "; ")
}

func showRoundEnd(out io.Writer, v contract.RoundEnd) {
	n := 0
	for _, d := range v.Done {
		if !d.Undone {
			n++
		}
	}
	took := fmt.Sprintf("%d s", v.Seconds)
	if v.Seconds >= 60 {
		took = fmt.Sprintf("%d min %02d s", v.Seconds/60, v.Seconds%60)
	}
	fmt.Fprintf(out, "\nRound%s: %s in %s\n", ofProjectWords(v.Project),
		show.Plural(n, "1 decision", fmt.Sprintf("%d decisions", n)), took)
	show.Table(out, func(row func(...any)) {
		for _, d := range v.Done {
			if !d.Undone {
				row("  "+d.Issue, show.Cut(d.Headline, 48), d.Text)
			}
		}
	})
	switch {
	case v.Left == 0:
		fmt.Fprintln(out, "Nothing is left.")
	case v.Left >= 1000:
		fmt.Fprintln(out, "1,000 or more are left for another time.")
	default:
		fmt.Fprintf(out, "%s left for another time.\n", show.Plural(v.Left, "1 is", fmt.Sprintf("%d are", v.Left)))
	}
}
