// Package alerts has the commands about destinations, deliveries, alerts and notice settings.
package alerts

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

// settingFlags are the flags that create and change share.
func settingFlags(more ...cli.Flag) []cli.Flag {
	return append(
		more,
		&cli.StringFlag{
			Name:  "url",
			Usage: "the `ADDRESS`: https://…; for mail smtp://HOST:PORT (STARTTLS) or smtps://HOST:PORT",
		},
		&cli.StringSliceFlag{
			Name:  "serves",
			Usage: "a project `NAME` that may use it; may be repeated (default: all)",
		},
		&cli.StringFlag{
			Name:  "from",
			Usage: "mail: the `SENDER`, such as \"Firethorn <firethorn@marrowsound.example>\"",
		},
		&cli.StringSliceFlag{
			Name:  "to",
			Usage: "mail: send to this `ADDRESS`; without it, to people: owner, watchers, members, teams",
		},
		&cli.StringFlag{Name: "user", Usage: "mail: sign in as `NAME`"},
		&cli.StringFlag{Name: "password-file", Usage: "mail: the file with the password"},
		&cli.BoolFlag{Name: "insecure", Usage: "mail: without TLS, to a server that --allow-inside names"},
		&cli.StringFlag{
			Name:  "template",
			Usage: "chat: the `JSON` to post, with {{text}} within a string (default: {\"text\": \"{{text}}\"})",
		},
		&cli.StringFlag{
			Name:  "file",
			Usage: "tickets: the `FILE` that describes the tracker's API; see destination check",
		},
		&cli.StringFlag{
			Name:  "secret-file",
			Usage: "tickets: the file with the value of {{secret}} in the description",
		},
		&cli.StringFlag{Name: "receiver", Usage: "pager: the label `receiver` of its alerts"},
		&cli.StringFlag{
			Name:  "allow-inside",
			Usage: "allow one address inside your network: `HOST:PORT`; without a value, that of --url",
		},
	)
}

// setting reads those of the flags that were given.
func setting(c *cli.Command) (contract.SetDestination, error) {
	var in contract.SetDestination
	for flag, to := range map[string]**string{"url": &in.URL, "from": &in.From,
		"user": &in.User, "template": &in.Template,
		"receiver": &in.Receiver, "allow-inside": &in.AllowInside} {
		if c.IsSet(flag) {
			v := c.String(flag)
			*to = &v
		}
	}
	for _, flag := range []string{"password-file", "secret-file"} {
		if !c.IsSet(flag) {
			continue
		}
		secret, err := command.SecretFlag(c, "", flag)
		if err != nil {
			return in, err
		}
		in.Secret = &secret
	}
	if c.IsSet("file") {
		text, err := readDescription(c, c.String("file"))
		if err != nil {
			return in, err
		}
		in.Description = &text
	}
	for flag, to := range map[string]**[]string{"serves": &in.Projects, "to": &in.To} {
		if c.IsSet(flag) {
			v := c.StringSlice(flag)
			*to = &v
		}
	}
	if c.IsSet("insecure") {
		v := c.Bool("insecure")
		in.Insecure = &v
	}
	return in, nil
}

// Destination is the command about where messages go.
func Destination() *cli.Command {
	named := func(name, usage string, flags []cli.Flag,
		do func(ctx context.Context, c *cli.Command, path command.Path) error) *cli.Command {
		return &cli.Command{Name: name, Usage: usage, Arguments: []cli.Argument{command.Text("name")}, Flags: flags,
			Action: func(ctx context.Context, c *cli.Command) error {
				n, err := command.Arg(c, "name")
				if err != nil {
					return err
				}
				return do(ctx, c, command.Fixed("/api/destinations/"+url.PathEscape(n)))
			}}
	}
	return &cli.Command{
		Name:  "destination",
		Usage: "where alerts go: webhooks, mail, chat, pagers, ticket trackers",
		Description: "Operators create destinations; alert rules name them. A mail destination without --to sends the service's own mail: to\n" +
			"owners, watchers, members and teams, as each person chose.\n\n" +
			"  firethorn destination create 'harbour chat' --kind chat --url https://chat.marrowsound.example/hooks/berths\n" +
			"  firethorn destination create post --kind mail --url smtp://mail.marrowsound.example:587 --from firethorn@marrowsound.example\n" +
			"  firethorn destination create 'harbour board' --kind tickets \\\n" +
			"    --url https://board.marrowsound.example/api --file board.yaml --secret-file board.token\n" +
			"  firethorn destination test 'harbour chat'",
		Commands: []*cli.Command{
			{
				Name:  "list",
				Usage: "list destinations and whether messages arrive",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.Fixed("/api/destinations"), showDestinations)
				},
			},
			{
				Name:      "create",
				Usage:     "create a destination",
				Arguments: []cli.Argument{command.Text("name")},
				Flags: settingFlags(
					&cli.StringFlag{Name: "kind", Usage: "`KIND`: webhook, mail, chat, pager or tickets"},
				),
				Action: create,
			},
			named("show", "one destination", nil, func(ctx context.Context, c *cli.Command, path command.Path) error {
				return command.Get(ctx, c, path, showDestination)
			}),
			named("change", "change one; what is not given stays", settingFlags(
				&cli.StringFlag{Name: "rename", Usage: "rename it to `NAME`; change rules that name it as well"},
				&cli.BoolFlag{
					Name:  "new-secret",
					Usage: "webhook: replace the signing secret; the new one is printed once",
				},
			),
				func(ctx context.Context, c *cli.Command, path command.Path) error {
					in, err := setting(c)
					if err != nil {
						return err
					}
					in.Name, in.NewSecret = c.String("rename"), c.Bool("new-secret")
					return command.Request(ctx, c, command.Ask(http.MethodPatch, path, in), showDestination)
				}),
			named("remove", "remove one; messages that wait for it are cancelled", nil,
				func(ctx context.Context, c *cli.Command, path command.Path) error {
					return command.Request(
						ctx,
						c,
						command.Ask(http.MethodDelete, path),
						func(out io.Writer, _ contract.RemovedDestination) {
							fmt.Fprintf(out, "%s is removed.\n", show.Plain(c.StringArg("name")))
						},
					)
				}),
			named(
				"test",
				"send a message marked as a test and print the answer; of tickets: try each call",
				nil,
				test,
			),
			checkCommand(),
		},
	}
}

func create(ctx context.Context, c *cli.Command) error {
	name, err := command.Arg(c, "name")
	if err != nil {
		return err
	}
	in, err := setting(c)
	if err != nil {
		return err
	}
	if in.Name, in.Kind = name, c.String("kind"); in.Kind == "" || in.URL == nil {
		return command.Usage("a destination needs --kind webhook|mail|chat|pager|tickets and --url ADDRESS")
	}
	return command.Request(
		ctx,
		c,
		command.Ask(http.MethodPost, command.Fixed("/api/destinations"), in),
		showDestination,
	)
}

// test sends a test; its exit code is 1 when it did not arrive.
func test(ctx context.Context, c *cli.Command, path command.Path) error {
	q := ""
	if p := c.String("project"); p != "" {
		q = "?project=" + url.QueryEscape(p)
	}
	arrived := false
	err := command.Request(ctx, c, command.Ask(http.MethodPost, func(cl *client.Client) (string, error) {
		p, err := path(cl)
		return p + "/test" + q, err
	}), showDelivery, func(d contract.DeliveryDetail) { arrived = d.State == "sent" })
	if err == nil && !arrived {
		return problem.New(problem.AnswerIsNo, "the test did not arrive")
	}
	return err
}

func showDestinations(out io.Writer, v contract.Destinations) {
	if len(v.Destinations) == 0 {
		fmt.Fprintln(
			out,
			"No destination yet: firethorn destination create NAME --kind webhook|mail|chat|pager|tickets --url ADDRESS",
		)
		return
	}
	show.Table(out, func(row func(...any)) {
		row("NAME", "KIND", "STATE", "   SENT", "WAITING", " FAILED", "PROJECTS", "ADDRESS")
		for _, d := range v.Destinations {
			projects := "all"
			if len(d.Projects) > 0 {
				projects = strings.Join(d.Projects, ", ")
			}
			row(
				show.Plain(d.Name),
				d.Kind,
				d.State,
				show.Figure(d.LastWeek["sent"]),
				show.Figure(d.LastWeek["waiting"]+d.LastWeek["held"]),
				show.Figure(d.LastWeek["failed"]),
				projects,
				show.OrDash(show.Plain(d.URL)),
			)
		}
	})
	fmt.Fprintln(out, "\nCounts are of 7 days.")
}

func showDestination(out io.Writer, d contract.Destination) {
	fmt.Fprintf(out, "%s: %s, %s\n", show.Plain(d.Name), d.Kind, d.State)
	line := func(name, value string) {
		if value != "" {
			fmt.Fprintf(out, "  %-13s %s\n", name, show.Plain(value))
		}
	}
	line("address", d.URL)
	line("from", d.From)
	line("to", strings.Join(d.To, ", "))
	line("user", d.User)
	line("template", d.Template)
	line("receiver", d.Receiver)
	line("webhooks", d.HookURL)
	line("may reach", d.AllowInside)
	line("projects", strings.Join(d.Projects, ", "))
	if d.ServesPeople {
		line("serves", "people: owner, watchers, members and teams of alert rules")
	}
	if d.Paused != nil {
		line("paused", show.Ago(*d.Paused)+", since it failed for an hour; tried every 5 minutes")
	} else if d.FailingSince != nil {
		line("failing", "since "+show.Ago(*d.FailingSince))
	}
	if d.Secret != "" {
		what := "Messages are signed with this secret."
		if d.Kind == "tickets" {
			what = "The tracker signs its webhooks with this secret."
		}
		fmt.Fprintf(out, "\n%s It is shown once:\n%s\n", what, d.Secret)
	}
}
