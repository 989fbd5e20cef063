package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/app"
	"firethorn/internal/core/fault"
	"firethorn/internal/web"
)

// settings are what `firethorn login` remembers.
type settings struct {
	Server  string `json:"server"`
	Token   string `json:"token,omitempty"`
	Project string `json:"project,omitempty"`
}

func settingsFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "firethorn", "login.json"), err
}

func loadSettings() settings {
	var s settings
	file, err := settingsFile()
	if err != nil {
		return s
	}
	if raw, err := os.ReadFile(file); err == nil {
		_ = json.Unmarshal(raw, &s) // a broken file is as none
	}
	return s
}

func (s settings) save() error {
	file, err := settingsFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	raw, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, raw, 0o600)
}

// client calls the API.
type client struct {
	server, token, project string
	http                   *http.Client
	cmd                    *cli.Command
}

// newClient finds the server and the token: flags and environment first, then
// what login remembered, then a service started on this machine.
func newClient(c *cli.Command) (*client, error) {
	token, err := secretFlag(c, "token", "token-file")
	if err != nil {
		return nil, err
	}
	s := loadSettings()
	cl := &client{server: c.String("server"), token: token, project: c.String("project"), cmd: c,
		http: &http.Client{Timeout: 5 * time.Minute}}
	if cl.server == "" {
		cl.server = s.Server
	}
	cl.server = strings.TrimSuffix(cl.server, "/")
	if cl.token == "" && cl.server != "" && cl.server == strings.TrimSuffix(s.Server, "/") {
		cl.token = s.Token
	}
	if cl.server == "" || cl.token == "" {
		cl.useLocal(app.Locals())
	}
	if cl.project == "" {
		cl.project = s.Project
	}
	if cl.server == "" {
		return nil, fault.New(fault.NoServer, "no service is known: start one with firethorn serve, or name one with --server URL or firethorn login")
	}
	return cl, nil
}

// useLocal fills in what is missing from the services that were started on this
// machine. Where no server was named it takes the one started last that
// answers, and says so when others answer, too.
func (c *client) useLocal(all []app.Local) {
	var running []app.Local
	for _, l := range all {
		if c.server == l.Server || c.server == "" && l.Answers(context.Background()) {
			running = append(running, l)
		}
	}
	if len(running) == 0 {
		if c.server == "" && len(all) > 0 {
			c.server = all[0].Server // so that the error names what does not answer
		}
		return
	}
	if len(running) > 1 {
		var others []string
		for _, l := range running[1:] {
			others = append(others, l.Server)
		}
		fmt.Fprintf(c.cmd.Root().ErrWriter, "Using %s; %s on this machine, too. Choose with --server.\n", running[0].Server, plural(len(others), "another service answers", "other services answer")+" ("+strings.Join(others, ", ")+")")
	}
	c.server = running[0].Server
	if c.token == "" {
		if token, err := running[0].Token(); err == nil {
			c.token = token
		}
	}
}

// projectClient is a client with the project that is chosen.
func projectClient(c *cli.Command) (cl *client, project string, err error) {
	if cl, err = newClient(c); err == nil {
		project, err = cl.needProject()
	}
	return cl, project, err
}

func (c *client) needProject() (string, error) {
	if c.project == "" {
		return "", usage("which project? Say --project NAME, set FIRETHORN_PROJECT, or remember one with firethorn login")
	}
	return c.project, nil
}

// call sends in as JSON (nil: no body), returns the raw answer and decodes it
// into out (nil: not).
func (c *client) call(ctx context.Context, method, path string, in, out any) ([]byte, error) {
	var body io.Reader
	if in != nil {
		raw, err := json.Marshal(in)
		if err != nil {
			return nil, err
		}
		body = bytes.NewReader(raw)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.server+path, body)
	if err != nil {
		return nil, usage("--server %q is no URL", c.server)
	}
	if in != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	raw, err := c.do(req)
	if err != nil {
		return nil, err
	}
	if out != nil {
		if err := json.Unmarshal(raw, out); err != nil {
			return nil, fault.Wrap("cli.call", fault.NoServer, err,
				"%s does not answer like Firethorn; is the address right?", c.server)
		}
	}
	return raw, nil
}

// match is call with the version that who asks has seen; 0 is any.
func (c *client) match(ctx context.Context, method, path string, version int64, in, out any) error {
	raw, err := json.Marshal(in)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, method, c.server+path, bytes.NewReader(raw))
	if err != nil {
		return usage("--server %q is no URL", c.server)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("If-Match", strconv.Quote(strconv.FormatInt(version, 10)))
	answer, err := c.do(req)
	if err != nil {
		return err
	}
	return json.Unmarshal(answer, out)
}

func (c *client) do(req *http.Request) ([]byte, error) {
	if req.Header.Get("Authorization") == "" && c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	res, err := c.http.Do(req)
	if err != nil {
		return nil, fault.Wrap("cli.call", fault.NoServer, err, "the service at %s does not answer; is it running?",
			c.server)
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err != nil {
		return nil, fault.Wrap("cli.call", fault.NoServer, err, "the answer of %s broke off", c.server)
	}
	if res.StatusCode >= 400 {
		var p web.Problem
		if json.Unmarshal(raw, &p) != nil || p.Detail == "" {
			p.Detail = fmt.Sprintf("%s answered %s", c.server, res.Status)
		}
		code := fault.Code(p.Code)
		if code == "" {
			code = fault.Internal
		}
		return raw, &fault.Error{Op: "cli.call", Code: code, Pub: p.Detail}
	}
	return raw, nil
}

// get asks for path, prints the answer as it came when json is wanted, else
// decodes it and lets show print it. also look at the answer either way.
func get[T any](ctx context.Context, cmd *cli.Command, path func(c *client) (string, error), show func(io.Writer, T),
	also ...func(T)) error {
	return request(ctx, cmd, http.MethodGet, nil, path, show, also...)
}

func request[T any](ctx context.Context, cmd *cli.Command, method string, in any, path func(c *client) (string, error),
	show func(io.Writer, T), also ...func(T)) error {
	c, err := newClient(cmd)
	if err != nil {
		return err
	}
	p, err := path(c)
	if err != nil {
		return err
	}
	var v T
	raw, err := c.call(ctx, method, p, in, &v)
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
func fixed(path string) func(*client) (string, error) {
	return func(*client) (string, error) { return path, nil }
}

// ofProject is a path below the chosen project.
func ofProject(rest string) func(*client) (string, error) {
	return func(c *client) (string, error) {
		p, err := c.needProject()
		return "/api/projects/" + url.PathEscape(p) + rest, err
	}
}

// ofIssue is a path below an issue.
func ofIssue(id, rest string) func(*client) (string, error) {
	return func(c *client) (string, error) {
		p, err := issuePath(c, id)
		return p + rest, err
	}
}

// issueClient is a client with the path of an issue.
func issueClient(c *cli.Command, id string) (cl *client, path string, err error) {
	if cl, err = newClient(c); err == nil {
		path, err = issuePath(cl, id)
	}
	return cl, path, err
}

// issuePath turns quayside/123, or 123 with a project chosen, into its path.
func issuePath(c *client, id string) (string, error) {
	project, number, err := issueNumber(c, id)
	return fmt.Sprintf("/api/issues/%s/%d", url.PathEscape(project), number), err
}

// issueNumber takes quayside/123, or 123 with a project chosen, apart.
func issueNumber(c *client, id string) (project string, number int64, err error) {
	project, text, ok := strings.Cut(id, "/")
	if !ok {
		text = id
		if project, err = c.needProject(); err != nil {
			return "", 0, err
		}
	}
	if number, err = strconv.ParseInt(text, 10, 64); err != nil || number < 1 {
		return "", 0, usage("%q is no issue: write PROJECT/NUMBER, for example quayside/12", id)
	}
	return project, number, nil
}
