package stacktrace

import (
	"encoding/json"
	"regexp"
	"strings"

	"firethorn/internal/core/event"
)

// Language is the runtime whose form a text has.
type Language string

// The languages that are read.
const (
	JavaScript Language = "javascript"
	Java       Language = "java" // also Kotlin, Scala and what else runs on its machine
	Python     Language = "python"
	Go         Language = "go"
	Ruby       Language = "ruby"
	PHP        Language = "php"
	DotNet     Language = "dotnet"
	Rust       Language = "rust"
	Perl       Language = "perl"
	Native     Language = "native" // as debuggers and sanitizers print it
)

// Text is everything that one printed text holds.
type Text struct {
	Language   Language    // "" when no frame of any language is there
	Exceptions []Exception // outermost first
	Rest       []string    // lines that belong to no exception
}

// Exception is one exception of a printed text.
type Exception struct {
	Type, Message string
	Frames        []event.RawFrame // innermost first
	Parent        int              // index of the exception this one belongs to; -1 for the first
	Relation      string           // "cause", "suppressed", "member", "thread"
	Omitted       int              // frames that the runtime left out
	Rest          []string         // lines that are no frames, in order
}

// forms are the languages with what reads them and what tells their frames,
// the more particular first.
var forms = []struct {
	language Language
	frame    func(line string) bool
	read     func(*builder, []string)
}{
	{Java, isJava, readJava},
	{Python, isPython, readPython},
	{Go, isGo, readGo},
	{PHP, isPHP, readPHP},
	{Ruby, isRuby, readRuby},
	{Perl, isPerl, readPerl},
	{Native, isNative, readNative},
	{Rust, isRust, readRust},
	{JavaScript, isJavaScript, readJavaScript},
	{DotNet, isDotNet, readDotNet},
}

// Read reads a text that a runtime printed, whatever the language, also inside
// a JSON string or behind the prefix of a log. At most limit frames of an
// exception are kept; the others are counted as omitted.
func Read(text string, limit int) Text {
	text = unwrap(text)
	lines := strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n")
	best := recognise(lines)
	if best < 0 {
		if stripped := withoutPrefix(lines); stripped != nil {
			lines, best = stripped, recognise(stripped)
		}
	}
	if best < 0 {
		return Text{Exceptions: []Exception{}, Rest: trimEmpty(lines)}
	}
	b := &builder{limit: limit}
	for i, l := range lines {
		if len(l) > maxLine {
			lines[i] = l[:maxLine]
		}
	}
	forms[best].read(b, lines)
	for i := range b.list {
		b.list[i].Message = strings.TrimRight(b.list[i].Message, "\n\r")
	}
	return Text{Language: forms[best].language, Exceptions: b.list, Rest: trimEmpty(b.rest)}
}

// What is looked at to recognise a language: at most enoughLines, and no more
// once one has clearFrames of its own and twice as many as any other.
const (
	enoughLines = 2000
	clearFrames = 12
)

// recognise gives the form that most lines have; -1 when none has any.
func recognise(lines []string) int {
	counts := make([]int, len(forms))
	best := -1
	for _, l := range lines[:min(len(lines), enoughLines)] {
		if len(l) > maxLine || !promising(l) {
			continue
		}
		for i, f := range forms {
			if !f.frame(l) {
				continue
			}
			if counts[i]++; best < 0 || counts[i] > counts[best] || counts[i] == counts[best] && i < best {
				best = i
			}
		}
		if best >= 0 && counts[best] >= clearFrames && leads(counts, best) {
			break
		}
	}
	return best
}

func leads(counts []int, best int) bool {
	for i, n := range counts {
		if i != best && 2*n > counts[best] {
			return false
		}
	}
	return true
}

// promising says whether a line has what the frames of every language have
// one of: most lines of a log have none.
func promising(line string) bool {
	return strings.IndexByte(line, ':') >= 0 || strings.IndexByte(line, '(') >= 0 ||
		strings.IndexByte(line, '#') >= 0 || strings.IndexByte(line, '@') >= 0 || strings.Contains(line, " line ")
}

// beginsAt says whether a line begins as the frames of several languages do.
func beginsAt(line string) bool { return strings.HasPrefix(strings.TrimLeft(line, " \t"), "at ") }

// beginsNumber says whether a line begins with "#" and a number.
func beginsNumber(line string) bool {
	text := strings.TrimLeft(line, " \t")
	return len(text) > 1 && text[0] == '#' && digit(text[1])
}

func digit(c byte) bool { return c >= '0' && c <= '9' }

// unwrap takes a trace out of JSON: a string, or an object or array of which
// one string holds it.
func unwrap(text string) string {
	trimmed := strings.TrimSpace(text)
	if strings.ContainsRune(trimmed, '\n') && !strings.HasPrefix(trimmed, "{") && !strings.HasPrefix(trimmed, "[") ||
		!strings.Contains(trimmed, `\n`) {
		return text
	}
	var v any
	switch {
	case json.Unmarshal([]byte(trimmed), &v) == nil:
	case json.Unmarshal([]byte(`"`+trimmed+`"`), &v) == nil: // a string that lost its quotes
	default:
		return text
	}
	best := ""
	var walk func(v any, depth int)
	walk = func(v any, depth int) {
		switch v := v.(type) {
		case string:
			if strings.Count(v, "\n") > strings.Count(best, "\n") && recognise(strings.Split(v, "\n")) >= 0 {
				best = v
			}
		case []any:
			for _, x := range v {
				if depth < 20 {
					walk(x, depth+1)
				}
			}
		case map[string]any:
			for _, x := range v {
				if depth < 20 {
					walk(x, depth+1)
				}
			}
		}
	}
	walk(v, 0)
	if best == "" {
		return text
	}
	return best
}

// signature is where a frame can begin behind a log's prefix.
var signature = regexp.MustCompile(`\s+at \S|\s+File "|goroutine \d+ \[|\s#\d+ |\s+from \S+:\d+|\s\S+:\d+:in |Traceback \(`)

// withoutPrefix takes a log's prefix off the lines that have it: as long as
// before the first frame, and of the same shape. nil when there is none.
func withoutPrefix(lines []string) []string {
	for _, l := range lines {
		if len(l) > maxLine {
			continue
		}
		loc := signature.FindStringIndex(l)
		if loc == nil {
			continue
		}
		for cut := loc[0]; cut <= loc[0]+1 && cut < len(l); cut++ {
			if recognise([]string{l[cut:]}) < 0 {
				continue
			}
			want := shape(l[:cut])
			out, n := make([]string, len(lines)), 0
			for i, other := range lines {
				out[i] = other
				if len(other) >= cut && shape(other[:cut]) == want {
					out[i] = other[cut:]
					n++
				}
			}
			if n > 1 && 2*n >= len(trimEmpty(lines)) {
				return out
			}
		}
	}
	return nil
}

// shape is a prefix with its letters and digits made the same.
func shape(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r >= '0' && r <= '9':
			return '0'
		case r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z':
			return 'a'
		}
		return r
	}, s)
}

func trimEmpty(lines []string) []string {
	out := []string{}
	for _, l := range lines {
		if strings.TrimSpace(l) != "" {
			out = append(out, l)
		}
	}
	return out
}

// builder collects exceptions.
type builder struct {
	limit int
	list  []Exception
	rest  []string
}

// begin adds an exception and gives its index.
func (b *builder) begin(typ, message string, parent int, relation string) int {
	if parent < 0 {
		relation = ""
	}
	b.list = append(b.list,
		Exception{Type: typ, Message: message, Frames: []event.RawFrame{}, Parent: parent, Relation: relation})
	return len(b.list) - 1
}

// need is the last exception, made when there is none.
func (b *builder) need() *Exception {
	if len(b.list) == 0 {
		b.begin("", "", -1, "")
	}
	return &b.list[len(b.list)-1]
}

func (b *builder) frame(x *Exception, f event.RawFrame) {
	if f.Function == "" && f.File == "" && f.Address == "" {
		return // it says nothing
	}
	if len(x.Frames) >= b.limit {
		x.Omitted++
		return
	}
	x.Frames = append(x.Frames, f)
}

// other keeps a line that is no frame: of the message while there is no frame
// yet, also a blank one, else beside it.
func (b *builder) other(line string) {
	if len(b.list) == 0 {
		if strings.TrimSpace(line) != "" {
			b.rest = append(b.rest, line)
		}
		return
	}
	if x := &b.list[len(b.list)-1]; len(x.Frames) == 0 {
		x.Message += "\n" + line
	} else if strings.TrimSpace(line) != "" {
		x.Rest = append(x.Rest, line)
	}
}

// outermostLast turns a list in which each exception was printed before the
// one it caused.
func (b *builder) outermostLast() {
	n := len(b.list)
	for i, j := 0, n-1; i < j; i, j = i+1, j-1 {
		b.list[i], b.list[j] = b.list[j], b.list[i]
	}
	for i := range b.list {
		b.list[i].Parent, b.list[i].Relation = i-1, "cause"
	}
	if n > 0 {
		b.list[0].Relation = ""
	}
}

// shifted makes frames of places and of the functions that were called there:
// the code at each place is in the function called at the next one.
func (b *builder) shifted(x *Exception, places []event.RawFrame, functions []string) {
	for i, f := range places {
		if i < len(functions) {
			f.Module, f.Function = splitName(functions[i])
		}
		b.frame(x, f)
	}
}

// splitName parts a function from what it belongs to: "A\B->f", "A::f", "A.f".
func splitName(name string) (module, function string) {
	for _, sep := range []string{"->", "::", "."} {
		if i := strings.LastIndex(name, sep); i > 0 {
			return name[:i], name[i+len(sep):]
		}
	}
	if i := strings.LastIndexByte(name, '\\'); i > 0 {
		return name[:i], name[i+1:]
	}
	return "", name
}
