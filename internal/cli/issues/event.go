package issues

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/search"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
)

// Event is the command about single events.
func Event() *cli.Command {
	return &cli.Command{Name: "event", Usage: "events", Commands: []*cli.Command{
		{Name: "list", Usage: "list events of a project or an issue, newest first", Description: command.SearchHelp,
			Flags: append(command.SearchFlags(), []cli.Flag{
				&cli.StringFlag{Name: "issue", Usage: "only those of issue `ID`"}, &cli.IntFlag{Name: "limit",
					Value: 50, Usage: "print at most this many"},
				&cli.StringFlag{Name: "cursor", Usage: "the value `next` of the previous page"},
				&cli.StringFlag{Name: "trace", Usage: "events of the trace `ID` in all projects, in the order they were thrown"},
				&cli.BoolFlag{Name: "kept", Usage: "with --issue: only events whose body is kept"},
				&cli.StringSliceFlag{Name: "columns", Usage: "show these `ATTRIBUTES` of each event: os.name,plan"},
			}...),
			Action: eventList},
		{Name: "show", Usage: "show one event with everything it has", Arguments: []cli.Argument{command.Text("id")},
			Flags: []cli.Flag{&cli.BoolFlag{Name: "raw", Usage: "show the trace as the runtime printed it"}},
			Action: func(ctx context.Context, c *cli.Command) error {
				id, err := command.Arg(c, "id")
				if err != nil {
					return err
				}
				return command.Get(ctx, c, command.OfProject("/events/"+url.PathEscape(id)),
					func(out io.Writer, e contract.Event) {
						showEvent(out, e, c.Bool("raw"))
					})
			}},
	}}
}

func eventList(ctx context.Context, c *cli.Command) error {
	if trace := c.String("trace"); trace != "" {
		return command.Get(ctx, c, command.Fixed("/api/traces/"+url.PathEscape(trace)), showTraceEvents)
	}
	q := command.SearchQuery(c, url.Values{"limit": {strconv.Itoa(c.Int("limit"))}})
	searched := c.String("search") != "" || c.String("window") != ""
	if v := c.String("cursor"); v != "" {
		q.Set("cursor", v)
	}
	for _, name := range c.StringSlice("columns") {
		q.Add("columns", name)
	}
	if c.Bool("kept") {
		if c.String("issue") == "" {
			return command.Usage("--kept needs --issue ID")
		}
		q.Set("kept", "true")
	}
	path := command.OfProject("/events?" + q.Encode())
	if id := c.String("issue"); id != "" {
		path = command.OfIssue(id, "/events?"+q.Encode())
	}
	return command.Get(ctx, c, path, func(out io.Writer, v contract.Events) {
		defer search.Completeness(out, v.Searched)
		if len(v.Events) == 0 && searched {
			fmt.Fprintln(out, "No event fits. Events are searched in the last 7 days; a longer time: --window 30d")
			return
		}
		if len(v.Events) == 0 {
			fmt.Fprintln(out, "Nothing has arrived yet. Send a test event: firethorn send")
			return
		}
		listEvents(out, v.Events, c.StringSlice("columns")...)
		if v.Next != "" {
			fmt.Fprintf(out, "\nThere are more: --cursor %s\n", v.Next)
		}
	})
}

func showTraceEvents(out io.Writer, v contract.TraceEvents) {
	if len(v.Events) == 0 {
		fmt.Fprintln(out, "No event of this trace is stored. firethorn event show prints an event's trace id.")
		return
	}
	listEvents(out, v.Events)
	if v.More {
		fmt.Fprintln(out, "\nThere are more.")
	}
}

func showEvent(out io.Writer, e contract.Event, raw bool) {
	fmt.Fprintf(out, "%s  %s, %s in %s\n", e.Issue, show.Plain(e.Headline), show.OrElse(e.Release, "no release"),
		e.Environment)
	if e.User != nil {
		fmt.Fprintf(out, "user %s = %s\n", show.Plain(e.User.Attribute), show.Plain(e.User.Value))
	}
	if e.TraceID != "" {
		fmt.Fprintf(out, "trace %s, span %s%s: firethorn event list %s\n", show.Plain(e.TraceID),
			show.OrDash(show.Plain(e.SpanID)),
			spanText(e.Span), shell.Option("--trace", e.TraceID))
	}
	if e.Log != nil && e.Log.Text != "" {
		fmt.Fprintf(out, "log record%s: %s\n", orNothing(" of %s", e.Scope), show.Plain(e.Log.Text))
	}
	if e.Session != nil {
		fmt.Fprintf(out, "session %s, %s: firethorn session show %s\n", show.Plain(e.Session.ID), e.Session.Outcome,
			shell.Arguments(e.Session.ID))
	}
	ShowTrace(out, e, raw)
	for _, t := range e.Threads {
		kind := "thread"
		if e.Resource["telemetry.sdk.language"] == "go" {
			kind = "goroutine"
		}
		fmt.Fprintf(out, "\n%s %s%s%s\n", kind, show.Plain(t.ID), orNothing(" %s", t.Name),
			orNothing(", waiting on %s", t.WaitingOn)+map[bool]string{true: " (blamed)"}[t.Blamed])
		showFrames(out, t.Frames, raw)
	}
	if len(e.Feedback) > 0 {
		fmt.Fprintln(out, "\nfeedback")
		showFeedback(out, e.Feedback)
	}
	if len(e.Breadcrumbs) > 0 {
		fmt.Fprintln(out, "\nwhat led up to it")
		for _, b := range e.Breadcrumbs {
			fmt.Fprintf(out, "  %s  %-6s %s\n", show.Plain(b.Time), show.Plain(b.Kind), show.Plain(b.Message))
		}
	}
	showFields(out, "attributes", e.Attributes)
	showFields(out, "resource", e.Resource)
}

// showFields prints a set of names and values, if there are any.
func showFields(out io.Writer, title string, set map[string]any) {
	if len(set) == 0 {
		return
	}
	fmt.Fprintln(out, "\n"+title)
	for _, k := range show.SortedKeys(set) {
		fmt.Fprintf(out, "  %s = %s\n", show.Plain(k), show.Plain(fmt.Sprint(set[k])))
	}
}

// listEvents lists events, with the attributes that were asked for as columns.
func listEvents(out io.Writer, list []contract.EventRow, columns ...string) {
	show.Table(out, func(row func(...any)) {
		head := []any{"EVENT", "TIME", "ISSUE", "HEADLINE", "RELEASE", "ENVIRONMENT", "BODY"}
		for _, name := range columns {
			head = append(head, strings.ToUpper(show.Plain(name)))
		}
		row(head...)
		for _, e := range list {
			cells := []any{e.ID, e.Time.Format("2006-01-02 15:04:05"), e.Issue, show.Cut(e.Headline, 50),
				show.OrDash(e.Release), e.Environment, map[bool]string{true: "kept", false: "counted"}[e.Kept]}
			for _, name := range columns {
				cells = append(cells, show.OrDash(show.Cut(show.Plain(e.Columns[name]), 40)))
			}
			row(cells...)
		}
	})
}

// spanText describes the span that recorded an exception.
func spanText(s *contract.Span) string {
	if s == nil || s.Name == "" {
		return ""
	}
	return fmt.Sprintf(" (%s%s)", show.Plain(s.Name), orNothing(", %s", s.Kind))
}

// orNothing fills a text into words, unless it is empty.
func orNothing(words, text string) string {
	if text == "" {
		return ""
	}
	return fmt.Sprintf(words, show.Plain(text))
}
