package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
)

func groupVersions(ctx context.Context, c *cli.Command) error {
	return get(ctx, c, ofProject("/regroupings"), func(out io.Writer, v contract.Grouping) {
		fmt.Fprintf(out, "%s is grouped by version %d of the algorithm and version %d of its rules.\n", plain(v.Project), v.Version, v.Rules)
		if v.Wanted != 0 {
			fmt.Fprintf(out, "Version %d of the algorithm is about to be adopted.\n", v.Wanted)
		}
		fmt.Fprintln(out)
		table(out, func(row func(...any)) {
			row("", "VERSION", "WHAT IT BROUGHT")
			for _, x := range v.Versions {
				mark := ""
				if x.Version == v.Version {
					mark = "→"
				}
				row(mark, x.Version, x.Words)
			}
		})
	})
}

func groupHistory(ctx context.Context, c *cli.Command) error {
	return get(ctx, c, ofProject("/regroupings"), func(out io.Writer, v contract.Grouping) {
		if len(v.Regroupings) == 0 {
			fmt.Fprintf(out, "The stored events of %s were never regrouped. What a saved rule, or another version, would do to them: firethorn rules try FILE, firethorn group try\n", plain(v.Project))
			return
		}
		table(out, func(row func(...any)) {
			row("WHEN", "WHO", "STATE", "RULES", "VERSION", " EVENTS", "MADE", "EMPTIED", "")
			for _, g := range v.Regroupings {
				row(ago(g.At), g.By, g.State, g.Rules, g.Version, figure(g.Events), g.Made, g.Emptied, regroupRemark(g))
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
		return fmt.Sprintf("%s events without a body stayed", count(g.Stays))
	case g.State == "reading":
		return fmt.Sprintf("%d of %d variants read", g.Read, g.Of)
	}
	return ""
}

func adoptGrouping(ctx context.Context, c *cli.Command) error {
	n := c.IntArg("version")
	if n == 0 {
		return usage("which version? firethorn group versions lists them")
	}
	in := contract.AdoptGrouping{Version: n}
	if !c.Bool("regroup") {
		return request(ctx, c, http.MethodPut, in, ofProject("/grouping/version"),
			func(out io.Writer, v contract.Grouping) {
				fmt.Fprintf(out, "%s adopts version %d: what comes is grouped by it, and what is stored stays. Group that by it too: firethorn group regroup --project %s\n", plain(v.Project), n, plain(v.Project))
			})
	}
	cl, err := newClient(ctx, c)
	if err != nil {
		return err
	}
	path, err := ofProject("/grouping/version")(cl)
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
		return request(ctx, c, http.MethodPost, struct{}{}, ofProject("/regroupings/stop"),
			func(out io.Writer, _ contract.Regrouping) {
				fmt.Fprintln(out, "It was stopped before anything moved.")
			})
	case c.Bool("watch"):
		return regroupAndWatch(ctx, c, "")
	}
	return regroupAndWatch(ctx, c, "begin")
}

// regroupAndWatch begins or undoes a regrouping, and follows it to its end.
func regroupAndWatch(ctx context.Context, c *cli.Command, verb string) error {
	cl, project, err := projectClient(ctx, c)
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
				return fault.New(fault.NotFound, "the stored events of %s were never regrouped", project)
			}
			g := v.Regroupings[0]
			switch g.State {
			case "reading":
				tell(fmt.Sprintf("%s of %s variants read, %s events looked at", count(int64(g.Read)),
					count(int64(g.Of)), count(g.Bodies)))
			case "moving", "undoing":
				tell(fmt.Sprintf("%s: %s events so far", g.State, count(g.Events)))
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
		return fault.New(fault.AnswerIsNo, "the regrouping was stopped: %s", g.Why)
	case g.State == "undone":
		fmt.Fprintf(out, "Taken back: the events of %s are in the issues they were in, by version %d of the algorithm and version %d of the rules.\n", plain(project), v.Version, v.Rules)
	case g.Events == 0:
		fmt.Fprintf(out, "Regrouped: nothing moved; the stored events of %s are where the rules and version %d put them.\n", plain(project), g.Version)
	default:
		fmt.Fprintf(out, "Regrouped: %s went to another issue; %s %s made, %d %s to another one now.\nTake it back: firethorn group undo --project %s\n", counted(g.Events, "event"), counted(int64(g.Made), "issue"), plural(int(g.Made), "was", "were"), g.Emptied, plural(int(g.Emptied), "leads", "lead"), plain(project))
		if g.Stays > 0 {
			fmt.Fprintf(out, "%s events without a body stayed where they were: nobody can say which of them the rules mean.\n", count(g.Stays))
		}
	}
	return nil
}

func groupReview(ctx context.Context, c *cli.Command) error {
	if n := c.Int("suggestion"); n > 0 {
		return get(ctx, c, ofProject(fmt.Sprintf("/grouping/review/%d/rules", n)),
			func(out io.Writer, v contract.Suggested) {
				if v.Version != 0 {
					fmt.Fprintf(c.Root().ErrWriter, "this suggestion is no rule: firethorn group try --grouping-version %d\n", v.Version)
					return
				}
				fmt.Fprint(out, v.Text)
			})
	}
	return get(ctx, c, ofProject("/grouping/review"), showReview)
}

func showReview(out io.Writer, v contract.GroupingReview) {
	as := styleOf(out)
	fmt.Fprintf(out, "%s\n", as.bright(fmt.Sprintf("Variability %.0f %%: %d issues look like %d causes, %d look like several in one.", v.Variability, v.Issues, v.Causes, v.Mixed)))
	if v.Followed > 0 {
		fmt.Fprintf(out, "In the last 30 days %d %s followed a function that moved to another file.\n", v.Followed, plural(v.Followed, "issue", "issues"))
	}
	if v.Making > 0 {
		fmt.Fprintf(out, "%s variants are not compared yet; look again in a moment.\n", count(v.Making))
	}
	if len(v.Findings) == 0 {
		fmt.Fprintln(out, "Nothing to mend.")
	}
	titles := map[string]string{"pieces": "ONE CAUSE IN PIECES", "mixed": "SEVERAL CAUSES IN ONE", "noise": "NOISE"}
	kind := ""
	for i, f := range v.Findings {
		if string(f.Kind) != kind {
			kind = string(f.Kind)
			fmt.Fprintf(out, "\n%s\n", as.faint(titles[kind]))
		}
		fmt.Fprintf(out, "\n%s  %s\n    %s\n", as.bright(fmt.Sprintf("%3d", i+1)), as.bright(plain(f.Words)),
			plain(f.Why))
		for _, n := range f.Issues[:min(len(f.Issues), 5)] {
			fmt.Fprintf(out, "    %s/%-5d %s %s  %s\n", plain(v.Project), n.Number, amount(n.Events, "event"),
				amount(n.Users, "user"), plain(cut(n.Headline, 70)))
		}
		if more := len(f.Issues) - 5 + f.More; more > 0 {
			fmt.Fprintf(out, "    and %d more\n", more)
		}
		fmt.Fprintf(out, "    %s\n", plain(f.Does))
		if f.Version != 0 {
			fmt.Fprintf(out, "      firethorn group try --project %s --grouping-version %d\n", plain(v.Project), f.Version)
			continue
		}
		fmt.Fprintf(out, "      %s\n%s", f.Section+":", indentAll(lines(f.Rule), "        "))
	}
	if len(v.Findings) > 0 {
		fmt.Fprintf(out, "\nTry one: firethorn group review --project %s --suggestion 1 > rules.yaml; firethorn rules try --project %s rules.yaml\n", plain(v.Project), plain(v.Project))
	}
	if len(v.Days) > 1 {
		fmt.Fprintln(out)
		table(out, func(row func(...any)) {
			row("DAY", "ISSUES", "CAUSES", "MIXED", "VARIABILITY")
			for _, d := range v.Days {
				row(d.Day, d.Issues, d.Causes, d.Mixed, fmt.Sprintf("%.0f %%", d.Variability))
			}
		})
	}
}

func issueBeside(ctx context.Context, c *cli.Command) error {
	id, err := arg(c, "id")
	if err != nil {
		return err
	}
	cl, path, err := issueClient(ctx, c, id)
	if err != nil {
		return err
	}
	var near contract.Together
	if _, err := cl.Call(ctx, http.MethodGet, path+"/together", nil, &near); err != nil {
		return err
	}
	// json gives both in one document.
	var v struct {
		contract.Beside
		Near []contract.NearIssue `json:"together"`
	}
	if _, err := cl.Call(ctx, http.MethodGet, path+"/beside", nil, &v.Beside); err != nil {
		return err
	}
	v.Near = near.Near
	out := c.Root().Writer
	if c.String("format") == "json" {
		return json.NewEncoder(out).Encode(v)
	}
	showBeside(out, v.Beside, v.Near)
	return nil
}

func showBeside(out io.Writer, v contract.Beside, near []contract.NearIssue) {
	as := styleOf(out)
	fmt.Fprintf(out, "%s\n", as.bright("Beside "+v.Issue))
	fmt.Fprintf(out, "\n%s\n", as.faint("THE SAME FINGERPRINT ELSEWHERE"))
	for _, e := range v.Environments {
		fmt.Fprintf(out, "  %-24s %s  last %s\n", plain(e.Name), amount(e.Events, "event"), ago(e.LastSeen))
	}
	for _, x := range v.Elsewhere {
		fmt.Fprintf(out, "  %-24s %s  %s\n", x.ID, amount(x.Events, "event"), plain(x.Headline))
	}
	if len(v.Elsewhere) == 0 {
		fmt.Fprintln(out, "  in no other project")
	}
	fmt.Fprintf(out, "\n%s\n", as.faint("SIMILAR"))
	if len(v.Similar) == 0 {
		fmt.Fprintln(out, "  nothing like it")
	}
	for _, x := range v.Similar {
		fmt.Fprintf(out, "  %3.0f %%  %-14s %-10s %s\n         %s\n", 100*x.Score, x.ID, x.State,
			plain(cut(x.Headline, 70)), as.faint(plain(strings.Join(x.Alike, "; "))))
	}
	fmt.Fprintf(out, "\n%s\n", as.faint("HAPPENS TOGETHER WITH"))
	if len(near) == 0 {
		fmt.Fprintln(out, "  nothing more often than by chance")
	}
	for _, n := range near {
		fmt.Fprintf(out, "  %-14s %s\n         %s\n", n.ID, plain(cut(n.Headline, 70)), as.faint(nearInWords(n)))
	}
}

// nearInWords tells how near another issue is.
func nearInWords(n contract.NearIssue) string {
	when := "at the same moment"
	switch {
	case n.Gap >= 0.5:
		when = fmt.Sprintf("%.0f s later", n.Gap)
	case n.Gap <= -0.5:
		when = fmt.Sprintf("%.0f s before", -n.Gap)
	}
	return fmt.Sprintf("%d of %d times within a minute, in the same %s, mostly %s; %.1f by chance", n.With, n.Of, n.By, when, n.ByChance)
}

// indentAll puts every line of a text under an indent.
func indentAll(s, indent string) string {
	return indent + strings.ReplaceAll(strings.TrimRight(s, "\n"), "\n", "\n"+indent) + "\n"
}
