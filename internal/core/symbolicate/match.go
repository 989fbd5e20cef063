package symbolicate

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"firethorn/internal/core/shell"
	"firethorn/internal/core/text"
)

// File is one generated file of a release for which symbols were pushed.
type File struct {
	Address string // a URL, or a path below the pushed directory; "*" represents any characters
	DebugID string // lower case, "" when the file has none
	Build   string // tells the contents of two files apart: equal for the same bundle with the same map
	Bare    bool   // a map without its bundle
}

// Wanted is what a frame says of its generated file, and what is known of it.
type Wanted struct {
	File, DebugID    string
	Project, Release string
	InRelease        int    // how many files the release has
	Named            []File // those of the release that are called as the file is, oldest first
	WithID           []File // those of the project that carry the debug id, of any release
}

// Reason is why there is no file to be read for a frame.
type Reason string

// The reasons.
const (
	NoRelease    Reason = "no release"    // the event does not say of which release it is
	NoSymbols    Reason = "no symbols"    // nothing was pushed for the release
	NotThisFile  Reason = "not this file" // other files of the release were pushed
	TwoBuilds    Reason = "two builds"    // the release has several builds of the file
	AnotherBuild Reason = "another build" // what was pushed is not what was loaded
	SharedID     Reason = "shared id"     // several builds carry the debug id
)

// Miss says why there is no file, in words a developer can act on.
type Miss struct {
	Reason Reason
	Text   string
}

// Choose finds the one file that a frame ran: by debug id first, else by its
// address within the release. It never guesses: where two builds could be meant,
// or the pushed one is another than the loaded one, index is -1 and miss says
// what to do. The index is into WithID when byID is true, else into Named.
func Choose(w Wanted) (index int, byID bool, miss Miss) {
	if w.DebugID != "" {
		if i, n := builds(w.Named, func(f File) bool { return f.DebugID == w.DebugID }); n == 1 {
			return i, false, Miss{}
		}
		switch i, n := builds(w.WithID, func(File) bool { return true }); {
		case n == 1:
			return i, true, Miss{}
		case n > 1:
			return -1, false, Miss{SharedID, fmt.Sprintf("%d different builds were pushed with the debug id %s, so it is unknown which one this is; stamp every build again: firethorn symbols stamp DIR", n, w.DebugID)}
		}
	}
	if w.Release == "" {
		return -1, false, Miss{NoRelease, "the event names no release (service.version), so its symbols cannot be found"}
	}
	if w.InRelease == 0 {
		return -1, false, Miss{NoSymbols, fmt.Sprintf("no symbols were pushed for release %s; push them: firethorn symbols push --project %s %s DIR", w.Release, w.Project, shell.Option("--release", w.Release))}
	}
	best := 0
	fits := make([]int, len(w.Named))
	for i, f := range w.Named {
		fits[i] = fit(f.Address, w.File)
		best = max(best, fits[i])
	}
	if best == 0 {
		return -1, false, Miss{NotThisFile, fmt.Sprintf("release %s has symbols for %s, but not for %s; push the directory it is served from, with --served-at", w.Release, text.Counted(int64(w.InRelease), "file"), w.File)}
	}
	k := -1
	i, n := builds(w.Named, func(File) bool { k++; return fits[k] == best })
	if n > 1 {
		return -1, false, Miss{TwoBuilds, fmt.Sprintf("release %s has %d different builds of %s, and the event does not say which it ran; give builds debug ids (firethorn symbols stamp DIR), or each a release of its own", w.Release, n, w.Named[i].Address)}
	}
	if f := w.Named[i]; w.DebugID != "" && f.DebugID != "" {
		return -1, false, Miss{AnotherBuild, fmt.Sprintf("the symbols pushed for this file belong to another build: their debug id is %s, the loaded file's is %s; push the build that is served", f.DebugID, w.DebugID)}
	} else if w.DebugID != "" && !f.Bare {
		return -1, false, Miss{AnotherBuild, fmt.Sprintf("the bundle pushed for this file carries no debug id, but the loaded one does (%s), so it is not the same file; push what the build wrote in the end, after it was stamped", w.DebugID)}
	}
	return i, false, Miss{}
}

// builds finds the newest of the files that are meant, and counts how many
// different builds they are.
func builds(files []File, meant func(File) bool) (newest, n int) {
	newest = -1
	seen := map[string]bool{}
	for i, f := range files {
		if meant(f) {
			newest = i
			seen[f.Build] = true
		}
	}
	return newest, len(seen)
}

// fit says how well a file's address is the pushed one: how many segments at
// the end of both are equal, when one of them is used up by that; 0 when they
// differ.
func fit(pushed, file string) int {
	if strings.Contains(pushed, "*") {
		return fitGlob(pushed, file)
	}
	have, want := splitAddress(pushed), splitAddress(file)
	if n := commonEnd(want, have); n > 0 && (n == len(have) || n == len(want)) {
		return n
	}
	return 0
}

// fitGlob is fit for an address with globs: it matches the whole of a URL,
// or, without a host, for the end of a path.
func fitGlob(pushed, file string) int {
	have, want := splitAddress(pushed), splitAddress(file)
	pattern := strings.Join(have, "/")
	for i := range want {
		if strings.HasPrefix(pattern, "//") && i > 0 {
			break
		}
		if text.Glob(pattern, strings.Join(want[i:], "/")) {
			return len(have)
		}
	}
	return 0
}

// Name is the last part of a generated file's address, by which it is looked
// for among the files of a release.
func Name(address string) string {
	if parts := splitAddress(address); len(parts) > 0 {
		return parts[len(parts)-1]
	}
	return ""
}

// Closest is the pushed file that is most like one that was looked for: by the
// longest common end of path, else by the most equal letters of the name. ""
// when there is nothing alike.
func Closest(files []File, file string) string {
	want, best, closest := splitAddress(file), 0, ""
	for _, f := range files {
		have := splitAddress(f.Address)
		n := 1000 * commonEnd(want, have)
		if n == 0 && len(want) > 0 && len(have) > 0 {
			n = commonLetters(want[len(want)-1], have[len(have)-1])
		}
		if n > best {
			best, closest = n, f.Address
		}
	}
	return closest
}

// commonLetters counts what two names share at both ends, beyond their ending;
// too little is nothing.
func commonLetters(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	if n < 3 {
		return 0
	}
	return n
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
	if strings.Contains(address, "*") { // which is no letter of a host
		if _, rest, ok := strings.Cut(address, "://"); ok {
			host, path, _ := strings.Cut(rest, "/")
			return append([]string{"//" + strings.ToLower(host)}, segments(path)...)
		}
		return segments(address)
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
