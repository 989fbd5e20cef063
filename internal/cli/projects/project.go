// Package projects has the commands about projects and received events.
package projects

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
)

// byName is a path below the project that the command names, or that is chosen.
func byName(c *cli.Command, rest string) func(*client.Client) (string, error) {
	name := c.StringArg("name")
	if name == "" {
		return command.OfProject(rest)
	}
	return command.Fixed("/api/projects/" + url.PathEscape(name) + rest)
}

// Project is the command about the applications that report.
func Project() *cli.Command {
	return &cli.Command{
		Name:  "project",
		Usage: "the applications that report errors",
		Commands: []*cli.Command{
			{Name: "create", Usage: "create a project and its ingest key",
				Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{&cli.IntFlag{Name: "keep", Value: 30,
					Usage: "keep events for 7, 30, 90 or 365 `DAYS`"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed("/api/projects"),
						contract.NewProject{Name: name, KeepDays: c.Int("keep")}), showProject)
				}},
			{Name: "list", Usage: "list all projects", Action: func(ctx context.Context, c *cli.Command) error {
				return command.Get(ctx, c, command.Fixed("/api/projects"), showProjects)
			}},
			{Name: "show", Usage: "show a project and how its application reports",
				Arguments: []cli.Argument{command.Text("name")},
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, byName(c, ""), showProject)
				}},
			setUpCommand(),
			{Name: "keep", Usage: "change the retention of events and symbols",
				Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{
					&cli.IntFlag{Name: "days", Usage: "keep later events for 7, 30, 90 or 365 `DAYS`"},
					&cli.IntFlag{Name: "symbols", Usage: "symbols: `DAYS` after they were pushed or used last"},
				},
				Action: func(ctx context.Context, c *cli.Command) error {
					if !c.IsSet("days") && !c.IsSet("symbols") {
						return command.Usage("keep what? Give --days for events, --symbols for symbols")
					}
					return command.Request(ctx, c, command.Ask(http.MethodPatch, byName(c, ""),
						contract.ChangeProject{KeepDays: c.Int("days"), KeepSymbols: c.Int("symbols")}), showProject)
				}},
			changeCommand(),
			keysCommand(),
		},
	}
}

func showProjects(out io.Writer, v contract.Projects) {
	if len(v.Projects) == 0 {
		fmt.Fprintln(out, "There is no project yet. Make one: firethorn project create NAME")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("PROJECT", "   OPEN", " ISSUES", " EVENTS", "LAST EVENT", "KEPT")
		for _, p := range v.Projects {
			last := "none yet"
			if p.LastEvent != nil {
				last = show.Ago(*p.LastEvent)
			}
			row(p.Name, show.Figure(p.OpenIssues), show.Figure(p.Issues), show.Figure(p.Events), last,
				fmt.Sprintf("%d days", p.KeepDays))
		}
	})
}

func changeCommand() *cli.Command {
	return &cli.Command{Name: "change", Usage: "change a project's limits, web origins, release order and log settings", Arguments: []cli.Argument{command.Text("name")},
		Flags: []cli.Flag{
			&cli.Int64Flag{Name: "allowance-minute",
				Usage: "`EVENTS` a minute; 0: any number, -1: the default"},
			&cli.Int64Flag{Name: "allowance-day", Usage: "`EVENTS` a day; 0: any number, -1: the default"},
			&cli.StringFlag{Name: "release-order",
				Usage: "order releases by `WHAT`: commits, versions, announcement, or auto (the first of these that is known)"},
			&cli.StringFlag{Name: "repository", Usage: "fetch the code from this https or ssh `ADDRESS` (needs serve --fetch-from); empty: builds send it"},
			&cli.StringFlag{Name: "commit-link",
				Usage: "a `URL` of a page that shows a commit, with {commit} in it"},
			&cli.StringSliceFlag{Name: "source-path",
				Usage: "`FROM=TO`: source paths that begin with FROM are below TO in the repository; may be repeated; empty removes all"},
			&cli.StringFlag{Name: "log-messages", Usage: "turn log records without an exception into events from this `SEVERITY` on: error, fatal, or off"},
			&cli.BoolFlag{Name: "locate-users", Usage: "store the country of client addresses (needs serve --geo-database); --locate-users=false stops that"},
			&cli.BoolFlag{Name: "cut-off-crashes", Usage: "count cut-off sessions as crashed; --cut-off-crashes=false stops that"},
			&cli.StringSliceFlag{Name: "origin", Usage: "allow only this web `ORIGIN` to report; may be repeated; * allows all"},
		},
		Action: changeProject,
	}
}

func changeProject(ctx context.Context, c *cli.Command) error {
	in := contract.ChangeProject{Origins: c.StringSlice("origin"),
		LogMessages: c.String("log-messages"), ReleaseOrder: c.String("release-order")}
	for flag, to := range map[string]**int64{"allowance-minute": &in.AllowanceMinute,
		"allowance-day": &in.AllowanceDay} {
		if c.IsSet(flag) {
			n := c.Int64(flag)
			*to = &n
		}
	}
	for flag, to := range map[string]**string{"repository": &in.Repository,
		"commit-link": &in.CommitLink} {
		if c.IsSet(flag) {
			v := c.String(flag)
			*to = &v
		}
	}
	for flag, to := range map[string]**bool{"locate-users": &in.LocateUsers, "cut-off-crashes": &in.CutOffCrashes} {
		if c.IsSet(flag) {
			v := c.Bool(flag)
			*to = &v
		}
	}
	if c.IsSet("source-path") {
		if in.SourcePaths = c.StringSlice("source-path"); len(in.SourcePaths) == 0 {
			in.SourcePaths = []string{""}
		}
	}
	if in.Repository == nil && in.CommitLink == nil && in.SourcePaths == nil &&
		in.AllowanceMinute == nil && in.AllowanceDay == nil && in.LocateUsers == nil && in.CutOffCrashes == nil &&
		len(in.Origins) == 0 &&
		in.LogMessages == "" && in.ReleaseOrder == "" {
		return command.Usage("change what? Give --allowance-minute, --allowance-day, --origin, --release-order, --repository, --commit-link, --source-path, --log-messages, --locate-users or --cut-off-crashes")
	}
	return command.Request(ctx, c, command.Ask(http.MethodPatch, byName(c, ""), in), showProject)
}

func showProject(out io.Writer, p contract.Project) {
	fmt.Fprintf(out, "%s: %s events, %s open issues, events kept %d days\n", show.Plain(p.Name), show.Count(p.Events),
		show.Count(p.OpenIssues), p.KeepDays)
	fmt.Fprintf(out, "ingest key  %s\n", p.IngestKey)
	fmt.Fprintf(out, "allowance   %s a minute, %s a day\n", allowed(p.Allowance.Minute), allowed(p.Allowance.Day))
	fmt.Fprintf(out, "origins     %s\n", show.Plain(strings.Join(p.Origins, ", ")))
	if p.Rules > 0 {
		fmt.Fprintf(out, "rules       version %d\n", p.Rules)
	}
	if p.Events == 0 {
		fmt.Fprintf(out, "\nNothing has arrived yet. Send a test event:\n  firethorn send --project %s\nSet the application up:\n  firethorn project set-up %s\n", p.Name, p.Name)
	}
}

func allowed(n int64) string {
	if n == 0 {
		return "any number"
	}
	return show.Count(n) + " events"
}

// setUpCommand says how an application is set up to report.
func setUpCommand() *cli.Command {
	return &cli.Command{Name: "set-up", Usage: "print the set-up steps of an application, with the project's key",
		Arguments: []cli.Argument{command.Text("name")},
		Flags: []cli.Flag{&cli.StringFlag{Name: "runtime", Value: "vite",
			Usage: "vite, browser, node, node-web, go, opentelemetry or logs"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			return command.Get(ctx, c, byName(c, "/set-up?"+url.Values{"runtime": {c.String("runtime")}}.Encode()),
				showSetUp)
		}}
}

func showSetUp(out io.Writer, v contract.SetUp) {
	fmt.Fprintf(out, "%s. %s\n", show.Plain(v.Name), show.Plain(v.About))
	for i, s := range v.Steps {
		fmt.Fprintf(out, "\n%d. %s%s\n", i+1, show.Plain(s.Title),
			map[bool]string{true: " (in the build or the deployment)"}[s.Later])
		if s.Why != "" {
			fmt.Fprintf(out, "   %s\n", show.Plain(s.Why))
		}
		if s.File != "" {
			fmt.Fprintf(out, "   %s:\n", show.Plain(s.File))
		}
		for line := range strings.Lines(s.Text + s.Run) {
			fmt.Fprintf(out, "      %s\n", strings.TrimRight(strings.ReplaceAll(line, "\t", "    "), "\n"))
		}
	}
	var others []string
	for _, r := range v.Runtimes {
		if r.ID != v.Runtime {
			others = append(others, r.ID)
		}
	}
	fmt.Fprintf(out, "\nOther guides: --runtime %s\n", strings.Join(others, ", "))
}

// keysCommand lists, makes, rotates and revokes ingest keys.
func keysCommand() *cli.Command {
	return &cli.Command{Name: "keys", Usage: "a project's ingest keys", Arguments: []cli.Argument{command.Text("name")},
		Description: "To replace a key, use --rotate: it makes a new key, and the old one stays valid for --overlap until all applications\nhave the new one. LAST USED shows whether the old one is still in use.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "add", Usage: "create another key with this `LABEL`"},
			&cli.BoolFlag{Name: "routes", Usage: "with --add: take the project from service.name, for a collector of many services"},
			&cli.StringFlag{Name: "rotate", Usage: "replace `KEY` by a new key"},
			&cli.IntFlag{Name: "overlap", Value: 72, Usage: "with --rotate: keep the old key valid for `HOURS`"},
			&cli.StringFlag{Name: "revoke", Usage: "revoke `KEY` at once"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			at := byName(c, "/keys")
			below := func(key, verb string) func(*client.Client) (string, error) {
				return func(cl *client.Client) (string, error) {
					p, err := at(cl)
					return p + "/" + url.PathEscape(key) + "/" + verb, err
				}
			}
			switch {
			case c.String("add") != "":
				return command.Request(ctx, c, command.Ask(http.MethodPost, at,
					contract.NewKey{Label: c.String("add"), Routes: c.Bool("routes")}), showKey)
			case c.String("rotate") != "":
				return command.Request(ctx, c, command.Ask(http.MethodPost, below(c.String("rotate"), "rotate"),
					contract.RotateKey{OverlapHours: c.Int("overlap")}), showKey)
			case c.String("revoke") != "":
				return command.Request(ctx, c, command.Ask(http.MethodPost, below(c.String("revoke"), "revoke")),
					func(out io.Writer, _ contract.Key) {
						fmt.Fprintln(out, "the key is good for nothing any more")
					})
			}
			return command.Get(ctx, c, at, func(out io.Writer, v contract.Keys) {
				show.Table(out, func(row func(...any)) {
					row("KEY", "LABEL", "SINCE", "LAST USED", "GOOD")
					for _, k := range v.Keys {
						row(k.Key, show.OrDash(k.Label), k.Created.Format("2006-01-02"), lastUse(k), goodness(k))
					}
				})
			})
		}}
}

func showKey(out io.Writer, k contract.Key) { fmt.Fprintln(out, k.Key) }

func lastUse(k contract.Key) string {
	if k.LastUsed == nil {
		return "never"
	}
	return show.Ago(*k.LastUsed)
}

func goodness(k contract.Key) string {
	word := "yes"
	switch {
	case k.Revoked != nil:
		word = "no, revoked"
	case !k.Good:
		word = "no, another took its place"
	case k.Until != nil:
		word = "until " + k.Until.Format("2006-01-02 15:04")
	}
	if k.Routes {
		word += "; routes by service.name"
	}
	return word
}
