package symbols

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

func checkCommand() *cli.Command {
	return &cli.Command{Name: "check", Usage: "check whether traces of a release or event can be read, and why not",
		Description: "For each generated file in traces: what was searched, what was found, the nearest candidate, and the command to run.\n" +
			"EVENT is the id of an event, or an issue such as quayside/6, for its newest event with a body. Exit code 1 if a file cannot be read.",
		Arguments: []cli.Argument{command.Text("event")},
		Flags: []cli.Flag{&cli.StringFlag{Name: "release",
			Usage: "the release `R`, as events report it; not needed for an event"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			event, release := c.StringArg("event"), c.String("release")
			if event == "" && release == "" {
				return command.Usage("which release? Give --release R, or an event")
			}
			path := command.OfProject("/symbols/check?" + url.Values{"release": {release}, "event": {event}}.Encode())
			if project, _, ok := strings.Cut(event, "/"); ok {
				path = command.Fixed("/api/projects/" + url.PathEscape(project) + "/symbols/check?" +
					url.Values{"release": {release}, "event": {event}}.Encode())
			}
			var bad int
			err := command.Get(ctx, c, path, func(out io.Writer, v contract.SymbolCheck) { showCheck(out, v) },
				func(v contract.SymbolCheck) {
					for _, f := range v.Files {
						if !f.Readable {
							bad++
						}
					}
				})
			if err == nil && bad > 0 {
				return problem.New(problem.AnswerIsNo, "%s cannot be read", files(bad))
			}
			return err
		}}
}

func showCheck(out io.Writer, v contract.SymbolCheck) {
	as := show.StyleOf(out)
	fmt.Fprintln(out, as.Bright(show.Plain(v.Text)))
	if v.Pushed > 0 {
		fmt.Fprintf(out, "%s pushed for release %s\n", files(v.Pushed), show.Plain(v.Release))
	}
	if v.Again > 0 {
		fmt.Fprintf(out, "%d kinds of trace are being read again: symbols came\n", v.Again)
	}
	for _, f := range v.Files {
		word := as.Faint("readable")
		if !f.Readable {
			word = as.Problem("unread")
		}
		fmt.Fprintf(out, "\n%s  %s\n", as.Bright(show.Plain(f.File)), word)
		if f.Events > 0 {
			fmt.Fprintf(out, "  named by %s events", show.Count(f.Events))
			if f.Unread > 0 {
				fmt.Fprintf(out, "; %s in %d %s could not be read", show.Count(f.Unread), f.Issues,
					show.Plural(int(f.Issues), "issue", "issues"))
			}
			fmt.Fprintln(out)
		}
		for i, l := range f.LookedFor {
			head := "looked for"
			if i > 0 {
				head = "then for  "
			}
			fmt.Fprintf(out, "  %s %s\n", as.Faint(head), show.Plain(l))
		}
		if f.Found != nil {
			fmt.Fprintf(out, "  %s %s, by its %s (%s)\n", as.Faint("found     "), show.Plain(f.Found.Address),
				f.Found.By,
				f.Found.State)
		}
		if f.Why != "" {
			fmt.Fprintf(out, "  %s %s\n", as.Faint("why       "), show.Plain(f.Why))
		}
		if f.Note != "" {
			fmt.Fprintf(out, "  %s %s\n", as.Faint("note      "), show.Plain(f.Note))
		}
		if f.Nearest != "" {
			fmt.Fprintf(out, "  %s %s\n", as.Faint("nearest   "), show.Plain(f.Nearest))
		}
		if f.Run != "" {
			fmt.Fprintf(out, "  %s %s\n", as.Faint("run       "), show.Plain(f.Run))
		}
	}
}
