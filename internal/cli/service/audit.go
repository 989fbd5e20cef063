package service

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

// Audit is the command about who did what.
func Audit() *cli.Command {
	return &cli.Command{
		Name: "audit", Usage: "audit of changes to people, tokens, keys, projects, rules and the queue",
		Description: "Entries are only added. Each has a hash over itself and the hash of the previous entry. They are kept for 400 days.\n" +
			"  firethorn audit list --project quayside --since 2026-11-01\n  firethorn audit verify                       check that nothing was changed",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list them, newest first",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "person", Usage: "only actions of `PERSON`"},
					&cli.StringFlag{Name: "since", Usage: "a `TIME`: 2026-11-24, 2026-11-24T09:00:00Z"},
					&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most this many"},
					&cli.StringFlag{Name: "cursor", Usage: "the value `next` of the previous page"},
				}, Action: listAudit},
			{Name: "export", Usage: "print all entries as lines of JSON, newest first", Action: exportAudit},
			{Name: "verify", Usage: "verify that no entry was changed, removed or inserted; exit code 1 if one was",
				Action: verifyAudit},
		},
	}
}

func listAudit(ctx context.Context, c *cli.Command) error {
	q := url.Values{"limit": {strconv.Itoa(c.Int("limit"))}}
	for _, name := range []string{"project", "person", "cursor"} {
		if v := c.String(name); v != "" {
			q.Set(name, v)
		}
	}
	if v := c.String("since"); v != "" {
		at, err := time.Parse(time.RFC3339, v)
		if err != nil {
			at, err = time.Parse(time.DateOnly, v)
		}
		if err != nil {
			return command.Usage("--since %q is no time: write 2026-11-24 or 2026-11-24T09:00:00Z", v)
		}
		q.Set("since", at.UTC().Format(time.RFC3339))
	}
	return command.Get(ctx, c, command.Fixed("/api/audit?"+q.Encode()), showAudit)
}

func showAudit(out io.Writer, v contract.Audit) {
	if len(v.Entries) == 0 {
		fmt.Fprintln(out, "Nothing was done yet that the audit holds.")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("ENTRY", "TIME", "WHO", "DID", "TO", "PROJECT", "FROM")
		for _, e := range v.Entries {
			row(fmt.Sprintf("%5d", e.ID), e.At.Format("2006-01-02 15:04:05"), show.OrElse(e.Who, e.Kind), e.Action,
				e.Target, show.OrDash(e.Project), show.OrDash(e.Address))
		}
	})
	if v.Next != "" {
		fmt.Fprintf(out, "\nThere are more: --cursor %s\n", v.Next)
	}
}

func exportAudit(ctx context.Context, c *cli.Command) error {
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	req, err := cl.Request(ctx, http.MethodGet, "/api/audit/export", nil)
	if err != nil {
		return err
	}
	raw, err := cl.Do(req)
	if err != nil {
		return err
	}
	_, err = c.Root().Writer.Write(raw)
	return err
}

func verifyAudit(ctx context.Context, c *cli.Command) error {
	holds := true
	err := command.Get(ctx, c, command.Fixed("/api/audit/verification"), func(out io.Writer, v contract.AuditVerified) {
		if v.Holds {
			fmt.Fprintf(out, "%s as they were written; the newest is %d, with the hash\n%s\nNote it elsewhere: with it you can prove later that the end was not rewritten.\n",
				show.Plural(int(v.Entries), "1 entry is", show.Count(v.Entries)+" entries are"), v.Last, v.Hash)
		} else {
			fmt.Fprintf(out, "broken at entry %d: %s\n", v.BrokenAt, v.Why)
		}
	}, func(v contract.AuditVerified) { holds = v.Holds })
	if err == nil && !holds {
		return problem.New(problem.AnswerIsNo, "the audit is not as it was written")
	}
	return err
}
