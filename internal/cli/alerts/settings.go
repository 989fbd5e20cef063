package alerts

import (
	"context"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// NoticeSettings is the command about how you get notices.
func NoticeSettings() *cli.Command {
	return &cli.Command{
		Name:  "settings",
		Usage: "choose for each kind of notice: mail at once, a daily mail, or console only",
		Description: "  firethorn notice settings --set commented=digest --set fixed=console --zone Europe/Lisbon\n\n" +
			"The daily digest comes at nine in your zone.",
		Flags: []cli.Flag{
			&cli.StringSliceFlag{
				Name:  "set",
				Usage: "`KIND=CHOICE`: new, regressed, woken, surging, threshold, fixed, holding, assigned, commented, release.worse or symbols.missing; mail, digest or console",
			},
			&cli.StringFlag{Name: "zone", Usage: "your time `ZONE`, such as Europe/Lisbon"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			var in contract.SetWishes
			for _, s := range c.StringSlice("set") {
				kind, choice, ok := strings.Cut(s, "=")
				if !ok {
					return command.Usage("--set takes KIND=CHOICE, such as commented=digest, not %q", s)
				}
				if in.Notices == nil {
					in.Notices = map[string]string{}
				}
				in.Notices[kind] = choice
			}
			if c.IsSet("zone") {
				zone := c.String("zone")
				in.Zone = &zone
			}
			if in.Zone == nil && in.Notices == nil {
				return command.Get(ctx, c, command.Fixed("/api/me/notices"), showWishes)
			}
			return command.Request(
				ctx,
				c,
				command.Ask(http.MethodPatch, command.Fixed("/api/me/notices"), in),
				showWishes,
			)
		},
	}
}

func showWishes(out io.Writer, w contract.Wishes) {
	words := map[string]string{
		"mail":    "by mail, at once",
		"digest":  "in the daily digest",
		"console": "in the console only",
	}
	show.Table(out, func(row func(...any)) {
		row("NOTICE", "HOW")
		for _, kind := range slices.Sorted(maps.Keys(w.Notices)) {
			row(kind, show.OrElse(words[w.Notices[kind]], w.Notices[kind]))
		}
	})
	fmt.Fprintf(out, "\nYour time zone is %s.\n", show.OrElse(w.Zone, "UTC"))
	if !w.Mail {
		fmt.Fprintln(
			out,
			"The service has no mail server yet, so notices appear in the console only. An operator makes one: firethorn destination create post --kind mail --url smtp://HOST:587 --from ADDRESS",
		)
	}
}
