package service

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/google/uuid"
	"github.com/urfave/cli/v3"
	"golang.org/x/sync/errgroup"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/follow"
	"firethorn/internal/intake"
)

// Forward is the command that reports stack traces of log files.
func Forward() *cli.Command {
	return &cli.Command{
		Name: "forward", Usage: "follow logs and report the exceptions in them", ArgsUsage: "[FILE…]",
		Description: "Finds stack traces of JavaScript, Java, Python, Go, Ruby, PHP, .NET, Rust, Perl and native programs in lines of text and in\n" +
			"JSON records, and reports each as an event. Without FILE (or with -) it reads standard input. It stores its progress,\n" +
			"continues there after a restart, and follows files that are rotated or truncated: nothing is lost or counted twice.\n" +
			"Errors without a trace become events if the project is set so: firethorn project change NAME --log-messages error.\n\n" +
			"   firethorn forward --key KEY --service gangway --release 2.9.0 /var/log/gangway/*.log\n" +
			"   node server.js 2>&1 | firethorn forward --key KEY --service gangway",
		Arguments: []cli.Argument{&cli.StringArgs{Name: "files", Min: 0, Max: -1}},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "key", Usage: "the project's ingest `KEY` (default: found by --project and a token)", Sources: cli.EnvVars("FIRETHORN_KEY")},
			&cli.StringFlag{Name: "service", Usage: "service.name"},
			&cli.StringFlag{Name: "release", Usage: "service.version"},
			&cli.StringFlag{Name: "environment", Usage: "deployment.environment.name"},
			&cli.StringSliceFlag{Name: "resource",
				Usage: "another resource attribute, `NAME=VALUE`; may be given several times"},
			&cli.StringFlag{Name: "state", Usage: "the `DIRECTORY` where it stores its progress",
				Sources: cli.EnvVars("FIRETHORN_STATE")},
			&cli.BoolFlag{Name: "once", Usage: "stop at the end of the files instead of waiting for more"},
		},
		Action: forward,
	}
}

// forwarded counts what became of the events.
type forwarded struct {
	mu      sync.Mutex
	Stored  int `json:"stored"`
	Refused int `json:"refused"`
	LetGo   int `json:"let_go"`
}

func forward(ctx context.Context, c *cli.Command) error {
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	cl, err := command.NewClient(ctx, c)
	if err != nil {
		return err
	}
	resource, err := forwardResource(c)
	if err != nil {
		return err
	}
	key := c.String("key")
	if key == "" {
		p, err := reportsTo(ctx, cl)
		if err != nil {
			return err
		}
		key = p.IngestKey
	}
	done := &forwarded{}
	say := func(format string, args ...any) { fmt.Fprintf(c.Root().ErrWriter, "firethorn: "+format+"\n", args...) }
	sink := (&forwarding{cl, key, resource, done, say}).send
	opts := follow.Options{Once: c.Bool("once"), Poll: 200 * time.Millisecond, Quiet: 2 * time.Second, Say: say}
	files := c.StringArgs("files")
	if len(files) == 0 || len(files) == 1 && files[0] == "-" {
		run := uuid.New()
		err = follow.Stream(ctx, c.Root().Reader, run[:], sink, opts)
	} else {
		err = followAll(ctx, c.String("state"), files, sink, opts)
	}
	if ctx.Err() != nil && (errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)) {
		say("stopped; lines that the service did not acknowledge are read again the next time, if they come from a file")
		err = nil
	}
	if err != nil {
		return err
	}
	if c.String("format") == "json" {
		return json.NewEncoder(c.Root().Writer).Encode(done)
	}
	fmt.Fprintf(c.Root().Writer, "%d events stored, %d refused, %d messages that the project does not want\n",
		done.Stored, done.Refused, done.LetGo)
	return nil
}

// followAll follows files until ctx ends or one of them fails.
func followAll(ctx context.Context, dir string, files []string, sink follow.Sink, opts follow.Options) error {
	if dir == "" {
		base, err := os.UserHomeDir()
		if state := os.Getenv("XDG_STATE_HOME"); state != "" {
			base, err = state, nil
		} else {
			base = filepath.Join(base, ".local", "state")
		}
		if err != nil {
			return command.Usage("there is no home directory to remember in: give --state DIRECTORY")
		}
		dir = filepath.Join(base, "firethorn", "forward")
	}
	g, ctx := errgroup.WithContext(ctx)
	for _, file := range files {
		if info, err := os.Stat(file); err == nil && !info.Mode().IsRegular() {
			return command.Usage("%s is no file: give files, or - for standard input", file)
		}
		state, err := follow.OpenState(dir, file)
		if errors.Is(err, follow.ErrFollowed) {
			return command.Usage("%v; two on one file would read it twice", err)
		}
		if err != nil {
			return err
		}
		defer state.Close()
		g.Go(func() error { return follow.NewFile(file, state, sink, opts).Run(ctx) })
	}
	return g.Wait()
}

func forwardResource(c *cli.Command) (map[string]string, error) {
	resource := map[string]string{}
	for flag, name := range map[string]string{"service": "service.name", "release": "service.version",
		"environment": "deployment.environment.name"} {
		if v := c.String(flag); v != "" {
			resource[name] = v
		}
	}
	for _, pair := range c.StringSlice("resource") {
		name, value, ok := strings.Cut(pair, "=")
		if !ok || name == "" {
			return nil, command.Usage("--resource %s: write NAME=VALUE", pair)
		}
		resource[name] = value
	}
	return resource, nil
}

// forwardWaits is how long it waits before it sends again, at most.
const forwardWaits = 30 * time.Second

// forwarding is where events go, and what came of them so far.
type forwarding struct {
	to       *client.Client
	key      string
	resource map[string]string
	done     *forwarded
	say      func(string, ...any)
}

// send sends events until they are stored or refused for good.
func (f *forwarding) send(ctx context.Context, events []*event.Event) error {
	body, err := json.Marshal(map[string]any{"sent": time.Now().UTC().Format(time.RFC3339Nano), "resource": f.resource,
		"events": events})
	if err != nil {
		return err
	}
	for wait := 500 * time.Millisecond; ; wait = min(2*wait, forwardWaits) {
		answer, again, err := forwardOnce(ctx, f.to, f.key, body)
		if err == nil {
			f.done.mu.Lock()
			defer f.done.mu.Unlock()
			f.done.Stored += answer.Stored
			f.done.LetGo += answer.LetGo
			f.done.Refused += len(answer.Refused)
			for _, r := range answer.Refused {
				f.say("refused: %s", show.Plain(r.Detail))
			}
			return nil
		}
		if again < 0 {
			return err
		}
		if wait == 500*time.Millisecond {
			f.say("%v; it is tried again", err)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(max(wait, again)):
		}
	}
}

// forwardOnce sends once. again is when it is worth another try; below 0: it is
// not.
func forwardOnce(ctx context.Context, c *client.Client, key string,
	body []byte) (answer intake.Answer, again time.Duration, err error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	req, err := c.Request(ctx, http.MethodPost, "/v1/events", bytes.NewReader(body))
	if err != nil {
		return answer, -1, err
	}
	req.Header.Set("Authorization", "Bearer "+key)
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return answer, 0, problem.Wrap("forward", problem.Unavailable, err, "%s does not answer", c.Server)
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(res.Body, 4<<20))
	if err != nil {
		return answer, 0, problem.Wrap("forward", problem.Unavailable, err, "%s does not answer to its end", c.Server)
	}
	var refusal struct{ Detail string }
	switch {
	case res.StatusCode == http.StatusAccepted || res.StatusCode == http.StatusBadRequest &&
		json.Unmarshal(raw, &answer) == nil && len(answer.Refused) > 0:
		if len(answer.Refused) == 0 {
			err = json.Unmarshal(raw, &answer)
		}
		return answer, 0, err
	case json.Unmarshal(raw, &refusal) != nil || refusal.Detail == "":
		refusal.Detail = "the service answers " + res.Status
	}
	again = -1
	if res.StatusCode == http.StatusTooManyRequests || res.StatusCode >= 502 && res.StatusCode <= 504 {
		seconds, _ := strconv.Atoi(res.Header.Get("Retry-After"))
		again = time.Duration(seconds) * time.Second
	}
	return answer, again, problem.New(problem.Unavailable, "%s", refusal.Detail)
}
