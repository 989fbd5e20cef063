package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/app"
	"firethorn/internal/client"
)

// newClient is a client of the service that is meant: see client.Choose.
func newClient(ctx context.Context, c *cli.Command) (*client.Client, error) {
	token, err := secretFlag(c, "token", "token-file")
	if err != nil {
		return nil, err
	}
	return client.Choose(ctx, client.Choice{Server: c.String("server"), Token: token, Project: c.String("project"),
		Login: client.Remembered(), Locals: locals, Others: func(taken string, others []string) {
			fmt.Fprintf(c.Root().ErrWriter, "Using %s; %s on this machine, too. Choose with --server.\n", taken, plural(len(others), "another service answers", "other services answer")+" ("+strings.Join(others, ", ")+")")
		}})
}

// locals are the services that the same user started on this machine.
func locals() (list []client.Local) {
	for _, l := range app.Locals() {
		list = append(list, client.Local{Server: l.Server, Answers: l.Answers, Token: l.Token})
	}
	return list
}

// projectClient is a client with the project that is chosen.
func projectClient(ctx context.Context, c *cli.Command) (cl *client.Client, project string, err error) {
	if cl, err = newClient(ctx, c); err == nil {
		project, err = cl.NeedProject()
	}
	return cl, project, err
}

// issueClient is a client with the path of an issue.
func issueClient(ctx context.Context, c *cli.Command, id string) (cl *client.Client, path string, err error) {
	if cl, err = newClient(ctx, c); err == nil {
		path, err = cl.IssuePath(id)
	}
	return cl, path, err
}

// get asks for path, prints the answer as it came when json is wanted, else
// decodes it and lets show print it. also look at the answer either way.
func get[T any](ctx context.Context, cmd *cli.Command, path func(c *client.Client) (string, error),
	show func(io.Writer, T), also ...func(T)) error {
	return request(ctx, cmd, http.MethodGet, nil, path, show, also...)
}

func request[T any](ctx context.Context, cmd *cli.Command, method string, in any,
	path func(c *client.Client) (string, error), show func(io.Writer, T), also ...func(T)) error {
	c, err := newClient(ctx, cmd)
	if err != nil {
		return err
	}
	p, err := path(c)
	if err != nil {
		return err
	}
	var v T
	raw, err := c.Call(ctx, method, p, in, &v)
	if err != nil {
		return err
	}
	for _, look := range also {
		look(v)
	}
	out := cmd.Root().Writer
	if cmd.String("format") == "json" {
		_, err = out.Write(raw)
		return err
	}
	show(out, v)
	return nil
}

// fixed is a path that needs nothing.
func fixed(path string) func(*client.Client) (string, error) {
	return func(*client.Client) (string, error) { return path, nil }
}

// ofProject is a path below the chosen project.
func ofProject(rest string) func(*client.Client) (string, error) {
	return func(c *client.Client) (string, error) {
		return c.ProjectPath(rest)
	}
}

// ofIssue is a path below an issue.
func ofIssue(id, rest string) func(*client.Client) (string, error) {
	return func(c *client.Client) (string, error) {
		p, err := c.IssuePath(id)
		return p + rest, err
	}
}
