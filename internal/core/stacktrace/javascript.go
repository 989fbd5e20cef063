package stacktrace

import (
	"regexp"
	"strconv"
	"strings"
)

var (
	jsMatching = regexp.MustCompile(`^\s*\.\.\. (\d+) lines matching cause stack trace \.\.\.$`)
	jsHead     = regexp.MustCompile(`^\s*(?:Uncaught |throw )?(?:\(in promise\) )?((?:[A-Za-z_$][\w$.]*)?(?:Error|Exception|Rejection|Warning)[\w$]*)(?: \[[\w$]+\])?(?:: (.*))?$`)
	// jsHeadWithin is a head behind words: "worker failed: RangeError: too deep".
	jsHeadWithin = regexp.MustCompile(`(?:^|[\s:|\]])((?:[A-Z][\w$.]*)?(?:Error|Exception|Rejection)[\w$]*(?: \[[\w$]+\])?(?:: .*)?)$`)
	jsMark       = regexp.MustCompile(`^\s*\^+\s*$`)
)

func isJavaScript(line string) bool {
	if !beginsAt(line) && strings.IndexByte(line, '@') < 0 {
		return false
	}
	line = strings.TrimRight(line, " {,")
	f, ok := parseLine(line)
	return ok && f.File != "" && (f.Column > 0 || f.Line == 0 && !strings.HasSuffix(line, ":0") || strings.Contains(f.File, "://"))
}

// readJavaScript reads the engines' dialects, and causes and members of an
// aggregate as Node prints them.
func readJavaScript(b *builder, lines []string) {
	type open struct{ indent, x int }
	var around []open // exceptions whose braces are open, outermost first
	matching := map[int][2]int{}
	current := -1
	members := false
	begin := func(text string, indent int, relation string) {
		parent := -1
		for len(around) > 0 && around[len(around)-1].indent >= indent && indent > 0 {
			around = around[:len(around)-1]
		}
		if len(around) > 0 {
			parent = around[len(around)-1].x
		}
		typ, message := "", text
		if m := jsHead.FindStringSubmatch(text); m != nil {
			typ, message = m[1], m[2]
		}
		if parent < 0 && len(b.list) > 0 {
			parent, relation = 0, "cause"
		}
		current = b.begin(typ, message, parent, relation)
		around = append(around, open{indent, current})
	}
	for i, l := range lines {
		text := strings.TrimSpace(l)
		indent := len(l) - len(strings.TrimLeft(l, " "))
		bare := strings.TrimRight(strings.TrimSuffix(text, "{"), " ,")
		if rest, ok := strings.CutPrefix(text, "[cause]: "); ok {
			begin(rest, indent, "cause")
			continue
		}
		if text == "[errors]: [" {
			members = true
			continue
		}
		if m := jsMatching.FindStringSubmatch(l); m != nil && current >= 0 {
			n, _ := strconv.Atoi(m[1])
			matching[current] = [2]int{len(b.list[current].Frames), n}
			continue
		}
		if f, ok := parseLine(bare); ok && (strings.HasPrefix(bare, "at ") || strings.Contains(bare, "@")) {
			if current < 0 {
				current = b.begin("", "", -1, "")
				around = append(around, open{0, current})
			}
			b.frame(&b.list[current], f)
			continue
		}
		switch m := jsHead.FindStringSubmatch(l); {
		case m != nil && members && indent > 0:
			begin(text, indent, "member")
		case m != nil && current < 0:
			begin(text, indent, "")
		case current < 0 && i+1 < len(lines) && isJavaScript(lines[i+1]) && jsHeadWithin.MatchString(l):
			at := jsHeadWithin.FindStringSubmatchIndex(l)
			b.rest = append(b.rest, strings.TrimSpace(l[:at[2]]))
			begin(strings.TrimSpace(l[at[2]:]), 0, "")
		case text == "" || text == "}" || text == "]" || text == "},":
			members = members && text != "]"
		case current < 0 && jsMark.MatchString(l), current < 0 && i+1 < len(lines) && jsMark.MatchString(lines[i+1]):
			b.rest = append(b.rest, l)
		case current < 0 && i+2 < len(lines) && jsMark.MatchString(lines[i+2]): // the place above the source line
			b.rest = append(b.rest, l)
		default:
			b.other(l)
		}
	}
	for x, m := range matching { // those the cause has as well
		for c := range b.list {
			if b.list[c].Parent != x || b.list[c].Relation != "cause" {
				continue
			}
			after := len(b.list[x].Frames) - m[0]
			from, to := len(b.list[c].Frames)-after-m[1], len(b.list[c].Frames)-after
			if from < 0 || to > len(b.list[c].Frames) || from > to {
				b.list[x].Omitted += m[1]
				break
			}
			shared := b.list[c].Frames[from:to]
			frames := append(append(b.list[x].Frames[:m[0]:m[0]], shared...), b.list[x].Frames[m[0]:]...)
			b.list[x].Frames = frames[:min(len(frames), b.limit)]
			break
		}
	}
}
