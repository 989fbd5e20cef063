package projects

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/shell"
	"firethorn/internal/guide"
)

// Init is the command that leads from nothing to the first readable issue.
func Init() *cli.Command {
	return &cli.Command{
		Name: "init", Usage: "set up an application: project, steps, first event",
		Description: "Run it in the application's directory. It asks for the project and the runtime, creates the project if there is\n" +
			"none, prints the steps with the project's key, and waits for the first event. With flags it asks nothing.\n" +
			"With --format json it prints the steps and ends:\n\n" +
			"  firethorn init --name quayside --runtime vite --wait 0s",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "name", Usage: "the project's `NAME`; you are asked if it is missing"},
			&cli.StringFlag{Name: "runtime", Usage: "vite, browser, node, node-web, go, opentelemetry or logs; you are asked if it is missing"},
			&cli.DurationFlag{Name: "wait", Value: 10 * time.Minute, Usage: "time to wait for the first event"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			cl, err := command.NewClient(ctx, c)
			if err != nil {
				return err
			}
			runtime, name := guide.Guess(os.DirFS("."))
			if name == "" {
				if dir, err := os.Getwd(); err == nil {
					name = filepath.Base(dir)
				}
			}
			s := &settingUp{cl: cl, out: c.Root().Writer, in: bufio.NewScanner(c.Root().Reader)}
			if c.String("format") == "json" {
				s.name, s.runtime = cmp.Or(c.String("name"), asName(name)), cmp.Or(c.String("runtime"), runtime, "vite")
				if s.name == "" {
					return command.Usage("the project needs a name; give it with --name")
				}
				raw, _, err := s.make(ctx, io.Discard)
				if err != nil {
					return err
				}
				_, err = s.out.Write(raw)
				return err
			}
			if err := s.choose(c, asName(name), runtime); err != nil {
				return err
			}
			return s.run(ctx, c.Duration("wait"))
		},
	}
}

// asName makes a name that a project may have: small letters, digits and dashes.
func asName(s string) string {
	s = regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(strings.ToLower(s), "-")
	return strings.Trim(s[:min(len(s), 60)], "-")
}

// settingUp leads a person through the set-up.
type settingUp struct {
	cl            *client.Client
	out           io.Writer
	in            *bufio.Scanner
	name, runtime string
}

// choose finds out the project's name and the runtime: by flags, else by asking.
func (s *settingUp) choose(c *cli.Command, name, runtime string) error {
	if s.name = c.String("name"); s.name == "" {
		s.name = s.ask("Project", name)
	}
	if s.name == "" {
		return command.Usage("the project needs a name; give it with --name")
	}
	all, err := guide.Runtimes()
	if err != nil {
		return err
	}
	if s.runtime = c.String("runtime"); s.runtime == "" {
		usual := 1
		fmt.Fprintln(s.out, "\nIt runs in:")
		for i, r := range all {
			fmt.Fprintf(s.out, "  %d  %s\n", i+1, r.Name)
			if r.ID == runtime {
				usual = i + 1
			}
		}
		answer := s.ask("Number", strconv.Itoa(usual))
		n, err := strconv.Atoi(answer)
		if err != nil || n < 1 || n > len(all) {
			return command.Usage("%q is none of 1 to %d; give the runtime with --runtime", answer, len(all))
		}
		s.runtime = all[n-1].ID
	}
	return nil
}

// ask asks a question; Enter, or the end of what can be read, means the usual answer.
func (s *settingUp) ask(what, usual string) string {
	fmt.Fprintf(s.out, "%s [%s]: ", what, usual)
	if !s.in.Scan() {
		fmt.Fprintln(s.out)
		return usual
	}
	if answer := strings.TrimSpace(s.in.Text()); answer != "" {
		return answer
	}
	return usual
}

func (s *settingUp) path() string { return "/api/projects/" + url.PathEscape(s.name) }

// make makes the project if there is none, and gives its steps.
func (s *settingUp) make(ctx context.Context, out io.Writer) (steps []byte, before int64, err error) {
	path := s.path()
	var p contract.Project
	_, err = s.cl.Call(ctx, http.MethodGet, path, nil, &p)
	if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
		if _, err = s.cl.Call(ctx, http.MethodPost, "/api/projects", contract.NewProject{Name: s.name, KeepDays: 30},
			&p); err == nil {
			fmt.Fprintf(out, "\nThe project %s was made.\n", show.Plain(p.Name))
		}
	}
	if err != nil {
		return nil, 0, err
	}
	var g contract.SetUp
	steps, err = s.cl.Call(ctx, http.MethodGet, path+"/set-up?"+url.Values{"runtime": {s.runtime}}.Encode(), nil, &g)
	if err == nil {
		fmt.Fprintln(out)
		showSetUp(out, g)
	}
	return steps, p.Events, err
}

func (s *settingUp) run(ctx context.Context, wait time.Duration) error {
	_, before, err := s.make(ctx, s.out)
	if err != nil {
		return err
	}
	return s.listen(ctx, s.path(), before, wait)
}

// lookEvery is how often init looks for the first event.
const lookEvery = time.Second

// listen waits until more events are there than before, then says what came and
// whether its trace can be read.
func (s *settingUp) listen(ctx context.Context, path string, before int64, wait time.Duration) error {
	if wait <= 0 {
		return nil
	}
	fmt.Fprintf(s.out, "\nListening for an event of %s, for %s. Ctrl-C ends; the steps stay: firethorn project set-up %s\n",
		show.Plain(s.name), wait, shell.Arguments(s.name))
	for until := time.Now().Add(wait); ; {
		var p contract.Project
		if _, err := s.cl.Call(ctx, http.MethodGet, path, nil, &p); err != nil {
			return err
		}
		if p.Events > before {
			return s.arrived(ctx, path)
		}
		if time.Now().After(until) {
			return problem.New(problem.AnswerIsNo, "nothing arrived within %s; firethorn received --project %s says whether anything was refused", wait, s.name)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(lookEvery):
		}
	}
}

func (s *settingUp) arrived(ctx context.Context, path string) error {
	var list contract.Issues
	if _, err := s.cl.Call(ctx, http.MethodGet, path+"/issues?order=last_seen&limit=1", nil, &list); err != nil {
		return err
	}
	fmt.Fprintln(s.out, "It arrived.")
	for _, i := range list.Issues {
		fmt.Fprintf(s.out, "  %s  %s\n", i.ID, show.Plain(i.Headline))
		if i.Place != "" {
			fmt.Fprintf(s.out, "  %s\n", show.Plain(i.Place))
		}
	}
	var unread contract.UnreadReleases
	if _, err := s.cl.Call(ctx, http.MethodGet, path+"/symbols/unread", nil, &unread); err != nil {
		return err
	}
	if len(unread.Releases) == 0 {
		fmt.Fprintf(s.out, "Next: firethorn issue list --project %s\n", shell.Arguments(s.name))
		return nil
	}
	fmt.Fprintf(s.out, "Its trace names built files and cannot be read yet. Push the source maps:\n  firethorn symbols push %s %s dist\n",
		shell.Option("--project", s.name), shell.Option("--release", unread.Releases[0].Release))
	return nil
}
