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
	return &cli.Command{Name: "group", Usage: "how events are grouped, why, and what to improve",
		Commands: []*cli.Command{
			{Name: "why", Usage: "explain an event's fingerprint; with two events, show where they first differ",
				Description: "EVENT and OTHER are ids of events, or issues such as quayside/6, for the newest event with a body.",
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
			{Name: "review", Usage: "find badly grouped issues, and suggest a rule for each",
				Description: "Finds issues with the same cause, issues with several causes, and noise. Try a suggestion like any rule:\n" +
					"  firethorn group review --suggestion 1 > rules.yaml\n  firethorn rules try rules.yaml",
				Flags: []cli.Flag{&cli.IntFlag{Name: "suggestion",
					Usage: "print the project's rules with the rule that finding `N` suggests"}}, Action: groupReview},
			{Name: "versions", Usage: "versions of the algorithm, and the one of a project",
				Action: groupVersions},
			{Name: "adopt", Usage: "group new events by another version of the algorithm; stored events stay",
				Arguments: []cli.Argument{&cli.IntArg{Name: "version", UsageText: "VERSION"}},
				Flags:     []cli.Flag{&cli.BoolFlag{Name: "regroup", Usage: "also regroup stored events"}},
				Action:    adoptGrouping},
			{Name: "regroup", Usage: "regroup stored events by the current rules and version, in the background",
				Description: "Waits for the end; after Ctrl-C it continues in the service. Merges and splits made by hand stay, unless a rule names the events.\nOnly one runs at a time. firethorn group undo takes the last one back.",
				Flags: []cli.Flag{
					&cli.BoolFlag{Name: "watch", Usage: "follow the running one"},
					&cli.BoolFlag{Name: "stop", Usage: "cancel the running one while it reads"},
				}, Action: groupRegroup},
			{Name: "undo", Usage: "undo the last regrouping, with its rules and version",
				Action: func(ctx context.Context, c *cli.Command) error { return regroupAndWatch(ctx, c, "undo") }},
			{Name: "history", Usage: "list regroupings: who, when, and what moved", Action: groupHistory},
			{Name: "try", Usage: "show what another version of the algorithm would do to stored events",
				Description: "Tries --grouping-version with the project's rules: which issues would merge, split or stay. Changes nothing.",
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
		fmt.Fprintf(out, "Both are in %s all the same: a person merged them, or they matched when one of them was processed.\n", w.Issue)
	}
}

func showEventWhy(out io.Writer, as show.Style, w contract.EventWhy) {
	fmt.Fprintf(out, "%s  %s\n  event %s, fingerprint %s (grouping version %d)\n  %s\n  %s\n\n", as.Bright(w.Issue),
		as.Bright(show.Plain(w.Headline)), w.Event, w.Fingerprint, w.Version, w.Assigned, show.Plain(w.Application))
	offline.ShowParts(out, as, w.Parts, w.LeftOut)
}
