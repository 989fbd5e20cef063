// Package grouping has the commands about how events are grouped, and about rules.
package grouping

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/offline"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
)

// Group is the command about how events are grouped.
func Group() *cli.Command {
	return &cli.Command{Name: "group", Usage: "which events are together, why, and what to mend",
		Commands: []*cli.Command{
			{Name: "why", Usage: "what an event's fingerprint was made from; with two, where they first differ",
				Description: "EVENT and OTHER are events' ids, or issues such as quayside/6, whose newest kept event counts.",
				Arguments:   []cli.Argument{command.Text("event"), command.Text("other")},
				Action: func(ctx context.Context, c *cli.Command) error {
					event, err := command.Arg(c, "event")
					if err != nil {
						return err
					}
					q := url.Values{"event": {event}}
					if other := c.StringArg("other"); other != "" {
						q.Set("other", other)
					}
					path := command.OfProject("/grouping?" + q.Encode())
					if project, _, ok := strings.Cut(event, "/"); ok {
						path = func(*client.Client) (string, error) {
							return "/api/projects/" + url.PathEscape(project) + "/grouping?" + q.Encode(), nil
						}
					}
					return command.Get(ctx, c, path, showWhy)
				}},
			{Name: "review", Usage: "what is grouped badly, with a rule suggested for each",
				Description: "Looks for one cause in several issues, several causes in one, and noise. A suggestion is tried like any rule:\n" +
					"  firethorn group review --suggestion 1 > rules.yaml\n  firethorn rules try rules.yaml",
				Flags: []cli.Flag{&cli.IntFlag{Name: "suggestion",
					Usage: "print the project's rules with the rule that finding `N` suggests"}}, Action: groupReview},
			{Name: "versions", Usage: "the versions of the algorithm, and which one a project has",
				Action: groupVersions},
			{Name: "adopt", Usage: "group what comes by another version of the algorithm; nothing regroups by that",
				Arguments: []cli.Argument{&cli.IntArg{Name: "version", UsageText: "VERSION"}},
				Flags:     []cli.Flag{&cli.BoolFlag{Name: "regroup", Usage: "group the stored events by it too"}},
				Action:    adoptGrouping},
			{Name: "regroup", Usage: "group the stored events by the rules and the version there are now, in the background",
				Description: "Waits for the end; Ctrl-C lets it go on by itself. What was merged or split by hand stays so, unless a rule names the events.\nOne is under way at a time, and the last one can be taken back: firethorn group undo",
				Flags: []cli.Flag{
					&cli.BoolFlag{Name: "watch", Usage: "only follow the one that is under way"},
					&cli.BoolFlag{Name: "stop", Usage: "end the one that is under way, while it reads"},
				}, Action: groupRegroup},
			{Name: "undo", Usage: "take the last regrouping back, with the rules and the version before it",
				Action: func(ctx context.Context, c *cli.Command) error { return regroupAndWatch(ctx, c, "undo") }},
			{Name: "history", Usage: "who regrouped, when, and what moved", Action: groupHistory},
			{Name: "try", Usage: "what another version of the algorithm would do to stored events",
				Description: "Tries --grouping-version with the project's own rules: which issues would merge, split or stay. Nothing is changed.",
				Flags:       trialFlags(),
				Action: func(ctx context.Context, c *cli.Command) error {
					if c.Int("grouping-version") == 0 {
						return command.Usage("which version? Say --grouping-version N; firethorn group versions lists them")
					}
					return tryOnService(ctx, c, nil)
				}},
		}}
}

func showWhy(out io.Writer, w contract.Why) {
	as := show.StyleOf(out)
	showEventWhy(out, as, w.EventWhy)
	if w.Other == nil {
		return
	}
	fmt.Fprintln(out)
	showEventWhy(out, as, *w.Other)
	fmt.Fprintln(out)
	switch {
	case w.Together:
		fmt.Fprintln(out, as.Bright("Both have one fingerprint."))
	case w.Differ != nil:
		fmt.Fprintf(out, "%s\n  %s\n  %s\n", as.Bright("They first differ in the "+show.Plain(w.Differ.What)+":"),
			show.OrElse(show.Plain(w.Differ.This), "(nothing)"), show.OrElse(show.Plain(w.Differ.Other), "(nothing)"))
	}
	if w.Issue == w.Other.Issue && !w.Together {
		fmt.Fprintf(out, "Both are in %s all the same: people put them together, or they were when one of them was filed.\n", w.Issue)
	}
}

func showEventWhy(out io.Writer, as show.Style, w contract.EventWhy) {
	fmt.Fprintf(out, "%s  %s\n  event %s, fingerprint %s (grouping version %d)\n  %s\n  %s\n\n", as.Bright(w.Issue),
		as.Bright(show.Plain(w.Headline)), w.Event, w.Fingerprint, w.Version, w.Filed, show.Plain(w.Application))
	offline.ShowParts(out, as, w.Parts, w.LeftOut)
}
