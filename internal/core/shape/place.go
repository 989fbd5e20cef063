package shape

import (
	"regexp"
	"strings"
)

// urlForm is the shape of an address: scheme and path by segment stay, the host,
// the query and the fragment go.
func urlForm(w string, at int) string {
	scheme, rest := w[:at], w[at+3:]
	if i := strings.LastIndexAny(scheme, "=(:,"); i >= 0 { // "url=https://…"
		return form(scheme[:i]) + scheme[i:i+1] + urlForm(w[i+1:], at-i-1)
	}
	host, path, _ := strings.Cut(rest, "/")
	if scheme == "file" || scheme == "webpack" || scheme == "webpack-internal" {
		return "<path>" + codeBase(path)
	}
	_ = host
	out := strings.ToLower(scheme) + "://<host>"
	tail := ""
	if i := strings.IndexAny(path, "?#"); i >= 0 {
		path, tail = path[:i], "?<query>"
		if rest[len(host)+1+i] == '#' {
			tail = ""
		}
	}
	if path != "" {
		out += "/" + segments(path, "/")
	}
	return out + tail
}

// segments is the shape of a path by its segments.
func segments(path, sign string) string {
	path, query, asked := strings.Cut(path, "?")
	parts := strings.Split(path, sign)
	for i, p := range parts {
		if shape := form(p); !strings.HasPrefix(p, "v") || len(p) > 3 { // v2 is an interface's version
			parts[i] = shape
		}
	}
	out := strings.Join(parts, sign)
	if asked && query != "" {
		out += "?<query>"
	}
	return out
}

var (
	drive   = regexp.MustCompile(`^(?:[A-Za-z]:[\\/]|\\\\)`)
	codeExt = regexp.MustCompile(`(?i)\.(?:[cm]?[jt]sx?|vue|svelte|py|rb|go|rs|java|kt|scala|cs|fs|vb|php|phtml|ex|exs|erl|c|cc|cpp|h|hpp|m|mm|swift|dart|lua|pl|pm|sql|sh|html?|css|scss|json|ya?ml|toml|xml|proto|graphql|so|dll|exe|jar|conf|ini|properties|gradle|lock)$`)
	fileEnd = regexp.MustCompile(`^(.*?)((?::\d+)+)$`)
	// roots are where the paths of disks begin, not those of addresses.
	roots = regexp.MustCompile(`^/(?:home|Users|tmp|var|srv|usr|opt|etc|root|mnt|media|dev|proc|private|app|workspace|build|data|Library|Volumes|System|run|lib|bin|nix|github)(?:/|$)`)
)

// pathForm is the shape of a path: on a disk, its base name where that looks like
// code; of an address, by segment.
func pathForm(w string) (string, bool) {
	if m := fileEnd.FindStringSubmatch(w); m != nil && (strings.ContainsAny(m[1], `/\`) || codeExt.MatchString(m[1])) {
		file, ok := pathForm(m[1])
		if !ok {
			file = codeName(m[1])
		}
		return file + strings.Repeat(":<number>", strings.Count(m[2], ":")), true
	}
	switch {
	case drive.MatchString(w), strings.HasPrefix(w, "~/"):
		return "<path>" + codeBase(strings.ReplaceAll(w, `\`, "/")), true
	case !strings.Contains(w, "/"):
		return "", false
	case roots.MatchString(w), strings.HasPrefix(w, "/") && codeExt.MatchString(w):
		return "<path>" + codeBase(w), true
	case strings.HasPrefix(w, "/"):
		return segments(w, "/"), true
	case strings.HasPrefix(w, "./"), strings.HasPrefix(w, "../"), codeExt.MatchString(w):
		return segments(w, "/"), true
	}
	return "", false
}

// codeBase is the last part of a path where that is the name of code, with a
// slash before it; "" for other files.
func codeBase(path string) string {
	base := path[strings.LastIndexByte(path, '/')+1:]
	if base == "" || !codeExt.MatchString(base) {
		return ""
	}
	return "/" + codeName(base)
}

// codeName is a file's name without a hash in it: "main.3f2a9c.js".
func codeName(name string) string {
	parts := strings.Split(name, ".")
	for i, p := range parts[:len(parts)-1] {
		parts[i] = form(p)
	}
	return strings.Join(parts, ".")
}

const (
	month = `(?:jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sept?(?:ember)?|oct(?:ober)?|nov(?:ember)?|dec(?:ember)?)`
	day   = `(?:mon|tues?|wed(?:nes)?|thu(?:rs)?|fri|sat(?:ur)?|sun)(?:day)?`
	clock = `(?:,?\s+(?:at\s+)?\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?:\s?[ap]m)?)?`
	zone  = `(?:\s+(?:GMT|UTC|Z|[A-Z]{3,4}|GMT[+-]\d{4}|[+-]\d{4}))?(?:\s+\([A-Z][\w ]+\))?`
)

var wordDate = regexp.MustCompile(`^(?i)(?:` + day + `,?\s+)?(?:\d{1,2}(?:st|nd|rd|th|\.)?\s+` + month + `\.?,?\s+\d{4}|` + month + `\.?\s+\d{1,2}(?:st|nd|rd|th)?,?\s+\d{4}|` + month + `\s+\d{1,2}\s+\d{1,2}:\d{2}:\d{2}(?:\s+(?-i:[A-Z]{3,4}))?(?:\s+\d{4})?)` + clock + `(?-i:` + zone + `)`)

// dateInWords is how long a date is that is written with the month's name; 0:
// there is none.
func dateInWords(text string) int {
	head := strings.ToLower(text[:min(len(text), 14)])
	if len(head) < 8 {
		return 0
	}
	if c := head[0]; c >= '0' && c <= '9' {
		i := strings.IndexByte(head, ' ')
		if i < 1 || i > 4 || i+3 >= len(head) || !monthly[head[i+1:i+4]] {
			return 0
		}
	} else if !monthly[head[:3]] && !daily[head[:3]] {
		return 0
	}
	return len(wordDate.FindString(text))
}

var (
	monthly = set("jan feb mar apr may jun jul aug sep oct nov dec")
	daily   = set("mon tue wed thu fri sat sun")
)
