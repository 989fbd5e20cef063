package firethorn

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// maxAnswer is how long a request to the service may take, whatever the HTTP
// client allows.
const maxAnswer = 30 * time.Second

// ownRequest marks requests of this client: they leave no breadcrumb.
type ownRequest struct{}

// send posts a batch. No answer counts as status 503.
func (b *outbox) send(ctx context.Context, part []waiting, dropped map[string]int) (status int, wait time.Duration) {
	body, err := b.body(part, dropped)
	if err != nil {
		return http.StatusServiceUnavailable, 0
	}
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, ownRequest{}, true), maxAnswer)
	defer cancel()
	req, err := http.NewRequestWithContext(
		ctx,
		http.MethodPost,
		strings.TrimRight(b.c.o.Server, "/")+"/v1/"+b.list,
		body,
	)
	if err != nil {
		b.c.warn("address", "nothing is reported: Options.Server is no address: "+err.Error())
		return http.StatusServiceUnavailable, 0
	}
	req.Header.Set("Authorization", "Bearer "+b.c.o.Key)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Content-Encoding", "gzip")
	res, err := b.c.o.Client.Do(req)
	if err != nil {
		return http.StatusServiceUnavailable, 0
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, 1<<20)) // lets the connection be used again
	if n, err := strconv.Atoi(res.Header.Get("Retry-After")); err == nil {
		wait = min(time.Duration(n)*time.Second, maxPause)
	}
	return res.StatusCode, wait
}

// body is the envelope of a batch (docs/event-format.md), compressed.
func (b *outbox) body(part []waiting, dropped map[string]int) (*bytes.Buffer, error) {
	envelope := map[string]any{"sent": time.Now().UTC(), "resource": b.c.resource}
	if len(dropped) > 0 {
		envelope["dropped"] = dropped
	}
	head, err := json.Marshal(envelope)
	if err != nil {
		return nil, err
	}
	var body bytes.Buffer
	z := gzip.NewWriter(&body)
	_, _ = z.Write(head[:len(head)-1]) // into memory
	_, _ = io.WriteString(z, `,"`+b.list+`":[`)
	for i, w := range part {
		if i > 0 {
			_, _ = io.WriteString(z, ",")
		}
		_, _ = z.Write(w.raw)
	}
	_, _ = io.WriteString(z, "]}")
	return &body, z.Close()
}

// refused says once why the service takes nothing.
func (c *Client) refused(status int) {
	switch status {
	case http.StatusUnauthorized:
		c.warn("key", "nothing is reported: "+c.o.Server+" does not know the key (401): check Options.Key")
	case http.StatusForbidden:
		c.warn("forbidden", "nothing is reported: "+c.o.Server+" refuses this sender (403)")
	case http.StatusNotFound:
		c.warn("address", "nothing is reported: there is no Firethorn at "+c.o.Server+" (404): check Options.Server")
	}
}
