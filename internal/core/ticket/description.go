// Package ticket reads the description of a ticket tracker's API, and keeps tickets and issues in
// step.
//
// Reading order: description.go (a tracker's HTTP API as a file), calls.go (calls are filled
// in and answers are read), hook.go (what the tracker sends), step.go (which side follows),
// text.go (what tickets say).
package ticket

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/theory/jsonpath"
	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/text"
)

// Description is how a tracker's HTTP API is used: the calls of each operation, which of its
// states mean that a ticket is open or closed, and how its webhook is read.
type Description struct {
	Headers map[string]string // of every call
	Ops     map[string]*Op
	Link    string           // a template; "": the answer has it
	Fails   *jsonpath.Path   // an answer that has it is a failure whatever its status; nil: none
	States  map[string]State // by the tracker's words, in lower case
	Follow  map[string]bool  // which changes cross to the other side
	Hook    *Hook            // nil: tickets are read from time to time
	Poll    time.Duration    // how often tickets are read
}

// Op is an operation: calls in order. Each may use the values that earlier ones took out
// of their answers.
type Op struct {
	Name  string
	Calls []*Call
}

// Call is one HTTP request, with {{names}} to be filled in, and what is taken out of its answer.
type Call struct {
	Method, URL string
	Headers     map[string]string
	Body        any // of JSON values; nil: none
	Each        *jsonpath.Path
	Take        map[string]*jsonpath.Path // by name
}

// Names of the operations.
const (
	Create     = "create"
	Read       = "read"
	CloseIt    = "close"
	ReopenIt   = "reopen"
	CommentOn  = "comment"
	CommentsOf = "comments"
	Find       = "find"
)

// operation says what an operation may use and must take.
type operation struct {
	name     string
	names    []string // that its calls may use beside those that calls before took
	must     []string // be taken by one of its calls
	may      []string
	required bool
	each     bool
}

var (
	always  = []string{"secret"}
	ofIssue = []string{
		"id",
		"title",
		"text",
		"labels",
		"issue",
		"project",
		"issue_link",
		"severity",
		"release",
		"environment",
		"rule",
	}
	ofTicket = []string{"key", "id", "comment", "issue", "project", "issue_link", "release"}
	answers  = []string{"link", "state", "revision", "changed", "fixed_in"}
)

// operations are all of them, in the order in which they are listed.
var operations = []operation{
	{name: Create, names: ofIssue, must: []string{"key"}, may: answers, required: true},
	{
		name:     Read,
		names:    []string{"key"},
		must:     []string{"state"},
		may:      append([]string{"key"}, answers...),
		required: true,
	},
	{name: CloseIt, names: ofTicket, may: append([]string{"key"}, answers...)},
	{name: ReopenIt, names: ofTicket, may: append([]string{"key"}, answers...)},
	{name: CommentOn, names: ofTicket, may: []string{"comment_id"}},
	{
		name:  CommentsOf,
		names: []string{"key"},
		must:  []string{"comment_id", "text"},
		may:   []string{"author"},
		each:  true,
	},
	{name: Find, names: []string{"id", "issue", "issue_link"}, must: []string{"key"}, may: answers},
}

// Follows are the changes that may cross to the other side. All do unless the description
// lists some.
const (
	FixedHere     = "fixed here"
	RegressedHere = "regressed here"
	ClosedThere   = "closed there"
	ReopenedThere = "reopened there"
	Comments      = "comments"
)

var follows = []string{FixedHere, RegressedHere, ClosedThere, ReopenedThere, Comments}

// Poll bounds how often tickets are read.
const (
	DefaultPoll = time.Hour
	leastPoll   = time.Minute
	maxPoll     = 24 * time.Hour
)

// maxDescription is how large a description may be, in bytes.
const maxDescription = 32 << 10

// Error is what is wrong with a description, and where.
type Error struct {
	Line int    `json:"line"` // counted from 1
	What string `json:"what"`
}

func (e Error) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.What) }

// Errors are all problems of a description.
type Errors []Error

func (e Errors) Error() string {
	out := make([]string, len(e))
	for i, x := range e {
		out[i] = x.Error()
	}
	return strings.Join(out, "\n")
}

// Parse reads a description. Its error is of the type Errors.
func Parse(source string) (*Description, error) {
	r := &reader{
		d: &Description{
			Ops:    map[string]*Op{},
			States: map[string]State{},
			Follow: map[string]bool{},
			Poll:   DefaultPoll,
		},
	}
	if len(source) > maxDescription {
		return nil, Errors{{1, fmt.Sprintf("a description has %d bytes at most", maxDescription)}}
	}
	var root yaml.Node
	if err := yaml.Unmarshal([]byte(source), &root); err != nil {
		return nil, Errors{{1, "this is no YAML: " + strings.TrimPrefix(err.Error(), "yaml: ")}}
	}
	if len(root.Content) == 0 || root.Content[0].Kind != yaml.MappingNode {
		return nil, Errors{{1, "a description is a mapping with create, read and states"}}
	}
	r.all(root.Content[0])
	if len(r.errs) > 0 {
		return nil, r.errs
	}
	return r.d, nil
}

// reader reads a description and gathers what is wrong with it.
type reader struct {
	d    *Description
	errs Errors
}

func (r *reader) fail(n *yaml.Node, format string, args ...any) {
	r.errs = append(r.errs, Error{max(n.Line, 1), fmt.Sprintf(format, args...)})
}

// fields gives the values of a mapping by name; names that are not known are errors.
func (r *reader) fields(n *yaml.Node, what string, known ...string) map[string]*yaml.Node {
	out := map[string]*yaml.Node{}
	if n.Kind != yaml.MappingNode {
		r.fail(n, "%s is a mapping", what)
		return out
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		k, v := n.Content[i], n.Content[i+1]
		switch {
		case out[k.Value] != nil:
			r.fail(k, "%s is there twice", k.Value)
		case known != nil && !slices.Contains(known, k.Value):
			hint := ""
			if near := text.Nearest(k.Value, known); near != "" {
				hint = "; did you mean " + near + "?"
			}
			r.fail(k, "%s knows no %.60s%s: there are %s", what, k.Value, hint, strings.Join(known, ", "))
		default:
			out[k.Value] = v
		}
	}
	return out
}

// all reads the whole.
func (r *reader) all(n *yaml.Node) {
	known := []string{"headers", "link", "fails", "states", "follow", "hook", "poll"}
	for _, o := range operations {
		known = append(known, o.name)
	}
	f := r.fields(n, "a description", known...)
	if h := f["headers"]; h != nil {
		r.d.Headers = r.headers(h, always)
	}
	for _, o := range operations {
		switch {
		case f[o.name] != nil:
			r.d.Ops[o.name] = r.op(f[o.name], o)
		case o.required:
			r.fail(n, "%s is missing: the calls that %s a ticket", o.name, o.name)
		}
	}
	if l := f["link"]; l != nil {
		r.d.Link = r.template(l, []string{"key"})
	}
	if x := f["fails"]; x != nil {
		r.d.Fails = r.path(x)
	}
	r.states(n, f["states"])
	r.follow(f["follow"])
	if h := f["hook"]; h != nil {
		r.d.Hook = r.hook(h)
	}
	if p := f["poll"]; p != nil {
		d, err := time.ParseDuration(p.Value)
		if err != nil || d < leastPoll || d > maxPoll {
			r.fail(p, "poll is how often tickets are read: from 1m to 24h, not %.40q", p.Value)
		}
		r.d.Poll = d
	}
	for name, follow := range map[string]string{CloseIt: FixedHere, ReopenIt: RegressedHere} {
		if r.d.Follow[follow] && r.d.Ops[name] == nil && f["follow"] != nil {
			r.fail(f["follow"], "%q needs the calls of %s", follow, name)
		}
		r.d.Follow[follow] = r.d.Follow[follow] && r.d.Ops[name] != nil
	}
}

// states reads which of the tracker's states are open and closed.
func (r *reader) states(whole, n *yaml.Node) {
	if n == nil {
		r.fail(
			whole,
			"states is missing: which of the tracker's states are open, which closed, such as {open: [todo, doing], closed: [done]}",
		)
		return
	}
	f := r.fields(n, "states", string(Open), string(Closed))
	for _, s := range []State{Open, Closed} {
		list := f[string(s)]
		if list == nil || list.Kind != yaml.SequenceNode || len(list.Content) == 0 {
			r.fail(n, "states lists at least one state that is %s", s)
			continue
		}
		for _, x := range list.Content {
			word := strings.ToLower(strings.TrimSpace(x.Value))
			if was, ok := r.d.States[word]; ok || word == "" || x.Kind != yaml.ScalarNode {
				r.fail(x, "the state %.60q is empty, or listed as %s already", x.Value, was)
			}
			r.d.States[word] = s
		}
	}
}

func (r *reader) follow(n *yaml.Node) {
	if n == nil {
		for _, f := range follows {
			r.d.Follow[f] = true
		}
		return
	}
	if n.Kind != yaml.SequenceNode {
		r.fail(n, "follow is a list of %s", strings.Join(follows, ", "))
		return
	}
	for _, x := range n.Content {
		if !slices.Contains(follows, x.Value) {
			r.fail(x, "follow knows no %.60q: there are %s", x.Value, strings.Join(follows, ", "))
		}
		r.d.Follow[x.Value] = true
	}
}
