package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/rules"
)

func rulesCommand() *cli.Command {
	file := []cli.Argument{&cli.StringArg{Name: "file", UsageText: "FILE"}}
	return &cli.Command{Name: "rules", Usage: "what is let in and what is scrubbed, as a file",
		Description: "A rules file is YAML, one for each project, for example:\n\n" +
			"  intake:\n" +
			"    - name: crawlers\n" +
			"      when: crawler(attr(\"user_agent.original\"))\n" +
			"      do: drop\n" +
			"  scrub:\n" +
			"    - name: boarding passes\n" +
			"      match: 'MSF-\\d{6}'\n\n" +
			"Within a section the first rule that fits decides. Conditions are CEL over the event; docs/rules.md lists what they can use.\n" +
			"Keep the file with your source, and in a build: firethorn rules check, then firethorn rules push.",
		Commands: []*cli.Command{
			{Name: "check", Usage: "what is wrong with a file; needs no service, exit code 1 when something is", Arguments: file, Action: checkRules},
			{Name: "try", Usage: "what a file would have done to stored events", Arguments: file,
				Description: "Looks at the newest events whose bodies are kept. Exit code 1 when a condition fails or costs too much for one of them,\nor more would be dropped than --most-dropped allows.",
				Flags: []cli.Flag{
					&cli.IntFlag{Name: "days", Value: 7, Usage: "how many `DAYS` back"},
					&cli.IntFlag{Name: "events", Value: 2000, Usage: "how many events at most, up to 20,000"},
					&cli.FloatFlag{Name: "most-dropped", Value: 100, Usage: "how many `PERCENT` of the events may be dropped"},
				}, Action: tryRules},
			{Name: "push", Usage: "make a file the project's rules; they act within 5 seconds", Arguments: file,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "note", Usage: "what changed, for the history"},
					&cli.IntFlag{Name: "onto", Value: -1, Usage: "the `VERSION` it was made from; refused when another came in between"},
				}, Action: pushRules},
			{Name: "pull", Usage: "the project's rules, to FILE or standard output", Arguments: file,
				Flags: []cli.Flag{&cli.IntFlag{Name: "version", Usage: "an earlier `VERSION`"}}, Action: pullRules},
			{Name: "history", Usage: "who changed the rules, when and why", Action: func(ctx context.Context, c *cli.Command) error {
				return get(ctx, c, ofProject("/rules/history"), func(out io.Writer, v contract.RulesHistory) {
					if len(v.Versions) == 0 {
						fmt.Fprintln(out, "No rules were pushed yet. Write a file, then: firethorn rules push FILE")
						return
					}
					table(out, func(row func(...any)) {
						row("VERSION", "WHEN", "WHO", "WHAT")
						for _, r := range v.Versions {
							row(r.Version, ago(r.At), r.By, orDash(r.Note))
						}
					})
				})
			}},
			{Name: "schema", Usage: "the form of rules files as a JSON Schema, for editors", Action: func(_ context.Context, c *cli.Command) error {
				_, err := c.Root().Writer.Write(rules.Schema)
				return err
			}},
		}}
}

// rulesFile reads the file that a command names; "-" is standard input.
func rulesFile(c *cli.Command) (name, text string, err error) {
	if name, err = arg(c, "file"); err != nil {
		return "", "", err
	}
	var raw []byte
	if name == "-" {
		raw, err = io.ReadAll(io.LimitReader(c.Root().Reader, rules.MaxBytes+1))
	} else {
		raw, err = os.ReadFile(name)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return name, "", usage("there is no file %s", name)
	}
	return name, string(raw), err
}

func checkRules(_ context.Context, c *cli.Command) error {
	name, text, err := rulesFile(c)
	if err != nil {
		return err
	}
	set, faults := rules.Read(text)
	out := c.Root().Writer
	if c.String("format") == "json" {
		v := contract.RulesChecked{Good: len(faults) == 0, Problems: faults}
		if faults == nil {
			v.Problems = []rules.Fault{}
		}
		if err := json.NewEncoder(out).Encode(v); err != nil {
			return err
		}
	} else {
		showFaults(out, name, text, faults)
		if set != nil {
			fmt.Fprintf(out, "%s is good: %d intake %s, %d scrub %s, %d frame %s\n", name, len(set.Intake), plural(len(set.Intake), "rule", "rules"),
				len(set.Scrub), plural(len(set.Scrub), "rule", "rules"), len(set.Frames), plural(len(set.Frames), "rule", "rules"))
		}
	}
	if len(faults) > 0 {
		return fault.New(fault.AnswerIsNo, "%s has %d %s", name, len(faults), plural(len(faults), "fault", "faults"))
	}
	return nil
}

// showFaults prints faults with the line they stand in and a sign below it.
func showFaults(out io.Writer, name, text string, faults []rules.Fault) {
	lines := strings.Split(text, "\n")
	for _, f := range faults {
		fmt.Fprintf(out, "%s:%s\n", name, plain(f.String()))
		if f.Line > len(lines) {
			continue
		}
		line := []rune(strings.TrimRight(lines[f.Line-1], "\r"))
		from := max(0, f.Column-80)
		line = line[min(from, len(line)):]
		fmt.Fprintf(out, "    %s\n    %s^\n", plain(string(line[:min(len(line), 120)])), strings.Repeat(" ", max(0, f.Column-1-from)))
	}
}

// goodRules is the text of a file without faults; else they are printed.
func goodRules(c *cli.Command) (name, text string, err error) {
	if name, text, err = rulesFile(c); err != nil {
		return "", "", err
	}
	if _, faults := rules.Read(text); len(faults) > 0 {
		showFaults(c.Root().ErrWriter, name, text, faults)
		return "", "", fault.New(fault.AnswerIsNo, "%s has %d %s; nothing was changed", name, len(faults), plural(len(faults), "fault", "faults"))
	}
	return name, text, nil
}

func tryRules(ctx context.Context, c *cli.Command) error {
	_, text, err := goodRules(c)
	if err != nil {
		return err
	}
	cl, err := newClient(c)
	if err != nil {
		return err
	}
	path, err := ofProject("/rules/try")(cl)
	if err != nil {
		return err
	}
	var v contract.RulesTried
	raw, err := cl.call(ctx, http.MethodPost, path, contract.TryRules{Text: text, Days: c.Int("days"), Events: c.Int("events")}, &v)
	if err != nil {
		return err
	}
	if out := c.Root().Writer; c.String("format") != "json" {
		showTrial(out, v)
	} else if _, err := out.Write(raw); err != nil {
		return err
	}
	for _, r := range v.Intake {
		if r.Failed+r.TooCostly > 0 {
			return fault.New(fault.AnswerIsNo, "the rule %q cannot answer for some events", r.Rule)
		}
	}
	if dropped := 100 * float64(v.Events-v.Kept) / float64(max(1, v.Events)); dropped > c.Float("most-dropped") {
		return fault.New(fault.AnswerIsNo, "%.1f %% of the events would be dropped; --most-dropped allows %g %%", dropped, c.Float("most-dropped"))
	}
	return nil
}

func showTrial(out io.Writer, v contract.RulesTried) {
	if v.Events == 0 {
		fmt.Fprintln(out, "No event is stored to try the rules on. Send some, or look further back with --days.")
		return
	}
	fmt.Fprintf(out, "%s stored %s since %s were looked at, of %s that came in: %s would have been let in, %s dropped.\n", count(int64(v.Events)), plural(v.Events, "event", "events"),
		v.From.Format("2006-01-02 15:04"), count(v.All), count(int64(v.Kept)), count(int64(v.Events-v.Kept)))
	showTrialRules(out, "INTAKE", v.Intake)
	showTrialRules(out, "SCRUB", v.Scrub)
}

func showTrialRules(out io.Writer, section string, list []*rules.TrialRule) {
	if len(list) == 0 {
		return
	}
	fmt.Fprintln(out)
	table(out, func(row func(...any)) {
		row(section, "DOES", " EVENTS", " ISSUES")
		for _, r := range list {
			row(r.Rule, r.Do, figure(int64(r.Events)), figure(int64(r.Issues)))
		}
	})
	for _, r := range list {
		if r.Failed+r.TooCostly > 0 {
			fmt.Fprintf(out, "  ! %s: failed for %d events, stopped for %d: %s\n", plain(r.Rule), r.Failed, r.TooCostly, plain(r.Why))
		}
		for _, ex := range r.Examples {
			fmt.Fprintf(out, "  %s: %s, event %s of %s\n", plain(r.Rule), plain(cut(ex.Words, 60)), ex.Event, ex.Issue)
			if ex.Where != "" {
				fmt.Fprintf(out, "      %s\n      - %s\n      + %s\n", plain(ex.Where), plain(cut(ex.Before, 110)), plain(cut(ex.After, 110)))
			}
		}
	}
}

func pushRules(ctx context.Context, c *cli.Command) error {
	name, text, err := goodRules(c)
	if err != nil {
		return err
	}
	in := contract.PushRules{Text: text, Note: c.String("note")}
	if onto := c.Int("onto"); onto >= 0 {
		in.Onto = &onto
	}
	return request(ctx, c, http.MethodPut, in, ofProject("/rules"), func(out io.Writer, v contract.Rules) {
		fmt.Fprintf(out, "%s is version %d of the rules of %s; it acts within 5 seconds\n", name, v.Version, plain(v.Project))
	})
}

func pullRules(ctx context.Context, c *cli.Command) error {
	path := ofProject(fmt.Sprintf("/rules?version=%d", c.Int("version")))
	var failed error
	err := get(ctx, c, path, func(out io.Writer, v contract.Rules) {
		if v.Version == 0 {
			fmt.Fprintf(c.Root().ErrWriter, "%s has no rules yet. Write a file, then: firethorn rules push FILE\n", plain(v.Project))
			return
		}
		file := c.StringArg("file")
		if file == "" || file == "-" {
			_, failed = io.WriteString(out, v.Text)
		} else if failed = os.WriteFile(file, []byte(v.Text), 0o644); failed == nil {
			fmt.Fprintf(out, "version %d was written to %s; push it back with --onto %d\n", v.Version, file, v.Version)
		}
		for _, o := range v.Off {
			fmt.Fprintf(c.Root().ErrWriter, "! the %s rule %q was switched off %s: %s\n", o.Section, plain(o.Rule), ago(o.At), plain(o.Why))
		}
	})
	return errors.Join(err, failed)
}
