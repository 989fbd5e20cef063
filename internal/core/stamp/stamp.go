// Package stamp links a generated file to its source map by a debug id (ECMA-426): a comment at the
// end of the file, a field in the map, and a table that the client reads at run time. Everything is
// added after the code, so that positions do not change and the map stays correct.
//
// Bytes in, bytes out. Pure.
package stamp

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"firethorn/internal/core/sourcemap"
)

var (
	comment = regexp.MustCompile(`(?m)^[ \t]*//# debugId=([0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12})[ \t]*\r?$\n?`)
	table   = regexp.MustCompile(`(?m)^;\(globalThis\[Symbol\.for\('firethorn\.debugIds'\)\]\?\?=\{\}\)\[new Error\(\)\.stack\]="([0-9a-f-]{36})";\r?$\n?`)
	link    = regexp.MustCompile(`\n//[#@] sourceMappingURL=\S+[ \t\r\n]*$`)
)

// ID reads the debug id that a file carries, in lower case; "" without one.
func ID(code []byte) string {
	if m := comment.FindSubmatch(code); m != nil {
		return strings.ToLower(string(m[1]))
	}
	return ""
}

// Whole says whether a file carries its id where the client finds it too.
func Whole(code []byte) bool {
	m := table.FindSubmatch(code)
	return m != nil && string(m[1]) == ID(code)
}

// Derive makes the id of a file and its map from their texts: the same build
// has the same id, wherever and however often it is built. Neither may carry
// one yet.
func Derive(code, raw []byte) string {
	h := sha256.New()
	h.Write(bytes.TrimRight(link.ReplaceAll(code, nil), "\r\n"))
	h.Write([]byte{0})
	h.Write(raw)
	x := hex.EncodeToString(h.Sum(nil))
	return fmt.Sprintf("%s-%s-4%s-a%s-%s", x[:8], x[8:12], x[13:16], x[17:20], x[20:32])
}

// Code gives a file the id. The comment that links the map stays the last line.
func Code(code []byte, id string) []byte {
	tail := link.Find(code)
	bare := table.ReplaceAll(comment.ReplaceAll(code[:len(code)-len(tail)], nil), nil)
	var b bytes.Buffer
	b.Write(bytes.TrimRight(bare, "\r\n"))
	fmt.Fprintf(&b, "\n;(globalThis[Symbol.for('firethorn.debugIds')]??={})[new Error().stack]=%q;\n//# debugId=%s", id, id)
	b.Write(bytes.TrimRight(tail, "\r\n \t"))
	b.WriteByte('\n')
	return b.Bytes()
}

// ErrNoMap says that a text is no source map.
var ErrNoMap = errors.New("this is no source map")

var member = regexp.MustCompile(`"debugId"\s*:\s*"[^"]*"`)

// Map gives a source map the id; everything else stays as it is written.
func Map(raw []byte, id string) ([]byte, error) {
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrNoMap, err)
	}
	entry := fmt.Sprintf(`"debugId":"%s"`, id)
	if m.DebugID == id {
		return raw, nil
	}
	var out []byte
	if m.DebugID != "" {
		at := member.FindAllIndex(raw, -1)
		if len(at) != 1 { // it may stand in a source's text too
			return nil, fmt.Errorf("%w whose debug id can be told from its sources; build it anew without one", ErrNoMap)
		}
		out = append(append(append(out, raw[:at[0][0]]...), entry...), raw[at[0][1]:]...)
	} else {
		i := bytes.IndexByte(raw, '{') + 1
		rest := bytes.TrimLeft(raw[i:], " \t\r\n")
		if len(rest) > 0 && rest[0] != '}' {
			entry += ","
		}
		out = append(append(append(out, raw[:i]...), entry...), raw[i:]...)
	}
	if again, err := sourcemap.Parse(out); err != nil || again.DebugID != id {
		return nil, fmt.Errorf("%w that an id can be written into", ErrNoMap)
	}
	return out, nil
}

// Inline gives the id to a map inside its file, after the code.
func Inline(code []byte, id string) ([]byte, error) {
	raw, err := sourcemap.Data(sourcemap.Link(code))
	if err != nil {
		return nil, err
	}
	if raw, err = Map(raw, id); err != nil {
		return nil, err
	}
	tail := link.Find(code)
	bare := code[:len(code)-len(tail)]
	return fmt.Appendf(bytes.Clone(bare), "\n//# sourceMappingURL=data:application/json;base64,%s\n",
		base64.StdEncoding.EncodeToString(raw)), nil
}
