package issues

import (
	"context"
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
	"firethorn/internal/core/problem"
)

// decision is a command that decides about issues: one, several, or all of a
// filter.
func decision(verb, usageText, description string, flags []cli.Flag,
	body func(*cli.Command) (contract.Act, error)) *cli.Command {
	all := []cli.Flag{
		&cli.StringFlag{Name: "why", Usage: "a comment `TEXT` for the history"},
		&cli.BoolFlag{
			Name:  "all",
			Usage: "all issues of the project that --state and --text select, instead of named ones",
		},
		&cli.StringSliceFlag{Name: "state", Usage: "with --all: only issues in these `STATES`, as in issue list",
			Value: []string{"open"}},
		&cli.StringFlag{
			Name:  "text",
			Usage: "with --all: only issues with these `WORDS` in headline, place or message",
		},
		&cli.BoolFlag{Name: "yes", Usage: "with --all: do it; without it the number of issues is printed"},
	}
	return &cli.Command{Name: verb, Usage: usageText, Description: description, Flags: append(flags, all...),
		Arguments: []cli.Argument{&cli.StringArgs{Name: "ids", UsageText: "ID [ID…]", Min: 0, Max: -1}},
		Action: func(ctx context.Context, c *cli.Command) error {
			act := contract.Act{}
			if body != nil {
				var err error
				if act, err = body(c); err != nil {
					return err
				}
			}
			act.Why = c.String("why")
			ids := c.StringArgs("ids")
			switch {
			case c.Bool("all") && len(ids) > 0:
				return command.Usage("name issues, or say --all; not both")
			case c.Bool("all"):
				return decideAll(ctx, c, verb, act)
			case len(ids) == 0:
				return command.Usage("%s needs the issues it is about, or --all; %s --help shows how it is used",
					c.FullName(), c.FullName())
			case len(ids) == 1:
				return decideOne(ctx, c, verb, ids[0], act)
			}
			return decideSome(ctx, c, verb, ids, act)
		}}
}

func decideOne(ctx context.Context, c *cli.Command, verb, id string, act contract.Act) error {
	return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfIssue(id, "/"+verb), act), showStatus,
		func(v contract.IssueDetail) {
			showNotes(c, v.Notes)
		})
}

// showNotes says what to know of a decision beside what it answers.
func showNotes(c *cli.Command, notes []string) {
	for _, n := range notes {
		fmt.Fprintf(c.Root().ErrWriter, "note: %s\n", show.Plain(n))
	}
}

func showStatus(out io.Writer, v contract.IssueDetail) {
	fmt.Fprintf(out, "%s  %s: %s\n", v.ID, show.Plain(v.Headline), show.Status(v.Issue))
}

// decideSome decides about the issues named, which are of one project.
func decideSome(ctx context.Context, c *cli.Command, verb string, ids []string, act contract.Act) error {
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	in := contract.ActMany{Act: act, Verb: verb}
	project := ""
	for _, id := range ids {
		p, n, err := cl.Issue(id)
		if err != nil {
			return err
		}
		if project != "" && p != project {
			return command.Usage("%s and %s belong to different projects; decide about those of one at once", ids[0],
				id)
		}
		project = p
		in.Issues = append(in.Issues, contract.Chosen{Number: n})
	}
	return many(ctx, c, project, verb, in)
}

// decideAll decides about all issues of a filter, once it was said how many
// they are.
func decideAll(ctx context.Context, c *cli.Command, verb string, act contract.Act) error {
	cl, project, err := command.ProjectClient(ctx, c)
	if err != nil {
		return err
	}
	in := contract.ActMany{Act: act, Verb: verb, State: c.StringSlice("state"), Text: c.String("text"), Try: true}
	var would contract.ManyDone
	if _, err := cl.Call(ctx, http.MethodPost, "/api/projects/"+url.PathEscape(project)+"/issues/act", in,
		&would); err != nil {
		return err
	}
	in.Try, in.Expect = false, &would.Fits
	if would.Fits == 0 {
		fmt.Fprintf(c.Root().Writer, "No issue of %s fits; firethorn issue list --state %s shows what does.\n",
			project, strings.Join(in.State, ","))
		return nil
	}
	if !c.Bool("yes") {
		return &problem.Error{Op: "cli.decideAll", Code: problem.AnswerIsNo,
			Pub: fmt.Sprintf("%s is about %s of %s; nothing was done yet. Say it again with --yes", verb,
				show.Counted(int64(would.Fits), "issue"), project)}
	}
	return many(ctx, c, project, verb, in)
}

func many(ctx context.Context, c *cli.Command, project, verb string, in contract.ActMany) error {
	return command.Request(ctx, c, command.Ask(http.MethodPost,
		command.Fixed("/api/projects/"+url.PathEscape(project)+"/issues/act"), in),
		func(out io.Writer, v contract.ManyDone) {
			fmt.Fprintf(out, "%s: done for %s\n", verb, show.Counted(int64(len(v.Done)), "issue"))
			showRefused(out, v)
			if v.Bulk != 0 {
				fmt.Fprintf(out, "Take it back with: firethorn issue undo --project %s --bulk %d\n", project, v.Bulk)
			}
		}, func(v contract.ManyDone) { showNotes(c, v.Notes) })
}

func showRefused(out io.Writer, v contract.ManyDone) {
	for _, r := range v.Refused {
		fmt.Fprintf(out, "  %s stays as it is: %s\n", r.Issue, show.Plain(r.Why))
	}
}

func decisions() []*cli.Command {
	return []*cli.Command{
		decision("accept", "accept it: it is real and will be worked on", "", nil, nil),
		decision(
			"assign",
			"assign it to a person or team; this also accepts it",
			"",
			[]cli.Flag{
				&cli.StringFlag{Name: "to", Usage: "`WHO`: a name, an email address, or nobody", Required: true},
			},
			func(c *cli.Command) (contract.Act, error) {
				to := c.String("to")
				if to == "nobody" {
					to = ""
				}
				return contract.Act{To: to}, nil
			},
		),
		decision(
			"park",
			"put it aside until a condition wakes it",
			"The first condition that is met wakes it as new, with the reason in its history. Its events still count. Times are checked once a minute.\n"+
				"  firethorn issue park quayside/12 --until 2w --users 10",
			[]cli.Flag{
				&cli.StringFlag{
					Name:  "until",
					Usage: "a `TIME`: 2026-12-24, 2026-12-24T09:00:00Z, or from now on 12h, 3d, 2w",
				},
				&cli.Int64Flag{Name: "events", Usage: "wake it after this many more `EVENTS`"},
				&cli.Int64Flag{Name: "users", Usage: "wake it after this many more affected `USERS`"},
				&cli.BoolFlag{Name: "doubled", Usage: "wake it when a day has twice the usual events (at least 10)"},
				&cli.BoolFlag{
					Name:  "next-release",
					Usage: "wake it when it is seen in a release after the newest one",
				},
				&cli.BoolFlag{Name: "new-environment",
					Usage: "wake it when it is seen in a new environment"},
			},
			func(c *cli.Command) (contract.Act, error) {
				p := &contract.Park{Events: c.Int64("events"), Users: c.Int64("users"), Doubled: c.Bool("doubled"),
					NextRelease: c.Bool("next-release"), NewEnvironment: c.Bool("new-environment")}
				var err error
				if until := c.String("until"); until != "" {
					p.Until, err = MomentOf(until, time.Now())
				}
				return contract.Act{Park: p}, err
			},
		),
		decision(
			"fix",
			"mark it as fixed in a release, a commit or from now on",
			"It comes back by an event of a release that contains the fix. One of an older release is counted, and is no alarm.\n"+
				"A commit can say the same in the last paragraph of its message: Firethorn-Fixes: quayside/12",
			[]cli.Flag{
				&cli.StringFlag{Name: "in", Usage: "fixed in this `RELEASE`"},
				&cli.BoolFlag{Name: "next", Usage: "fixed in the next release"},
				&cli.StringFlag{Name: "commit", Usage: "fixed by the commit `HASH`"},
				&cli.BoolFlag{Name: "now", Usage: "fixed from now on, whatever the release"},
			},
			func(c *cli.Command) (contract.Act, error) {
				return contract.Act{Release: c.String("in"), Next: c.Bool("next"), Commit: c.String("commit"),
					Now: c.Bool("now")}, nil
			},
		),
		decision("dismiss", "dismiss it: it will not be worked on, and goes on counting silently", "", nil, nil),
		decision("count-only", "dismiss it, and store no more bodies of its events", "", nil, nil),
		decision("severity", "set its severity, a part of its impact", "", []cli.Flag{&cli.StringFlag{Name: "as",
			Usage: "fatal, error, warning, info, debug, or events (use the severity of the events)", Required: true}},
			func(c *cli.Command) (contract.Act, error) {
				return contract.Act{Severity: c.String("as")}, nil
			}),
		decision("reopen", "reopen a fixed, parked or dismissed issue", "", nil, nil),
	}
}

// MomentOf reads a time to come: a date, a time, or so long from now on.
func MomentOf(s string, now time.Time) (time.Time, error) {
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04", "2006-01-02"} {
		if t, err := time.Parse(layout, s); err == nil {
			return t.UTC(), nil
		}
	}
	if n, err := strconv.Atoi(strings.TrimRight(s, "dw")); err == nil && n > 0 && len(s) > 1 {
		switch s[len(s)-1] {
		case 'd':
			return now.AddDate(0, 0, n).UTC(), nil
		case 'w':
			return now.AddDate(0, 0, 7*n).UTC(), nil
		}
	}
	if d, err := time.ParseDuration(s); err == nil {
		return now.Add(d).UTC(), nil
	}
	return time.Time{}, command.Usage(
		"%q is no time to come: write 2026-12-24, 2026-12-24T09:00:00Z, or from now on 12h, 3d, 2w",
		s,
	)
}

func undoCommand() *cli.Command {
	return &cli.Command{
		Name:      "undo",
		Usage:     "undo the newest change: a decision, a merge, or an automatic change",
		Arguments: []cli.Argument{command.Text("id")},
		Flags: []cli.Flag{&cli.Int64Flag{Name: "bulk",
			Usage: "undo the bulk decision `NUMBER`, except where something was decided since"}},
		Description: "For a merged issue it undoes the merge. Run again, it undoes the change before.",
		Action: func(ctx context.Context, c *cli.Command) error {
			if n := c.Int64("bulk"); n != 0 {
				return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfProject("/issues/undo"),
					contract.UndoMany{Bulk: n}), func(out io.Writer, v contract.ManyDone) {
					fmt.Fprintf(out, "undone for %s\n", show.Counted(int64(len(v.Done)), "issue"))
					showRefused(out, v)
				})
			}
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			return decideOne(ctx, c, "undo", id, contract.Act{})
		},
	}
}

func deleteCommand() *cli.Command {
	return &cli.Command{
		Name:      "delete",
		Usage:     "delete an issue and all its events permanently",
		Arguments: []cli.Argument{command.Text("id")},
		Flags: []cli.Flag{&cli.Int64Flag{Name: "confirm", Value: -1,
			Usage: "confirm that this many `EVENTS` are deleted; without it the number is printed"}},
		Description: "This cannot be undone. The number is not used again; new events with its fingerprint make a new issue.\nfirethorn issue dismiss and count-only keep what is stored.",
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			if n := c.Int64("confirm"); n >= 0 {
				return command.Request(ctx, c, command.Ask(http.MethodDelete,
					command.OfIssue(id, fmt.Sprintf("?events=%d", n))), func(out io.Writer, d contract.Deletion) {
					fmt.Fprintf(out, "%s is deleted, with %s\n", d.Issue, whatGoes(d))
				})
			}
			cl, path, err := command.IssueClient(ctx, c, id)
			if err != nil {
				return err
			}
			var d contract.Deletion
			if _, err := cl.Call(ctx, http.MethodGet, path+"/deletion", nil, &d); err != nil {
				return err
			}
			return &problem.Error{
				Op:   "cli.delete",
				Code: problem.AnswerIsNo,
				Pub: fmt.Sprintf(
					"%s would go for good, with %s; nothing was done yet. To delete it: firethorn issue delete %s --confirm %d",
					d.Issue,
					whatGoes(d),
					d.Issue,
					d.Events,
				),
			}
		},
	}
}

func whatGoes(d contract.Deletion) string {
	s := fmt.Sprintf("%s (%s with their bodies) of %s", show.Counted(d.Events, "event"), show.Count(d.Bodies),
		show.Counted(d.Users, "user"))
	if d.Feedback > 0 {
		s += fmt.Sprintf(", feedback %s", show.Counted(d.Feedback, "time"))
	}
	if d.MergedFrom > 0 {
		s += fmt.Sprintf(", and %s that lead to it", show.Counted(d.MergedFrom, "number"))
	}
	return s
}
