package grouping

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/web"
)

func onFlag() cli.Flag {
	return &cli.StringFlag{Name: "on", Usage: "a `FILE` of events, one JSON document a line, instead of stored events"}
}

func mapsFlag() cli.Flag {
	return &cli.StringSliceFlag{Name: "maps", Usage: "with --on: `[RELEASE=]DIR` with bundles and their source maps"}
}

// trialFlags say what a trial looks at, and what it may find.
func trialFlags() []cli.Flag {
	return []cli.Flag{
		&cli.IntFlag{Name: "days", Value: 7, Usage: "look `DAYS` back"},
		&cli.IntFlag{Name: "events", Value: 2000, Usage: "at most this many events, up to 1,000,000"},
		&cli.IntFlag{Name: "grouping-version", Usage: "also try this `VERSION` of the algorithm"},
		&cli.FloatFlag{Name: "most-moved", Value: 100,
			Usage: "fail if more than `PERCENT` of the events would move to another issue"},
	}
}

func tryRules(ctx context.Context, c *cli.Command) error {
	_, text, err := goodRules(c)
	if err != nil {
		return err
	}
	if c.String("on") != "" {
		return tryOnFile(c, text)
	}
	return tryOnService(ctx, c, &text)
}

// tryOnService lets the service try; text nil tries the project's own rules.
func tryOnService(ctx context.Context, c *cli.Command, text *string) error {
	cl, project, err := command.ProjectClient(ctx, c)
	if err != nil {
		return err
	}
	path, err := command.OfProject("/rules/try/live")(cl)
	if err != nil {
		return err
	}
	in := contract.TryRules{Text: text, GroupingVersion: c.Int("grouping-version"), Days: c.Int("days"),
		Events: c.Int("events")}
	var raw []byte
	err = watch(c.Root().ErrWriter, func(tell func(string)) error {
		return cl.Stream(ctx, path, in, func(event string, data []byte) error {
			switch event {
			case "progress":
				var p contract.TrialProgress
				if err := json.Unmarshal(data, &p); err != nil {
					return err
				}
				tell(fmt.Sprintf("%s of %s events checked; Ctrl-C cancels", show.Count(int64(p.Looked)),
					show.Count(int64(p.Of))))
			case "tried":
				raw = bytes.Clone(data)
			case "problem":
				var p web.Problem
				if err := json.Unmarshal(data, &p); err != nil {
					return err
				}
				return &problem.Error{Op: "cli.try", Code: problem.Code(p.Code), Pub: p.Detail}
			}
			return nil
		})
	})
	if err != nil {
		return err
	}
	if raw == nil {
		return problem.New(problem.NoServer, "the trial broke off: the service ended it; try again, or look at fewer events with --events")
	}
	return showTried(c, raw, project)
}

// showTried prints a trial, and answers no where it found what it may not.
func showTried(c *cli.Command, raw []byte, project string) error {
	var v contract.RulesTried
	if err := json.Unmarshal(raw, &v); err != nil {
		return err
	}
	if out := c.Root().Writer; c.String("format") != "json" {
		showTrial(out, v, project)
	} else if _, err := out.Write(append(raw, '\n')); err != nil {
		return err
	}
	for _, r := range v.Intake {
		if r.Failed+r.TooCostly > 0 {
			return problem.New(problem.AnswerIsNo, "the rule %q cannot answer for some events", r.Rule)
		}
	}
	for _, r := range v.Grouping.Rules {
		if r.Failed+r.Costly > 0 {
			return problem.New(problem.AnswerIsNo, "the rule %q cannot answer for some events", r.Rule)
		}
	}
	if dropped := 100 * float64(v.Events-v.Kept) / float64(max(1, v.Events)); c.IsSet("most-dropped") &&
		dropped > c.Float("most-dropped") {
		return problem.New(problem.AnswerIsNo, "%.1f %% of the events would be dropped; --most-dropped allows %g %%",
			dropped, c.Float("most-dropped"))
	}
	if moved := 100 * float64(v.Grouping.Moved) / float64(max(1, v.Grouping.Events)); moved > c.Float("most-moved") {
		return problem.New(problem.AnswerIsNo, "%.1f %% of the events would go to another issue; --most-moved allows %g %%", moved, c.Float("most-moved"))
	}
	return nil
}

// watch lets fn tell how far it is, in one line of a terminal that is gone when
// it ends; without a terminal nothing is printed.
func watch(to io.Writer, fn func(tell func(string)) error) error {
	f, ok := to.(*os.File)
	if !ok || !show.IsTerminal(f) {
		return fn(func(string) {})
	}
	defer fmt.Fprint(f, "\r\x1b[K")
	return fn(func(words string) { fmt.Fprintf(f, "\r\x1b[K%s", words) })
}

func tryOnFile(c *cli.Command, text string) error {
	set, _ := rules.Read(text) // it was read before: it has no errors
	v, err := onFile(c, set)
	if err != nil {
		return err
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return err
	}
	return showTried(c, raw, "")
}

// askedAbout makes faults of conditions that cannot answer for the events of a file.
func askedAbout(c *cli.Command, set *rules.Set) (faults []rules.Problem, err error) {
	v, err := onFile(c, set)
	if err != nil {
		return nil, err
	}
	for _, r := range v.Intake {
		if n := r.Failed + r.TooCostly; n > 0 {
			faults = append(faults,
				rules.Problem{Line: 1, Column: 1, Section: "intake", Rule: r.Rule,
					Message: fmt.Sprintf("cannot answer for %d of %d events: %s", n, v.Events, r.Why)})
		}
	}
	for _, r := range v.Grouping.Rules {
		if n := r.Failed + r.Costly; n > 0 {
			faults = append(faults,
				rules.Problem{Line: 1, Column: 1, Section: r.Section, Rule: r.Rule,
					Message: fmt.Sprintf("cannot answer for %d of %d events: %s", n, v.Grouping.Events, r.Why)})
		}
	}
	return faults, nil
}

func showTrial(out io.Writer, v contract.RulesTried, project string) {
	if v.Events == 0 && project == "" {
		fmt.Fprintln(out, "The file holds no event to try the rules on.")
		return
	}
	if v.Events == 0 {
		fmt.Fprintln(out, "No event is stored to try the rules on. Send some, or look further back with --days.")
		return
	}
	fmt.Fprintf(out, "%s stored %s since %s were checked, of %s received: %s would be accepted, %s dropped.\n", show.Count(int64(v.Events)), show.Plural(v.Events, "event", "events"),
		v.From.Format("2006-01-02 15:04"), show.Count(v.All), show.Count(int64(v.Kept)),
		show.Count(int64(v.Events-v.Kept)))
	showTrialRules(out, "INTAKE", v.Intake)
	showTrialRules(out, "SCRUB", v.Scrub)
	showAlertsTried(out, v.Alerts)
	showOutcome(out, v.Grouping, project)
}

// showAlertsTried says which messages alert rules would have sent.
func showAlertsTried(out io.Writer, list []contract.TrialRule) {
	if len(list) == 0 {
		return
	}
	fmt.Fprintln(out, "\nALERTS")
	for _, r := range list {
		fmt.Fprintf(out, "  %s: would have sent %s, about %s\n", show.Plain(r.Rule),
			show.Counted(int64(r.Events), "message"), show.Counted(int64(r.Issues), "issue"))
		for _, x := range r.Examples {
			fmt.Fprintf(out, "    %-14s %s\n", x.Issue, show.Cut(show.Plain(x.Text), 70))
		}
		if r.Why != "" {
			fmt.Fprintf(out, "    its condition failed for %s: %s\n", show.Counted(int64(r.Failed), "event"),
				show.Plain(r.Why))
		}
	}
}

func showTrialRules(out io.Writer, section string, list []contract.TrialRule) {
	if len(list) == 0 {
		return
	}
	fmt.Fprintln(out)
	show.Table(out, func(row func(...any)) {
		row(section, "DOES", " EVENTS", " ISSUES")
		for _, r := range list {
			row(r.Rule, r.Do, show.Figure(int64(r.Events)), show.Figure(int64(r.Issues)))
		}
	})
	for _, r := range list {
		if r.Failed+r.TooCostly > 0 {
			fmt.Fprintf(out, "  ! %s: failed for %d events, stopped for %d: %s\n", show.Plain(r.Rule), r.Failed,
				r.TooCostly,
				show.Plain(r.Why))
		}
		for _, ex := range r.Examples {
			fmt.Fprintf(out, "  %s: %s, event %s of %s\n", show.Plain(r.Rule), show.Plain(show.Cut(ex.Text, 60)),
				ex.Event, ex.Issue)
			if ex.Where != "" {
				fmt.Fprintf(out, "      %s\n      - %s\n      + %s\n", show.Plain(ex.Where),
					show.Plain(show.Cut(ex.Before, 110)),
					show.Plain(show.Cut(ex.After, 110)))
			}
		}
	}
}

// showOutcome prints what would become of issues.
func showOutcome(out io.Writer, v contract.Outcome, project string) {
	as := show.StyleOf(out)
	name := func(s contract.Side) string {
		switch {
		case s.New != 0:
			return fmt.Sprintf("new issue %d", s.New)
		case project == "":
			return fmt.Sprintf("issue %d", s.Number)
		}
		return fmt.Sprintf("%s/%d", project, s.Number)
	}
	fmt.Fprintf(out, "\n%s\n", as.Bright(outcomeText(v)))
	for _, m := range v.Merges {
		fmt.Fprintf(out, "\n%s into %s  %s%s\n", as.Bright("Merge"), name(m.Into), show.Plain(m.Into.Headline),
			byRule(as, m.Into.Rule))
		sides(out, m.From, func(s contract.Side) (string, string) {
			switch {
			case s.Number == m.Into.Number && s.Number != 0:
				return name(s), "stays"
			case s.Gone:
				return name(s), "its number would redirect there"
			}
			return name(s), "this part of it"
		})
		examples(out, as, m.From)
	}
	for _, x := range v.Splits {
		fmt.Fprintf(out, "\n%s of %s  %s\n", as.Bright("Split"), name(x.From), show.Plain(x.From.Headline))
		sides(out, x.Into, func(s contract.Side) (string, string) {
			if s.Number == x.From.Number && s.New == 0 {
				return "stays", s.Rule
			}
			return "→ " + name(s), s.Rule
		})
		examples(out, as, x.Into)
	}
	if v.More > 0 {
		fmt.Fprintf(out, "\n%d more are not listed.\n", v.More)
	}
	if len(v.Rules) == 0 {
		return
	}
	fmt.Fprintln(out)
	show.Table(out, func(row func(...any)) {
		row("RULE", "SECTION", " EVENTS", " ISSUES", "")
		for _, r := range v.Rules {
			remark := ""
			switch {
			case r.Failed+r.Costly > 0:
				remark = fmt.Sprintf("! failed for %d, stopped for %d: %s", r.Failed, r.Costly, r.Why)
			case r.Empty > 0:
				remark = fmt.Sprintf("%d events lack what it fills in", r.Empty)
			case r.Events == 0:
				remark = "never matched"
			}
			row(r.Rule, r.Section, show.Figure(r.Events), show.Figure(int64(r.Issues)), remark)
		}
	})
}

// outcomeText sums a trial up.
func outcomeText(v contract.Outcome) string {
	if v.Moved == 0 {
		return fmt.Sprintf("Grouping: nothing would move; all %s stay as they are.",
			show.Counted(int64(v.Issues), "issue"))
	}
	return fmt.Sprintf("Grouping: %s of %s events, of %s, would be in another issue: %d %s, %d %s; %s of %s issues stay as they are.",
		show.Count(v.Moved), show.Count(v.Events), show.Counted(v.Users, "user"), len(v.Merges),
		show.Plural(len(v.Merges), "merge",
			"merges"), len(v.Splits), show.Plural(len(v.Splits), "split", "splits"), show.Count(int64(v.Stay)),
		show.Count(int64(v.Issues)))
}

func byRule(as show.Style, rule string) string {
	if rule == "" {
		return ""
	}
	return as.Faint("  by the rule " + show.Plain(rule))
}

func sides(out io.Writer, list []contract.Side, name func(contract.Side) (who, remark string)) {
	var b strings.Builder
	show.Table(&b, func(row func(...any)) {
		for _, s := range list {
			who, remark := name(s)
			row(who, show.Amount(s.Events, "event"), show.Amount(s.Users, "user"), show.Cut(s.Headline, 60), remark)
		}
	})
	fmt.Fprint(out, "  "+strings.TrimRight(show.Indent(b.String()), " "))
}

// examples prints one event of each side, before and after.
func examples(out io.Writer, as show.Style, list []contract.Side) {
	for _, s := range list[:min(len(list), 4)] {
		if len(s.Examples) == 0 {
			continue
		}
		ex := s.Examples[0]
		fmt.Fprintf(out, "    %s %s\n", as.Faint("event "+ex.Event+":"), show.Plain(show.Cut(ex.Message, 90)))
		fmt.Fprintf(out, "      - %s\n      + %s\n", show.Plain(show.Cut(inParts(ex.Before), 150)),
			show.Plain(show.Cut(inParts(ex.After), 150)))
	}
}

// inParts writes a fingerprint in one line.
func inParts(list []contract.Part) string {
	var b []string
	for _, p := range list {
		b = append(b, p.What+" "+p.Value)
	}
	return strings.Join(b, " · ")
}
