// Package client calls Firethorn's API over HTTP. It knows which service is meant
// and who signs in: see Choose.
package client

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"firethorn/internal/core/problem"
	"firethorn/internal/web"
)

// Client calls the API of one service.
type Client struct {
	Server  string // the service's URL, without a slash at its end
	Token   string
	Project string // that is chosen; "" is none
	HTTP    *http.Client
}

// NeedProject is the chosen project; problem.WrongUse if there is none.
func (c *Client) NeedProject() (string, error) {
	if c.Project == "" {
		return "", problem.New(problem.WrongUse, "which project? Say --project NAME, set FIRETHORN_PROJECT, or remember one with firethorn login")
	}
	return c.Project, nil
}

// ProjectPath is a path below the chosen project.
func (c *Client) ProjectPath(rest string) (string, error) {
	p, err := c.NeedProject()
	return "/api/projects/" + url.PathEscape(p) + rest, err
}

// IssuePath turns quayside/123, or 123 with a project chosen, into its path.
func (c *Client) IssuePath(id string) (string, error) {
	project, number, err := c.Issue(id)
	return fmt.Sprintf("/api/issues/%s/%d", url.PathEscape(project), number), err
}

// Issue takes quayside/123, or 123 with a project chosen, apart.
func (c *Client) Issue(id string) (project string, number int64, err error) {
	project, text, ok := strings.Cut(id, "/")
	if !ok {
		text = id
		if project, err = c.NeedProject(); err != nil {
			return "", 0, err
		}
	}
	if number, err = strconv.ParseInt(text, 10, 64); err != nil || number < 1 {
		return "", 0, problem.New(problem.WrongUse, "%q is no issue: write PROJECT/NUMBER, for example quayside/12", id)
	}
	return project, number, nil
}

// Call sends in as JSON (nil: no body), returns the answer as it came, and decodes
// it into out (nil: not).
func (c *Client) Call(ctx context.Context, method, path string, in, out any) ([]byte, error) {
	return c.send(ctx, method, path, in, out, nil)
}

// Match is Call with the version that who asks has seen; 0 is any.
func (c *Client) Match(ctx context.Context, path string, version int64, in, out any) error {
	seen := http.Header{"If-Match": {strconv.Quote(strconv.FormatInt(version, 10))}}
	_, err := c.send(ctx, http.MethodPost, path, in, out, seen)
	return err
}

func (c *Client) send(ctx context.Context, method, path string, in, out any, header http.Header) ([]byte, error) {
	var body io.Reader
	if in != nil {
		raw, err := json.Marshal(in)
		if err != nil {
			return nil, err
		}
		body = bytes.NewReader(raw)
	}
	req, err := c.Request(ctx, method, path, body)
	if err != nil {
		return nil, err
	}
	for name, values := range header {
		req.Header[name] = values
	}
	if in != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	raw, err := c.Do(req)
	if err != nil {
		return nil, err
	}
	if out != nil {
		if err := json.Unmarshal(raw, out); err != nil {
			return nil, problem.Wrap("client.Call", problem.NoServer, err,
				"%s does not answer like Firethorn; is the address right?", c.Server)
		}
	}
	return raw, nil
}

// Request makes a request to the service.
func (c *Client) Request(ctx context.Context, method, path string, body io.Reader) (*http.Request, error) {
	req, err := http.NewRequestWithContext(ctx, method, c.Server+path, body)
	if err != nil {
		return nil, problem.New(problem.WrongUse, "--server %q is no URL", c.Server)
	}
	return req, nil
}

// Do sends a request and returns the answer. A problem that is answered (RFC 9457)
// is a *problem.Error with its code.
func (c *Client) Do(req *http.Request) ([]byte, error) {
	res, err := c.open(c.HTTP, req)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err != nil {
		return nil, problem.Wrap("client.Do", problem.NoServer, err, "the answer of %s broke off", c.Server)
	}
	if res.StatusCode < 400 {
		return raw, nil
	}
	return raw, c.refused(res.Status, raw)
}

// open sends a request with the token.
func (c *Client) open(by *http.Client, req *http.Request) (*http.Response, error) {
	if req.Header.Get("Authorization") == "" && c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	res, err := by.Do(req)
	if err != nil {
		return nil, problem.Wrap("client.open", problem.NoServer, err,
			"the service at %s does not answer; is it running?", c.Server)
	}
	return res, nil
}

// refused is the error that an answer other than yes says.
func (c *Client) refused(status string, raw []byte) error {
	var p web.Problem
	if json.Unmarshal(raw, &p) != nil || p.Detail == "" {
		p.Detail = fmt.Sprintf("%s answered %s", c.Server, status)
	}
	return &problem.Error{Op: "client.refused", Code: cmp.Or(problem.Code(p.Code), problem.Internal), Pub: p.Detail}
}
