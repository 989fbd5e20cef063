package rules

import (
	"errors"
	"fmt"
	"io"
	"iter"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"firethorn/internal/core/text"

	"go.yaml.in/yaml/v4"
)

// reader walks over a file and collects problems.
type reader struct {
	text     string
	section  string
	rule     string
	problems []Problem
}

// maxProblems is how many are reported at once.
const maxProblems = 50

func (r *reader) problem(line, column int, suggestion, format string, args ...any) {
	if len(r.problems) < maxProblems {
		r.problems = append(r.problems,
			Problem{line, column, r.section, r.rule, fmt.Sprintf(format, args...), suggestion})
	}
}

func (r *reader) at(n *yaml.Node, format string, args ...any) {
	r.problem(max(n.Line, 1), max(n.Column, 1), "", format, args...)
}

// parse reads the YAML as a tree and gives its root; nil when there is none.
// Anchors are refused: readers must see what a rule says, and a few lines of
// them can represent gigabytes.
func (r *reader) parse() *yaml.Node {
	d := yaml.NewDecoder(strings.NewReader(r.text))
	var doc yaml.Node
	err := d.Decode(&doc)
	if errors.Is(err, io.EOF) {
		return nil
	}
	if err != nil {
		line, message := yamlError(err)
		r.problem(line, 1, "", "no YAML: %s", message)
		return nil
	}
	var second yaml.Node
	if err := d.Decode(&second); !errors.Is(err, io.EOF) {
		r.problem(max(second.Line, 1), 1, "", "the file must hold one document; a second one begins here")
		return nil
	}
	if len(doc.Content) == 0 {
		return nil
	}
	root := doc.Content[0]
	if n := anchored(root); n != nil {
		r.at(n, "anchors, aliases and merge keys are not read in rules: write it out")
		return nil
	}
	if root.Kind == yaml.ScalarNode && root.Tag == "!!null" {
		return nil
	}
	if root.Kind != yaml.MappingNode {
		r.at(root, "a rules file begins with the name of a section, for example \"intake:\"")
		return nil
	}
	return root
}

var yamlLine = regexp.MustCompile(`line (\d+)(?:, column \d+)?:? ?`)

// yamlError takes the line out of the parser's message.
func yamlError(err error) (line int, message string) {
	message = strings.TrimPrefix(strings.TrimPrefix(err.Error(), "go-yaml: "), "yaml: ")
	line = 1
	if m := yamlLine.FindStringSubmatchIndex(message); m != nil {
		if n, err := strconv.Atoi(message[m[2]:m[3]]); err == nil {
			line = max(n, 1)
		}
		message = strings.TrimSpace(message[:m[0]] + message[m[1]:])
	}
	return line, strings.TrimSuffix(message, " in")
}

// anchored finds the first anchor or alias.
func anchored(n *yaml.Node) *yaml.Node {
	if n.Kind == yaml.AliasNode || n.Anchor != "" || n.Tag == "!!merge" {
		return n
	}
	for _, c := range n.Content {
		if a := anchored(c); a != nil {
			return a
		}
	}
	return nil
}

// fields gives the fields of a mapping whose names are known, each once, and
// reports the others.
func (r *reader) fields(n *yaml.Node, known []string) iter.Seq2[*yaml.Node, *yaml.Node] {
	return func(yield func(name, value *yaml.Node) bool) {
		seen := map[string]bool{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			name, value := n.Content[i], n.Content[i+1]
			switch {
			case !slices.Contains(known, name.Value):
				r.problem(name.Line, name.Column, text.Nearest(name.Value, known), "%s is no field here; there are %s",
					short(name.Value), strings.Join(known, ", "))
			case seen[name.Value]:
				r.at(name, "%s is here a second time", name.Value)
			default:
				seen[name.Value] = true
				if !yield(name, value) {
					return
				}
			}
		}
	}
}

// rules gives the rules of a section: mappings, each with a name of its own.
func (r *reader) rules(list *yaml.Node, known []string) iter.Seq2[*yaml.Node, map[string]*yaml.Node] {
	return func(yield func(*yaml.Node, map[string]*yaml.Node) bool) {
		if list.Kind == yaml.ScalarNode && list.Tag == "!!null" {
			return
		}
		if list.Kind != yaml.SequenceNode {
			r.at(list, "a section is a list of rules, each beginning with \"- name:\"")
			return
		}
		if len(list.Content) > MaxRules {
			r.at(list.Content[MaxRules], "the section has %d rules; %d are the most", len(list.Content), MaxRules)
			return
		}
		names := map[string]int{}
		for _, n := range list.Content {
			if n.Kind != yaml.MappingNode {
				r.at(n, "a rule has fields: %s", strings.Join(known, ", "))
				continue
			}
			fields := map[string]*yaml.Node{}
			if r.rule = ""; len(n.Content) > 1 {
				for i := 0; i+1 < len(n.Content); i += 2 {
					if n.Content[i].Value == "name" {
						r.rule = n.Content[i+1].Value
					}
				}
			}
			for name, value := range r.fields(n, known) {
				fields[name.Value] = value
			}
			name := r.text1(n, fields["name"], "name", maxName)
			if name != "" && !printable(name) {
				r.at(fields["name"], "a rule's name is one line of text")
			}
			if line := names[name]; line > 0 && name != "" {
				r.at(fields["name"], "line %d has a rule of the same name; counts need unique names", line)
			}
			names[name] = n.Line
			if !yield(n, fields) {
				return
			}
			r.rule = ""
		}
		r.rule = ""
	}
}

func printable(s string) bool {
	return strings.IndexFunc(s, func(c rune) bool { return !unicode.IsPrint(c) }) < 0
}

// text1 is the text of a field that must be there.
func (r *reader) text1(rule, n *yaml.Node, field string, limit int) string {
	if n == nil {
		r.at(rule, "the rule needs the field %s", field)
		return ""
	}
	return r.scalar(n, field, limit)
}

func (r *reader) scalar(n *yaml.Node, field string, limit int) string {
	switch {
	case n.Kind != yaml.ScalarNode || n.Tag == "!!null":
		r.at(n, "%s is a text", field)
	case n.Value == "":
		r.at(n, "%s is empty", field)
	case len(n.Value) > limit:
		r.at(n, "%s has %d bytes; %d are the most", field, len(n.Value), limit)
	default:
		return n.Value
	}
	return ""
}

// list is the texts of a field that holds one or several.
func (r *reader) list(n *yaml.Node, field string, limit int) []*yaml.Node {
	items := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		items = n.Content
	}
	if len(items) == 0 {
		r.at(n, "%s is empty", field)
	}
	if len(items) > 100 {
		r.at(n, "%s has %d entries; 100 are the most", field, len(items))
		return nil
	}
	var out []*yaml.Node
	for _, it := range items {
		if r.scalar(it, field, limit) != "" {
			out = append(out, it)
		}
	}
	return out
}

// choice is a field that holds one of a few words; absent it is the first.
func (r *reader) choice(n *yaml.Node, field string, words ...string) string {
	if n == nil {
		return words[0]
	}
	if !slices.Contains(words, n.Value) || n.Kind != yaml.ScalarNode {
		r.problem(n.Line, n.Column, text.Nearest(n.Value, words), "%s is one of %s, not %s", field,
			strings.Join(words, ", "), short(n.Value))
		return words[0]
	}
	return n.Value
}

// place is where character off of line (from 0) of a scalar's text stands in
// the file.
func (r *reader) place(n *yaml.Node, line, off int) (int, int) {
	if n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) == 0 {
		if line > 0 {
			return n.Line + line, off + 1
		}
		if n.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle) != 0 {
			off++
		}
		return n.Line, n.Column + off
	}
	lines := strings.Split(r.text, "\n")
	first := n.Line // the text begins on the line below the sign
	for first < len(lines) && strings.TrimSpace(lines[first]) == "" {
		first++
	}
	indent := 0
	if first < len(lines) {
		indent = len(lines[first]) - len(strings.TrimLeft(lines[first], " "))
	}
	return first + 1 + line, indent + off + 1
}
