package issues

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/grouping"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

func issueBeside(ctx context.Context, c *cli.Command) error {
	id, err := command.Arg(c, "id")
	if err != nil {
		return err
	}
	cl, path, err := command.IssueClient(ctx, c, id)
	if err != nil {
		return err
	}
	var near contract.Together
	if _, err := cl.Call(ctx, http.MethodGet, path+"/together", nil, &near); err != nil {
		return err
	}
	// json gives both in one document.
	var v struct {
		contract.Beside
		Near []contract.NearIssue `json:"together"`
	}
	if _, err := cl.Call(ctx, http.MethodGet, path+"/beside", nil, &v.Beside); err != nil {
		return err
	}
	v.Near = near.Near
	out := c.Root().Writer
	if c.String("format") == "json" {
		return json.NewEncoder(out).Encode(v)
	}
	showBeside(out, v.Beside, v.Near)
	return nil
}

func showBeside(out io.Writer, v contract.Beside, near []contract.NearIssue) {
	as := show.StyleOf(out)
	fmt.Fprintf(out, "%s\n", as.Bright("Beside "+v.Issue))
	fmt.Fprintf(out, "\n%s\n", as.Faint("THE SAME FINGERPRINT ELSEWHERE"))
	for _, e := range v.Environments {
		fmt.Fprintf(out, "  %-24s %s  last %s\n", show.Plain(e.Name), show.Amount(e.Events, "event"),
			show.Ago(e.LastSeen))
	}
	for _, x := range v.Elsewhere {
		fmt.Fprintf(out, "  %-24s %s  %s\n", x.ID, show.Amount(x.Events, "event"), show.Plain(x.Headline))
	}
	if len(v.Elsewhere) == 0 {
		fmt.Fprintln(out, "  in no other project")
	}
	fmt.Fprintf(out, "\n%s\n", as.Faint("SIMILAR"))
	if len(v.Similar) == 0 {
		fmt.Fprintln(out, "  nothing like it")
	}
	for _, x := range v.Similar {
		fmt.Fprintf(out, "  %3.0f %%  %-14s %-10s %s\n         %s\n", 100*x.Score, x.ID, x.State,
			show.Plain(show.Cut(x.Headline, 70)), as.Faint(show.Plain(strings.Join(x.Alike, "; "))))
	}
	fmt.Fprintf(out, "\n%s\n", as.Faint("HAPPENS TOGETHER WITH"))
	if len(near) == 0 {
		fmt.Fprintln(out, "  nothing more often than by chance")
	}
	for _, n := range near {
		fmt.Fprintf(out, "  %-14s %s\n         %s\n", n.ID, show.Plain(show.Cut(n.Headline, 70)),
			as.Faint(grouping.NearText(n)))
	}
}
