package review

import (
	"fmt"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/likeness"
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

// mostName is what a rule's name may have, in bytes.
const mostName = 58

// short cuts a name, between words where it can, to what the rules file allows.
func short(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if len(s) <= mostName {
		return s
	}
	s = event.TrimText(s, mostName)
	if i := strings.LastIndexByte(s, ' '); i > mostName/2 {
		s = s[:i]
	}
	return s
}

// quote writes a YAML scalar in single quotes, on one line.
func quote(s string) string {
	return "'" + strings.ReplaceAll(strings.ReplaceAll(s, "\n", " "), "'", "''") + "'"
}

// eq is a condition that an expression gives a text.
func eq(expression, text string) string { return expression + " == " + strconv.QuoteToGraphic(text) }

func ofType(t string) string {
	if t == "" {
		return ""
	}
	return "exceptions.exists(x, " + eq("x.type", t) + ")"
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

func whenOrigin(s likeness.Sketch) string {
	return and(ofType(s.Type), eq("origin.module", s.Module), eq("origin.function", s.Origin))
}

// said is a condition that the application says a key of its own.
func said(keys []string) string {
	var q []string
	for _, k := range keys {
		q = append(q, strconv.QuoteToGraphic(k))
	}
	return "said == [" + strings.Join(q, ", ") + "]"
}
