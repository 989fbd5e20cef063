// Package issues has the commands about issues, their events, sessions and feedback.
package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/search"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// Issue is the command about issues.
func Issue() *cli.Command {
	return &cli.Command{
		Name: "issue", Usage: "list, decide about, merge and split issues",
		Description: "An issue is named PROJECT/NUMBER, for example quayside/12; the number alone is enough with --project.",
		Commands: append(decisions(), []*cli.Command{
			listCommand(),
			{Name: "beside", Usage: "issues with the same fingerprint, similar issues, and issues that occur together", Arguments: []cli.Argument{command.Text("id")}, Action: issueBeside},
			showCommand(),
			{Name: "merge", Usage: "merge issues that are the same bug",
				Arguments: []cli.Argument{&cli.StringArgs{Name: "ids", UsageText: "ID [ID…]", Min: 0, Max: -1}},
				Flags: []cli.Flag{&cli.StringFlag{Name: "into",
					Usage: "the issue `ID` that stays and keeps its state", Required: true}},
				Description: "Their numbers then lead to the issue that stays. Events count there at once. Users, days and releases follow in the\nbackground, and the issue says so meanwhile. A fixed issue becomes regressed if a merged issue was seen in a\n" +
					"release with the fix. firethorn issue undo ID takes a merge back.",
				Action: mergeIssues},
			splitCommand(),
			undoCommand(),
			deleteCommand(),
			sinceCommand(),
			likelyCommand(),
			ownersCommand(),
			commentCommand(),
			ticketCommand(),
			watchCommand(),
			{Name: "history", Usage: "show the history of an issue", Arguments: []cli.Argument{command.Text("id")},
				Action: func(ctx context.Context, c *cli.Command) error {
					id, err := command.Arg(c, "id")
					if err != nil {
						return err
					}
					return command.Get(ctx, c, command.OfIssue(id, "/history"), showHistory)
				}},
		}...),
	}
}

func listCommand() *cli.Command {
	return &cli.Command{Name: "list", Usage: "list a project's issues, highest impact first",
		Description: command.SearchHelp,
		Flags: append(command.SearchFlags(), []cli.Flag{
			&cli.StringSliceFlag{Name: "state", Usage: "new, accepted, regressed, parked, fixed, dismissed, open (the first three) or all", Value: []string{"open"}},
			&cli.StringFlag{Name: "order", Value: "impact",
				Usage: "impact, users, events, newest or last_seen"},
			&cli.StringFlag{Name: "text", Usage: "only issues with these words in headline, place, message or comments; the same as words of --search"},
			&cli.IntFlag{Name: "limit", Value: 50, Usage: "print at most this many"},
			&cli.StringFlag{Name: "cursor", Usage: "the value `next` of the previous page"},
		}...),
		Action: func(ctx context.Context, c *cli.Command) error {
			q := command.SearchQuery(c, url.Values{"order": {c.String("order")},
				"limit": {strconv.Itoa(c.Int("limit"))},
				"state": {strings.Join(c.StringSlice("state"), ",")}})
			for _, name := range []string{"text", "cursor"} {
				if v := c.String(name); v != "" {
					q.Set(name, v)
				}
			}
			return command.Get(ctx, c, command.OfProject("/issues?"+q.Encode()), showIssues)
		}}
}

func showCommand() *cli.Command {
	return &cli.Command{Name: "show", Usage: "show an issue with the trace of its newest event",
		Arguments: []cli.Argument{command.Text("id")},
		Flags:     []cli.Flag{&cli.BoolFlag{Name: "raw", Usage: "show the trace as the runtime printed it"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			return command.Get(ctx, c, command.OfIssue(id, ""), func(out io.Writer, v contract.IssueDetail) {
				showIssue(out, v)
				cl, err := command.NewClient(ctx, c)
				if err != nil {
					return
				}
				path, err := cl.IssuePath(v.ID)
				if err != nil {
					return
				}
				var e contract.Event
				if _, err := cl.Call(ctx, http.MethodGet, path+"/events/newest", nil, &e); err == nil {
					fmt.Fprintln(out)
					ShowTrace(out, e, c.Bool("raw"))
				}
				var h contract.History
				if _, err := cl.Call(ctx, http.MethodGet, path+"/history", nil, &h); err == nil {
					fmt.Fprintln(out, "\nhistory")
					showHistory(out, h)
				}
			})
		}}
}

// mergeIssues merges the issues named into --into, all in one go.
func mergeIssues(ctx context.Context, c *cli.Command) error {
	ids := c.StringArgs("ids")
	if len(ids) == 0 {
		return command.Usage("%s needs the issues to merge; %s --help shows how it is used", c.FullName(), c.FullName())
	}
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	project, into, err := cl.Issue(c.String("into"))
	if err != nil {
		return err
	}
	var numbers []int64
	for _, id := range ids {
		p, n, err := cl.Issue(id)
		if err != nil {
			return err
		}
		if p != project {
			return command.Usage("%s and %s belong to different projects; issues are merged within one", id,
				c.String("into"))
		}
		numbers = append(numbers, n)
	}
	path := fmt.Sprintf("/api/issues/%s/%d/merge", url.PathEscape(project), numbers[0])
	return command.Request(ctx, c, command.Ask(http.MethodPost, command.Fixed(path),
		contract.Merge{Into: into, Others: numbers[1:]}), func(out io.Writer, v contract.IssueDetail) {
		fmt.Fprintf(out, "%s  %s: %s; %s, %s%s\n", v.ID, show.Plain(v.Headline), show.Status(v.Issue),
			show.Counted(v.Events, "event"), show.Counted(v.Users, "user"), recounting(v.Issue))
	})
}

func recounting(v contract.Issue) string {
	if v.Recounting {
		return " (recounting)"
	}
	return ""
}

func showIssues(out io.Writer, v contract.Issues) {
	defer search.Completeness(out, v.Searched)
	if len(v.Issues) == 0 {
		total := int64(0)
		for _, n := range v.States {
			total += n
		}
		if total == 0 {
			fmt.Fprintln(out, "No issue yet. Send a test event with firethorn send, or set an application up: firethorn project show")
		} else {
			fmt.Fprintf(out, "No issue fits. There are %s in all states: --state all; events are searched in the last 7 days, or in --window\n", show.Count(total))
		}
		return
	}
	show.Table(out, func(row func(...any)) {
		matching := slices.ContainsFunc(v.Issues, func(i contract.Issue) bool { return i.Matching != nil })
		head := []any{"IMPACT", "ISSUE", "HEADLINE", "PLACE", "  USERS", " EVENTS", "STATE", "OWNER", "LAST SEEN",
			"RELEASES"}
		if matching {
			head = append(head[:4], append([]any{"MATCHING"}, head[4:]...)...)
		}
		if v.Sessions > 0 {
			head = append(head, "PER 1,000 SESSIONS")
		}
		ticketed := slices.ContainsFunc(v.Issues, func(i contract.Issue) bool { return len(i.Tickets) > 0 })
		if ticketed {
			head = append(head, "TICKET")
		}
		row(head...)
		for _, i := range v.Issues {
			owner := "-"
			if i.Owner != nil {
				owner = *i.Owner
			}
			releases := show.OrDash(i.FirstRelease)
			if i.LastRelease != i.FirstRelease {
				releases += " → " + show.OrDash(i.LastRelease)
			}
			cells := []any{fmt.Sprintf("%5.1f", i.Impact), i.ID, show.Cut(i.Headline, 48),
				show.OrDash(show.Cut(i.Place, 40)),
				show.Figure(i.Users), show.Figure(i.Events), i.State, owner, show.Ago(i.LastSeen), releases}
			if matching {
				cells = append(cells[:4:4], append([]any{matched(i.Matching)}, cells[4:]...)...)
			}
			if v.Sessions > 0 {
				cells = append(cells, perSessions(i.Per1000Sessions))
			}
			if ticketed {
				cells = append(cells, ticketCell(i.Tickets))
			}
			row(cells...)
		}
	})
	if v.Next != "" {
		fmt.Fprintf(out, "\nThere are more: --cursor %s\n", v.Next)
	}
}

// perSessions writes how many events an issue has for 1,000 sessions.
func perSessions(rate *float64) string {
	if rate == nil {
		return "-"
	}
	return fmt.Sprintf("%.1f", *rate)
}

// matched says how much of an issue fits a search.
func matched(m *contract.Matching) string {
	if m == nil {
		return "-"
	}
	return show.Counted(m.Events, "event") + ", " + show.Counted(m.Users, "user")
}

func showIssue(out io.Writer, v contract.IssueDetail) {
	fmt.Fprintf(out, "%s  %s\n", v.ID, show.Plain(v.Headline))
	if v.Place != "" {
		fmt.Fprintf(out, "%s\n", show.Plain(v.Place))
	}
	if v.Message != "" {
		fmt.Fprintf(out, "%s\n", show.Lines(v.Message))
	}
	fmt.Fprintf(out, "\n%s\n", show.Status(v.Issue))
	if len(v.Watching) > 0 {
		fmt.Fprintf(out, "watched by %s\n", show.Plain(strings.Join(v.Watching, ", ")))
	}
	for _, t := range v.Tickets {
		fmt.Fprintf(out, "ticket %s in %s: %s", show.Plain(t.Key), show.Plain(t.Destination), ticketState(t))
		if t.Link != "" {
			fmt.Fprintf(out, ", %s", show.Plain(t.Link))
		}
		fmt.Fprintln(out)
		if t.Trouble != "" {
			fmt.Fprintf(out, "  %s\n", show.Plain(t.Trouble))
		}
	}
	if v.Quiet != "" {
		fmt.Fprintf(out, "%s\n", show.Plain(v.Quiet))
	}
	if len(v.MergedFrom) > 0 {
		fmt.Fprintf(out, "merged into it: %s\n", strings.Join(v.MergedFrom, ", "))
	}
	for _, s := range v.Splits {
		showSplit(out, v.ID, s)
	}
	fmt.Fprintf(out, "%s, %s%s; bodies of %s kept; first seen %s, last %s\n", show.Counted(v.Users, "user"),
		show.Counted(v.Events, "event"), recounting(v.Issue), show.Count(v.Bodies),
		v.FirstSeen.Format("2006-01-02 15:04"),
		show.Ago(v.LastSeen))
	if v.Surge != nil {
		fmt.Fprintf(out, "surging since %s: %s\n", v.Surge.Since.Format("2006-01-02 15:04"), show.Plain(v.Surge.Text))
	}
	ShowImpact(out, v.Impact, v.ImpactParts)
	for _, r := range v.Releases {
		fmt.Fprintf(out, "  in %s: %s, last %s\n", show.Plain(r.Name), show.Counted(r.Events, "event"),
			show.Ago(r.LastSeen))
	}
	if v.Feedback > 0 {
		fmt.Fprintf(out, "feedback of people who were hit: %s (firethorn feedback list --issue %s)\n",
			show.Count(v.Feedback), v.ID)
	}
	fmt.Fprintf(out, "%s\n", v.Link)
}

// ShowTrace prints exceptions outermost first, frames innermost first.
func ShowTrace(out io.Writer, e contract.Event, raw bool) {
	fmt.Fprintf(out, "newest event %s, %s\n", e.ID, e.Time.Format("2006-01-02 15:04:05 UTC"))
	for i, x := range e.Exceptions {
		head := x.Type
		if x.Message != "" {
			head = strings.TrimPrefix(head+": "+x.Message, ": ")
		}
		if i > 0 {
			head = x.Relation + ": " + head
		}
		fmt.Fprintf(out, "\n%s\n", show.Lines(head))
		if raw && x.Stack != "" {
			fmt.Fprintln(out, show.Lines(x.Stack))
			continue
		}
		showFrames(out, x.Frames, raw)
	}
	for _, s := range e.Scrubbed {
		fmt.Fprintf(out, "scrubbed: %s, by %s\n", show.Plain(s.Where), show.Plain(s.Rule))
	}
	for _, n := range e.Notes {
		fmt.Fprintf(out, "note: %s\n", show.Plain(n))
	}
}

func showFrames(out io.Writer, frames []contract.Frame, raw bool) {
	if !raw {
		(&show.Frames{Out: out, As: show.StyleOf(out), Around: -1}).Folded(frames)
		return
	}
	for _, f := range frames {
		fmt.Fprintf(out, "    at %s (%s:%d:%d)\n", show.Plain(show.OrElse(f.Raw.Function, "(anonymous)")),
			show.Plain(f.Raw.File),
			f.Raw.Line, f.Raw.Column)
	}
}

func showHistory(out io.Writer, h contract.History) {
	for _, e := range h.History {
		if e.Kind == "comment" {
			showComment(out, e)
			continue
		}
		who := ""
		if e.Actor != "" {
			who = e.Actor + ": "
		}
		undone := ""
		if e.Undone {
			undone = " (undone)"
		}
		why := ""
		if e.Why != "" {
			why = " — " + show.Plain(e.Why)
		}
		fmt.Fprintf(out, "  %s  %s%s%s%s\n", e.At.Format("2006-01-02 15:04"), show.Plain(who), show.Plain(e.Text),
			why, undone)
	}
}

// showComment prints a comment, under its author and time.
func showComment(out io.Writer, e contract.HistoryEntry) {
	more := ""
	if e.Why != "" {
		more = " (" + e.Why + ")"
	}
	if e.Edited != nil {
		more += ", changed " + show.Ago(*e.Edited)
	}
	fmt.Fprintf(out, "  %s  %s writes%s, comment %d:\n", e.At.Format("2006-01-02 15:04"), show.Plain(e.Actor),
		show.Plain(more),
		e.Comment)
	for line := range strings.Lines(show.Lines(e.Text)) {
		fmt.Fprintf(out, "      %s\n", strings.TrimRight(line, "\n"))
	}
}
