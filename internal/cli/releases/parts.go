package releases

import (
	"context"
	"fmt"
	"io"
	"net/url"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// showEnvironments prints one row an environment, where there are several.
func showEnvironments(out io.Writer, list []contract.EnvironmentQuality) {
	if len(list) < 2 {
		return
	}
	fmt.Fprintln(out)
	show.Table(out, func(row func(...any)) {
		row("ENVIRONMENT", "SESSIONS", "WITHOUT A CRASH (95 %)", "VERDICT", "WHY")
		for _, e := range list {
			row(show.OrDash(show.Plain(e.Environment)), show.Figure(e.Sessions.All), percent(e.CrashFreeSessions),
				says(e.Verdict), show.Plain(e.Verdict.Why))
		}
	})
}

// issuesCommand lists what a release brought.
func issuesCommand() *cli.Command {
	return &cli.Command{Name: "issues",
		Usage:     "new and regressed issues of a release, with the share of its sessions that each affects",
		Arguments: []cli.Argument{command.Text("version")},
		Description: "A session counts once for an issue, however many events it has. It lists at most 20 new and 20 regressed issues,\n" +
			"highest impact first.",
		Flags: healthFlags(),
		Action: func(ctx context.Context, c *cli.Command) error {
			v, err := command.Arg(c, "version")
			if err != nil {
				return err
			}
			q := healthQuery(c, url.Values{"version": {v}})
			return command.Get(ctx, c, command.OfProject("/release/issues?"+q.Encode()), showReleaseIssues)
		}}
}

func showReleaseIssues(out io.Writer, v contract.ReleaseIssues) {
	if len(v.Issues) == 0 {
		fmt.Fprintf(out, "%s brought no new issue, and none came back in it.\n", show.Plain(v.Release))
		return
	}
	fmt.Fprintf(out, "%s: %s in this time\n\n", show.Plain(v.Release), show.Counted(v.Sessions, "session"))
	show.Table(out, func(row func(...any)) {
		row("OF SESSIONS", "SESSIONS", "IMPACT", "ISSUE", "HEADLINE", "CAME", "STATE", " EVENTS", "  USERS")
		for _, i := range v.Issues {
			share, sessions := "          -", show.Figure(i.Sessions)
			if v.Sessions > 0 {
				share = fmt.Sprintf("%9.2f %%", 100*i.Share)
			}
			if i.More {
				sessions += " or more"
			}
			row(share, sessions, fmt.Sprintf("%6.1f", i.Impact), i.ID, show.Cut(show.Plain(i.Headline), 48), i.Came,
				i.State, show.Figure(i.Events), show.Figure(i.Users))
		}
	})
}
