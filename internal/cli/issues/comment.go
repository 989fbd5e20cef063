package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/contract"
	"firethorn/internal/core/comment"
)

func commentCommand() *cli.Command {
	return &cli.Command{Name: "comment", Usage: "write, change or delete a comment",
		Arguments: []cli.Argument{command.Text("id"),
			&cli.StringArgs{Name: "text", UsageText: "[TEXT…]", Min: 0, Max: -1}},
		Flags: []cli.Flag{
			&cli.Int64Flag{Name: "change", Usage: "change comment `NUMBER` instead of writing one"},
			&cli.Int64Flag{Name: "delete", Usage: "delete comment `NUMBER`"},
		},
		Description: "The text is Markdown. Without a text, or with -, it is read from standard input. @maren.holt mentions a person. Mentioned people,\n" +
			"the owner and watchers are notified. The author becomes a watcher.\n  firethorn issue comment quayside/12 'Only on Android, @maren.holt?'",
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			if n := c.Int64("delete"); n != 0 {
				return command.Request(ctx, c, command.Ask(http.MethodDelete,
					command.OfIssue(id, fmt.Sprintf("/comments/%d", n))), func(out io.Writer, v contract.Commented) {
					fmt.Fprintf(out, "comment %d is deleted\n", v.Comment)
				})
			}
			words := strings.Join(c.StringArgs("text"), " ")
			if words == "" || words == "-" {
				raw, err := io.ReadAll(io.LimitReader(c.Root().Reader, comment.MaxLength+1))
				if err != nil {
					return err
				}
				words = string(raw)
			}
			in := contract.WriteComment{Text: words}
			if n := c.Int64("change"); n != 0 {
				return command.Request(ctx, c, command.Ask(http.MethodPut, command.OfIssue(id,
					fmt.Sprintf("/comments/%d", n)), in), func(out io.Writer, v contract.Commented) {
					fmt.Fprintf(out, "comment %d is changed\n", v.Comment)
				})
			}
			return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfIssue(id, "/comments"), in),
				func(out io.Writer, v contract.Commented) {
					fmt.Fprintf(out, "comment %d is written; --change %d changes it\n", v.Comment, v.Comment)
				})
		}}
}

func watchCommand() *cli.Command {
	return &cli.Command{Name: "watch", Usage: "get notices about it",
		Arguments: []cli.Argument{command.Text("id")},
		Flags:     []cli.Flag{&cli.BoolFlag{Name: "off", Usage: "stop notices about it"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := command.Arg(c, "id")
			if err != nil {
				return err
			}
			cl, path, err := command.IssueClient(ctx, c, id)
			if err != nil {
				return err
			}
			method, words := http.MethodPut, "You get notices about %s: firethorn notice list\n"
			if c.Bool("off") {
				method, words = http.MethodDelete, "You get no more notices about %s, unless you own it.\n"
			}
			if _, err := cl.Call(ctx, method, path+"/watch", nil, nil); err != nil {
				return err
			}
			fmt.Fprintf(c.Root().Writer, words, id)
			return nil
		}}
}
