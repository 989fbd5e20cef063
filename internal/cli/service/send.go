package service

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"time"

	"github.com/google/uuid"
	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/intake"
)

// Send is the command that sends a test event.
func Send() *cli.Command {
	return &cli.Command{
		Name: "send", Usage: "send a test event, wait until it is processed, print its issue",
		Description: "Sends an event as an application would, with the project's ingest key. With FILE (or - for standard input) it sends the\ncontents: one event, an array or an envelope, and does not wait.",
		Arguments:   []cli.Argument{command.Text("file")},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "message", Value: "A test event of Firethorn", Usage: "the exception's message"},
			&cli.StringFlag{Name: "type", Value: "TestError", Usage: "the exception's type"},
			&cli.StringFlag{Name: "release", Value: "0.0.0", Usage: "service.version"},
			&cli.StringFlag{Name: "environment", Value: "test", Usage: "deployment.environment.name"},
			&cli.StringFlag{Name: "user", Usage: "user.id of the affected user"},
			&cli.DurationFlag{Name: "wait", Value: 15 * time.Second, Usage: "time to wait for it to be processed"},
		},
		Action: send,
	}
}

func send(ctx context.Context, c *cli.Command) error {
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	p, err := reportsTo(ctx, cl)
	if err != nil {
		return err
	}
	if file := c.StringArg("file"); file != "" {
		return sendFile(ctx, c, cl, p, file)
	}
	id := uuid.Must(uuid.NewV7()).String()
	attributes := map[string]any{}
	if u := c.String("user"); u != "" {
		attributes["user.id"] = u
	}
	raw, err := json.Marshal(map[string]any{
		"id": id, "time": time.Now().UTC().Format(time.RFC3339Nano), "handled": true,
		"exceptions": []any{map[string]any{"type": c.String("type"), "message": c.String("message"),
			"frames": []any{map[string]any{"function": "send", "file": "firethorn/test-event.go", "line": 1,
				"own": true}}}},
		"attributes": attributes,
		"resource": map[string]any{"service.name": p.Name, "service.version": c.String("release"),
			"deployment.environment.name": c.String("environment")},
	})
	if err != nil {
		return err
	}
	if _, err := report(ctx, cl, p.IngestKey, raw); err != nil {
		return err
	}
	path := "/api/projects/" + url.PathEscape(p.Name) + "/events/" + id
	for until := time.Now().Add(c.Duration("wait")); ; time.Sleep(60 * time.Millisecond) {
		var e contract.Event
		answer, err := cl.Call(ctx, http.MethodGet, path, nil, &e)
		if err == nil {
			if c.String("format") == "json" {
				_, err = c.Root().Writer.Write(answer)
				return err
			}
			fmt.Fprintf(c.Root().Writer, "processed as %s: %s\n%s/p/%s/issues/%s\n", e.Issue, show.Plain(e.Headline),
				cl.Server,
				p.Name, e.Issue[len(p.Name)+1:])
			return nil
		}
		if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.NotFound || ctx.Err() != nil {
			return err
		}
		if time.Now().After(until) {
			return problem.New(problem.AnswerIsNo, "the event %s was stored, but not processed within %s; firethorn status shows the queue", id, c.Duration("wait"))
		}
	}
}

// reportsTo is the project that events are sent to, with its ingest key.
func reportsTo(ctx context.Context, c *client.Client) (p contract.Project, err error) {
	name, err := c.NeedProject()
	if err != nil {
		return p, err
	}
	_, err = c.Call(ctx, http.MethodGet, "/api/projects/"+url.PathEscape(name), nil, &p)
	return p, err
}

// report posts to the ingest endpoint, as an application does.
func report(ctx context.Context, c *client.Client, key string, raw []byte) (answer intake.Answer, err error) {
	req, err := c.Request(ctx, http.MethodPost, "/v1/events", bytes.NewReader(raw))
	if err != nil {
		return answer, err
	}
	req.Header.Set("Authorization", "Bearer "+key)
	req.Header.Set("Content-Type", "application/json")
	out, err := c.Do(req)
	if jsonErr := json.Unmarshal(out, &answer); err == nil {
		err = jsonErr
	}
	if err != nil && len(answer.Refused) > 0 {
		return answer, problem.New(problem.BadInput, "nothing was stored: %s", answer.Refused[0].Detail)
	}
	return answer, err
}

func sendFile(ctx context.Context, c *cli.Command, cl *client.Client, p contract.Project, file string) error {
	var raw []byte
	var err error
	if file == "-" {
		raw, err = io.ReadAll(c.Root().Reader)
	} else {
		raw, err = os.ReadFile(file)
	}
	if err != nil {
		return command.Usage("%s cannot be read: %v", file, err)
	}
	answer, err := report(ctx, cl, p.IngestKey, raw)
	if err != nil {
		return err
	}
	if c.String("format") == "json" {
		return json.NewEncoder(c.Root().Writer).Encode(answer)
	}
	fmt.Fprintf(c.Root().Writer, "%d stored, %d refused\n", answer.Stored, len(answer.Refused))
	for _, r := range answer.Refused {
		fmt.Fprintf(c.Root().Writer, "  event %d: %s\n", r.Index, show.Plain(r.Detail))
	}
	return nil
}
