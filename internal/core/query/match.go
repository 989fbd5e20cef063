package query

import (
	"strings"
)

// Subject is one event, or one issue, that is held against a search.
type Subject struct {
	// Values gives the values of a field or an attribute, as texts; none: it is absent.
	Values func(name string) []string
	// Texts are what words are looked for in.
	Texts func() []string
	// Before says whether a release comes before another one in the project's order; nil:
	// by their texts.
	Before func(a, b string) bool
	// Saved says whether the subject fits a saved search; nil: no search is saved.
	Saved func(name string) bool
}

// Matches says whether a subject fits a search. Text is compared without regard to case.
func Matches(n Node, s Subject) bool {
	switch n := n.(type) {
	case And:
		for _, x := range n.All {
			if !Matches(x, s) {
				return false
			}
		}
		return true
	case Or:
		for _, x := range n.Any {
			if Matches(x, s) {
				return true
			}
		}
		return false
	case Not:
		return !Matches(n.Of, s)
	case Word:
		return s.says(n)
	case Term:
		return s.has(n)
	case Range:
		return s.lies(n)
	}
	return false
}

// says looks for a word from its beginning, or for a phrase.
func (s Subject) says(w Word) bool {
	want := strings.ToLower(w.Text)
	for _, text := range s.Texts() {
		text = strings.ToLower(text)
		for from := 0; ; {
			i := strings.Index(text[from:], want)
			if i < 0 {
				break
			}
			if at := from + i; w.Phrase || at == 0 || !isWordByte(text[at-1]) {
				return true
			}
			from += i + 1
		}
	}
	return false
}

func isWordByte(b byte) bool {
	return b >= 'a' && b <= 'z' || b >= '0' && b <= '9' || b == '_' || b >= 0x80
}

func (s Subject) has(t Term) bool {
	if t.Name == "saved" {
		for _, v := range t.Values {
			if name, ok := v.Text(); ok && s.Saved != nil && s.Saved(name) {
				return true
			}
		}
		return false
	}
	values := s.Values(t.Name)
	if f, ok := FieldOf(t.Name); ok && f.Kind == Name && len(values) == 0 {
		values = []string{"none"}
		if t.Values[0].Present() {
			return false
		}
	}
	for _, have := range values {
		for _, want := range t.Values {
			if want.fits(strings.ToLower(have)) {
				return true
			}
		}
	}
	return false
}

// fits says whether a text, in small letters, is the value with something in place of its
// wildcards.
func (v Value) fits(have string) bool {
	parts := make([]string, len(v.Parts))
	for i, p := range v.Parts {
		parts[i] = strings.ToLower(p)
	}
	if len(parts) == 1 {
		return have == parts[0]
	}
	if !strings.HasPrefix(have, parts[0]) {
		return false
	}
	have = have[len(parts[0]):]
	last := parts[len(parts)-1]
	for _, p := range parts[1 : len(parts)-1] {
		i := strings.Index(have, p)
		if i < 0 {
			return false
		}
		have = have[i+len(p):]
	}
	return strings.HasSuffix(have, last)
}

// lies says whether a value lies between two bounds, by the kind of its field.
func (s Subject) lies(r Range) bool {
	for _, have := range s.Values(r.Name) {
		if s.above(r, have, r.From) && s.below(r, have, r.To) {
			return true
		}
	}
	return false
}

func (s Subject) above(r Range, have string, b Bound) bool {
	if b.Text == "" {
		return true
	}
	c, ok := s.compare(r.Name, have, b.Text)
	return ok && (c > 0 || c == 0 && b.Inclusive)
}

func (s Subject) below(r Range, have string, b Bound) bool {
	if b.Text == "" {
		return true
	}
	c, ok := s.compare(r.Name, have, b.Text)
	return ok && (c < 0 || c == 0 && b.Inclusive)
}

// compare orders two values of a field; ok is false where one is not of its kind.
func (s Subject) compare(name, a, b string) (c int, ok bool) {
	f, known := FieldOf(name)
	switch {
	case known && f.Kind == Release:
		switch {
		case a == b:
			return 0, true
		case s.Before != nil && s.Before(a, b):
			return -1, true
		}
		return 1, s.Before != nil
	case known && f.Kind == Severity:
		x, okA := SeverityOf(a)
		y, okB := SeverityOf(b)
		return int(x) - int(y), okA && okB
	}
	x, okA := NumberOf(a)
	y, okB := NumberOf(b)
	switch {
	case !okA || !okB:
		return 0, false
	case x < y:
		return -1, true
	case x > y:
		return 1, true
	}
	return 0, true
}
