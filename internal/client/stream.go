package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"

	"firethorn/internal/core/problem"
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
	res, err := c.open(&http.Client{Transport: c.HTTP.Transport}, req) // it may take as long as it takes
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode >= 400 {
		raw, _ := io.ReadAll(res.Body) // what cannot be read says nothing: the status does
		return c.refused(res.Status, raw)
	}
	r := bufio.NewReader(res.Body)
	name := ""
	for {
		line, err := r.ReadBytes('\n')
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return problem.Wrap("client.Stream", problem.NoServer, err, "the answer of %s broke off", c.Server)
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
