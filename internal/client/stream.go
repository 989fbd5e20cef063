package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"

	"firethorn/internal/core/fault"
	"firethorn/internal/web"
)

// Stream posts in and reads server-sent events until they end.
func (c *Client) Stream(ctx context.Context, path string, in any, take func(event string, data []byte) error) error {
	raw, err := json.Marshal(in)
	if err != nil {
		return err
	}
	req, err := c.Request(ctx, http.MethodPost, path, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	res, err := (&http.Client{Transport: c.HTTP.Transport}).Do(req) // it may take as long as it takes
	if err != nil {
		return fault.Wrap("client.Stream", fault.NoServer, err, "the service at %s does not answer; is it running?",
			c.Server)
	}
	defer res.Body.Close()
	if res.StatusCode >= 400 {
		var p web.Problem
		if json.NewDecoder(res.Body).Decode(&p) != nil || p.Detail == "" {
			p.Detail = fmt.Sprintf("%s answered %s", c.Server, res.Status)
		}
		return &fault.Error{Op: "client.Stream", Code: fault.Code(p.Code), Pub: p.Detail}
	}
	r := bufio.NewReader(res.Body)
	name := ""
	for {
		line, err := r.ReadBytes('\n')
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fault.Wrap("client.Stream", fault.NoServer, err, "the answer of %s broke off", c.Server)
		}
		text := bytes.TrimSpace(line)
		if event, ok := bytes.CutPrefix(text, []byte("event: ")); ok {
			name = string(event)
		}
		if data, ok := bytes.CutPrefix(text, []byte("data: ")); ok {
			if err := take(name, data); err != nil {
				return err
			}
		}
	}
}
