package symbolicate

import (
	"strings"
	"unicode/utf8"

	"firethorn/internal/core/event"
	"firethorn/internal/core/symbols"
)

const (
	// maxStatement bounds a statement in bytes.
	maxStatement = 200
	// aroundStatement is how many bytes each side of a position are looked at.
	aroundStatement = 400
)

// statement is the source text at a place of source i, which counts lines from 1
// and columns from 0: up to the ends of its statement, within its line, with
// one space for every white space. "" where the text is not known.
func statement(file *symbols.File, i, line, column int) (string, error) {
	if column > farthestColumn {
		return "", nil
	}
	lines, err := file.SourceLines(i, line-1, line-1, 3*(column+aroundStatement))
	if err != nil || len(lines) == 0 {
		return "", err
	}
	return statementAt(lines[0], column), nil
}

// statementAt cuts the statement at a column (UTF-16 units, from 0) out of a line.
func statementAt(line string, column int) string {
	at, units := 0, 0
	for at < len(line) && units < column {
		r, n := utf8.DecodeRuneInString(line[at:])
		at += n
		if units++; r > 0xffff {
			units++
		}
	}
	before, behind := line[max(0, at-aroundStatement):at], line[at:min(len(line), at+aroundStatement)]
	if k := strings.LastIndexAny(before, ";{}"); k >= 0 {
		before = before[k+1:]
	}
	if k := strings.IndexAny(behind, ";{}"); k >= 0 {
		behind = behind[:k]
	}
	text := strings.Join(strings.Fields(strings.ToValidUTF8(before+behind, "")), " ")
	if strings.Trim(text, "()[],.:?=>") == "" {
		return ""
	}
	return event.TrimText(text, maxStatement)
}
