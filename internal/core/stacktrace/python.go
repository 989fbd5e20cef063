package stacktrace

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

var (
	pyFrame  = regexp.MustCompile(`^(\s*)(?:\| {1,3})?\s*File "(.+)", line (\d+)(?:, in (.*))?$`)
	pyRepeat = regexp.MustCompile(`^\s*\[Previous line repeated (\d+) more times?\]$`)
	pyGroup  = regexp.MustCompile(`^( *)(?:\| |\+ )(.*)$`)
	pyMember = regexp.MustCompile(`^( *(?:\+-)?)\+-+ (?:\d+|\.\.\.) -+$`)
	pyName   = regexp.MustCompile(`^[A-Za-z_][\w.]*$`)
)

func isPython(line string) bool {
	return strings.Contains(line, `File "`) && pyFrame.MatchString(line)
}

const (
	pyDirect = "The above exception was the direct cause of the following exception:"
	pyDuring = "During handling of the above exception, another exception occurred:"
)

// pyOneLine are exceptions whose message the interpreter itself writes, on one
// line: the text below it is a note that was added.
var pyOneLine = map[string]bool{"AttributeError": true, "NameError": true, "UnboundLocalError": true, "KeyError": true,
	"IndexError": true, "ZeroDivisionError": true, "RecursionError": true, "StopIteration": true,
	"UnicodeDecodeError": true, "UnicodeEncodeError": true}

// pyBlock is one traceback with the exception it ends in.
type pyBlock struct {
	depth  int // of exception groups
	x      Exception
	ended  bool   // its exception was read: what follows is its message
	chains string // what it is to the next one of its depth: "cause", "context"; "" nothing
}

// readPython reads tracebacks: innermost frame last, causes before what they
// caused, members of a group below it.
func readPython(b *builder, lines []string) {
	var blocks []*pyBlock
	var now *pyBlock
	begin := func(depth int) {
		now = &pyBlock{depth: depth}
		blocks = append(blocks, now)
	}
	inTrace := false // source lines may come
	for _, l := range lines {
		depth := 0
		if m := pyMember.FindStringSubmatch(l); m != nil && strings.Contains(l, "+-") {
			begin(len(m[1]) / 2)
			inTrace = false
			continue
		}
		if m := pyGroup.FindStringSubmatch(l); m != nil {
			depth, l = len(m[1])/2, m[2]
		} else if t := strings.TrimSpace(l); strings.HasPrefix(t, "+---") {
			continue // the end of a group
		}
		text := strings.TrimSpace(l)
		switch {
		case strings.HasSuffix(text, "Traceback (most recent call last):"):
			if now == nil || now.ended || len(now.x.Frames) > 0 || now.depth != depth {
				begin(depth)
			}
			inTrace = true
		case text == pyDirect || text == pyDuring:
			if now != nil && text == pyDirect {
				now.chains = "cause"
			} else if now != nil {
				now.chains = "context"
			}
			inTrace = false
		case isPython(l) && (inTrace || now == nil || !now.ended):
			if now == nil {
				begin(depth)
			}
			inTrace = true
			m := pyFrame.FindStringSubmatch(l)
			f := event.RawFrame{File: m[2], Function: m[4]}
			f.Line, _ = strconv.Atoi(m[3])
			now.x.Frames = append(now.x.Frames, f)
		case now != nil && strings.Contains(l, "[Previous line") && pyRepeat.MatchString(l):
			n, _ := strconv.Atoi(pyRepeat.FindStringSubmatch(l)[1])
			now.x.Omitted += n
		case text == "" && (now == nil || !now.ended):
		case inTrace && strings.HasPrefix(l, "    "): // source lines and marks below them
			now.x.Rest = append(now.x.Rest, l)
		case now != nil && !now.ended:
			typ, message, _ := strings.Cut(text, ":")
			if !pyName.MatchString(typ) {
				typ, message = "", text
			}
			now.x.Type, now.x.Message, now.ended, inTrace = typ, strings.TrimPrefix(message, " "), true, false
		case now != nil && pyOneLine[now.x.Type] && text != "": // a note
			now.x.Rest = append(now.x.Rest, l)
		case now != nil:
			now.x.Message += "\n" + l
		default:
			b.rest = append(b.rest, l)
		}
	}
	pyTree(b, blocks)
}

// pyTree puts blocks in order: at each depth the last of a chain first, its
// causes behind it, then its members.
func pyTree(b *builder, blocks []*pyBlock) {
	var place func(list []*pyBlock, parent int, relation string)
	place = func(list []*pyBlock, parent int, relation string) {
		for i := 0; i < len(list); {
			depth := list[i].depth
			// A chain: blocks of this depth up to the one that ends it, with their members.
			var chain, members [][]*pyBlock
			j := i
			for j < len(list) {
				k := j + 1
				for k < len(list) && list[k].depth > depth {
					k++
				}
				chain, members = append(chain, list[j:j+1]), append(members, list[j+1:k])
				more := list[j].chains
				j = k
				if more == "" {
					break
				}
			}
			above, how := parent, relation
			for n := len(chain) - 1; n >= 0; n-- {
				x := chain[n][0].x
				if x.Frames == nil {
					x.Frames = []event.RawFrame{}
				}
				slices.Reverse(x.Frames)
				x.Message = strings.TrimRight(x.Message, "\n")
				if over := len(x.Frames) - b.limit; over > 0 {
					x.Frames, x.Omitted = x.Frames[:b.limit], x.Omitted+over
				}
				x.Parent, x.Relation = above, how
				if above < 0 {
					x.Relation = ""
				}
				b.list = append(b.list, x)
				above = len(b.list) - 1
				if n > 0 {
					how = chain[n-1][0].chains
				}
				place(members[n], above, "member")
			}
			i = j
		}
	}
	place(blocks, -1, "")
}
