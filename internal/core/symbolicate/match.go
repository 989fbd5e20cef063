package symbolicate

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
)

// File is one generated file of a release for which symbols were pushed.
type File struct {
	Address string // a URL, or a path below the pushed directory
	DebugID string // lower case, "" when the file has none
}

// Choose finds the file that a frame names among those of a release: by debug
// id first, else by its whole address, else by the longest end of path that
// both share in whole segments. Of several equal ones the last in files, the
// newest, wins. index is -1 and why says what to do when there is none.
func Choose(files []File, file, debugID, project, release string) (index int, why string) {
	index = -1
	if debugID != "" {
		for i, f := range files {
			if f.DebugID == debugID {
				index = i
			}
		}
		if index >= 0 {
			return index, ""
		}
	}
	if release == "" {
		return -1, "the event names no release (service.version), so no symbols can be looked up for it"
	}
	if len(files) == 0 {
		return -1, fmt.Sprintf("no symbols were pushed for release %s; push them: firethorn symbols push --project %s --release %s DIR", release, project, release)
	}
	want, best := splitAddress(file), 0
	for i, f := range files {
		have := splitAddress(f.Address)
		n := commonEnd(want, have)
		if n > 0 && n >= best && (n == len(have) || n == len(want)) {
			index, best = i, n
		}
	}
	if index >= 0 {
		return index, ""
	}
	return -1, fmt.Sprintf("release %s has symbols for %d files, but not for %s; push the directory it is served from, with --served-at", release, len(files), file)
}

// Nearest finds the file that a frame names where nobody said where files are
// served: by debug id, else by the longest end of path that both share, in
// whole segments. Of several equal ones the one in a directory that is called
// by the release goes first, else the last. -1 when there is none.
func Nearest(files []File, file, debugID, release string) int {
	index, best := -1, 0
	want := splitAddress(file)
	for i, f := range files {
		if debugID != "" && f.DebugID == debugID {
			return i
		}
		have := splitAddress(f.Address)
		n := 2 * commonEnd(want, have)
		if n > 0 && release != "" && slices.Contains(have, release) {
			n++
		}
		if n > 0 && n >= best {
			index, best = i, n
		}
	}
	return index
}

// splitAddress cuts an address into host and path segments, without query.
func splitAddress(address string) []string {
	if i := strings.IndexAny(address, "?#"); i > 0 {
		address = address[:i]
	}
	if u, err := url.Parse(address); err == nil && u.Host != "" {
		return append([]string{"//" + strings.ToLower(u.Host)}, segments(u.Path)...)
	}
	return segments(strings.TrimPrefix(address, "file://"))
}

func segments(path string) []string {
	return strings.FieldsFunc(path, func(r rune) bool { return r == '/' || r == '\\' })
}

func commonEnd(a, b []string) int {
	n := 0
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}
