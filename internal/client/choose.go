package client

import (
	"context"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"firethorn/internal/core/problem"
)

// Login is what `firethorn login` remembers.
type Login struct {
	Server  string `json:"server"`
	Token   string `json:"token,omitempty"`
	Project string `json:"project,omitempty"`
}

// LoginFile is where a login is remembered.
func LoginFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "firethorn", "login.json"), err
}

// Remembered is the login that is remembered; a file that cannot be read is as none.
func Remembered() Login {
	var l Login
	file, err := LoginFile()
	if err != nil {
		return l
	}
	if raw, err := os.ReadFile(file); err == nil {
		_ = json.Unmarshal(raw, &l)
	}
	return l
}

// Remember writes the login down, for its owner alone.
func (l Login) Remember() error {
	file, err := LoginFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	raw, err := json.MarshalIndent(l, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, raw, 0o600)
}

// Local is a service that the same user started on this machine.
type Local struct {
	Server  string
	Answers func(context.Context) bool
	Token   func() (string, error)
}

// Choice is what a client is chosen by.
type Choice struct {
	Server, Token, Project string // of flags and environment
	Login                  Login
	Locals                 func() []Local                      // those started last first
	Others                 func(taken string, others []string) // is told of more local services that answer
}

// callTime is how long a call may take.
const callTime = 5 * time.Minute

// Choose finds the service and the token: flags and environment first, then what
// login remembered, then a service started on this machine. A remembered token is
// for the service that it was remembered with alone. problem.NoServer where no
// service is known.
func Choose(ctx context.Context, by Choice) (*Client, error) {
	remembered := strings.TrimSuffix(by.Login.Server, "/")
	c := &Client{Server: strings.TrimSuffix(by.Server, "/"), Token: by.Token, Project: by.Project,
		HTTP: &http.Client{Timeout: callTime}}
	if c.Server == "" {
		c.Server = remembered
	}
	if c.Token == "" && c.Server != "" && c.Server == remembered {
		c.Token = by.Login.Token
	}
	if (c.Server == "" || c.Token == "") && by.Locals != nil {
		c.useLocal(ctx, by.Locals(), by.Others)
	}
	if c.Project == "" {
		c.Project = by.Login.Project
	}
	if c.Server == "" {
		return nil, problem.New(problem.NoServer, "no service is known: start one with firethorn serve, or name one with --server URL or firethorn login")
	}
	return c, nil
}

// useLocal fills in what is missing from the services that were started on this
// machine. Where no server was named it takes the one started last that answers,
// and says so when others answer, too.
func (c *Client) useLocal(ctx context.Context, all []Local, others func(string, []string)) {
	var running []Local
	for _, l := range all {
		if c.Server == l.Server || c.Server == "" && l.Answers(ctx) {
			running = append(running, l)
		}
	}
	if len(running) == 0 {
		if c.Server == "" && len(all) > 0 {
			c.Server = all[0].Server // so that the error names what does not answer
		}
		return
	}
	if len(running) > 1 && others != nil {
		var rest []string
		for _, l := range running[1:] {
			rest = append(rest, l.Server)
		}
		others(running[0].Server, rest)
	}
	c.Server = running[0].Server
	if c.Token == "" {
		if token, err := running[0].Token(); err == nil {
			c.Token = token
		}
	}
}
