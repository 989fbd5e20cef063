package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

var (
	netFrame = regexp.MustCompile("^\\s*at ([\\w.<>`\\[\\],+|~=$ -]+?) ?\\(([^()]*(?:\\([^()]*\\)[^()]*)*)\\)(?: \\[0x[0-9a-fA-F]+\\])?(?: in (.+?):(?:line )?(\\d+))?\\s*(?:<---)?\\s*$")
	netAsync = regexp.MustCompile(`^(.*)[.+]<(\w+)>[bd]__[\w|]+\.MoveNext$`)
	netLocal = regexp.MustCompile(`^<(\w+)>[bg]__(\w+)\|?[\d_]*$`)
	netHead  = regexp.MustCompile(`^(?:Unhandled [Ee]xception[.:] ?)?((?:[A-Za-z_]\w*\.)*[A-Za-z_]\w*(?:Exception|Error)?): (.*)$`)
)

func isDotNet(line string) bool {
	if !beginsAt(line) || strings.IndexByte(line, '(') < 0 || strings.Contains(line, ".java:") {
		return false
	}
	m := netFrame.FindStringSubmatch(line)
	return m != nil && strings.IndexByte(m[1], '.') > 0 && !strings.Contains(m[2], ":")
}

// readDotNet reads Exception.ToString: a chain of types and messages parted by
// "--->", then the frames of the innermost one first, each block ended by a
// mark.
func readDotNet(b *builder, lines []string) {
	head, in := "", -1 // in: the exception whose frames come
	for _, l := range lines {
		text := strings.TrimSpace(l)
		if strings.HasPrefix(text, "---> (Inner Exception #") || strings.HasPrefix(text, "[ERROR] FATAL") {
			return // said again
		}
		if m := netFrame.FindStringSubmatch(l); m != nil {
			if in < 0 {
				netChain(b, head)
				in = len(b.list) - 1
			}
			f := event.RawFrame{File: m[3]}
			if strings.HasPrefix(f.File, "<") { // a module's hash
				f.File = ""
			}
			f.Line, _ = strconv.Atoi(m[4])
			f.Module, f.Function = netName(m[1])
			b.frame(&b.list[max(in, 0)], f)
			continue
		}
		switch {
		case strings.HasPrefix(text, "--- End of inner exception stack trace"):
			if in > 0 {
				in--
			}
		case strings.HasPrefix(text, "--- End of stack trace from previous location"), text == "":
		case text == "Unhandled Exception:":
		case in < 0:
			head = strings.TrimPrefix(head+"\n"+strings.TrimSuffix(l, "\r"), "\n")
		default:
			b.list[in].Rest = append(b.list[in].Rest, l)
		}
	}
	if in < 0 && head != "" {
		b.rest = append(b.rest, head)
	}
}

// netChain adds the exceptions of a head, outermost first.
func netChain(b *builder, head string) {
	for i, part := range strings.Split(strings.ReplaceAll(head, "\n ---> ", " ---> "), " ---> ") {
		typ, message := "", part
		if m := netHead.FindStringSubmatch(strings.SplitN(part, "\n", 2)[0]); m != nil {
			_, rest, more := strings.Cut(part, "\n")
			typ, message = m[1], m[2]
			if more {
				message += "\n" + rest
			}
		}
		b.begin(typ, message, i-1, "cause")
	}
}

// netName parts a method from its type and undoes the names of async methods
// and local functions.
func netName(name string) (module, function string) {
	if m := netAsync.FindStringSubmatch(name); m != nil {
		return m[1], m[2]
	}
	i := strings.LastIndexByte(name, '.')
	if strings.HasSuffix(name, "..ctor") {
		i = len(name) - len(".ctor") - 1
	}
	if i <= 0 {
		return "", name
	}
	module, function = name[:i], name[i+1:]
	if m := netLocal.FindStringSubmatch(function); m != nil {
		function = m[1]
	}
	return module, function
}
