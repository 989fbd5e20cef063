package projects

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Overview is the command that shows how all projects stand.
func Overview() *cli.Command {
	return &cli.Command{Name: "overview", Usage: "summarise all projects, one row each, worst first",
		Description: "Shows the newest release, open, new and regressed issues, and events and users of seven days with their\n" +
			"change from the seven days before.",
		Action: func(ctx context.Context, c *cli.Command) error {
			return command.Get(ctx, c, command.Fixed("/api/overview"), showOverview)
		}}
}

func showOverview(out io.Writer, v contract.ProjectOverviews) {
	if len(v.Projects) == 0 {
		fmt.Fprintln(out, "There is no project yet. Make one: firethorn project create NAME")
		return
	}
	list := slices.Clone(v.Projects)
	slices.SortStableFunc(list, func(x, y contract.ProjectOverview) int {
		return cmp.Or(cmp.Compare(len(y.Wrong), len(x.Wrong)), cmp.Compare(y.CameBack, x.CameBack),
			cmp.Compare(y.NewIssues, x.NewIssues), strings.Compare(x.Project, y.Project))
	})
	show.Table(out, func(row func(...any)) {
		row("PROJECT", "NEWEST", "WITHOUT A CRASH", "VERDICT", "UPTAKE", "   OPEN", "    NEW", "   BACK",
			"EVENTS, 7 DAYS",
			"USERS, 7 DAYS", "WRONG")
		for _, p := range list {
			free, says, uptake, users := "-", "-", "-", "-"
			if h := p.Health; h != nil {
				free, says = fmt.Sprintf("%.2f %%", 100*h.CrashFreeSessions.Share), show.OrDash(h.Result)
				uptake, users = fmt.Sprintf("%.0f %%", 100*h.Uptake), change(p.UsersWeek)
			}
			row(p.Project, show.OrDash(show.Plain(p.NewestRelease)), free, says, uptake, show.Figure(p.OpenIssues),
				show.Figure(p.NewIssues), show.Figure(p.CameBack), change(p.EventsWeek), users,
				show.OrDash(show.Plain(strings.Join(p.Wrong, "; "))))
		}
	})
}

// change is a count with how it changed: "1,204 (+12 %)".
func change(w contract.WeekBefore) string {
	if w.Before == 0 {
		return show.Count(w.Now)
	}
	return fmt.Sprintf("%s (%+.0f %%)", show.Count(w.Now), 100*(float64(w.Now)/float64(w.Before)-1))
}
