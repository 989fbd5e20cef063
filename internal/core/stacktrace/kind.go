package stacktrace

import (
	"net/url"
	"regexp"
	"strings"

	"firethorn/internal/core/event"
)

// KindOf says whose code a frame in this file is. file is a source path where
// the frame was symbolicated, else what the runtime gave.
func KindOf(file string) event.Kind {
	switch {
	case file == "" || file == "native" || file == "<anonymous>" || file == "[native code]",
		strings.HasPrefix(file, "node:"), strings.HasPrefix(file, "internal/"),
		strings.HasPrefix(file, "bun:"), strings.HasPrefix(file, "ext:"), strings.HasPrefix(file, "debugger "):
		return event.Runtime
	case strings.Contains(file, "node_modules/"), strings.Contains(file, "-extension://"),
		strings.HasPrefix(file, "vite/"), strings.HasPrefix(file, "\x00"):
		return event.Vendor
	}
	return event.Own
}

// hashPart is a build's content hash in a file name: "app-3f2aB9x_.js".
var hashPart = regexp.MustCompile(`[-._][0-9A-Za-z_-]{6,24}(\.(?:[cm]?js|css))$`)

// Path is a frame's file without origin, leading dots, query, and content
// hash: what stays the same from build to build and host to host.
func Path(file string) string {
	if i := strings.IndexAny(file, "?#"); i > 0 {
		file = file[:i]
	}
	if u, err := url.Parse(file); err == nil && u.Scheme != "" && len(u.Scheme) > 1 {
		if u.Opaque != "" {
			file = u.Opaque
		} else {
			file = u.Path
		}
	}
	file = strings.ReplaceAll(file, "\\", "/")
	for {
		cut := strings.TrimPrefix(strings.TrimPrefix(strings.TrimPrefix(file, "/"), "./"), "../")
		if cut == file {
			break
		}
		file = cut
	}
	if m := hashPart.FindStringSubmatchIndex(file); m != nil && looksHashed(file[m[0]+1:m[2]]) {
		file = file[:m[0]] + file[m[2]:]
	}
	return file
}

// looksHashed tells a content hash from a word: it has a digit or both cases.
func looksHashed(s string) bool {
	digit := strings.ContainsAny(s, "0123456789")
	mixed := s != strings.ToLower(s) && s != strings.ToUpper(s)
	return len(s) >= 6 && (digit || mixed)
}
