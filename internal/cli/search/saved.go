package search

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
)

// Search is the command about searches with a name.
func Search() *cli.Command {
	name := command.Text("name")
	return &cli.Command{Name: "search", Usage: "saved searches, your own and shared ones",
		Description: "saved:NAME can be used in any search.\n\n" + command.SearchHelp,
		Commands: []*cli.Command{
			{
				Name:      "save",
				Usage:     "save a search under a name, replacing one of that name",
				Arguments: []cli.Argument{name, command.Text("search")},
				Flags: []cli.Flag{
					&cli.BoolFlag{Name: "shared", Usage: "share it with everybody in the project"},
					&cli.BoolFlag{Name: "default", Usage: "make it the start of lists"}},
				Action: saveSearch,
			},
			attributesCommand(),
			{Name: "list", Usage: "list saved searches", Action: func(ctx context.Context, c *cli.Command) error {
				return command.Get(ctx, c, command.OfProject("/searches"), showSearches)
			}},
			{
				Name:      "show",
				Usage:     "show a search",
				Arguments: []cli.Argument{name},
				Action: func(ctx context.Context, c *cli.Command) error {
					n, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return command.Get(
						ctx,
						c,
						command.OfProject("/searches/"+url.PathEscape(n)),
						func(out io.Writer, v contract.SavedSearch) {
							fmt.Fprintf(
								out,
								"%s\n%s\n\nList what it finds: firethorn issue list --search %s\n",
								kind(v),
								show.Plain(v.Search),
								shell.Arguments("saved:"+v.Name),
							)
						},
					)
				},
			},
			{Name: "delete", Usage: "delete one of your searches", Arguments: []cli.Argument{name},
				Flags: []cli.Flag{&cli.BoolFlag{Name: "shared", Usage: "the shared search of that name"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					n, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					path := "/searches/" + url.PathEscape(n)
					if c.Bool("shared") {
						path += "?shared=true"
					}
					return command.Request(
						ctx,
						c,
						command.Ask(http.MethodDelete, command.OfProject(path)),
						func(out io.Writer, _ struct{}) {
							fmt.Fprintf(out, "%s is deleted\n", show.Plain(n))
						},
					)
				}},
		}}
}

func saveSearch(ctx context.Context, c *cli.Command) error {
	n, err := command.Arg(c, "name")
	if err != nil {
		return err
	}
	text, err := command.Arg(c, "search")
	if err != nil {
		return err
	}
	body := contract.SaveSearch{Search: text, Shared: c.Bool("shared"), Default: c.Bool("default")}
	return command.Request(
		ctx,
		c,
		command.Ask(http.MethodPut, command.OfProject("/searches/"+url.PathEscape(n)), body),
		func(out io.Writer, v contract.SavedNow) {
			fmt.Fprintf(out, "%s is saved; use it as saved:%s\n", show.Plain(v.Name), show.Plain(v.Name))
			for _, w := range v.Warnings {
				fmt.Fprintf(out, "Note: %s.\n", show.Plain(w))
			}
		},
	)
}

func showSearches(out io.Writer, v contract.SavedSearches) {
	if len(v.Searches) == 0 {
		fmt.Fprintln(out, "No search is saved. Save one: firethorn search save NAME SEARCH")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("NAME", "SEARCH", "WHOSE", "BY", "CHANGED")
		for _, s := range v.Searches {
			row(show.Cut(s.Name, 40), show.Cut(show.Plain(s.Search), 70), kind(s), s.By, show.Ago(s.Changed))
		}
	})
}

func kind(s contract.SavedSearch) string {
	out := "yours"
	if s.Shared {
		out = "shared"
	}
	if s.Default {
		out += ", default"
	}
	return out
}
