package logtext

import (
	"encoding/json"
	"regexp"
	"strings"
	"time"
)

// What runners of applications put before each line: who wrote it, and when.
var (
	// 2026-11-23T04:39:02.123456789Z stderr F text
	runtimeLine = regexp.MustCompile(`^(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\S*) (stdout|stderr) [FP] (.*)$`)
	// gangway-1  | text
	namedLine = regexp.MustCompile(`^([\w.-]{1,64}) +\| ?(.*)$`)
	// Nov 23 04:39:02 host program[123]: text; also with an ISO time
	systemLine = regexp.MustCompile(`^(?:<\d{1,3}>)?([A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\S*) (\S{1,255}) ([\w./@-]{1,64}(?:\[\d+\])?): (.*)$`)
)

// split parts a line from what says who wrote it. at is when, where that is
// said and has a year.
func split(text string) (lane string, at time.Time, rest string) {
	switch {
	case strings.HasPrefix(text, `{"log":`):
		var wrapped struct {
			Log    *string `json:"log"`
			Stream string  `json:"stream"`
			Time   string  `json:"time"`
		}
		if json.Unmarshal([]byte(text), &wrapped) == nil && wrapped.Log != nil && wrapped.Stream != "" {
			at, _ = time.Parse(time.RFC3339Nano, wrapped.Time)
			return wrapped.Stream, at, strings.TrimRight(*wrapped.Log, "\r\n")
		}
		return "", at, text
	case strings.HasPrefix(text, "{"):
		return "", at, text
	}
	stamped := len(text) > 20 && text[10] == 'T' && text[4] == '-'
	if stamped && strings.Contains(text[:min(len(text), 60)], " std") {
		if m := runtimeLine.FindStringSubmatch(text); m != nil {
			at, _ = time.Parse(time.RFC3339Nano, m[1])
			return m[2], at, m[3]
		}
	}
	if strings.IndexByte(text, '|') > 0 {
		if m := namedLine.FindStringSubmatch(text); m != nil {
			return m[1], at, m[2]
		}
	}
	dated := len(text) > 16 && text[9] == ':' && text[12] == ':' || strings.HasPrefix(text, "<")
	if !stamped && !dated || !strings.Contains(text, ": ") {
		return "", at, text
	}
	if m := systemLine.FindStringSubmatch(text); m != nil {
		at, _ = time.Parse(time.RFC3339Nano, m[1])
		return m[2] + " " + m[3], at, m[4]
	}
	return "", at, text
}
