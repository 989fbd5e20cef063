package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

func splitCommand() *cli.Command {
	return &cli.Command{Name: "split", Usage: "split a part off an issue that is another bug",
		Arguments: []cli.Argument{command.Text("id")},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "frame", Usage: "events with this own `FUNCTION` in their stack; FILE:FUNCTION is exact"},
			&cli.StringFlag{Name: "message", Usage: "events with a message like `TEXT`; numbers, ids and dates may differ"},
			&cli.StringFlag{Name: "attribute", Usage: "events with this attribute or resource attribute, `NAME=VALUE`; an empty value means absent"},
		},
		Description: "Without a flag it lists what the issue's events differ in, with the command for each.\nNew events follow the split. Stored events move if the fingerprint or the stored body shows the difference. The issue says\nhow many others stay. firethorn issue undo ID takes a split back.",
		Action:      splitIssue}
}

func splitIssue(ctx context.Context, c *cli.Command) error {
	id, err := command.Arg(c, "id")
	if err != nil {
		return err
	}
	d, asked, err := differenceOf(c)
	if err != nil {
		return err
	}
	if !asked {
		return command.Get(ctx, c, command.OfIssue(id, "/differences"), showDifferences)
	}
	return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfIssue(id, "/split"), d),
		func(out io.Writer, v contract.IssueDetail) {
			fmt.Fprintf(out, "%s  %s\n", v.ID, show.Plain(v.Headline))
			for _, s := range v.Splits {
				showSplit(out, v.ID, s)
			}
			fmt.Fprintf(out, "firethorn issue undo %s takes it back\n", v.ID)
		})
}

// differenceOf reads which flag was given; asked is false without any.
func differenceOf(c *cli.Command) (d contract.SplitBy, asked bool, err error) {
	for _, by := range []string{"frame", "message", "attribute"} {
		if !c.IsSet(by) {
			continue
		}
		if asked {
			return d, asked, command.Usage("an issue is split by one difference: --%s or --%s, not both", d.By, by)
		}
		d, asked = contract.SplitBy{By: by, Value: c.String(by)}, true
	}
	if d.By == "attribute" {
		name, value, found := strings.Cut(d.Value, "=")
		if !found || name == "" {
			return d, asked, command.Usage("--attribute is written as NAME=VALUE, such as --attribute browser.name=Firefox")
		}
		d.Name, d.Value = name, value
	}
	return d, asked, nil
}

func showDifferences(out io.Writer, v contract.Differences) {
	as := show.StyleOf(out)
	if len(v.Differences) == 0 {
		fmt.Fprintf(out, "The %d stored events of %s that were compared differ in nothing that a split could use.\n", v.Looked, v.Issue)
		return
	}
	fmt.Fprintf(out, "Differences among %[2]d events of %[1]s. To split by one of them:\n%[3]s\n",
		v.Issue, v.Looked, as.Bright("firethorn issue split "+v.Issue+" …"))
	by := ""
	for _, d := range v.Differences {
		if d.By != by {
			by = d.By
			fmt.Fprintf(out, "\n%s\n",
				as.Faint(map[string]string{"frame": "a function on the stack", "message": "the message",
					"attribute": "an attribute"}[by]))
		}
		whole := ""
		if d.Whole {
			whole = as.Faint("   events without a body go along")
		}
		fmt.Fprintf(out, "  %5d  %s%s\n", d.Events,
			show.Plain(strings.TrimPrefix(d.Command, "firethorn issue split "+v.Issue+" ")), whole)
	}
}

// showSplit describes a split from the side of an issue.
func showSplit(out io.Writer, id string, s contract.SplitOf) {
	if s.To == id {
		fmt.Fprintf(out, "split off from %s: %s\n", s.From, show.Plain(s.Text))
	} else {
		fmt.Fprintf(out, "split off as %s: %s\n", s.To, show.Plain(s.Text))
	}
	switch {
	case s.Looking:
		fmt.Fprintf(out, "  comparing its stored events: %s so far\n", show.Count(s.Looked))
	case s.Stays > 0:
		fmt.Fprintf(out, "  %s earlier events have no stored body: they stay in %s\n", show.Count(s.Stays), s.From)
	}
}
