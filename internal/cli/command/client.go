package command

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/app"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
)

// NewClient is a client of the service that is meant: see client.Choose.
func NewClient(ctx context.Context, c *cli.Command) (*client.Client, error) {
	token, err := SecretFlag(c, "token", "token-file")
	if err != nil {
		return nil, err
	}
	return client.Choose(ctx, client.Choice{Server: c.String("server"), Token: token, Project: c.String("project"),
		Login: client.Remembered(), Locals: locals, Others: func(taken string, others []string) {
			fmt.Fprintf(c.Root().ErrWriter, "Using %s; %s on this machine, too. Choose with --server.\n", taken,
				show.Plural(len(others), "another service answers", "other services answer")+" ("+strings.Join(others,
					", ")+")")
		}})
}

// locals are the services that the same user started on this machine.
func locals() (list []client.Local) {
	for _, l := range app.Locals() {
		list = append(list, client.Local{Server: l.Server, Answers: l.Answers, Token: l.Token})
	}
	return list
}

// ProjectClient is a client with the project that is chosen.
func ProjectClient(ctx context.Context, c *cli.Command) (cl *client.Client, project string, err error) {
	if cl, err = NewClient(ctx, c); err == nil {
		project, err = cl.NeedProject()
	}
	return cl, project, err
}

// IssueClient is a client with the path of an issue.
func IssueClient(ctx context.Context, c *cli.Command, id string) (cl *client.Client, path string, err error) {
	if cl, err = NewClient(ctx, c); err == nil {
		path, err = cl.IssuePath(id)
	}
	return cl, path, err
}

// Get asks for path, prints the answer as it came when json is wanted, else
// decodes it and lets show print it. also look at the answer either way.
func Get[T any](ctx context.Context, cmd *cli.Command, path Path, show func(io.Writer, T), also ...func(T)) error {
	return Request(ctx, cmd, Ask(http.MethodGet, path), show, also...)
}

// Path is where a client asks: it may need the chosen project.
type Path func(*client.Client) (string, error)

// Call is what the service is asked.
type Call struct {
	method string
	path   Path
	body   any // nil: none
}

// Ask makes a call, with at most one body.
func Ask(method string, path Path, body ...any) Call {
	c := Call{method: method, path: path}
	if len(body) > 0 {
		c.body = body[0]
	}
	return c
}

// Request is Get for any call.
func Request[T any](ctx context.Context, cmd *cli.Command, ask Call, show func(io.Writer, T), also ...func(T)) error {
	if cmd.String("format") == "csv" {
		return Usage("%s prints text or json, and no csv", cmd.FullName())
	}
	c, err := NewClient(ctx, cmd)
	if err != nil {
		return err
	}
	p, err := ask.path(c)
	if err != nil {
		return err
	}
	var v T
	raw, err := c.Call(ctx, ask.method, p, ask.body, &v)
	if err != nil {
		return err
	}
	for _, look := range also {
		look(v)
	}
	return Print(cmd, raw, v, show)
}

// Print prints an answer as it came when json is wanted; else show prints it.
func Print[T any](cmd *cli.Command, raw []byte, v T, show func(io.Writer, T)) error {
	out := cmd.Root().Writer
	if cmd.String("format") == "json" {
		_, err := out.Write(raw)
		return err
	}
	show(out, v)
	return nil
}

// Fixed is a path that needs nothing.
func Fixed(path string) Path {
	return func(*client.Client) (string, error) { return path, nil }
}

// OfProject is a path below the chosen project.
func OfProject(rest string) Path {
	return func(c *client.Client) (string, error) {
		return c.ProjectPath(rest)
	}
}

// OfIssue is a path below an issue.
func OfIssue(id, rest string) Path {
	return func(c *client.Client) (string, error) {
		p, err := c.IssuePath(id)
		return p + rest, err
	}
}
