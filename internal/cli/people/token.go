package people

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Token is the command about tokens.
func Token() *cli.Command {
	return &cli.Command{Name: "token", Usage: "tokens for programs", Commands: []*cli.Command{
		{Name: "create", Usage: "create a token; its text is printed once",
			Arguments: []cli.Argument{command.Text("label")},
			Description: "What each scope allows:\n" +
				"  build    symbols:push, releases:announce, rules:check; never an event\n" +
				"  read     issues:read, events:read, rules:check\n" +
				"  person   everything that the person's roles allow\n" +
				"  service  the permissions of --permission\n" +
				"  admin    everything\n" +
				"Permissions: symbols:push, releases:announce, rules:check, rules:push, issues:read,\n" +
				"issues:triage, events:read, export. A build that keeps the rules file in its repository needs\n" +
				"--permission rules:push. Nobody can give permissions that they do not have.",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "scope", Value: "build", Usage: "build, read, person, service or admin"},
				&cli.StringSliceFlag{Name: "permission",
					Usage: "add a `PERMISSION` to those of the scope, such as rules:push"},
				&cli.StringSliceFlag{Name: "projects",
					Usage: "limit it to these `PROJECTS`, separated by commas; --project names one"},
				&cli.StringFlag{Name: "person", Usage: "the person whose permissions and name it has"},
				&cli.IntFlag{Name: "days", Usage: "expire after this many days (default: 90)", HideDefault: true},
				&cli.BoolFlag{Name: "never", Usage: "never expire"},
			},
			Action: func(ctx context.Context, c *cli.Command) error {
				label, err := command.Arg(c, "label")
				if err != nil {
					return err
				}
				t := contract.NewToken{Label: label, Scope: c.String("scope"), Person: c.String("person"),
					Project: c.String("project"), Projects: c.StringSlice("projects"), Days: c.Int("days"),
					Never:       c.Bool("never"),
					Permissions: c.StringSlice("permission")}
				return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/tokens"), t),
					func(out io.Writer, t contract.Token) {
						fmt.Fprintln(out, t.Token)
					}, func(t contract.Token) {
						until := "it never expires"
						if t.Expires != nil {
							until = "it expires on " + t.Expires.Format("2006-01-02")
						}
						fmt.Fprintf(c.Root().ErrWriter, "Token %d %q: %s. firethorn token revoke %d ends it.\n", t.ID,
							t.Label, until, t.ID)
					})
			}},
		{Name: "list", Usage: "list all tokens, newest first, without their texts",
			Action: func(ctx context.Context, c *cli.Command) error {
				return command.Get(ctx, c, command.Fixed("/api/tokens"), showTokens)
			}},
		rotateCommand(),
		{Name: "revoke", Usage: "revoke a token", Arguments: []cli.Argument{command.Text("token")},
			Action: func(ctx context.Context, c *cli.Command) error {
				return endByNumber(ctx, c, numbered{what: "token", path: "/api/tokens/",
					hint: "firethorn token list shows them", said: "Token %d is revoked.\n", field: "revoked"})
			}},
	}}
}

func rotateCommand() *cli.Command {
	return &cli.Command{Name: "rotate", Usage: "replace a token's text; the new text is printed once",
		Arguments: []cli.Argument{command.Text("token")},
		Flags: []cli.Flag{&cli.IntFlag{Name: "overlap", Value: 24,
			Usage: "keep the previous text valid for `HOURS`"}},
		Description: "The token keeps its number, permissions and projects, and its lifetime starts again. A token from before\n" +
			"there were roles becomes bound to them.",
		Action: func(ctx context.Context, c *cli.Command) error {
			number, err := command.Arg(c, "token")
			if err != nil {
				return err
			}
			overlap := c.Int("overlap")
			return command.Request(ctx, c, command.Ask(http.MethodPost,
				command.Fixed("/api/tokens/"+url.PathEscape(number)+"/rotate"),
				contract.RotateToken{OverlapHours: &overlap}),
				func(out io.Writer, t contract.Token) {
					fmt.Fprintln(out, t.Token)
				}, func(t contract.Token) {
					old := "The text before is good no more."
					if t.OldGoodUntil != nil {
						old = "The text before is good until " + t.OldGoodUntil.Format("2006-01-02 15:04") + "."
					}
					fmt.Fprintf(c.Root().ErrWriter, "Token %d %q: %s\n", t.ID, t.Label, old)
				})
		}}
}

func showTokens(out io.Writer, list contract.Tokens) {
	if len(list.Tokens) == 0 {
		fmt.Fprintln(out, "There are no tokens; firethorn token create LABEL makes one.")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("TOKEN", "LABEL", "KIND", "PROJECTS", "WHOSE", "LAST USED", "FROM", "RUNS OUT")
		for _, t := range list.Tokens {
			used, ends := "not yet", "never"
			if t.LastUsed != nil {
				used = t.LastUsed.Format("2006-01-02 15:04")
			}
			if t.Expires != nil {
				ends = t.Expires.Format("2006-01-02")
			}
			projects := "all"
			if len(t.Projects) > 0 {
				projects = strings.Join(t.Projects, ", ")
			}
			kind := t.Kind
			if t.Scope == "admin" {
				kind = "admin"
			}
			row(strconv.FormatInt(t.ID, 10), t.Label, kind, projects, show.OrDash(t.Person), used,
				show.OrDash(t.LastAddress), ends)
		}
	})
	for _, t := range list.Tokens {
		if t.Warning != "" && t.Scope != "admin" {
			fmt.Fprintf(out, "\nToken %d %q: %s. It may: %s\n", t.ID, show.Plain(t.Label), t.Warning,
				strings.Join(t.Permissions, ", "))
		}
	}
}
