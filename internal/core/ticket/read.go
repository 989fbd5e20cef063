package ticket

import (
	"maps"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"github.com/theory/jsonpath"
	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/text"
)

// maxCalls is how many calls an operation may have.
const maxCalls = 5

// op reads an operation: one call, or a list of them.
func (r *reader) op(n *yaml.Node, o operation) *Op {
	list := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		list = n.Content
	}
	if len(list) == 0 || len(list) > maxCalls {
		r.fail(n, "%s has 1 to %d calls", o.name, maxCalls)
		return nil
	}
	op := &Op{Name: o.name}
	names := slices.Concat(always, o.names)
	taken := map[string]bool{}
	for i, x := range list {
		c := r.call(x, o, names, i == len(list)-1)
		if c == nil {
			return nil
		}
		op.Calls = append(op.Calls, c)
		for name := range c.Take {
			names, taken[name] = append(names, name), true
		}
	}
	for _, m := range o.must {
		if !taken[m] {
			r.fail(n, "%s must take %s out of an answer, such as take: {%s: $.%s}", o.name, m, m, m)
		}
	}
	return op
}

var methods = []string{"GET", "POST", "PUT", "PATCH", "DELETE"}

// call reads one call. Only the last of an operation takes what the operation answers, by a
// name that is known; those before may take anything for the next.
func (r *reader) call(n *yaml.Node, o operation, names []string, last bool) *Call {
	known := []string{"method", "url", "headers", "body", "take"}
	if o.each {
		known = append(known, "each")
	}
	f := r.fields(n, "a call of "+o.name, known...)
	c := &Call{Method: "GET", Take: map[string]*jsonpath.Path{}}
	if m := f["method"]; m != nil {
		if c.Method = strings.ToUpper(m.Value); !slices.Contains(methods, c.Method) {
			r.fail(m, "method is one of %s", strings.Join(methods, ", "))
		}
	}
	if f["url"] == nil {
		r.fail(n, "a call of %s needs a url, such as /tickets/{{key}}; it begins at the destination's address", o.name)
		return nil
	}
	c.URL = r.template(f["url"], names)
	if u, err := url.Parse(placeholder.ReplaceAllString(c.URL, "x")); err != nil || u.IsAbs() || u.Host != "" ||
		!strings.HasPrefix(c.URL, "/") {
		r.fail(f["url"], "url is the path below the destination's address, such as /tickets, not %.200q", c.URL)
	}
	if h := f["headers"]; h != nil {
		c.Headers = r.headers(h, names)
	}
	if b := f["body"]; b != nil {
		if c.Method == "GET" {
			r.fail(b, "a GET has no body")
		}
		c.Body = r.value(b, names)
	}
	if e := f["each"]; e != nil {
		c.Each = r.path(e)
	} else if o.each && last {
		r.fail(n, "%s needs each: the path of the list in the answer, such as $[*]", o.name)
	}
	if t := f["take"]; t != nil {
		taken := r.fields(t, "take")
		for _, name := range slices.Sorted(maps.Keys(taken)) {
			p := taken[name]
			if last && !slices.Contains(slices.Concat(o.must, o.may), name) {
				hint := ""
				if near := text.Nearest(name, slices.Concat(o.must, o.may)); near != "" {
					hint = "; did you mean " + near + "?"
				}
				r.fail(p, "%s takes no %.60s%s: it may take %s", o.name, name, hint,
					strings.Join(slices.Concat(o.must, o.may), ", "))
			}
			c.Take[name] = r.path(p)
		}
	}
	return c
}

// headers reads header templates.
func (r *reader) headers(n *yaml.Node, names []string) map[string]string {
	out := map[string]string{}
	for name, v := range r.fields(n, "headers") {
		if strings.ContainsAny(name, " :\r\n") || strings.ContainsAny(v.Value, "\r\n") ||
			strings.EqualFold(name, "host") {
			r.fail(v, "the header %.60q cannot be sent", name)
		}
		out[name] = r.template(v, slices.Concat(always, names))
	}
	return out
}

// placeholder is what templates fill in.
var placeholder = regexp.MustCompile(`\{\{\s*([^{}]*?)\s*\}\}`)

// template reads a text with {{names}}, which must be known.
func (r *reader) template(n *yaml.Node, names []string) string {
	if n.Kind != yaml.ScalarNode {
		r.fail(n, "a text belongs here")
		return ""
	}
	for _, m := range placeholder.FindAllStringSubmatch(n.Value, -1) {
		if !slices.Contains(names, m[1]) {
			hint := ""
			if near := text.Nearest(m[1], names); near != "" {
				hint = "; did you mean {{" + near + "}}?"
			}
			r.fail(n, "there is no {{%.60s}} here%s: there are %s", m[1], hint, strings.Join(names, ", "))
		}
	}
	return n.Value
}

// value reads a JSON value with templates in its texts.
func (r *reader) value(n *yaml.Node, names []string) any {
	switch n.Kind {
	case yaml.MappingNode:
		out := map[string]any{}
		for k, v := range r.fields(n, "body") {
			out[k] = r.value(v, names)
		}
		return out
	case yaml.SequenceNode:
		out := []any{}
		for _, x := range n.Content {
			out = append(out, r.value(x, names))
		}
		return out
	case yaml.AliasNode:
		r.fail(n, "write the value out: a description has no aliases")
		return nil
	}
	if n.ShortTag() == "!!str" {
		return r.template(n, names)
	}
	var v any
	if err := n.Decode(&v); err != nil {
		r.fail(n, "this is no JSON value: %v", err)
	}
	return v
}

// path reads a JSONPath (RFC 9535).
func (r *reader) path(n *yaml.Node) *jsonpath.Path {
	p, err := jsonpath.Parse(n.Value)
	if err != nil {
		r.fail(n, "%.100q is no JSONPath (RFC 9535): %s", n.Value, strings.TrimPrefix(err.Error(), "jsonpath: "))
	}
	return p
}
