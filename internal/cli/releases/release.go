// Package releases has the commands about releases.
package releases

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Release is the command about releases.
func Release() *cli.Command {
	version := func() cli.Flag {
		return &cli.StringFlag{Name: "release", Required: true,
			Usage: "the `VERSION` of the release, as in events (service.version)"}
	}
	return &cli.Command{Name: "release", Usage: "builds, deployments, new issues, and the order of releases",
		Description: "In a build:        firethorn release announce --project quayside --release 4.2.1      (in its repository)\n" +
			"In a deployment:   firethorn release mark-deployed --project quayside --release 4.2.1 --environment production\n" +
			"A release is also known from its first event on. Releases are ordered by commit if the history of both is known,\n" +
			"else by their versions (semantic, four-part, calendar, numbers), else by when they were announced or first seen;\n" +
			"firethorn project change --release-order changes that.",
		Commands: []*cli.Command{
			announceCommand(version()),
			{Name: "mark-deployed", Usage: "record that a release was deployed to an environment", Flags: []cli.Flag{
				version(),
				&cli.StringFlag{Name: "environment", Required: true, Usage: "the environment's `NAME`, as in events"},
				&cli.TimestampFlag{Name: "at", Usage: "the time, RFC 3339 (default: now)",
					Config: cli.TimestampConfig{Layouts: []string{time.RFC3339}}},
			}, Action: func(ctx context.Context, c *cli.Command) error {
				in := contract.MarkDeployed{Environment: c.String("environment"), At: c.Timestamp("at")}
				path := command.OfProject("/release/deploys?version=" + url.QueryEscape(c.String("release")))
				return command.Request(ctx, c, command.Ask(http.MethodPost, path, in),
					func(out io.Writer, r contract.Release) {
						last := r.Deploys[len(r.Deploys)-1]
						fmt.Fprintf(out, "%s is marked as deployed to %s\n", show.Plain(r.Version),
							show.Plain(last.Environment))
					})
			}},
			{Name: "list", Usage: "list a project's releases, newest first",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.OfProject("/releases"), showReleases)
				}},
			{Name: "show", Usage: "show a release: new, regressed and fixed issues",
				Arguments: []cli.Argument{command.Text("version")},
				Action: func(ctx context.Context, c *cli.Command) error {
					v, err := command.Arg(c, "version")
					if err != nil {
						return err
					}
					return command.Get(ctx, c, command.OfProject("/release?version="+url.QueryEscape(v)), showRelease)
				}},
			qualityCommand(), issuesCommand(), compareCommand(), checkCommand(),
			{Name: "order", Usage: "show which of two releases comes first, and why",
				Arguments: []cli.Argument{command.Text("a"), command.Text("b")},
				Action: func(ctx context.Context, c *cli.Command) error {
					a, err := command.Arg(c, "a")
					if err != nil {
						return err
					}
					b, err := command.Arg(c, "b")
					if err != nil {
						return err
					}
					return command.Get(ctx, c, command.OfProject("/release/order?"+url.Values{"a": {a},
						"b": {b}}.Encode()),
						func(out io.Writer, o contract.ReleaseOrder) {
							words := map[string]string{"before": "comes before", "after": "comes after", "same": "is",
								"unknown": "cannot be ordered with"}
							fmt.Fprintf(out, "%s %s %s: %s\n", show.Plain(o.A), words[o.Order], show.Plain(o.B),
								show.Plain(o.Why))
						})
				}},
		}}
}

func ofCommit(r contract.Release) string {
	if r.Commit == "" {
		return ""
	}
	return ", built from " + r.Commit[:min(len(r.Commit), 12)]
}

func showReleases(out io.Writer, v contract.Releases) {
	if len(v.Releases) == 0 {
		fmt.Fprintf(out,
			"%s has no release yet. Events name theirs as service.version; a build can announce it: firethorn release announce --release VERSION\n", show.Plain(v.Project))
		return
	}
	show.Table(out, func(row func(...any)) {
		row("RELEASE", "FIRST SEEN", " EVENTS", " ISSUES", "    NEW", "DEPLOYED", "COMMIT")
		for _, r := range v.Releases {
			row(r.Version, show.Ago(r.FirstSeen), show.Figure(r.Events), show.Figure(r.Issues), show.Figure(r.New),
				deployed(r),
				show.OrDash(r.Commit[:min(len(r.Commit), 12)]))
		}
	})
	if v.Order != "auto" {
		fmt.Fprintf(out, "\nOrdered by %s, as the project says.\n", v.Order)
	}
}

// deployed lists where a release is deployed, newest first.
func deployed(r contract.Release) string {
	var b []string
	seen := map[string]bool{}
	for i := len(r.Deploys) - 1; i >= 0; i-- {
		if d := r.Deploys[i]; !seen[d.Environment] {
			seen[d.Environment] = true
			b = append(b, d.Environment+" "+show.Ago(d.At))
		}
	}
	return show.OrDash(strings.Join(b, ", "))
}

func showRelease(out io.Writer, r contract.ReleaseDetail) {
	as := show.StyleOf(out)
	fmt.Fprintf(out, "%s %s%s\n", as.Bright(show.Plain(r.Project)), as.Bright(show.Plain(r.Version)),
		ofCommit(r.Release))
	fmt.Fprintf(out, "  first seen %s; %s of %s\n", show.Ago(r.FirstSeen), show.Counted(r.Events, "event"),
		show.Counted(r.Issues, "issue"))
	if r.Announced != nil {
		fmt.Fprintf(out, "  announced %s by %s\n", show.Ago(*r.Announced), show.Plain(r.AnnouncedBy))
	}
	if r.Before != "" {
		fmt.Fprintf(out, "  after %s (%s), which had %s\n", show.Plain(r.Before), show.Plain(r.BeforeWhy),
			show.Counted(r.BeforeEvents, "event"))
	}
	for _, d := range r.Deploys {
		fmt.Fprintf(out, "  deployed to %s %s by %s\n", show.Plain(d.Environment), show.Ago(d.At), show.Plain(d.By))
	}
	if r.CommitCount > 0 {
		fmt.Fprintf(out, "  %s since then\n", show.Counted(int64(r.CommitCount), "commit"))
	}
	if r.Repository != "" {
		fmt.Fprintf(out, "  %s\n", as.Faint(show.Plain(r.Repository)))
	}
	if s := r.Sessions; s.Sessions > 0 {
		fmt.Fprintf(out,
			"  %s sessions in 30 days: %s clean, %s faulty, %s crashed, %s cut off; %.2f %% did not crash\n",
			show.Count(s.Sessions), show.Count(s.Clean), show.Count(s.Faulty), show.Count(s.Crashed),
			show.Count(s.CutOff), 100*s.CrashFree)
	}
	for _, x := range []struct {
		title, none string
		list        []contract.Issue
	}{{"NEW IN IT", "nothing new", r.NewIssues}, {"CAME BACK IN IT", "nothing came back", r.Regressed}, {"FIXED IN IT",
		"nothing was called fixed in it", r.Fixed}} {
		fmt.Fprintf(out, "\n%s\n", as.Faint(x.title))
		if len(x.list) == 0 {
			fmt.Fprintf(out, "  %s\n", x.none)
		}
		for _, is := range x.list {
			fmt.Fprintf(out, "  %5.1f  %-14s %s %s  %s  %s\n", is.Impact, is.ID, show.Amount(is.Users, "user"),
				show.Amount(is.Events, "event"), show.Plain(show.Cut(is.Headline, 50)), as.Faint(show.Status(is)))
		}
	}
	showCommits(out, r)
}

// shownCommits are listed on a terminal.
const shownCommits = 20

func showCommits(out io.Writer, r contract.ReleaseDetail) {
	if len(r.Commits) == 0 {
		return
	}
	as := show.StyleOf(out)
	fmt.Fprintf(out, "\n%s\n", as.Faint("COMMITS"))
	for _, c := range r.Commits[:min(len(r.Commits), shownCommits)] {
		fmt.Fprintf(out, "  %s  %s  %-16s %s  %s\n", c.Hash[:min(10, len(c.Hash))], c.Committed.Format("2006-01-02"),
			show.Plain(show.Cut(c.Author, 16)), show.Plain(show.Cut(c.Subject, 60)),
			as.Faint(fmt.Sprintf("+%d −%d", c.Added, c.Removed)))
	}
	if rest := r.CommitCount - min(len(r.Commits), shownCommits); rest > 0 {
		fmt.Fprintf(out, "  and %d more: --format json lists up to 200\n", rest)
	}
}
