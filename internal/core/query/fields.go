package query

import (
	"fmt"
	"slices"

	"firethorn/internal/core/text"
)

// Kind is what the values of a field are.
type Kind int

// The kinds of fields.
const (
	Text     Kind = iota // a text, compared as a whole, without regard to case
	Number               // a number
	Time                 // an age, such as 2d, or a date
	Severity             // by OpenTelemetry's order
	Release              // by the project's order of releases
	Name                 // a person or a team; me, none
	OneOf                // one of a few words
	Flag                 // true or false
)

// Field is what a search can ask for by a name of its own.
type Field struct {
	Name   string
	Kind   Kind
	Words  []string // of OneOf
	Event  bool     // events have it
	Issue  bool     // issues have it
	Absent bool     // it may be absent, so that NAME:* says something
}

// Fields lists all fields, in the order in which they are offered.
func Fields() []Field { return slices.Clone(fields) }

var states = []string{"new", "accepted", "regressed", "parked", "fixed", "dismissed", "open", "all"}

var fields = []Field{
	{Name: "state", Kind: OneOf, Words: states, Issue: true},
	{Name: "owner", Kind: Name, Issue: true, Absent: true},
	{Name: "severity", Kind: Severity, Issue: true, Event: true},
	{Name: "handled", Kind: Flag, Issue: true, Event: true, Absent: true},
	{Name: "first", Kind: Time, Issue: true},
	{Name: "last", Kind: Time, Issue: true},
	{Name: "events", Kind: Number, Issue: true},
	{Name: "users", Kind: Number, Issue: true},
	{Name: "impact", Kind: Number, Issue: true},
	{Name: "release", Kind: Release, Issue: true, Event: true, Absent: true},
	{Name: "environment", Kind: Text, Issue: true, Event: true, Absent: true},
	{Name: "place", Kind: Text, Issue: true, Absent: true},
	{Name: "file", Kind: Text, Issue: true, Event: true, Absent: true},
	{Name: "function", Kind: Text, Issue: true, Event: true, Absent: true},
	{Name: "type", Kind: Text, Issue: true, Event: true, Absent: true},
	{Name: "headline", Kind: Text, Issue: true},
	{Name: "message", Kind: Text, Event: true, Absent: true},
	{Name: "session", Kind: Text, Event: true, Absent: true},
	{Name: "trace", Kind: Text, Event: true, Absent: true},
	{Name: "user", Kind: Text, Event: true, Absent: true},
	{Name: "appeared-in", Kind: Release, Issue: true},
	{Name: "came-back-in", Kind: Release, Issue: true, Absent: true},
	{Name: "fixed-in", Kind: Release, Issue: true, Absent: true},
	{Name: "assigned-by", Kind: Name, Issue: true, Absent: true},
	{Name: "comment", Kind: Text, Issue: true, Absent: true},
	{Name: "ticket", Kind: Text, Issue: true, Absent: true},
	{Name: "feedback", Kind: Text, Issue: true, Absent: true},
	{Name: "saved", Kind: Text, Issue: true, Event: true},
}

// FieldOf is the field of a name; ok is false for an attribute.
func FieldOf(name string) (f Field, ok bool) {
	i := slices.IndexFunc(fields, func(f Field) bool { return f.Name == name })
	if i < 0 {
		return Field{}, false
	}
	return fields[i], true
}

// Check says what is wrong with the names and values of a search, in the order of
// their columns. attributes are the names of a project's attributes; nil: they are
// not known, and each name may be one.
func Check(n Node, attributes []string) []*Error {
	var out []*Error
	note := func(e *Error) {
		if e != nil {
			out = append(out, e)
		}
	}
	Walk(n, func(n Node) bool {
		switch n := n.(type) {
		case Term:
			note(checkName(n.Name, n.Column, attributes))
			f, ok := FieldOf(n.Name)
			for _, v := range n.Values {
				if ok {
					note(checkValue(f, v, n.Column))
				}
			}
		case Range:
			note(checkName(n.Name, n.Column, attributes))
			if f, ok := FieldOf(n.Name); ok {
				note(checkRange(f, n))
			}
		}
		return true
	})
	slices.SortStableFunc(out, func(a, b *Error) int { return a.Column - b.Column })
	return out
}

func checkName(name string, column int, attributes []string) *Error {
	if _, ok := FieldOf(name); ok || attributes == nil || slices.Contains(attributes, name) {
		return nil
	}
	known := slices.Clone(attributes)
	for _, f := range fields {
		known = append(known, f.Name)
	}
	e := &Error{Column: column, Message: fmt.Sprintf("unknown field %q at column %d", name, column),
		Nearest: text.Nearest(name, known)}
	if e.Nearest != "" {
		e.Message += "; did you mean " + e.Nearest + "?"
	}
	return e
}

func checkValue(f Field, v Value, column int) *Error {
	wrong := func(format string, args ...any) *Error {
		return &Error{Column: column, Message: f.Name + ": " + fmt.Sprintf(format, args...)}
	}
	if v.Present() {
		if !f.Absent {
			return wrong("it is always there; give a value")
		}
		return nil
	}
	t, exact := v.Text()
	switch f.Kind {
	case Number, Time, Flag, Severity, OneOf:
		if !exact {
			return wrong("a wildcard says nothing here")
		}
	}
	switch f.Kind {
	case Number:
		if _, ok := NumberOf(t); !ok {
			return wrong("%q is no number", t)
		}
	case Time:
		if !isMoment(t) {
			return wrong("%q is neither an age, such as 2d, nor a date, such as 2026-11-20", t)
		}
	case Flag:
		if t != "true" && t != "false" {
			return wrong("it is true or false, not %q", t)
		}
	case Severity:
		if _, ok := SeverityOf(t); !ok {
			return wrong("%q is no severity; there are trace, debug, info, warn, error, fatal", t)
		}
	case OneOf:
		if !slices.Contains(f.Words, t) {
			e := wrong("%q is none of them: %s", t, join(f.Words))
			e.Nearest = text.Nearest(t, f.Words)
			return e
		}
	}
	return nil
}

func checkRange(f Field, r Range) *Error {
	switch f.Kind {
	case Number, Time, Severity, Release:
	default:
		return &Error{Column: r.Column,
			Message: fmt.Sprintf("%s is not compared by size; write %s:VALUE", f.Name, f.Name)}
	}
	for _, b := range []Bound{r.From, r.To} {
		if b.Text == "" || f.Kind == Release {
			continue
		}
		if e := checkValue(f, Exactly(b.Text), r.Column); e != nil {
			return e
		}
	}
	return nil
}

func join(words []string) string {
	out := ""
	for i, w := range words {
		if i > 0 {
			out += ", "
		}
		out += w
	}
	return out
}
