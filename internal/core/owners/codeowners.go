// Package owners proposes owners for an issue by CODEOWNERS, by who changed its code, and by who fixed
// it before. People who already own much rank lower.
//
// Reading order: codeowners.go (the file), propose.go (who, and why).
package owners

import (
	"fmt"
	"strings"

	"firethorn/internal/core/text"
)

// Places are where a repository's CODEOWNERS may stand; the first that is there
// counts.
var Places = []string{"CODEOWNERS", ".github/CODEOWNERS", ".gitlab/CODEOWNERS", "docs/CODEOWNERS"}

// Rule is a line of a CODEOWNERS file: who owns what a pattern matches; nobody,
// when it names no owner.
type Rule struct {
	Line    int
	Pattern string
	Owners  []string // as written: an address, @NAME or @GROUP/NAME
	parts   []string // of the pattern; "**" is any number of directories
}

// Bad is a line that cannot be used, and why.
type Bad struct {
	Line int
	Text string
	Why  string
}

// File is a CODEOWNERS file. The last rule that matches a path counts.
type File struct{ Rules []Rule }

// maxLines are read; what follows is reported.
const maxLines = 20_000

// Parse reads a CODEOWNERS file. Lines that cannot be used are left out and
// reported, so that one mistake does not take everybody's ownership away.
func Parse(text string) (f File, bad []Bad) {
	n := 0
	for line := range strings.Lines(text) {
		n++
		if n > maxLines {
			return f, append(bad, Bad{n, "", fmt.Sprintf("only the first %d lines are read", maxLines)})
		}
		line = strings.TrimRight(line, "\r\n")
		fields := split(line)
		if len(fields) == 0 {
			continue
		}
		r := Rule{Line: n, Pattern: fields[0]}
		why := ""
		if r.parts, why = compile(fields[0]); why == "" {
			for _, o := range fields[1:] {
				if !strings.Contains(o, "@") {
					why = fmt.Sprintf("%q is no owner: write an address, @NAME or @GROUP/NAME", o)
					break
				}
				r.Owners = append(r.Owners, o)
			}
		}
		if why != "" {
			bad = append(bad, Bad{n, line, why})
			continue
		}
		f.Rules = append(f.Rules, r)
	}
	return f, bad
}

// split takes a line apart at blanks that are not escaped, up to a comment.
func split(line string) (fields []string) {
	var b strings.Builder
	for i := 0; i < len(line); i++ {
		switch c := line[i]; {
		case c == '\\' && i+1 < len(line):
			i++
			if line[i] != ' ' && line[i] != '#' {
				b.WriteByte('\\')
			}
			b.WriteByte(line[i])
		case c == '#' && b.Len() == 0:
			return fields
		case c == ' ' || c == '\t':
			if b.Len() > 0 {
				fields = append(fields, b.String())
				b.Reset()
			}
		default:
			b.WriteByte(c)
		}
	}
	if b.Len() > 0 {
		fields = append(fields, b.String())
	}
	return fields
}

// compile takes a pattern apart; why says what is wrong with it.
func compile(pattern string) (parts []string, why string) {
	switch {
	case strings.HasPrefix(pattern, "!"):
		return nil, "a pattern cannot be turned round with !"
	case strings.HasPrefix(pattern, "[") && strings.HasSuffix(pattern, "]"):
		return nil, "sections are not read"
	case strings.ContainsAny(pattern, "[]"):
		return nil, "ranges in brackets are not read"
	case strings.Contains(pattern, `\`):
		return nil, `only \# and a blank can be escaped`
	case strings.Count(pattern, "*") > 20:
		return nil, "it has more than 20 stars"
	}
	trimmed := strings.Trim(pattern, "/")
	if trimmed == "" {
		return []string{"**"}, "" // everything
	}
	parts = strings.Split(trimmed, "/")
	for _, p := range parts {
		if p == "" || strings.Contains(p, "**") && p != "**" {
			return nil, "** is allowed only between slashes"
		}
	}
	// One without a slash before its end is looked for anywhere.
	if !strings.HasPrefix(pattern, "/") && len(parts) == 1 {
		parts = append([]string{"**"}, parts...)
	}
	// What names a directory owns what is in it; a star at the end stays in its
	// own directory.
	if last := parts[len(parts)-1]; last != "**" &&
		!(strings.Contains(last, "*") && len(parts) > 1 && !strings.HasSuffix(pattern, "/") && parts[0] != "**") {
		parts = append(parts, "**")
	}
	return parts, ""
}

// Find is the rule that counts for a path; ok is false when none matches.
func (f File) Find(path string) (r Rule, ok bool) {
	parts := strings.Split(strings.Trim(path, "/"), "/")
	for i := len(f.Rules) - 1; i >= 0; i-- {
		if match(f.Rules[i].parts, parts) {
			return f.Rules[i], true
		}
	}
	return Rule{}, false
}

// match compares the parts of a path; "**" is any number of them. Where it
// fails it goes back to the last "**" alone, for what an earlier one could still
// take is needless then: never more steps than the product of both lengths.
func match(pattern, path []string) bool {
	p, i, star, from := 0, 0, -1, 0
	for i < len(path) {
		switch {
		case p < len(pattern) && pattern[p] == "**":
			star, from = p, i
			p++
		case p < len(pattern) && text.Glob(pattern[p], path[i]):
			p, i = p+1, i+1
		case star >= 0:
			from++
			p, i = star+1, from
		default:
			return false
		}
	}
	for p < len(pattern) && pattern[p] == "**" {
		p++
	}
	return p == len(pattern)
}
