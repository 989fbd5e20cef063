package alerts

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Delivery is the command about messages on their way.
func Delivery() *cli.Command {
	one := func(name, usage, method, rest string) *cli.Command {
		return &cli.Command{Name: name, Usage: usage, Arguments: []cli.Argument{command.Text("id")},
			Action: func(ctx context.Context, c *cli.Command) error {
				id, err := command.Arg(c, "id")
				if err != nil {
					return err
				}
				return command.Request(
					ctx,
					c,
					command.Ask(method, command.Fixed("/api/deliveries/"+url.PathEscape(id)+rest)),
					showDelivery,
				)
			}}
	}
	return &cli.Command{Name: "delivery", Usage: "messages that were sent, wait, are held or failed",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list messages of the last 90 days, newest first", Flags: []cli.Flag{
				&cli.StringFlag{Name: "destination", Usage: "only those to the destination `NAME`"},
				&cli.StringFlag{
					Name:  "state",
					Usage: "only `STATE`: waiting, sent, failed, held, summarised or cancelled",
				},
				&cli.StringFlag{Name: "issue", Usage: "only those about the issue `ID`"},
				&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most `N`"},
				&cli.StringFlag{Name: "cursor", Usage: "continue after the previous page"},
			},
				Action: func(ctx context.Context, c *cli.Command) error {
					q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
					for _, f := range []string{"destination", "state", "issue", "cursor"} {
						if v := c.String(f); v != "" {
							q.Set(f, v)
						}
					}
					return command.Get(ctx, c, command.Fixed("/api/deliveries?"+q.Encode()), showDeliveries)
				}},
			one("show", "one message: what it says, and each try", http.MethodGet, ""),
			one("retry", "try a message again that failed or waits, now", http.MethodPost, "/retry"),
		}}
}

func showDeliveries(out io.Writer, v contract.Deliveries) {
	if len(v.Deliveries) == 0 {
		fmt.Fprintln(out, "No delivery. Alert rules send them to destinations: firethorn alert list shows the rules")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("ID", "STATE", "TO", "SUBJECT", "TRIES", "CREATED", "SENT")
		for _, d := range v.Deliveries {
			sent := "-"
			if d.Sent != nil {
				sent = show.Ago(*d.Sent)
			}
			row(d.ID, d.State, show.Plain(to(d)), show.Cut(show.Plain(d.Subject), 60), d.Attempts,
				show.Ago(d.Created), sent)
		}
	})
	if v.Next != "" {
		fmt.Fprintf(out, "\nThere are more: --cursor %s\n", v.Next)
	}
}

func to(d contract.Delivery) string {
	if d.Person != "" {
		return d.Person + " by " + d.Destination
	}
	return d.Destination
}

func showDelivery(out io.Writer, d contract.DeliveryDetail) {
	fmt.Fprintf(
		out,
		"%s: %s\n%s\n  %s, to %s, created %s\n",
		d.ID,
		d.State,
		show.Plain(d.Subject),
		d.Type,
		show.Plain(to(d.Delivery)),
		show.Ago(d.Created),
	)
	if d.Due != nil && d.State == "waiting" {
		fmt.Fprintf(out, "  next try %s\n", d.Due.UTC().Format(time.DateTime))
	}
	for i, t := range d.Tries {
		fmt.Fprintf(out, "\ntry %d, %s: ", i+1, show.Ago(t.Time))
		if t.Error != "" {
			fmt.Fprintf(out, "%s\n", show.Plain(t.Error))
		} else {
			fmt.Fprintf(out, "answered %d in %d ms\n", t.Status, t.TookMS)
		}
		if t.Answer != "" {
			fmt.Fprintln(out, show.IndentAll(show.Lines(t.Answer), "  "))
		}
	}
}

// Alert is the command about what fires.
func Alert() *cli.Command {
	return &cli.Command{
		Name:        "alert",
		Usage:       "alert rules, their pauses, and the messages they sent",
		Description: "Alert rules are in the section alerts of the project's rules file: firethorn rules pull, try, push.",
		Commands: []*cli.Command{
			{
				Name:  "list",
				Usage: "list the rules and the alerts they raised, newest first",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "issue", Usage: "only about the issue `ID`"},
					&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most `N`"},
					&cli.StringFlag{Name: "cursor", Usage: "continue after the previous page"},
				},
				Action: list,
			},
			{
				Name:      "pause",
				Usage:     "pause a rule until a time",
				Arguments: []cli.Argument{command.Text("name")},
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "until", Usage: "`TIME`: 2h, 3d, 2026-12-01 or 2026-12-01T09:00:00Z"},
				},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					until, err := moment(c.String("until"), time.Now())
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfProject("/alerts/pause"),
						contract.PauseAlert{Rule: name, Until: until}), func(out io.Writer, _ contract.AlertPause) {
						fmt.Fprintf(
							out,
							"%s is paused until %s.\n",
							show.Plain(name),
							until.Format("2006-01-02 15:04 MST"),
						)
					})
				},
			},
			{Name: "resume", Usage: "resume a paused rule", Arguments: []cli.Argument{command.Text("name")},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := command.Arg(c, "name")
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfProject("/alerts/resume"),
						contract.ResumeAlert{Rule: name}), func(out io.Writer, _ contract.ResumeAlert) {
						fmt.Fprintf(out, "%s fires again.\n", show.Plain(name))
					})
				}},
		},
	}
}

func list(ctx context.Context, c *cli.Command) error {
	q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
	if v := c.String("cursor"); v != "" {
		q.Set("cursor", v)
	}
	path := command.OfProject("/alerts?" + q.Encode())
	if id := c.String("issue"); id != "" {
		project, number, found := strings.Cut(id, "/")
		if !found {
			project, number = "", id
		}
		if _, err := strconv.Atoi(number); err != nil {
			return command.Usage("%q is no issue; write PROJECT/NUMBER, such as quayside/12", id)
		}
		q.Set("issue", number)
		path = command.OfProject("/alerts?" + q.Encode())
		if project != "" {
			path = command.Fixed("/api/projects/" + url.PathEscape(project) + "/alerts?" + q.Encode())
		}
	}
	return command.Get(ctx, c, path, showAlerts)
}

var days = regexp.MustCompile(`^([0-9]{1,3})d$`)

// moment reads a time: from now on, a day or a moment.
func moment(text string, now time.Time) (time.Time, error) {
	if m := days.FindStringSubmatch(text); m != nil {
		n, _ := strconv.Atoi(m[1]) // digits alone
		return now.AddDate(0, 0, n), nil
	}
	if d, err := time.ParseDuration(text); err == nil {
		return now.Add(d), nil
	}
	for _, form := range []string{time.RFC3339, "2006-01-02T15:04", time.DateOnly} {
		if at, err := time.ParseInLocation(form, text, time.Local); err == nil {
			return at, nil
		}
	}
	return time.Time{}, command.Usage("--until is a time: 2h, 3d, 2026-12-01 or 2026-12-01T09:00:00Z, not %q", text)
}

func showAlerts(out io.Writer, v contract.Alerts) {
	show.Table(out, func(row func(...any)) {
		row("RULE", "WHEN", "TO", "LIMITS", "STATE")
		for _, r := range v.Rules {
			state := "active"
			switch {
			case r.Paused != nil:
				state = "paused until " + r.Paused.Format("2006-01-02 15:04") + " by " + r.By
			case r.Off:
				state = "switched off: it cost too much"
			case r.Default:
				state = "acts (default)"
			}
			row(
				show.Plain(r.Name),
				show.Cut(show.Plain(r.When), 60),
				show.Plain(strings.Join(r.To, ", ")),
				show.OrDash(r.Limits),
				state,
			)
		}
	})
	if len(v.Rules) == 0 {
		fmt.Fprintln(out, "No alert rule: the section alerts of the rules file is empty.")
	}
	fmt.Fprintln(out)
	if len(v.Alerts) == 0 {
		fmt.Fprintln(out, "Nothing fired yet.")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("AT", "ISSUE", "WHAT", "RULE", "TO", "DID", "WHY")
		for _, a := range v.Alerts {
			for _, o := range a.Outcome {
				row(show.Ago(a.At), show.OrDash(a.Issue), a.What, show.Plain(o.Rule), show.OrDash(show.Plain(o.To)),
					o.Did, show.Plain(o.Why))
			}
		}
	})
	if v.Next != "" {
		fmt.Fprintf(out, "\nThere are more: --cursor %s\n", v.Next)
	}
}
