package symbols

import (
	"bytes"
	"fmt"

	"firethorn/internal/core/sourcemap"
)

// A map and a bundle misfit when more than one in misfitShare positions, and
// at least misfitLeast, lie where the bundle has no text: some builds write a
// few such.
const (
	misfitShare = 50
	misfitLeast = 3
)

// Misfit says why a map cannot belong to a bundle, "" when it can: positions
// that it describes lie outside the text. nil code fits everything.
func Misfit(m *sourcemap.Map, code []byte) string {
	if code == nil {
		return ""
	}
	var lengths []int // in bytes: never fewer than UTF-16 units
	for line := range bytes.SplitSeq(code, []byte{'\n'}) {
		lengths = append(lengths, len(line))
	}
	all, outside, first := 0, 0, ""
	for s := range m.Positions.All() {
		all++
		line := int(s.Gen.Line)
		if line < len(lengths) && int(s.Gen.Col) <= lengths[line] {
			continue
		}
		if outside++; first == "" {
			first = fmt.Sprintf("the map describes position %d:%d, where the bundle has only %d lines", line+1, s.Gen.Col+1, len(lengths))
			if line < len(lengths) {
				first = fmt.Sprintf("the map describes position %d:%d, where that line of the bundle has only %d characters", line+1, s.Gen.Col+1, lengths[line])
			}
		}
	}
	if outside < misfitLeast || outside*misfitShare <= all {
		return ""
	}
	return fmt.Sprintf("%s, and %d more such of %d", first, outside-1, all)
}
