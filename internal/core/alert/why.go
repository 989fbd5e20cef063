package alert

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Why says in a sentence why a message is sent: what happened, who did it, and the text that
// the history has of it.
func Why(trigger, who, text string) string {
	if trigger == "commented" {
		return who + " wrote: " + text
	}
	text = strings.TrimSuffix(strings.TrimPrefix(text, trigger+": "), ".")
	switch trigger {
	case "new":
		return "This issue was never seen before."
	case "regressed":
		if strings.HasPrefix(text, "came back") {
			return "It was fixed and " + text + "."
		}
		return "It was fixed and came back: " + text + "."
	case "woken":
		return "It was parked and woke up: " + text + "."
	case "threshold":
		return "It reached a threshold: " + text + "."
	}
	return sentence(text)
}

// sentence begins a text with a capital letter and ends it with a full stop.
func sentence(s string) string {
	r, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[size:] + "."
}
