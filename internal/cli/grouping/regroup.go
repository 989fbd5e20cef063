package grouping

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

func groupVersions(ctx context.Context, c *cli.Command) error {
	return command.Get(ctx, c, command.OfProject("/regroupings"), func(out io.Writer, v contract.Grouping) {
		fmt.Fprintf(out, "%s is grouped by version %d of the algorithm and version %d of its rules.\n",
			show.Plain(v.Project), v.Version, v.Rules)
		if v.Wanted != 0 {
			fmt.Fprintf(out, "Version %d of the algorithm is about to be adopted.\n", v.Wanted)
		}
		fmt.Fprintln(out)
		show.Table(out, func(row func(...any)) {
			row("", "VERSION", "CHANGES")
			for _, x := range v.Versions {
				mark := ""
				if x.Version == v.Version {
					mark = "→"
				}
				row(mark, x.Version, x.Text)
			}
		})
	})
}

func groupHistory(ctx context.Context, c *cli.Command) error {
	return command.Get(ctx, c, command.OfProject("/regroupings"), func(out io.Writer, v contract.Grouping) {
		if len(v.Regroupings) == 0 {
			fmt.Fprintf(out, "The stored events of %s were never regrouped. What a saved rule, or another version, would do to them: firethorn rules try FILE, firethorn group try\n", show.Plain(v.Project))
			return
		}
		show.Table(out, func(row func(...any)) {
			row("WHEN", "WHO", "STATE", "RULES", "VERSION", " EVENTS", "MADE", "EMPTIED", "")
			for _, g := range v.Regroupings {
				row(show.Ago(g.At), g.By, g.State, g.Rules, g.Version, show.Figure(g.Events), g.Made, g.Emptied,
					regroupRemark(g))
			}
		})
	})
}

func regroupRemark(g contract.Regrouping) string {
	switch {
	case g.UndoneBy != "":
		return "undone by " + g.UndoneBy
	case g.Why != "":
		return g.Why
	case g.Stays > 0:
		return fmt.Sprintf("%s events without a body stayed", show.Count(g.Stays))
	case g.State == "reading":
		return fmt.Sprintf("%d of %d variants read", g.Read, g.Of)
	}
	return ""
}

func adoptGrouping(ctx context.Context, c *cli.Command) error {
	n := c.IntArg("version")
	if n == 0 {
		return command.Usage("which version? firethorn group versions lists them")
	}
	in := contract.AdoptGrouping{Version: n}
	if !c.Bool("regroup") {
		return command.Request(ctx, c, command.Ask(http.MethodPut, command.OfProject("/grouping/version"), in),
			func(out io.Writer, v contract.Grouping) {
				fmt.Fprintf(out, "%s adopts version %d for new events; stored events stay as they are. Regroup them too: firethorn group regroup --project %s\n", show.Plain(v.Project), n, show.Plain(v.Project))
			})
	}
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	path, err := command.OfProject("/grouping/version")(cl)
	if err != nil {
		return err
	}
	if _, err := cl.Call(ctx, http.MethodPut, path, in, nil); err != nil {
		return err
	}
	return regroupAndWatch(ctx, c, "begin")
}

func groupRegroup(ctx context.Context, c *cli.Command) error {
	switch {
	case c.Bool("stop"):
		return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfProject("/regroupings/stop"),
			struct{}{}), func(out io.Writer, _ contract.Regrouping) {
			fmt.Fprintln(out, "It was stopped before anything moved.")
		})
	case c.Bool("watch"):
		return regroupAndWatch(ctx, c, "")
	}
	return regroupAndWatch(ctx, c, "begin")
}

// regroupAndWatch begins or undoes a regrouping, and follows it to its end.
func regroupAndWatch(ctx context.Context, c *cli.Command, verb string) error {
	cl, project, err := command.ProjectClient(ctx, c)
	if err != nil {
		return err
	}
	base := "/api/projects/" + url.PathEscape(project) + "/regroupings"
	if verb != "" {
		if _, err := cl.Call(ctx, http.MethodPost, base+"/"+verb, struct{}{}, nil); err != nil {
			return err
		}
	}
	var raw []byte
	var v contract.Grouping
	err = watch(c.Root().ErrWriter, func(tell func(string)) error {
		for {
			if raw, err = cl.Call(ctx, http.MethodGet, base, nil, &v); err != nil {
				return err
			}
			if len(v.Regroupings) == 0 {
				return problem.New(problem.NotFound, "the stored events of %s were never regrouped", project)
			}
			g := v.Regroupings[0]
			switch g.State {
			case "reading":
				tell(fmt.Sprintf("%s of %s variants read, %s events checked", show.Count(int64(g.Read)),
					show.Count(int64(g.Of)), show.Count(g.Bodies)))
			case "moving", "undoing":
				tell(fmt.Sprintf("%s: %s events so far", g.State, show.Count(g.Events)))
			default:
				return nil
			}
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(300 * time.Millisecond):
			}
		}
	})
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.String("format") == "json" {
		_, err := out.Write(raw)
		return err
	}
	g := v.Regroupings[0]
	switch {
	case g.State == "stopped":
		return problem.New(problem.AnswerIsNo, "the regrouping was stopped: %s", g.Why)
	case g.State == "undone":
		fmt.Fprintf(out, "Taken back: the events of %s are in the issues they were in, by version %d of the algorithm and version %d of the rules.\n", show.Plain(project), v.Version, v.Rules)
	case g.Events == 0:
		fmt.Fprintf(out, "Regrouped: nothing moved; the stored events of %s are where the rules and version %d put them.\n", show.Plain(project), g.Version)
	default:
		fmt.Fprintf(out, "Regrouped: %s went to another issue; %s %s made, %d %s to another one now.\nTake it back: firethorn group undo --project %s\n", show.Counted(g.Events, "event"), show.Counted(int64(g.Made), "issue"), show.Plural(int(g.Made), "was", "were"), g.Emptied, show.Plural(int(g.Emptied), "leads", "lead"), show.Plain(project))
		if g.Stays > 0 {
			fmt.Fprintf(out, "%s events without a body stayed where they were: it is not known which of them the rules match.\n", show.Count(g.Stays))
		}
	}
	return nil
}

func groupReview(ctx context.Context, c *cli.Command) error {
	if n := c.Int("suggestion"); n > 0 {
		return command.Get(ctx, c, command.OfProject(fmt.Sprintf("/grouping/review/%d/rules", n)),
			func(out io.Writer, v contract.Suggested) {
				if v.Version != 0 {
					fmt.Fprintf(c.Root().ErrWriter, "this suggestion is no rule: firethorn group try --grouping-version %d\n", v.Version)
					return
				}
				fmt.Fprint(out, v.Text)
			})
	}
	return command.Get(ctx, c, command.OfProject("/grouping/review"), showReview)
}

func showReview(out io.Writer, v contract.GroupingReview) {
	as := show.StyleOf(out)
	fmt.Fprintf(out, "%s\n", as.Bright(fmt.Sprintf("Variability %.0f %%: %d issues look like %d causes, %d look like several in one.", v.Variability, v.Issues, v.Causes, v.Mixed)))
	if v.Followed > 0 {
		fmt.Fprintf(out, "In the last 30 days %d %s followed a function that moved to another file.\n", v.Followed,
			show.Plural(v.Followed, "issue", "issues"))
	}
	if v.Making > 0 {
		fmt.Fprintf(out, "%s variants are not compared yet; look again in a moment.\n", show.Count(v.Making))
	}
	if len(v.Findings) == 0 {
		fmt.Fprintln(out, "Nothing to mend.")
	}
	titles := map[string]string{"pieces": "ONE CAUSE IN PIECES", "mixed": "SEVERAL CAUSES IN ONE", "noise": "NOISE"}
	kind := ""
	for i, f := range v.Findings {
		if string(f.Kind) != kind {
			kind = string(f.Kind)
			fmt.Fprintf(out, "\n%s\n", as.Faint(titles[kind]))
		}
		fmt.Fprintf(out, "\n%s  %s\n    %s\n", as.Bright(fmt.Sprintf("%3d", i+1)), as.Bright(show.Plain(f.Text)),
			show.Plain(f.Why))
		for _, n := range f.Issues[:min(len(f.Issues), 5)] {
			fmt.Fprintf(out, "    %s/%-5d %s %s  %s\n", show.Plain(v.Project), n.Number, show.Amount(n.Events, "event"),
				show.Amount(n.Users, "user"), show.Plain(show.Cut(n.Headline, 70)))
		}
		if more := len(f.Issues) - 5 + f.More; more > 0 {
			fmt.Fprintf(out, "    and %d more\n", more)
		}
		fmt.Fprintf(out, "    %s\n", show.Plain(f.Does))
		if f.Version != 0 {
			fmt.Fprintf(out, "      firethorn group try --project %s --grouping-version %d\n", show.Plain(v.Project),
				f.Version)
			continue
		}
		fmt.Fprintf(out, "      %s\n%s", f.Section+":", show.IndentAll(show.Lines(f.Rule), "        "))
	}
	if len(v.Findings) > 0 {
		fmt.Fprintf(out, "\nTry one: firethorn group review --project %s --suggestion 1 > rules.yaml; firethorn rules try --project %s rules.yaml\n", show.Plain(v.Project), show.Plain(v.Project))
	}
	if len(v.Days) > 1 {
		fmt.Fprintln(out)
		show.Table(out, func(row func(...any)) {
			row("DAY", "ISSUES", "CAUSES", "MIXED", "VARIABILITY")
			for _, d := range v.Days {
				row(d.Day, d.Issues, d.Causes, d.Mixed, fmt.Sprintf("%.0f %%", d.Variability))
			}
		})
	}
}

// NearText says how similar another issue is.
func NearText(n contract.NearIssue) string {
	when := "at the same moment"
	switch {
	case n.Gap >= 0.5:
		when = fmt.Sprintf("%.0f s later", n.Gap)
	case n.Gap <= -0.5:
		when = fmt.Sprintf("%.0f s before", -n.Gap)
	}
	return fmt.Sprintf("%d of %d times within a minute, in the same %s, mostly %s; %.1f by chance", n.With, n.Of,
		n.By, when, n.ByChance)
}
