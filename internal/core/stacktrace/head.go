package stacktrace

import (
	"regexp"
	"strings"
)

// A head is the line that names an exception's type and message. In the wild
// it stands behind words, timestamps, levels and names of loggers, and among
// lines that belong to none. Each language says how sure a line is; the surest
// one before the first frame is taken, the first of equals.
type head struct {
	typ, message string
	at           int // where in the line it begins, in bytes
	sure         certainty
}

type certainty int

const (
	noHead  certainty = iota
	perhaps           // a word and a colon
	likely            // a class behind words, or one that no "Error" is in
	certain           // "TypeError: …" at the start of a line
)

// maxHead bounds the lines before the first frame that are searched for a head.
const maxHead = 200

// takeHead finds the surest head among lines, as read says, and begins an
// exception with it. Lines before it go to the rest, and so do the words before
// it on its own line; lines behind it are message. It gives the index of the
// new exception, -1 without a head.
func (b *builder) takeHead(lines []string, read func(line string) head) int {
	best, at := head{}, -1
	for i, l := range lines[:min(len(lines), maxHead)] {
		if h := read(l); h.sure > best.sure {
			best, at = h, i
		}
		if best.sure == certain {
			break
		}
	}
	if at < 0 {
		return -1
	}
	b.rest = append(b.rest, lines[:at]...)
	if words := strings.TrimSpace(lines[at][:best.at]); words != "" {
		b.rest = append(b.rest, words)
	}
	x := b.begin(best.typ, best.message, -1, "")
	if more := lines[at+1:]; len(more) > 0 {
		b.list[x].Message += "\n" + strings.Join(more, "\n")
	}
	return x
}

// introduced is classHead behind what a runtime writes before an exception that
// nothing caught; with that the head is certain. Without, a class whose name says
// nothing counts at the start of a line alone.
func introduced(line string, intro, pattern, failing *regexp.Regexp) head {
	n := len(intro.FindString(line))
	h := classHead(line[n:], pattern, failing)
	switch {
	case h.sure == perhaps && strings.TrimSpace(line[n:n+h.at]) != "":
		return head{}
	case n > 0 && h.sure > noHead:
		h.sure = certain
	}
	if h.at > 0 { // words stand between; the introduction alone is no words of the log
		h.at += n
	}
	return h
}

// classHead reads heads of languages that write "Class: message": pattern finds
// a class with an optional message, which begins a line or follows a separator.
// failing says which classes are named as exceptions are.
func classHead(line string, pattern, failing *regexp.Regexp) (best head) {
	for from := 0; from < len(line); {
		m := pattern.FindStringSubmatchIndex(line[from:])
		if m == nil {
			break
		}
		h := head{typ: line[from+m[2] : from+m[3]], at: from + m[2], sure: perhaps}
		if m[4] >= 0 {
			h.message = line[from+m[4] : from+m[5]]
		}
		opens := strings.TrimSpace(line[:h.at]) == ""
		switch named := failing.MatchString(h.typ); {
		case named && opens:
			h.sure = certain
		case named, opens && strings.ContainsAny(h.typ, ".:"):
			h.sure = likely
		}
		if h.sure > best.sure {
			best = h
		}
		from = h.at + len(h.typ)
	}
	return best
}
