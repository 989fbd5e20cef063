package stacktrace

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

var (
	netFrame = regexp.MustCompile("^\\s*at ([\\w.<>`\\[\\],+|~=$ -]+?) ?\\(([^()]*(?:\\([^()]*\\)[^()]*)*)\\)(?: \\[0x[0-9a-fA-F]+\\])?(?: in (.+?):(?:line )?(\\d+))?\\s*(?:<---)?\\s*$")
	netAsync = regexp.MustCompile(`^(.*)[.+]<(\w+)>[bd]__[\w|]+\.MoveNext$`)
	netLocal = regexp.MustCompile(`^<(\w+)>[bg]__(\w+)\|?[\d_]*$`)
	netClass = regexp.MustCompile(`(?:^|[\s:|\]>-])((?:[A-Za-z_]\w*\.)*[A-Z]\w*): (.*)$`)
	netFails = regexp.MustCompile(`(?:Exception|Error)$`)
	netIntro = regexp.MustCompile(`^\s*Unhandled [Ee]xception[.:] ?`)
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
	first := slices.IndexFunc(lines, netFrame.MatchString)
	b.netChain(lines[:first])
	in := len(b.list) - 1 // the exception whose frames come
	for _, l := range lines[first:] {
		text := strings.TrimSpace(l)
		if strings.HasPrefix(text, "---> (Inner Exception #") || strings.HasPrefix(text, "[ERROR] FATAL") {
			return // repeats what was printed before
		}
		if m := netFrame.FindStringSubmatch(l); m != nil {
			f := event.RawFrame{File: m[3]}
			if strings.HasPrefix(f.File, "<") { // a module's hash
				f.File = ""
			}
			f.Line, _ = strconv.Atoi(m[4])
			f.Module, f.Function = netName(m[1])
			b.frame(&b.list[in], f)
			continue
		}
		switch {
		case strings.HasPrefix(text, "--- End of inner exception stack trace"):
			in = max(in-1, 0)
		case strings.HasPrefix(text, "--- End of stack trace from previous location"), text == "":
		default:
			b.list[in].Rest = append(b.list[in].Rest, l)
		}
	}
}

// netHeadOf reads "A.BException: x", also behind words and indented.
func netHeadOf(line string) head { return introduced(line, netIntro, netClass, netFails) }

// netChain adds the exceptions of the lines before the first frame, outermost
// first; one without a type where no line names one.
func (b *builder) netChain(lines []string) {
	for len(lines) > 0 && (strings.TrimSpace(lines[0]) == "" || strings.TrimSpace(lines[0]) == "Unhandled Exception:") {
		lines = lines[1:]
	}
	x := b.takeHead(lines, netHeadOf)
	if x < 0 {
		x = b.begin("", strings.Join(lines, "\n"), -1, "")
	}
	indent := 0
	if n := len(lines) - 1 - strings.Count(b.list[x].Message, "\n"); n >= 0 {
		indent = indentOf(lines[n])
	}
	parts := strings.Split(strings.ReplaceAll(dedent(b.list[x].Message, indent), "\n ---> ", " ---> "), " ---> ")
	b.list[x].Message = parts[0]
	for i, part := range parts[1:] {
		typ, message := "", part
		first, rest, more := strings.Cut(part, "\n")
		if m := netHead.FindStringSubmatch(first); m != nil {
			typ, message = m[1], m[2]
			if more {
				message += "\n" + rest
			}
		}
		b.begin(typ, message, x+i, "cause")
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
