package search

import (
	"context"
	"fmt"
	"io"
	"net/http"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// attributesCommand lists the names that are searched.
func attributesCommand() *cli.Command {
	return &cli.Command{Name: "attributes", Usage: "searched attributes, and how many more there may be",
		Description: "OpenTelemetry's names are always searched, and up to 200 of a project's own. Names beyond that are counted:\n" +
			"firethorn received. A name that is not used for 30 days makes room for another.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "drop", Usage: "stop searching the attribute `NAME`"},
			&cli.StringFlag{Name: "restore",
				Usage: "search the attribute `NAME` again, from now on"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			drop, restore := c.String("drop"), c.String("restore")
			path := command.OfProject("/attributes")
			switch {
			case drop != "" && restore != "":
				return command.Usage("give --drop or --restore, not both")
			case drop+restore != "":
				body := contract.ChangeAttribute{Name: drop + restore, Dropped: drop != ""}
				return command.Request(ctx, c, command.Ask(http.MethodPost, path, body), showAttributes)
			}
			return command.Get(ctx, c, path, showAttributes)
		}}
}

func showAttributes(out io.Writer, v contract.Attributes) {
	if len(v.Attributes) == 0 {
		fmt.Fprintln(out, "No attribute yet. Names are there once events carry them: firethorn send")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("ATTRIBUTE", "WHOSE", "SINCE", "LAST USED")
		for _, a := range v.Attributes {
			whose := "your own"
			switch {
			case a.Dropped:
				whose = "dropped, not searched"
			case a.Standard:
				whose = "OpenTelemetry"
			}
			row(show.Cut(show.Plain(a.Name), 60), whose, a.Since.Format("2006-01-02"), a.Used)
		}
	})
	fmt.Fprintf(out, "\n%d of %d places are taken.\n", v.Taken, v.Places)
}
