package rules

import (
	"crypto/sha256"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"
)

// groupingSections are those that decide how events are grouped.
var groupingSections = []string{"frames", "grouping"}

// digest is over the sections of a file that decide how events are grouped.
func digest(root *yaml.Node) [32]byte {
	h := sha256.New()
	for _, name := range groupingSections {
		h.Write([]byte(name + "\x00"))
		for i := 0; root != nil && i+1 < len(root.Content); i += 2 {
			if root.Content[i].Value != name {
				continue
			}
			raw, err := yaml.Marshal(root.Content[i+1])
			if err == nil { // a tree that was read can be written
				h.Write(raw)
			}
		}
	}
	return [32]byte(h.Sum(nil))
}

// GroupsAs says whether both files group events alike, whatever their other
// sections say; nil is a file without rules.
func (s *Set) GroupsAs(other *Set) bool {
	of := func(s *Set) [32]byte {
		if s == nil || s.grouping == ([32]byte{}) {
			return digest(nil)
		}
		return s.grouping
	}
	return of(s) == of(other)
}

// WithGroupingOf gives text with the sections frames and grouping of another
// file in the place of its own. Both are good files. Comments beside the other
// sections stay.
func WithGroupingOf(text, other string) string {
	kept := strings.TrimRight(without(text, groupingSections), "\n")
	var taken []string
	for _, name := range groupingSections {
		if part := only(other, name); part != "" {
			taken = append(taken, strings.TrimRight(part, "\n"))
		}
	}
	all := slices.DeleteFunc(append([]string{kept}, taken...), func(s string) bool {
		return strings.TrimSpace(s) == ""
	})
	if len(all) == 0 {
		return ""
	}
	return strings.Join(all, "\n") + "\n"
}

// WithRule gives text with a rule, an entry as YAML, put before the others of a
// section, which is made if it is not there: the first rule that fits decides.
func WithRule(text, section, rule string) string {
	rule = strings.TrimRight(rule, "\n")
	lines, of := spans(text)
	at, ok := of[section]
	if !ok || at[1]-at[0] < 2 || !strings.HasSuffix(strings.TrimSpace(strings.SplitN(lines[at[0]], "#", 2)[0]), ":") {
		if ok { // the section stands in one line, or is empty
			head, rest, _ := strings.Cut(lines[at[0]], ":")
			if rest = strings.TrimSpace(rest); rest != "" && rest != "[]" && rest != "null" {
				inner := strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(strings.Join(append([]string{rest},
					lines[at[0]+1:at[1]]...), "\n")), "["), "]")
				return joined(lines[:at[0]], []string{head + ": [" + flow(rule) + ", " + inner + "]"}, lines[at[1]:])
			}
			return joined(lines[:at[0]], []string{head + ":", indented(rule, "  ")}, lines[at[1]:])
		}
		before := strings.TrimRight(text, "\n")
		if strings.TrimSpace(before) != "" {
			before += "\n"
		}
		return before + section + ":\n" + indented(rule, "  ") + "\n"
	}
	indent := ""
	for _, l := range lines[at[0]+1 : at[1]] {
		if s := strings.TrimLeft(l, " "); strings.HasPrefix(s, "-") {
			indent = l[:len(l)-len(s)]
			break
		}
	}
	return joined(lines[:at[0]+1], []string{indented(rule, indent)}, lines[at[0]+1:])
}

func joined(parts ...[]string) string {
	out := strings.TrimRight(strings.Join(slices.Concat(parts...), "\n"), "\n")
	return out + "\n"
}

func indented(rule, indent string) string {
	return indent + strings.ReplaceAll(rule, "\n", "\n"+indent)
}

// flow writes an entry on one line, for a section that is written so.
func flow(rule string) string {
	var doc []any
	if err := yaml.Unmarshal([]byte(rule), &doc); err != nil || len(doc) != 1 {
		return rule
	}
	var n yaml.Node
	if err := n.Encode(doc[0]); err != nil {
		return rule
	}
	plainFlow(&n)
	raw, err := yaml.Marshal(&n)
	if err != nil {
		return rule
	}
	return strings.TrimSpace(strings.ReplaceAll(string(raw), "\n", " "))
}

func plainFlow(n *yaml.Node) {
	if n.Kind == yaml.MappingNode || n.Kind == yaml.SequenceNode {
		n.Style |= yaml.FlowStyle
	}
	for _, c := range n.Content {
		plainFlow(c)
	}
}

// spans gives the lines that each section takes, without the comments before
// the next one.
func spans(text string) (lines []string, of map[string][2]int) {
	lines, of = strings.Split(text, "\n"), map[string][2]int{}
	root := (&reader{text: text}).parse()
	if root == nil {
		return lines, of
	}
	for i := 0; i+1 < len(root.Content); i += 2 {
		from, to := root.Content[i].Line-1, len(lines)
		if i+2 < len(root.Content) {
			to = root.Content[i+2].Line - 1
		}
		for to > from+1 {
			if l := strings.TrimSpace(lines[to-1]); l != "" && !strings.HasPrefix(l, "#") {
				break
			}
			to--
		}
		of[root.Content[i].Value] = [2]int{from, to}
	}
	return lines, of
}

func only(text, section string) string {
	lines, of := spans(text)
	s, ok := of[section]
	if !ok {
		return ""
	}
	return strings.Join(lines[s[0]:s[1]], "\n")
}

func without(text string, sections []string) string {
	lines, of := spans(text)
	drop := make([]bool, len(lines))
	for _, name := range sections {
		for i := of[name][0]; i < of[name][1]; i++ {
			drop[i] = true
		}
	}
	var out []string
	for i, l := range lines {
		if !drop[i] {
			out = append(out, l)
		}
	}
	return strings.Join(out, "\n")
}
