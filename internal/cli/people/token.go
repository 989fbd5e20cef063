package people

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Token is the command about tokens.
func Token() *cli.Command {
	return &cli.Command{Name: "token", Usage: "what programs authorise with", Commands: []*cli.Command{
		{Name: "create", Usage: "make a token; its text is shown this once",
			Arguments: []cli.Argument{command.Text("label")},
			Description: "What each scope allows:\n" +
				"  build   symbols:push, releases:announce, rules:check\n" +
				"  read    issues:read, events:read, rules:check\n" +
				"  person  all that read and build allow, issues:triage, rules:push\n" +
				"  admin   everything\n" +
				"A build that keeps the rules file in its repository needs --permission rules:push beside.",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "scope", Value: "build", Usage: "build, read, person or admin"},
				&cli.StringSliceFlag{Name: "permission",
					Usage: "a `PERMISSION` beside those of the scope, for example rules:push"},
				&cli.StringFlag{Name: "person", Usage: "whose name stands in the history"},
				&cli.IntFlag{Name: "days", Usage: "how long it lives (default: 90)", HideDefault: true},
				&cli.BoolFlag{Name: "never", Usage: "it never runs out"},
			},
			Action: func(ctx context.Context, c *cli.Command) error {
				label, err := command.Arg(c, "label")
				if err != nil {
					return err
				}
				t := contract.NewToken{Label: label, Scope: c.String("scope"), Person: c.String("person"),
					Project: c.String("project"), Days: c.Int("days"), Never: c.Bool("never"),
					Permissions: c.StringSlice("permission")}
				return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/tokens"), t),
					func(out io.Writer, t contract.Token) {
						fmt.Fprintln(out, t.Token)
					}, func(t contract.Token) {
						until := "it never runs out"
						if t.Expires != nil {
							until = "it runs out on " + t.Expires.Format("2006-01-02")
						}
						fmt.Fprintf(c.Root().ErrWriter, "Token %d %q: %s. firethorn token revoke %d ends it.\n", t.ID,
							t.Label, until, t.ID)
					})
			}},
		{Name: "list", Usage: "all tokens, the newest first, without their texts",
			Action: func(ctx context.Context, c *cli.Command) error {
				return command.Get(ctx, c, command.Fixed("/api/tokens"), showTokens)
			}},
		{Name: "revoke", Usage: "end a token", Arguments: []cli.Argument{command.Text("number")},
			Action: func(ctx context.Context, c *cli.Command) error {
				number, err := command.Arg(c, "number")
				if err != nil {
					return err
				}
				id, err := strconv.ParseInt(number, 10, 64)
				if err != nil || id < 1 {
					return command.Usage("%q is no number of a token; firethorn token list shows them", number)
				}
				cl, err := command.NewClient(ctx, c)
				if err != nil {
					return err
				}
				if _, err := cl.Call(ctx, http.MethodDelete, "/api/tokens/"+number, nil, nil); err != nil {
					return err
				}
				if c.String("format") == "json" {
					_, err = fmt.Fprintf(c.Root().Writer, "{\"revoked\":%d}\n", id)
					return err
				}
				fmt.Fprintf(c.Root().Writer, "Token %d is revoked.\n", id)
				return nil
			}},
	}}
}

func showTokens(out io.Writer, list contract.Tokens) {
	if len(list.Tokens) == 0 {
		fmt.Fprintln(out, "There are no tokens; firethorn token create LABEL makes one.")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("TOKEN", "LABEL", "SCOPE", "PROJECT", "PERSON", "LAST USED", "RUNS OUT")
		for _, t := range list.Tokens {
			used, ends := "not yet", "never"
			if t.LastUsed != nil {
				used = t.LastUsed.Format("2006-01-02 15:04")
			}
			if t.Expires != nil {
				ends = t.Expires.Format("2006-01-02")
			}
			project := t.Project
			if project == "" {
				project = "all"
			}
			row(strconv.FormatInt(t.ID, 10), t.Label, t.Scope, project, t.Person, used, ends)
		}
	})
	for _, t := range list.Tokens {
		if t.Warning != "" && t.Scope != "admin" {
			fmt.Fprintf(out, "\nToken %d %q: %s. It may: %s\n", t.ID, show.Plain(t.Label), t.Warning,
				strings.Join(t.Permissions, ", "))
		}
	}
}
