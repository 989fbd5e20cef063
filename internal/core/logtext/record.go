package logtext

import (
	"regexp"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/core/event"
)

// record is the head of a log record: when, how bad, who says what.
type record struct {
	when     time.Time // zero: it does not say
	severity event.Severity
	logger   string
	text     string // its message
	fields   map[string]any
	offset   int64
	// What a JSON record says of an exception.
	typ, message, stack string
}

// stamp is a time at the beginning of a line, bracketed or not.
var stamp = regexp.MustCompile(`^\[?(\d{4}[-/]\d\d[-/]\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d{1,9})?(?: ?(?:Z|UTC|[+-]\d\d:?\d\d))?|\d\d-[A-Z][a-z]{2}-\d{4} \d\d:\d\d:\d\d(?: [A-Z]{3,4})?|\d\d/[A-Z][a-z]{2}/\d{4}:\d\d:\d\d:\d\d [+-]\d{4}|\d\d:\d\d:\d\d[.,]\d{3})\]?`)

// zoneless and zoned are the layouts of stamps; without a zone it is UTC.
var (
	zoned = []string{"2006-01-02T15:04:05Z07:00", "2006-01-02T15:04:05Z0700", "2006-01-02 15:04:05Z07:00",
		"2006-01-02 15:04:05 -0700", "2006-01-02 15:04:05 -07:00", "2006-01-02 15:04:05 MST",
		"02/Jan/2006:15:04:05 -0700", "02-Jan-2006 15:04:05 MST"}
	zoneless = []string{"2006-01-02 15:04:05", "2006-01-02T15:04:05", "02-Jan-2006 15:04:05"}
)

// timeOf reads a time as loggers write it; zero when it is none, or has no
// date.
func timeOf(text string) time.Time {
	if len(text) > 7 && text[4] == '/' && text[7] == '/' {
		text = text[:4] + "-" + text[5:7] + "-" + text[8:]
	}
	text = strings.Replace(text, ",", ".", 1)
	layouts := zoned
	if len(text) > 10 && strings.Trim(text[11:], "0123456789:.") == "" {
		layouts = zoneless
	}
	for _, layout := range layouts {
		if t, err := time.Parse(layout, text); err == nil {
			return t.UTC()
		}
	}
	return time.Time{}
}

// levels are the words that loggers have for severities.
var levels = map[string]event.Severity{
	"trace": "trace", "trc": "trace", "finest": "trace", "finer": "trace", "verbose": "trace", "silly": "trace",
	"debug": "debug", "dbg": "debug", "fine": "debug", "config": "debug",
	"info": "info", "inf": "info", "information": "info", "notice": "info", "log": "info", "http": "info",
	"warn": "warn", "wrn": "warn", "warning": "warn",
	"error": "error", "err": "error", "severe": "error", "fail": "error",
	"fatal": "fatal", "ftl": "fatal", "critical": "fatal", "crit": "fatal", "alert": "fatal", "emerg": "fatal",
	"emergency": "fatal", "panic": "fatal", "dpanic": "fatal",
}

// levelWord is a level as a word of its own, in capitals or brackets.
var levelWord = regexp.MustCompile(`^(?:[\[<(]\s*([A-Za-z]{3,11})\s*[\])>]:?|([A-Z]{3,11})(?:[:\s]|$):?)`)

// textRecord reads the head of a line of text and gives what follows it. nil
// when the line is not the beginning of a record.
func textRecord(text string) (*record, string) {
	var m []string
	if text != "" && (text[0] == '[' || text[0] >= '0' && text[0] <= '9') {
		m = stamp.FindStringSubmatch(text)
	}
	if m == nil {
		if r := pairs(text); r != nil {
			return r, r.text
		}
		return levelRecord(text)
	}
	r := &record{when: timeOf(m[1])}
	rest := text[len(m[0]):]
	rest = strings.TrimPrefix(rest, " ")
	// A few words may stand between time and level: a thread, a process, a logger.
	words := rest
	for range 5 {
		trimmed := strings.TrimLeft(words, " ")
		if l := levelWord.FindStringSubmatch(trimmed); l != nil {
			if s, ok := levels[strings.ToLower(l[1]+l[2])]; ok {
				r.severity = s
				r.logger, rest = loggerOf(strings.TrimPrefix(strings.TrimPrefix(trimmed[len(l[0]):], " "), "- "))
				r.text = rest
				return r, rest
			}
		}
		word, more, found := strings.Cut(trimmed, " ")
		if !found || strings.HasSuffix(word, ":") || len(word) > 80 || !bracketed(word) &&
			!plainWord.MatchString(word) {
			break
		}
		words = more
	}
	r.text = rest
	return r, rest
}

var plainWord = regexp.MustCompile(`^[\w.\-/@#:]+$`)

func bracketed(s string) bool {
	return strings.HasPrefix(s, "[") || strings.HasSuffix(s, "]") || strings.HasPrefix(s, "(")
}

// levelRecord reads "ERROR:logger:text" and "[error] text" and "ERROR text".
func levelRecord(text string) (*record, string) {
	if text == "" || !strings.ContainsRune("[<(", rune(text[0])) && (text[0] < 'A' || text[0] > 'Z') {
		return nil, text
	}
	l := levelWord.FindStringSubmatch(text)
	if l == nil {
		return nil, text
	}
	s, ok := levels[strings.ToLower(l[1]+l[2])]
	if !ok {
		return nil, text
	}
	r := &record{severity: s}
	rest := strings.TrimPrefix(text[len(l[0]):], " ")
	if logger, more, found := strings.Cut(rest, ":"); found && strings.HasSuffix(l[0], ":") && logger != "" &&
		plainWord.MatchString(logger) && !strings.HasPrefix(more, " ") {
		r.logger, rest = logger, more
	}
	r.text = rest
	return r, rest
}

// loggerName is who says it, between level and text: "[main] c.e.Gate - text",
// "c.e.Gate: text", "--- [main] c.e.Gate : text".
var loggerName = regexp.MustCompile(`^(?:\d+ )?(?:-+ )?(?:\[[^\]]*\] )*([A-Za-z_$][\w.$/-]*(?:\.[\w$]+)+|[A-Za-z_]\w*)\s*(?: - |: | : )`)

func loggerOf(text string) (logger, rest string) {
	trimmed := strings.TrimLeft(text, " ")
	m := loggerName.FindStringSubmatch(trimmed)
	if m == nil || strings.HasSuffix(m[1], "Error") || strings.HasSuffix(m[1], "Exception") || m[1] == "panic" {
		return "", text
	}
	return m[1], trimmed[len(m[0]):]
}

// pairs reads a record of key=value pairs; nil when the line is none.
func pairs(text string) *record {
	if !strings.Contains(text, "level=") && !strings.Contains(text, "lvl=") {
		return nil
	}
	if !mayMatter(text) {
		return &record{severity: "info"}
	}
	fields := map[string]any{}
	for rest := text; rest != ""; {
		rest = strings.TrimLeft(rest, " ")
		name, more, found := strings.Cut(rest, "=")
		if !found || name == "" || strings.ContainsAny(name, " \t\"") || len(fields) >= 100 {
			break
		}
		value := more
		if strings.HasPrefix(more, `"`) {
			quoted, err := strconv.QuotedPrefix(more)
			if err != nil {
				return nil
			}
			value, rest = quoted, more[len(quoted):]
			if s, err := strconv.Unquote(quoted); err == nil {
				value = s
			}
		} else if value, rest, found = strings.Cut(more, " "); !found {
			rest = ""
		}
		fields[name] = value
	}
	if fields["level"] == nil && fields["lvl"] == nil {
		return nil
	}
	return recordOf(fields)
}
