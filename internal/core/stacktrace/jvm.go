package stacktrace

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

// A frame of a Java machine: "at module/package.Class.method(File.java:12)".
var (
	javaPlace = regexp.MustCompile(`^(?:([\w$-]+\.(?:java|kt|kts|scala|groovy|clj))(?::(\d+))?|Native Method|Unknown Source|<generated>)$`)
	javaMore  = regexp.MustCompile(`^\s*\.\.\. (\d+) (?:more|common frames omitted)$`)
	javaClass = regexp.MustCompile(`(?:^|[\s:|\]>-])((?:[\w$]+\.)*[A-Z][\w$]*)(?:: (.*)|:?$)`)
	javaFails = regexp.MustCompile(`(?:Exception|Error|Throwable|Failure)$`)
	javaIntro = regexp.MustCompile(`^\s*Exception in thread ".*?" `)
	javaHead  = regexp.MustCompile(`^(\s*)(?:Exception in thread "[^"]*" |(Caused by: |Suppressed: |Wrapped by: ))?(\[CIRCULAR REFERENCE: ?)?([\w$]+(?:\.[\w$]+)*)(?::(?: (.*))?)?$`)
)

var javaLambda = regexp.MustCompile(`\$\$Lambda(?:\$\d+)?(?:/(?:0x)?[0-9a-f]+)?`)

func javaPlaceOf(line string) (m, place []string) {
	if !beginsAt(line) {
		return nil, nil
	}
	if strings.Contains(line, "$$Lambda") {
		line = javaLambda.ReplaceAllLiteralString(line, "$$Lambda")
	}
	if m = javaFrame(line); m == nil {
		return nil, nil
	}
	return m, javaPlace.FindStringSubmatch(m[3])
}

// javaFrame parts "at loader/module@1/the.Class.method(place) ~[a.jar:?]" into
// the line, the class, the method and the place; nil when it is none.
func javaFrame(line string) []string {
	text := strings.TrimLeft(line, " \t")[len("at "):]
	if strings.HasSuffix(text, "]") { // the archive, as loggers add it
		i := strings.LastIndex(text, "[")
		if i < 1 || strings.IndexByte(text[i:len(text)-1], ']') >= 0 {
			return nil
		}
		text = strings.TrimSuffix(strings.TrimSuffix(text[:i], "~"), " ")
	}
	open := strings.LastIndexByte(text, '(')
	if open < 0 || !strings.HasSuffix(text, ")") || strings.IndexByte(text[open:len(text)-1], ')') >= 0 {
		return nil
	}
	name, place := text[:open], text[open+1:len(text)-1]
	if i := strings.LastIndexByte(name, '/'); i >= 0 {
		if strings.Count(strings.ReplaceAll(name, "//", "/"), "/") > 2 {
			return nil
		}
		name = name[i+1:]
	}
	dot := strings.LastIndexByte(name, '.')
	if dot <= 0 || dot == len(name)-1 || strings.ContainsAny(name, " \t()") {
		return nil
	}
	return []string{line, name[:dot], name[dot+1:], place}
}

func isJava(line string) bool {
	_, place := javaPlaceOf(line)
	return place != nil
}

// readJava reads Throwable.printStackTrace and what loggers make of it. A
// suppressed exception stands one tab deeper, and so do its causes.
func readJava(b *builder, lines []string) {
	first := slices.IndexFunc(lines, func(l string) bool { return isJava(l) || javaMore.MatchString(l) })
	current := b.takeHead(lines[:first], javaHeadOf)
	if current < 0 {
		b.rest = append(b.rest, lines[:first]...)
		current = b.begin("", "", -1, "")
	}
	at := map[int]int{0: current} // by depth: the exception whose frames come
	for _, l := range lines[first:] {
		if m, place := javaPlaceOf(l); place != nil {
			f := event.RawFrame{Module: m[1], Function: m[2], File: place[1]}
			f.Line, _ = strconv.Atoi(place[2])
			b.frame(&b.list[current], f)
			continue
		}
		if m := javaMore.FindStringSubmatch(l); m != nil {
			n, _ := strconv.Atoi(m[1])
			b.list[current].Omitted += n
			continue
		}
		m := javaHead.FindStringSubmatch(l)
		if m == nil || m[2] == "" {
			b.other(l)
			continue
		}
		depth := strings.Count(l[:len(l)-len(strings.TrimLeft(l, "\t "))], "\t")
		parent, relation := at[depth], "cause"
		if strings.HasPrefix(m[2], "Suppressed") {
			parent, relation = at[max(0, depth-1)], "suppressed"
		}
		current = b.begin(m[4], m[5], parent, relation)
		at[depth] = current
	}
}

// javaHeadOf reads "a.b.CException: x", also behind words. Words in capitals
// are a log's level.
func javaHeadOf(line string) head {
	h := introduced(line, javaIntro, javaClass, javaFails)
	if h.sure == perhaps && strings.ToUpper(h.typ) == h.typ {
		return head{}
	}
	return h
}
