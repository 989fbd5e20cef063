package rules

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"github.com/agnivade/levenshtein"
	"go.yaml.in/yaml/v4"
)

// template is a text with values to be filled in from an event: ${NAME} is an
// attribute, or what conditions call so; ${…} may be any expression that gives
// a text, a number or true or false.
type template struct {
	text  string
	parts []templatePart
}

// templatePart is a fixed text, an attribute or an expression.
type templatePart struct {
	fixed, attribute string
	program          cel.Program
}

// fills says whether anything is filled in.
func (t *template) fills() bool {
	return slices.ContainsFunc(t.parts, func(p templatePart) bool { return p.fixed == "" })
}

// fill gives the text for an event; something says that a value that was filled
// in was not empty.
func (t *template) fill(f *Facts) (text string, something bool, spent uint64, err error) {
	var b strings.Builder
	for _, p := range t.parts {
		v := p.fixed
		switch {
		case p.program != nil:
			got, details, err := p.program.Eval(f)
			if details != nil && details.ActualCost() != nil {
				spent += *details.ActualCost()
			}
			if err != nil {
				return "", false, spent, err
			}
			v = fmt.Sprint(got.Value())
			something = something || v != ""
		case p.attribute != "":
			v = f.attr(p.attribute)
			spent++
			something = something || v != ""
		}
		if b.Len()+len(v) > maxFilled {
			return "", false, spent, fmt.Errorf("what ${…} gives is longer than %d bytes", maxFilled)
		}
		b.WriteString(v)
	}
	return b.String(), something, spent, nil
}

var dotted = regexp.MustCompile(`^[A-Za-z_][\w-]*(?:\.[\w-]+)*$`)

// template reads the text of a scalar; faults stand at the very character.
func (r *reader) template(n *yaml.Node, text string) *template {
	t := &template{text: text}
	rest, off := text, 0
	for rest != "" {
		open := strings.Index(rest, "${")
		if open < 0 {
			t.parts = append(t.parts, templatePart{fixed: rest})
			break
		}
		if open > 0 {
			t.parts = append(t.parts, templatePart{fixed: rest[:open]})
		}
		length := closing(rest[open+2:])
		at := off + open
		if length < 0 {
			r.inTemplate(n, text, at, "", "the ${ is not closed: write ${NAME}")
			return t
		}
		inner := rest[open+2 : open+2+length]
		t.parts = append(t.parts, r.filled(n, text, at+2, inner))
		off += open + 2 + length + 1
		rest = rest[open+2+length+1:]
	}
	return t
}

// closing finds the brace that ends what ${ began; -1 without one. Braces in
// quotes, and pairs of them, belong to the expression.
func closing(s string) int {
	depth, quote := 0, byte(0)
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case quote != 0:
			if c == '\\' {
				i++
			} else if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '{':
			depth++
		case c == '}':
			if depth == 0 {
				return i
			}
			depth--
		}
	}
	return -1
}

// filled reads the text between ${ and }, which begins at off of text.
func (r *reader) filled(n *yaml.Node, text string, off int, inner string) templatePart {
	name := strings.TrimSpace(inner)
	lead := len(inner) - len(strings.TrimLeft(inner, " "))
	if name == "" {
		r.inTemplate(n, text, off-2, "", "${} names nothing: write ${berth.zone} for an attribute, ${origin.function}, ${message.shape()} or another expression")
		return templatePart{fixed: " "}
	}
	head, _, more := strings.Cut(name, ".")
	known := slices.ContainsFunc(variables, func(v variable) bool { return v.name == head })
	if dotted.MatchString(name) && !known {
		if s := nearestVariable(name); s != "" && !more {
			r.inTemplate(n, text, off+lead, s, "there is no %s; an attribute of that name is ${attr(\"%s\")}", name, name)
		}
		return templatePart{attribute: name}
	}
	env := language()
	checked, issues := env.Compile(inner)
	if issues != nil && issues.Err() != nil {
		for _, e := range issues.Errors() {
			r.expressionError(n, text, off, inner, e)
		}
		return templatePart{fixed: " "}
	}
	switch checked.OutputType().Kind() {
	case types.StringKind, types.IntKind, types.UintKind, types.DoubleKind, types.BoolKind, types.DynKind:
	default:
		r.inTemplate(n, text, off+lead, "", "${%s} gives %s; only a text, a number or true or false can be filled in", name, checked.OutputType())
		return templatePart{fixed: " "}
	}
	if !r.patternsAt(n, text, off, checked.NativeRep()) {
		return templatePart{fixed: " "}
	}
	p, err := program(env, checked)
	if err != nil {
		r.inTemplate(n, text, off+lead, "", "${%s} cannot be used: %v", name, err)
		return templatePart{fixed: " "}
	}
	return templatePart{program: p}
}

// nearestVariable is what a name of one word is likely meant to be.
func nearestVariable(word string) string {
	for _, v := range variables {
		if d := levenshtein.ComputeDistance(word, v.name); d > 0 && d <= len(word)/6+1 && d <= 2 {
			return v.name
		}
	}
	return ""
}

// inTemplate reports a fault at byte off of a scalar's text.
func (r *reader) inTemplate(n *yaml.Node, text string, off int, suggestion, format string, args ...any) {
	before := text[:min(off, len(text))]
	line := strings.Count(before, "\n")
	before = before[strings.LastIndexByte(before, '\n')+1:]
	l, c := r.place(n, line, len([]rune(before)))
	r.problem(l, c, suggestion, format, args...)
}
