package grouping

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

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
)

// Rules is the command about a project's rules file.
func Rules() *cli.Command {
	file := []cli.Argument{&cli.StringArg{Name: "file", UsageText: "FILE"}}
	return &cli.Command{Name: "rules", Usage: "rules for intake, scrubbing and grouping, as a file",
		Description: "A rules file is YAML, one for each project, for example:\n\n" +
			"  intake:\n" +
			"    - name: crawlers\n" +
			"      when: crawler(attr(\"user_agent.original\"))\n" +
			"      do: drop\n" +
			"  scrub:\n" +
			"    - name: boarding passes\n" +
			"      match: 'MSF-\\d{6}'\n" +
			"  frames:\n" +
			"    - name: the helper that asks the harbour\n" +
			"      path: src/net/*\n" +
			"      do: look-through\n" +
			"  grouping:\n" +
			"    - name: timeouts of one upstream\n" +
			"      when: exception.type == \"TimeoutError\"\n" +
			"      replace: timeout of ${server.address}\n\n" +
			"Within a section the first rule that matches decides. Conditions are CEL; docs/rules.md lists what they can use.\n" +
			"Keep the file with your source code. In a build, run firethorn rules check, then firethorn rules push.",
		Commands: []*cli.Command{
			{Name: "check", Usage: "check a file without a service; exit code 1 if something is wrong",
				Arguments:   file,
				Description: "With --on, the conditions also run on events: one that fails or costs too much is an error.",
				Flags:       []cli.Flag{onFlag(), mapsFlag()}, Action: checkRules},
			{Name: "try", Usage: "show what a file would have done to stored events", Arguments: file,
				Description: "Tries the rules on the newest stored events, or on those of a file (--on). Prints which events would be dropped or scrubbed,\n" +
					"and which issues would merge, split or stay. Exit code 1 if a condition fails or costs too much, or if more events would\n" +
					"be dropped or moved than --most-dropped and --most-moved allow.",
				Flags: append(trialFlags(), onFlag(), mapsFlag(),
					&cli.FloatFlag{Name: "most-dropped", Value: 100,
						Usage: "fail if more than `PERCENT` of the events would be dropped"}), Action: tryRules},
			{Name: "push", Usage: "replace the project's rules; they take effect within 5 seconds", Arguments: file,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "note", Usage: "a note about the change, for the history"},
					&cli.BoolFlag{Name: "regroup", Usage: "also regroup stored events"},
					&cli.IntFlag{Name: "onto", Value: -1,
						Usage: "the `VERSION` it was based on; refused if another was pushed since"},
				}, Action: pushRules},
			{Name: "pull", Usage: "write the project's rules to FILE or standard output", Arguments: file,
				Flags: []cli.Flag{&cli.IntFlag{Name: "version", Usage: "an earlier `VERSION`"}}, Action: pullRules},
			{Name: "history", Usage: "show who changed the rules, when and why",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.OfProject("/rules/history"),
						func(out io.Writer, v contract.RulesHistory) {
							if len(v.Versions) == 0 {
								fmt.Fprintln(out, "No rules were pushed yet. Write a file, then: firethorn rules push FILE")
								return
							}
							show.Table(out, func(row func(...any)) {
								row("VERSION", "WHEN", "WHO", "WHAT")
								for _, r := range v.Versions {
									row(r.Version, show.Ago(r.At), r.By, show.OrDash(r.Note))
								}
							})
						})
				}},
			{Name: "schema", Usage: "print a JSON Schema of rules files, for editors",
				Action: func(_ context.Context, c *cli.Command) error {
					_, err := c.Root().Writer.Write(rules.Schema)
					return err
				}},
		}}
}

// rulesFile reads the file that a command names; "-" is standard input.
func rulesFile(c *cli.Command) (name, text string, err error) {
	if name, err = command.Arg(c, "file"); err != nil {
		return "", "", err
	}
	var raw []byte
	if name == "-" {
		raw, err = io.ReadAll(io.LimitReader(c.Root().Reader, rules.MaxBytes+1))
	} else {
		raw, err = os.ReadFile(name)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return name, "", command.Usage("there is no file %s", name)
	}
	return name, string(raw), err
}

func checkRules(_ context.Context, c *cli.Command) error {
	name, text, err := rulesFile(c)
	if err != nil {
		return err
	}
	set, faults := rules.Read(text)
	if set != nil && c.String("on") != "" {
		if faults, err = askedAbout(c, set); err != nil {
			return err
		}
	}
	out := c.Root().Writer
	if c.String("format") == "json" {
		v := contract.RulesChecked{Good: len(faults) == 0, Problems: from.Problems(faults)}
		if err := json.NewEncoder(out).Encode(v); err != nil {
			return err
		}
	} else {
		showProblems(out, name, text, faults)
		if set != nil && len(faults) == 0 {
			var b []string
			for _, x := range []struct {
				section string
				n       int
			}{{"intake", len(set.Intake)}, {"scrub", len(set.Scrub)}, {"frame", len(set.Frames)}, {"grouping",
				len(set.Grouping)}} {
				b = append(b, fmt.Sprintf("%d %s %s", x.n, x.section, show.Plural(x.n, "rule", "rules")))
			}
			fmt.Fprintf(out, "%s is good: %s\n", name, strings.Join(b, ", "))
		}
	}
	if len(faults) > 0 {
		return problem.New(problem.AnswerIsNo, "%s has %d %s", name, len(faults),
			show.Plural(len(faults), "error", "errors"))
	}
	return nil
}

// showProblems prints faults with the line they stand in and a sign below it.
func showProblems(out io.Writer, name, text string, faults []rules.Problem) {
	lines := strings.Split(text, "\n")
	for _, f := range faults {
		fmt.Fprintf(out, "%s:%s\n", name, show.Plain(f.String()))
		if f.Line > len(lines) {
			continue
		}
		line := []rune(strings.TrimRight(lines[f.Line-1], "\r"))
		from := max(0, f.Column-80)
		line = line[min(from, len(line)):]
		fmt.Fprintf(out, "    %s\n    %s^\n", show.Plain(string(line[:min(len(line), 120)])),
			strings.Repeat(" ", max(0, f.Column-1-from)))
	}
}

// goodRules is the text of a file without faults; else they are printed.
func goodRules(c *cli.Command) (name, text string, err error) {
	if name, text, err = rulesFile(c); err != nil {
		return "", "", err
	}
	if _, faults := rules.Read(text); len(faults) > 0 {
		showProblems(c.Root().ErrWriter, name, text, faults)
		return "", "", problem.New(problem.AnswerIsNo, "%s has %d %s; nothing was changed", name, len(faults),
			show.Plural(len(faults), "error", "errors"))
	}
	return name, text, nil
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
	err = command.Request(ctx, c, command.Ask(http.MethodPut, command.OfProject("/rules"), in),
		func(out io.Writer, v contract.Rules) {
			fmt.Fprintf(out, "%s is version %d of the rules of %s; it applies to new events within 5 seconds\n", name,
				v.Version, show.Plain(v.Project))
		})
	if err != nil || !c.Bool("regroup") {
		return err
	}
	return regroupAndWatch(ctx, c, "begin")
}

func pullRules(ctx context.Context, c *cli.Command) error {
	path := command.OfProject(fmt.Sprintf("/rules?version=%d", c.Int("version")))
	var failed error
	err := command.Get(ctx, c, path, func(out io.Writer, v contract.Rules) {
		if v.Version == 0 {
			fmt.Fprintf(c.Root().ErrWriter, "%s has no rules yet. Write a file, then: firethorn rules push FILE\n",
				show.Plain(v.Project))
			return
		}
		file := c.StringArg("file")
		if file == "" || file == "-" {
			_, failed = io.WriteString(out, v.Text)
		} else if failed = os.WriteFile(file, []byte(v.Text), 0o644); failed == nil {
			fmt.Fprintf(out, "version %d was written to %s; push it back with --onto %d\n", v.Version, file, v.Version)
		}
		for _, o := range v.Off {
			fmt.Fprintf(c.Root().ErrWriter, "! the %s rule %q was switched off %s: %s\n", o.Section, show.Plain(o.Rule),
				show.Ago(o.At), show.Plain(o.Why))
		}
	})
	return errors.Join(err, failed)
}
