package ticket

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/theory/jsonpath"
)

// Values are what {{names}} represent: texts, and labels as a list of texts.
type Values map[string]any

// Request is a call that is filled in. URL is a path below the destination's address.
type Request struct {
	Method, URL string
	Header      map[string]string
	Body        []byte // nil: none
}

// Answer is what a tracker answers.
type Answer struct {
	Status     int
	Body       []byte
	RetryAfter string // the header, RFC 9110, section 10.2.3
}

// Refused is an answer that says no.
type Refused struct {
	Call   string // the method and path
	Status int
	Why    string // in the tracker's words; "" where it says nothing that is understood

	RetryAfter string // the answer's header
}

func (e *Refused) Error() string {
	s := fmt.Sprintf("the tracker answered %d to %s", e.Status, e.Call)
	if e.Why != "" {
		s += ": " + e.Why
	}
	return s
}

// Gone says that the ticket is not there any more, or may not be seen.
func (e *Refused) Gone() bool {
	return e.Status == 404 || e.Status == 410 || e.Status == 403
}

// Changed is an answer in which what the description expects is missing: the tracker's API
// changed, or never was what the description says.
type Changed struct{ Call, Name, Path string }

func (e *Changed) Error() string {
	return fmt.Sprintf(
		"the answer to %s has no %s at %s: did the tracker's API change? firethorn destination test shows each call",
		e.Call,
		e.Name,
		e.Path,
	)
}

// Sender sends a request.
type Sender func(Request) (Answer, error)

// Taken is what an operation took out of its answers: one set of values, and of comments one
// each.
type Taken []map[string]string

// First gives a value of the first set.
func (t Taken) First(name string) string {
	if len(t) == 0 {
		return ""
	}
	return t[0][name]
}

// Run makes the calls of an operation one after the other. Its errors are those of send,
// *Refused and *Changed.
func (d *Description) Run(name string, v Values, send Sender) (Taken, error) {
	op := d.Ops[name]
	if op == nil {
		return nil, fmt.Errorf("the description has no calls of %s", name)
	}
	v = maps.Clone(v)
	all := map[string]string{}
	var out Taken
	for i, c := range op.Calls {
		r, err := d.request(c, v)
		if err != nil {
			return nil, err
		}
		a, err := send(r)
		if err != nil {
			return nil, err
		}
		what, _, _ := strings.Cut(r.Method+" "+r.URL, "?") // the rest may hold a secret
		body, err := d.understood(what, a)
		if err != nil {
			return nil, err
		}
		last := i == len(op.Calls)-1
		if c.Each != nil && last {
			return c.takeEach(body), nil
		}
		got, err := c.take(what, body, mustHave(name, last))
		if err != nil {
			return nil, err
		}
		for k, x := range got {
			v[k], all[k] = x, x
		}
	}
	if d.Link != "" && cmp.Or(all["key"], asText(v["key"])) != "" {
		all["link"] = fill(d.Link, Values{"key": cmp.Or(all["key"], asText(v["key"]))}, url.PathEscape)
	}
	return append(out, all), nil
}

// mustHave are the names without which an answer makes no sense: what calls take for the next
// ones, and what the operation is for.
func mustHave(name string, last bool) func(string) bool {
	return func(taken string) bool {
		if !last {
			return true
		}
		i := slices.IndexFunc(operations, func(o operation) bool { return o.name == name })
		return name != Find && slices.Contains(operations[i].must, taken) // nothing found is an answer
	}
}

// request fills in a call.
func (d *Description) request(c *Call, v Values) (Request, error) {
	path, query, hasQuery := strings.Cut(c.URL, "?")
	r := Request{
		Method: c.Method,
		URL:    fill(path, v, url.PathEscape),
		Header: map[string]string{"Accept": "application/json"},
	}
	if hasQuery {
		r.URL += "?" + fill(query, v, url.QueryEscape)
	}
	for _, headers := range []map[string]string{d.Headers, c.Headers} {
		for name, value := range headers {
			r.Header[name] = fill(value, v, oneLine)
		}
	}
	if c.Body != nil {
		var b bytes.Buffer
		e := json.NewEncoder(&b)
		e.SetEscapeHTML(false)
		if err := e.Encode(filled(c.Body, v)); err != nil {
			return r, err
		}
		r.Body = bytes.TrimSpace(b.Bytes())
		typed := false
		for name := range r.Header {
			typed = typed || strings.EqualFold(name, "Content-Type")
		}
		if !typed {
			r.Header["Content-Type"] = "application/json"
		}
	}
	return r, nil
}

// oneLine keeps what was sent from ending a header.
func oneLine(s string) string {
	return strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f {
			return -1
		}
		return c
	}, s)
}

// fill fills in a text.
func fill(template string, v Values, escape func(string) string) string {
	return placeholder.ReplaceAllStringFunc(template, func(m string) string {
		return escape(asText(v[placeholder.FindStringSubmatch(m)[1]]))
	})
}

// filled fills in a JSON value. A text that is one {{name}} alone becomes the value itself.
func filled(x any, v Values) any {
	switch x := x.(type) {
	case map[string]any:
		out := make(map[string]any, len(x))
		for k, y := range x {
			out[k] = filled(y, v)
		}
		return out
	case []any:
		out := make([]any, len(x))
		for i, y := range x {
			out[i] = filled(y, v)
		}
		return out
	case string:
		if m := placeholder.FindStringSubmatch(x); m != nil && m[0] == x {
			if list, ok := v[m[1]].([]string); ok {
				return append([]string{}, list...)
			}
		}
		return fill(x, v, func(s string) string { return s })
	}
	return x
}

// asText is a value as a text.
func asText(x any) string {
	switch x := x.(type) {
	case nil:
		return ""
	case string:
		return x
	case []string:
		return strings.Join(x, ", ")
	case float64, int64, uint64, bool, json.Number:
		return fmt.Sprint(x)
	}
	raw, err := json.Marshal(x)
	if err != nil {
		return fmt.Sprint(x)
	}
	return string(raw)
}

// maxWhy is how much of a tracker's reason is kept, in bytes.
const maxWhy = 300

// understood reads an answer, or says why it says no.
func (d *Description) understood(call string, a Answer) (any, error) {
	var body any
	bad := error(nil)
	if len(bytes.TrimSpace(a.Body)) > 0 {
		dec := json.NewDecoder(bytes.NewReader(a.Body))
		dec.UseNumber() // keys may be larger than what a float holds
		bad = dec.Decode(&body)
		body = plainNumbers(body)
	}
	why := ""
	if d.Fails != nil && bad == nil {
		for _, x := range d.Fails.Select(body) {
			if x != nil {
				why = asText(x)
			}
		}
	}
	if a.Status < 200 || a.Status >= 300 || why != "" {
		if why == "" && bad == nil {
			why = reason(body)
		}
		return nil, &Refused{call, a.Status, oneLine(why[:min(len(why), maxWhy)]), a.RetryAfter}
	}
	if bad != nil {
		return nil, &Changed{call, "JSON", "$"}
	}
	return body, nil
}

// plainNumbers turns numbers into those that JSONPath compares. Whole ones keep all their
// digits: the keys of tickets may be larger than what a float holds.
func plainNumbers(x any) any {
	switch x := x.(type) {
	case map[string]any:
		for k, y := range x {
			x[k] = plainNumbers(y)
		}
	case []any:
		for i, y := range x {
			x[i] = plainNumbers(y)
		}
	case json.Number:
		if n, err := x.Int64(); err == nil {
			return n
		}
		if f, err := x.Float64(); err == nil {
			return f
		}
		return x.String()
	}
	return x
}

// reason is where most APIs say why: RFC 9457, or a message.
func reason(body any) string {
	m, ok := body.(map[string]any)
	if !ok {
		return ""
	}
	for _, name := range []string{"detail", "message", "error", "title", "errors"} {
		if s := asText(m[name]); s != "" && s != "null" {
			return s
		}
	}
	return ""
}

// take takes the named values out of an answer.
func (c *Call) take(call string, body any, must func(string) bool) (map[string]string, error) {
	out := map[string]string{}
	for name, p := range c.Take {
		s, ok := pick(p, body)
		if !ok && must(name) {
			return nil, &Changed{call, name, p.String()}
		}
		if ok {
			out[name] = s
		}
	}
	return out, nil
}

// takeEach takes the values of each element of a list; what has not all that it must have is
// left out.
func (c *Call) takeEach(body any) (out Taken) {
	for _, x := range c.Each.Select(body) {
		got := map[string]string{}
		for name, p := range c.Take {
			got[name], _ = pick(p, x) // "": it has none
		}
		if got["comment_id"] != "" && got["text"] != "" {
			out = append(out, got)
		}
	}
	return out
}

// pick is the first value at a path, as a text; null counts as missing.
func pick(p *jsonpath.Path, body any) (string, bool) {
	for _, x := range p.Select(body) {
		if x != nil {
			return asText(x), true
		}
	}
	return "", false
}

// Ticket is what a tracker says of a ticket.
type Ticket struct {
	Key, Link, Revision string
	State               State
	StateName           string    // the state as the tracker calls it
	Changed             time.Time // when its state changed last; zero: it does not say
	FixedIn             string    // the release that the ticket names
}

// TicketOf reads what an operation took. before is what is known already.
func (d *Description) TicketOf(t Taken, before Ticket) Ticket {
	x := before
	x.Key, x.Link = cmp.Or(t.First("key"), x.Key), cmp.Or(webLink(t.First("link")), x.Link)
	x.Revision, x.FixedIn = cmp.Or(t.First("revision"), x.Revision), t.First("fixed_in")
	if word := t.First("state"); word != "" {
		x.StateName, x.State = word, d.States[strings.ToLower(strings.TrimSpace(word))]
	}
	if at, ok := moment(t.First("changed")); ok {
		x.Changed = at
	}
	return x
}

// webLink gives an address only if a browser may safely follow it.
func webLink(s string) string {
	if u, err := url.Parse(
		s,
	); err == nil && (u.Scheme == "https" || u.Scheme == "http") && u.Host != "" &&
		len(s) <= 1000 {
		return s
	}
	return ""
}
