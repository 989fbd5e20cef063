package review

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

// rule is a grouping rule about to be written.
type rule struct {
	name, when      string
	extend, replace []string
	headline        string
}

// yaml writes the rule as an entry of its section.
func (r rule) yaml() string {
	var b strings.Builder
	fmt.Fprintf(&b, "- name: %s\n  when: %s\n", quote(short(r.name)), quote(r.when))
	list := func(field string, values []string) {
		switch len(values) {
		case 0:
		case 1:
			fmt.Fprintf(&b, "  %s: %s\n", field, quote(values[0]))
		default:
			fmt.Fprintf(&b, "  %s:\n", field)
			for _, v := range values {
				fmt.Fprintf(&b, "    - %s\n", quote(v))
			}
		}
	}
	list("extend", r.extend)
	list("replace", r.replace)
	if r.headline != "" {
		list("headline", []string{r.headline})
	}
	return b.String()
}

// maxName is what a rule's name may have, in bytes.
const maxName = 58

// short cuts a name, between words where it can, to what the rules file allows.
func short(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if len(s) <= maxName {
		return s
	}
	s = event.TrimText(s, maxName)
	if i := strings.LastIndexByte(s, ' '); i > maxName/2 {
		s = s[:i]
	}
	return s
}

// quote writes a YAML scalar in single quotes, on one line.
func quote(s string) string {
	return "'" + strings.ReplaceAll(strings.ReplaceAll(s, "\n", " "), "'", "''") + "'"
}

func quotedAll(list []string) (out []string) {
	for _, s := range list {
		out = append(out, quote(s))
	}
	return out
}

// eq is a condition that an expression gives a text.
func eq(expression, text string) string { return expression + " == " + strconv.QuoteToGraphic(text) }

// oneOf is a condition that an expression gives one of texts; "" without any.
func oneOf(expression string, texts []string) string {
	switch len(texts) {
	case 0:
		return ""
	case 1:
		return eq(expression, texts[0])
	}
	return expression + " in " + quoted(texts)
}

func quoted(texts []string) string {
	var q []string
	for _, t := range texts {
		q = append(q, strconv.QuoteToGraphic(t))
	}
	return "[" + strings.Join(q, ", ") + "]"
}

// types are the types of exceptions as conditions see them, each once.
func types(list []Variant) []string {
	return distinct(list, func(v Variant) string { t, _ := v.Conditions(); return t })
}

// functions are the origins as conditions see them, each once.
func functions(list []Variant) []string {
	return distinct(list, func(v Variant) string { _, f := v.Conditions(); return f })
}

func distinct(list []Variant, of func(Variant) string) (out []string) {
	for _, v := range list {
		if t := of(v); t != "" && !slices.Contains(out, t) {
			out = append(out, t)
		}
	}
	slices.Sort(out)
	return out
}

func ofType(list []Variant) string {
	if c := oneOf("x.type", types(list)); c != "" {
		return "exceptions.exists(x, " + c + ")"
	}
	return ""
}

func and(conditions ...string) string {
	var out []string
	for _, c := range conditions {
		if c != "" {
			out = append(out, c)
		}
	}
	return strings.Join(out, " && ")
}

// says is a condition that one of the messages has a form.
func says(form string) string { return "messages.exists(m, " + eq("m.shape()", form) + ")" }

// plainText keeps a text from being filled in.
func plainText(s string) string { return strings.ReplaceAll(s, "${", "$ {") }

// whenOrigin is a condition that the origin of variants is blamed.
func whenOrigin(list []Variant) string {
	return and(ofType(list), eq("origin.module", list[0].Module), oneOf("origin.function", functions(list)))
}

// key are texts that stand instead of a fingerprint; those that are empty say nothing.
func key(texts ...string) (out []string) {
	for _, t := range texts {
		if t != "" {
			out = append(out, plainText(t))
		}
	}
	return out
}

// ownKeyIs is a condition that the application says a key of its own.
func ownKeyIs(keys []string) string { return "said == " + quoted(keys) }
