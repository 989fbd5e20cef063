// Package service has the commands about the service itself: its status, its queue, signing in, and
// sending events.
package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/search"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

// Status is the command that says whether all is well.
func Status() *cli.Command {
	return &cli.Command{Name: "status", Usage: "check the service, and say what to do if something is wrong",
		Action: func(ctx context.Context, c *cli.Command) error {
			well := true
			err := command.Get(ctx, c, command.Fixed("/api/status"), func(out io.Writer, s contract.Status) {
				well = s.Well
				showStatus(out, s)
			})
			if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.Unavailable {
				return statusWithout(ctx, c, f)
			}
			if err == nil && !well {
				return problem.New(problem.AnswerIsNo, "not all is well")
			}
			return err
		}}
}

// statusWithout says what can be said while the database is away.
func statusWithout(ctx context.Context, c *cli.Command, why *problem.Error) error {
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	advice := why.Pub
	if _, err := cl.Call(ctx, http.MethodGet, "/readyz", nil, nil); err != nil {
		advice = command.Explain(err)
	}
	if c.String("format") != "json" {
		fmt.Fprintf(c.Root().Writer, "not all is well: the service at %s runs, and %s\n", cl.Server, show.Plain(advice))
		return problem.New(problem.AnswerIsNo, "not all is well")
	}
	return problem.New(problem.Unavailable, "%s", advice)
}

func showStatus(out io.Writer, s contract.Status) {
	verdict := "all is well"
	if !s.Well {
		verdict = "not all is well"
	}
	fmt.Fprintln(out, verdict)
	waiting := "no event waits"
	if s.Waiting > 0 && s.Oldest != nil {
		waiting = fmt.Sprintf("%s events wait, the oldest for %s", show.Count(s.Waiting),
			time.Since(*s.Oldest).Round(time.Second))
	}
	fmt.Fprintf(out, "  inbox     %s; %s failed; %d %s\n", waiting, show.Count(s.Failed), s.Processes,
		show.Plural(s.Processes, "process runs", "processes run"))
	if s.Recounting > 0 {
		fmt.Fprintf(out, "  moves     %d merges, splits, regroupings and undos in progress\n", s.Recounting)
	}
	if d := s.Database; d != nil {
		durable := "every commit is synced"
		if !d.Durable {
			durable = "commits are NOT synced"
		}
		disk := ""
		if d.DiskFree != nil {
			disk = fmt.Sprintf(", %.1f GiB of disk free", float64(*d.DiskFree)/(1<<30))
		}
		fmt.Fprintf(out, "  database  %s, %s, partitions made %d days ahead%s\n", show.Plain(d.Version), durable,
			d.PartitionsAhead, disk)
	}
	for _, a := range s.Advice {
		fmt.Fprintln(out, "  ! "+show.Plain(a))
	}
}

// Recount is the command that compares counters with their rows.
func Recount() *cli.Command {
	return &cli.Command{Name: "recount", Usage: "compare every count with the stored rows",
		Description: "Exit code 1 if one differs. Counts that are still moving after a merge differ until they have arrived.",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "repair",
			Usage: "recompute counts that differ, then compare again"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			cl, err := command.NewClient(ctx, c)
			if err != nil {
				return err
			}
			cl.HTTP = &http.Client{} // a large store takes minutes
			method := http.MethodGet
			if c.Bool("repair") {
				method = http.MethodPost
			}
			var v contract.Recount
			raw, err := cl.Call(ctx, method, "/api/recount", nil, &v)
			if err != nil {
				return err
			}
			out := c.Root().Writer
			if c.String("format") == "json" {
				_, err = out.Write(raw)
			} else {
				showRecount(out, v)
			}
			if err == nil && len(v.Differences) > 0 {
				return problem.New(problem.AnswerIsNo, "counters differ from their rows")
			}
			return err
		}}
}

func showRecount(out io.Writer, v contract.Recount) {
	if v.Repaired > 0 {
		fmt.Fprintf(out, "%d issues were mended\n", v.Repaired)
	}
	fmt.Fprintf(out, "%d kinds of counter compared, %d differences\n", v.Compared, len(v.Differences))
	for _, d := range v.Differences {
		fmt.Fprintf(out, "  %s, issue %d: stored %d, the rows say %d\n", d.What, d.Issue, d.Stored, d.Rows)
	}
	switch {
	case v.Recounting > 0:
		fmt.Fprintf(out, "The counts of %d merges, splits or undos are still on their way: compare again when firethorn status does not name them.\n", v.Recounting)
	case len(v.Differences) > 0:
		fmt.Fprintln(out, "Mend them: firethorn recount --repair")
	}
}

// Queue is the command about events that wait, or failed.
func Queue() *cli.Command {
	act := func(name, usageText, done string) *cli.Command {
		return &cli.Command{Name: name, Usage: usageText,
			Arguments: []cli.Argument{&cli.StringArg{Name: "id", UsageText: "ID"}},
			Flags:     []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "all failed events"}},
			Action: func(ctx context.Context, c *cli.Command) error {
				id := c.StringArg("id")
				switch {
				case c.Bool("all") == (id != ""):
					return command.Usage("which? Give the ID that firethorn queue lists, or --all")
				case c.Bool("all"):
					id = "all"
				}
				return command.Request(ctx, c, command.Ask(http.MethodPost,
					command.Fixed("/api/queue/"+url.PathEscape(id)+"/"+name)), func(out io.Writer, v contract.Retried) {
					fmt.Fprintf(out, "%d %s %s\n", v.Events, show.Plural(v.Events, "event", "events"), done)
				})
			}}
	}
	list := func(ctx context.Context, c *cli.Command) error {
		return command.Get(ctx, c, command.Fixed("/api/queue?limit="+strconv.Itoa(c.Int("limit"))), showQueue)
	}
	return &cli.Command{Name: "queue", Usage: "the processing queue, and failed events",
		Flags:  []cli.Flag{&cli.IntFlag{Name: "limit", Value: 50, Usage: "list at most this many failed events"}},
		Action: list,
		Commands: []*cli.Command{
			act("retry", "process failed events again", "put back into the inbox"),
			act("discard", "discard failed events; they count as dropped", "let go of"),
		}}
}

func showQueue(out io.Writer, v contract.Queue) {
	if v.Waiting == 0 {
		fmt.Fprintln(out, "No event waits.")
	} else {
		for _, p := range v.Projects {
			fmt.Fprintf(out, "%s events of %s wait\n", show.Count(p.Events), show.Plain(p.Project))
		}
		if v.Oldest != nil {
			fmt.Fprintf(out, "the oldest has waited %s\n", time.Since(*v.Oldest).Round(time.Second))
		}
	}
	if len(v.Failed) == 0 {
		fmt.Fprintln(out, "No event failed.")
		return
	}
	fmt.Fprintln(out)
	show.Table(out, func(row func(...any)) {
		row("SET ASIDE", "PROJECT", "RECEIVED", "EVENT", "WHY")
		for _, a := range v.Failed {
			why, _, _ := strings.Cut(a.Error, "\n")
			row(a.ID, a.Project, show.Ago(a.Received), show.OrDash(a.Event), show.Cut(why, 100))
		}
	})
	if int64(len(v.Failed)) < v.Total {
		fmt.Fprintf(out, "\nThere are %d in all: --limit %d\n", v.Total, min(v.Total, 1000))
	}
	fmt.Fprintln(out, "\nFile them again with firethorn queue retry ID or --all; see an event whole with --format json.")
}

// User is the command about the people that an application's errors hit.
func User() *cli.Command {
	return &cli.Command{Name: "user", Usage: "affected users of your application", Commands: append(search.Users(),
		[]*cli.Command{
			{Name: "erase", Usage: "erase a user: delete their data, keep the counts",
				Arguments:   []cli.Argument{command.Text("identity")},
				Description: "IDENTITY is the user.id of events, else user.email, user.name and so on. Waits until it is done.",
				Action: func(ctx context.Context, c *cli.Command) error {
					identity, err := command.Arg(c, "identity")
					if err != nil {
						return err
					}
					cl, err := command.NewClient(ctx, c)
					if err != nil {
						return err
					}
					path, err := command.OfProject("/erasures")(cl)
					if err != nil {
						return err
					}
					var e contract.Erasure
					raw, err := cl.Call(ctx, http.MethodPost, path, contract.EraseUser{User: identity}, &e)
					for err == nil && !e.Done {
						select {
						case <-ctx.Done():
							return ctx.Err()
						case <-time.After(200 * time.Millisecond):
						}
						raw, err = cl.Call(ctx, http.MethodGet, path+"/"+strconv.FormatInt(e.ID, 10), nil, &e)
					}
					if err != nil {
						return err
					}
					if c.String("format") == "json" {
						_, err = c.Root().Writer.Write(raw)
						return err
					}
					fmt.Fprintf(c.Root().Writer, "erased from %s %s, still counted, as of a user that has no name\n",
						show.Count(e.Events), show.Plural(int(e.Events), "event", "events"))
					return nil
				}},
		}...)}
}
