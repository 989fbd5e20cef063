package symbolicate

import (
	"strings"
	"unicode/utf16"

	"firethorn/internal/core/event"
)

// Excerpt gives the lines of a source around line (counted from 1), Context each
// side; of a long one, of itself the part around column (from 0, in UTF-16 units).
// It is nil where the source ends before the line.
func Excerpt(lines []string, line, column int) []event.SourceLine {
	if line < 1 || line > len(lines) {
		return nil
	}
	from := max(line-1-Context, 0)
	texts := lines[from:min(line+Context, len(lines))]
	out := make([]event.SourceLine, len(texts))
	for k, t := range texts {
		out[k] = event.SourceLine{Line: from + k + 1, Text: shown(strings.TrimSuffix(t, "\r"))}
	}
	if at := &out[line-1-from]; len(texts[line-1-from]) > maxSourceLine {
		cut(at, texts[line-1-from], column)
	}
	return out
}

// Lines are the lines of a source text.
func Lines(text string) []string { return strings.Split(strings.TrimSuffix(text, "\n"), "\n") }

func shown(text string) string {
	return event.TrimText(strings.ToValidUTF8(text, "\ufffd"), maxSourceLine)
}

// cut shows the part of a long line around column, where that lies farther in.
func cut(l *event.SourceLine, text string, column int) {
	if column < sideOfColumn || column > farthestColumn {
		return
	}
	units := utf16.Encode([]rune(strings.ToValidUTF8(text, "\ufffd")))
	if column >= len(units) {
		return
	}
	l.From = column - sideOfColumn
	l.Text = string(utf16.Decode(units[l.From:min(column+sideOfColumn, len(units))]))
}
