package cli

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
)

func checkCommand() *cli.Command {
	return &cli.Command{Name: "check", Usage: "whether the traces of a release, or of an event, can be read, and why not",
		Description: "For each generated file that traces name: what was looked for, by what, what is there, what is nearest, and what to run.\n" +
			"EVENT is an event's id, or an issue such as quayside/6, whose newest kept event counts. Exit code 1 when one cannot be read.",
		Arguments: []cli.Argument{text("event")},
		Flags:     []cli.Flag{&cli.StringFlag{Name: "release", Usage: "the release `R`, as events report it; an event knows its own"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			event, release := c.StringArg("event"), c.String("release")
			if event == "" && release == "" {
				return usage("which release? Give --release R, or an event")
			}
			path := ofProject("/symbols/check?" + url.Values{"release": {release}, "event": {event}}.Encode())
			if project, _, ok := strings.Cut(event, "/"); ok {
				path = fixed("/api/projects/" + url.PathEscape(project) + "/symbols/check?" +
					url.Values{"release": {release}, "event": {event}}.Encode())
			}
			var bad int
			err := get(ctx, c, path, func(out io.Writer, v contract.SymbolCheck) { showCheck(out, v) },
				func(v contract.SymbolCheck) {
					for _, f := range v.Files {
						if !f.Readable {
							bad++
						}
					}
				})
			if err == nil && bad > 0 {
				return fault.New(fault.AnswerIsNo, "%s cannot be read", files(bad))
			}
			return err
		}}
}

func showCheck(out io.Writer, v contract.SymbolCheck) {
	as := styleOf(out)
	fmt.Fprintln(out, as.bright(plain(v.Words)))
	if v.Pushed > 0 {
		fmt.Fprintf(out, "%s pushed for release %s\n", files(v.Pushed), plain(v.Release))
	}
	if v.Again > 0 {
		fmt.Fprintf(out, "%d kinds of trace are being read again: symbols came\n", v.Again)
	}
	for _, f := range v.Files {
		word := as.faint("readable")
		if !f.Readable {
			word = as.fault("unread")
		}
		fmt.Fprintf(out, "\n%s  %s\n", as.bright(plain(f.File)), word)
		if f.Events > 0 {
			fmt.Fprintf(out, "  named by %s events", count(f.Events))
			if f.Unread > 0 {
				fmt.Fprintf(out, "; %s in %d %s could not be read", count(f.Unread), f.Issues,
					plural(int(f.Issues), "issue", "issues"))
			}
			fmt.Fprintln(out)
		}
		for i, l := range f.LookedFor {
			head := "looked for"
			if i > 0 {
				head = "then for  "
			}
			fmt.Fprintf(out, "  %s %s\n", as.faint(head), plain(l))
		}
		if f.Found != nil {
			fmt.Fprintf(out, "  %s %s, by its %s (%s)\n", as.faint("found     "), plain(f.Found.Address), f.Found.By,
				f.Found.State)
		}
		if f.Why != "" {
			fmt.Fprintf(out, "  %s %s\n", as.faint("why       "), plain(f.Why))
		}
		if f.Note != "" {
			fmt.Fprintf(out, "  %s %s\n", as.faint("note      "), plain(f.Note))
		}
		if f.Nearest != "" {
			fmt.Fprintf(out, "  %s %s\n", as.faint("nearest   "), plain(f.Nearest))
		}
		if f.Run != "" {
			fmt.Fprintf(out, "  %s %s\n", as.faint("run       "), plain(f.Run))
		}
	}
}
