// Package symbols has the commands that find, stamp, push and check source maps.
package symbols

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
)

// Symbols is the command about source maps.
func Symbols() *cli.Command {
	return &cli.Command{Name: "symbols", Usage: "source maps and bundles that make stack traces readable",
		Commands: []*cli.Command{
			pushCommand(), stampCommand(), checkCommand(),
			{Name: "list", Usage: "list pushed files, newest first; without --release the space they take, by release",
				Flags: []cli.Flag{&cli.StringFlag{Name: "release", Usage: "files of release `R`"},
					&cli.IntFlag{Name: "limit", Value: 200, Usage: "print at most this many"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					q := url.Values{"limit": {fmt.Sprint(c.Int("limit"))}}
					release := c.String("release")
					if release != "" {
						q.Set("release", release)
					}
					return command.Get(ctx, c, command.OfProject("/symbols?"+q.Encode()),
						func(out io.Writer, v contract.Symbols) {
							showSymbols(out, v, release)
						})
				}},
		}}
}

func showSymbols(out io.Writer, v contract.Symbols, release string) {
	if len(v.Symbols) == 0 {
		if release != "" {
			fmt.Fprintf(out, "No symbols were pushed for release %s: firethorn symbols push %s DIR\n",
				show.Plain(release), shell.Option("--release", release))
			return
		}
		fmt.Fprintln(out, "No symbols were pushed. After a build: firethorn symbols push --release R DIR")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("RELEASE", "  FILES", "      SIZE", "ITS ALONE", "PUSHED", "LAST USED", "DROPPED", "")
		for _, r := range v.Releases {
			note := ""
			if r.Waiting > 0 {
				note = fmt.Sprintf("%d being prepared ", r.Waiting)
			}
			if r.Broken > 0 {
				note += fmt.Sprintf("%d broken", r.Broken)
			}
			used := "never"
			if r.Used.After(r.Pushed) {
				used = show.Ago(r.Used)
			}
			row(r.Release, show.Figure(r.Files), fmt.Sprintf("%10s", show.Size(r.Bytes)), show.Size(r.Alone),
				show.Ago(r.Pushed), used,
				r.Until.Format(time.DateOnly)+" if not used", note)
		}
	})
	if release == "" {
		fmt.Fprintln(out, "\nfirethorn symbols list --release R shows the files of a release")
		return
	}
	fmt.Fprintln(out)
	show.Table(out, func(row func(...any)) {
		row("FILE", "BUNDLE", "MAP", "DEBUG ID", "STATE", "PUSHED")
		for _, s := range v.Symbols {
			row(s.Address, show.Size(s.BundleBytes), show.Size(s.MapBytes), show.OrDash(s.DebugID), s.State,
				show.Ago(s.Created))
		}
	})
	for _, s := range v.Symbols {
		if s.Note != "" {
			fmt.Fprintf(out, "! %s: %s\n", show.Plain(s.Address), show.Plain(s.Note))
		}
	}
}
