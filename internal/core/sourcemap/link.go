package sourcemap

import (
	"bytes"
	"encoding/base64"
	"errors"
	"net/url"
	"regexp"
	"slices"
	"strings"
)

// comments are the two forms of the link to a map
// (https://tc39.es/ecma426/#sec-linking-inline).
var comments = regexp.MustCompile(`^.*?(?://[#@][ \t]*sourceMappingURL=(\S+?)[ \t]*\r?(?:\n|$)|/\*[#@][ \t]*sourceMappingURL=([^\s*]+)[ \t]*\*/)`)

// tail is how much of a file is searched for its link, which stands at the
// end; a map inside the file itself can be as long as this.
const tail = 64 << 20

// Link finds the address of the map that generated code names, in a line or a
// block comment; the last one counts. "" when there is none, or code follows.
func Link(code []byte) string {
	end := code[max(0, len(code)-tail):]
	at := bytes.LastIndex(end, []byte(mark))
	if at < 0 {
		return ""
	}
	line := bytes.LastIndexByte(end[:at], '\n') + 1
	m := comments.FindSubmatch(end[line:])
	if m == nil {
		return ""
	}
	link := string(m[1]) + string(m[2])
	for l := range bytes.Lines(end[at+len(mark)+len(link):]) {
		text := strings.TrimSpace(string(l))
		if text != "" && !slices.ContainsFunc(comment, func(c string) bool { return strings.HasPrefix(text, c) }) {
			return ""
		}
	}
	return link
}

const mark = "sourceMappingURL="

// comment is what lines behind the link may begin with.
var comment = []string{"//", "/*", "*"}

// ErrNoData says that a link is no data URL.
var ErrNoData = errors.New("this is no data URL")

// Data gives what a data URL holds (RFC 2397), base64 or percent-encoded;
// ErrNoData for other links.
func Data(link string) ([]byte, error) {
	rest, ok := strings.CutPrefix(link, "data:")
	if !ok {
		return nil, ErrNoData
	}
	media, data, ok := strings.Cut(rest, ",")
	if !ok {
		return nil, errors.New("a data URL without a comma")
	}
	if strings.HasSuffix(media, ";base64") {
		if strings.Contains(data, "%") { // "+", "/" and "=" may be written so
			var err error
			if data, err = url.PathUnescape(data); err != nil {
				return nil, err
			}
		}
		data = strings.TrimRight(data, "=")
		if strings.ContainsAny(data, "-_") {
			return base64.RawURLEncoding.DecodeString(data)
		}
		return base64.RawStdEncoding.DecodeString(data)
	}
	text, err := url.PathUnescape(data)
	return []byte(text), err
}
