package ticket

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/theory/jsonpath"
	"go.yaml.in/yaml/v4"
)

// Hook is how a tracker's webhook is verified and read. It says which ticket changed; how the
// ticket is now is read from the tracker, so that late, lost and repeated webhooks do no harm.
type Hook struct {
	Header string // with the signature: HMAC-SHA256
	Prefix string // before the signature, such as sha256=
	Base64 bool   // else hex
	Signs  string // a template of what is signed: {{body}}, {{timestamp}}, {{id}}
	ID     source // of the message; repeats are refused
	Time   source // when it was sent; older than hookAge is refused
	Key    *jsonpath.Path
}

// source is where a value stands: in a header, or in the body.
type source struct {
	header string
	path   *jsonpath.Path
}

func (s source) none() bool { return s.header == "" && s.path == nil }

// hookAge is how old a webhook may be, and how far ahead its clock.
const hookAge = 5 * time.Minute

// hook reads the section hook.
func (r *reader) hook(n *yaml.Node) *Hook {
	f := r.fields(n, "hook", "signature", "prefix", "encoding", "signs", "id", "timestamp", "key")
	h := &Hook{Signs: "{{body}}"}
	if s := f["signature"]; s == nil || s.Value == "" || strings.ContainsAny(s.Value, " :\r\n") {
		r.fail(n, "hook needs signature: the header with the HMAC-SHA256 of the body")
	} else {
		h.Header = s.Value
	}
	if p := f["prefix"]; p != nil {
		h.Prefix = p.Value
	}
	if e := f["encoding"]; e != nil {
		if h.Base64 = e.Value == "base64"; !h.Base64 && e.Value != "hex" {
			r.fail(e, "encoding is hex or base64")
		}
	}
	if s := f["signs"]; s != nil {
		h.Signs = r.template(s, []string{"body", "timestamp", "id"})
		if !strings.Contains(h.Signs, "body") {
			r.fail(s, "signs holds {{body}}: what is not signed could be changed on the way")
		}
	}
	h.ID, h.Time = r.source(f["id"]), r.source(f["timestamp"])
	if k := f["key"]; k != nil {
		h.Key = r.path(k)
	} else {
		r.fail(n, "hook needs key: the path of the ticket's key in the body, such as $.ticket.key")
	}
	return h
}

// source reads a header's name, or a path that begins with $.
func (r *reader) source(n *yaml.Node) source {
	switch {
	case n == nil:
		return source{}
	case strings.HasPrefix(n.Value, "$"):
		return source{path: r.path(n)}
	}
	return source{header: n.Value}
}

// HookMessage is what a webhook says.
type HookMessage struct {
	Key string // of the ticket
	ID  string // of the message, for repeats; "" where neither an id nor a time is described
}

// Errors of webhooks.
var (
	ErrSignature = errors.New("the signature is not right")
	ErrOld       = fmt.Errorf("it was sent more than %s ago, or its clock is wrong", hookAge)
	ErrNoKey     = errors.New("it names no ticket")
)

// Read verifies and reads a webhook; header gives a header's value by its name.
func (h *Hook) Read(secret string, header func(name string) string, body []byte, now time.Time) (HookMessage, error) {
	var parsed any
	dec := json.NewDecoder(bytes.NewReader(body))
	dec.UseNumber()
	bad := dec.Decode(&parsed)
	parsed = plainNumbers(parsed)
	value := func(s source) string {
		if s.path != nil {
			v, _ := pick(s.path, parsed)
			return v
		}
		return header(s.header)
	}
	id, sent := value(h.ID), value(h.Time)
	given, ok := strings.CutPrefix(header(h.Header), h.Prefix)
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write(
		[]byte(
			fill(
				h.Signs,
				Values{"body": string(body), "timestamp": sent, "id": id},
				func(s string) string { return s },
			),
		),
	)
	decode := hex.DecodeString
	if h.Base64 {
		decode = base64.StdEncoding.DecodeString
	}
	sum, err := decode(strings.TrimSpace(given))
	if !ok || secret == "" || err != nil || !hmac.Equal(sum, mac.Sum(nil)) {
		return HookMessage{}, ErrSignature
	}
	if !h.Time.none() {
		at, ok := moment(sent)
		if !ok || at.Before(now.Add(-hookAge)) || at.After(now.Add(hookAge)) {
			return HookMessage{}, ErrOld
		}
	}
	key, ok := pick(h.Key, parsed)
	if bad != nil || !ok || key == "" {
		return HookMessage{}, ErrNoKey
	}
	switch {
	case !h.ID.none():
	case !h.Time.none():
		id = given // the same bytes at the same time: a repeat
	default:
		id = ""
	}
	return HookMessage{Key: key, ID: id}, nil
}

// moment reads a time: RFC 3339, or seconds or milliseconds since 1970.
func moment(s string) (time.Time, bool) {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return t, true
	}
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil {
		return time.Time{}, false
	}
	if n > 1e11 {
		return time.UnixMilli(n), true
	}
	return time.Unix(n, 0), true
}
