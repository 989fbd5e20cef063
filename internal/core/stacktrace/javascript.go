package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

var (
	jsMatching = regexp.MustCompile(`^\s*\.\.\. (\d+) lines matching cause stack trace \.\.\.$`)
	// jsClass is a class, its code in brackets, and the message, behind the start
	// of the line or what parts words from it.
	jsClass = regexp.MustCompile(`(?:^|[\s:|\]\[>-])((?:[A-Za-z_$][\w$.]*)?(?:Error|Exception|Rejection|Warning)[\w$]*|[A-Z][\w$.]*)(?: \[[\w$]+\])?(?:: (.*)|\]?,?(?: \{)?$)`)
	// jsFailing are names that say of themselves that they are an error's.
	jsFailing = regexp.MustCompile(`(?:Error|Exception|Rejection|Warning)[\w$]*$`)
	// jsOddClass is a class whose name says nothing, where a head is expected.
	jsOddClass = regexp.MustCompile(`^\s*[A-Z][\w$]*(?: \[[\w$]+\])?(?:: |$)|(?:^|[:|\]>-] )[A-Z][a-z0-9]+(?:[A-Z][\w$]*)?: \S`)
	jsMark     = regexp.MustCompile(`^\s*[\^~]+\s*$`)
	jsIntro    = regexp.MustCompile(`^\s*(?:\S+:\d+(?::\d+)? )?(?:Uncaught |throw |\(in promise\) )+`)
	jsKey      = regexp.MustCompile(`^\s*(?:'[^']*'|"[^"]*"|[\w$]+): `)
	jsCausedBy = regexp.MustCompile(`^(?i:caused by:?) `)
	jsEnd      = regexp.MustCompile(`^\s*(?:Node\.js v\d|\(Use .node --trace-)`)
)

func isJavaScript(line string) bool {
	if !beginsAt(line) && strings.IndexByte(line, '@') < 0 {
		return false
	}
	line = strings.TrimRight(line, " {,")
	f, ok := parseLine(line)
	return ok && f.File != "" &&
		(f.Column > 0 || f.Line == 0 && !strings.HasSuffix(line, ":0") || strings.Contains(f.File, "://"))
}

// jsHead reads "TypeError: x", "Halt [Error]: x", "[AggregateError: x] {", also
// behind words.
func jsHead(line string) head {
	intro := len(jsIntro.FindString(line))
	h := classHead(line[intro:], jsClass, jsFailing)
	if h.sure == perhaps && !strings.HasPrefix(line[intro+h.at+len(h.typ):], " [") &&
		!jsOddClass.MatchString(line[intro:]) {
		return head{}
	}
	if h.sure == noHead {
		return h
	}
	before := strings.TrimSpace(line[intro : intro+h.at])
	if before == "[" { // as an inspector prints an error without a stack
		h.message = strings.TrimSuffix(strings.TrimRight(h.message, " {,"), "]")
		h.sure = likely
	}
	if before != "" {
		h.at += intro
	}
	return h
}

// jsReader reads the engines' dialects, and causes and members of an aggregate
// as Node prints them.
type jsReader struct {
	*builder
	around []jsOpen // what is open around a line, outermost first
	shared map[int][2]int
}

// jsOpen is an exception, or the list of its members, and its indentation.
type jsOpen struct {
	indent, x int
	members   bool
}

func readJavaScript(b *builder, lines []string) {
	r := &jsReader{builder: b, shared: map[int][2]int{}}
	for _, l := range lines[r.open(lines):] {
		r.line(l)
	}
	r.restoreShared()
}

func jsFrame(line string) (f event.RawFrame, ok bool) {
	bare := strings.TrimRight(strings.TrimSuffix(strings.TrimSpace(line), "{"), " ,")
	if !strings.HasPrefix(bare, "at ") && !strings.Contains(bare, "@") {
		return f, false
	}
	return parseLine(bare)
}

// open reads all before the first frame, and gives that frame's index.
func (r *jsReader) open(lines []string) int {
	first := 0
	for first < len(lines) && strings.TrimSpace(lines[first]) != "[errors]: [" {
		if _, ok := jsFrame(lines[first]); ok {
			break
		}
		first++
	}
	// The runtime's preamble: the place, the source line, a mark below it.
	head := lines[:first]
	for i := min(first, maxHead) - 1; i >= 1; i-- {
		if jsMark.MatchString(lines[i]) {
			r.rest, head = append(r.rest, lines[:i+1]...), lines[i+1:first]
			break
		}
	}
	indent, x := 0, r.takeHead(head, jsHead)
	if x < 0 {
		r.rest = append(r.rest, head...)
		x = r.begin("", "", -1, "")
	} else if line := head[len(head)-1-strings.Count(r.list[x].Message, "\n")]; jsKey.MatchString(line) {
		indent = indentOf(line)
		r.list[x].Message = dedent(r.list[x].Message, indent)
	}
	r.around = append(r.around, jsOpen{indent: indent, x: x})
	return first
}

func (r *jsReader) line(l string) {
	text, indent := strings.TrimSpace(l), indentOf(l)
	top := r.around[len(r.around)-1]
	x := &r.list[top.x]
	if m := jsMatching.FindStringSubmatch(l); m != nil {
		n, _ := strconv.Atoi(m[1])
		r.shared[top.x] = [2]int{len(x.Frames), n}
		return
	}
	if f, ok := jsFrame(l); ok {
		r.frame(x, f)
		return
	}
	cause, caused := strings.CutPrefix(text, "[cause]: ")
	if !caused && len(x.Frames) > 0 && jsCausedBy.MatchString(text) {
		cause, caused = jsCausedBy.ReplaceAllString(text, ""), true
	}
	switch {
	case caused:
		r.nested(cause, indent, "cause")
	case text == "[errors]: [":
		r.close(indent)
		r.around = append(r.around, jsOpen{indent: indent, x: r.around[len(r.around)-1].x, members: true})
	case text == "]", text == "],", text == "}", text == "},":
		r.close(indent)
	case top.members:
		r.nested(text, indent, "member")
	case r.inMembers(indent):
		r.close(indent)
		r.nested(text, indent, "member")
	case len(x.Frames) > 0 || jsEnd.MatchString(l):
		if text != "" {
			x.Rest = append(x.Rest, l)
		}
	default:
		x.Message += "\n" + dedent(l, top.indent)
	}
}

// inMembers says whether a line of that indentation is the next of the members
// around it.
func (r *jsReader) inMembers(indent int) bool {
	for i := len(r.around) - 1; i > 0; i-- {
		if o := r.around[i]; o.members {
			return indent == r.around[i+1].indent
		}
	}
	return false
}

// close ends what is open at an indentation or deeper; the first exception
// stays open.
func (r *jsReader) close(indent int) {
	for len(r.around) > 1 && r.around[len(r.around)-1].indent >= indent {
		r.around = r.around[:len(r.around)-1]
	}
}

// nested begins a cause or a member.
func (r *jsReader) nested(text string, indent int, relation string) {
	r.close(indent)
	h := jsHead(text)
	if h.sure == noHead {
		h = head{message: strings.Trim(strings.TrimSuffix(text, ","), `'"`)}
	}
	x := r.begin(h.typ, h.message, r.around[len(r.around)-1].x, relation)
	r.around = append(r.around, jsOpen{indent: indent, x: x})
}

// restoreShared puts the frames in that an exception shares with its cause:
// Node prints them once.
func (r *jsReader) restoreShared() {
	for x, m := range r.shared {
		for c := range r.list {
			if r.list[c].Parent != x || r.list[c].Relation != "cause" {
				continue
			}
			after := len(r.list[x].Frames) - m[0]
			from, to := len(r.list[c].Frames)-after-m[1], len(r.list[c].Frames)-after
			if from < 0 || to > len(r.list[c].Frames) || from > to {
				r.list[x].Omitted += m[1]
				break
			}
			shared := r.list[c].Frames[from:to]
			frames := append(append(r.list[x].Frames[:m[0]:m[0]], shared...), r.list[x].Frames[m[0]:]...)
			r.list[x].Frames = frames[:min(len(frames), r.limit)]
			break
		}
	}
}

func indentOf(line string) int { return len(line) - len(strings.TrimLeft(line, " ")) }

// dedent takes up to n blanks off the start of each line.
func dedent(text string, n int) string {
	if n == 0 {
		return text
	}
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		lines[i] = l[min(n, indentOf(l)):]
	}
	return strings.Join(lines, "\n")
}
