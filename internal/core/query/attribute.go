package query

import (
	"strings"

	"firethorn/internal/core/columns"
)

// Holds says whether the value of an attribute is one that the term asks for. A
// number is equal to a text that says the same number.
func (t Term) Holds(v columns.Value) bool {
	for _, want := range t.Values {
		if want.Is(v) {
			return true
		}
	}
	return false
}

// Is says whether an attribute's value is the one that is asked for.
func (v Value) Is(found columns.Value) bool {
	whole, exact := v.Text()
	if exact && found.IsNumber {
		n, ok := NumberOf(whole)
		return ok && n == found.Number
	}
	return v.Match(found.String())
}

// Exact lists what an attribute's value must be spelled as, one of them; ok is false
// where a wildcard asks for more than can be listed.
func (t Term) Exact() (list []columns.Value, ok bool) {
	for _, want := range t.Values {
		whole, exact := want.Text()
		if !exact {
			return nil, false
		}
		list = append(list, columns.TextValue(strings.ToLower(whole)))
		if n, ok := NumberOf(whole); ok {
			list = append(list, columns.NumberValue(n))
		}
	}
	return list, true
}

// Holds says whether the value of an attribute lies in the range: as numbers, where
// both sides are numbers.
func (r Range) Holds(v columns.Value) bool {
	n := v.Number
	if !v.IsNumber {
		var ok bool
		if n, ok = NumberOf(v.Text); !ok {
			return false
		}
	}
	return r.Contains(n)
}

// Contains says whether a number lies in the range.
func (r Range) Contains(n float64) bool {
	if r.From.Text != "" {
		from, ok := NumberOf(r.From.Text)
		if !ok || n < from || n == from && !r.From.Inclusive {
			return false
		}
	}
	if r.To.Text != "" {
		to, ok := NumberOf(r.To.Text)
		if !ok || n > to || n == to && !r.To.Inclusive {
			return false
		}
	}
	return true
}

// HoldsSeverity says whether a severity lies in the range, by OpenTelemetry's order.
func (r Range) HoldsSeverity(text string) bool {
	n, ok := SeverityOf(text)
	if !ok {
		return false
	}
	for _, b := range []struct {
		Bound
		sign int
	}{{r.From, 1}, {r.To, -1}} {
		if b.Text == "" {
			continue
		}
		end, ok := SeverityOf(b.Text)
		if d := (n - end) * b.sign; !ok || d < 0 || d == 0 && !b.Inclusive {
			return false
		}
	}
	return true
}
