// Package attributes lists the searchable attributes of an event: those of the event and its resource
// under their own names, and values derived from them, such as browser, operating system, device, and
// the path and template of a URL.
//
// Input is an event; output is values by name. Names are OpenTelemetry's (semantic
// conventions) where there are any. Pure.
package attributes

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/mileusna/useragent"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/event"
)

const (
	// MaxValue is how many bytes of a value are searched.
	MaxValue = 1000
	// MaxName is how long a name may be that is searched, in bytes.
	MaxName = 200
)

// Named is a value under its name.
type Named struct {
	Name  string
	Value columns.Value
}

// leftOut are names that other indexes serve, or that hold whole texts.
var leftOut = []string{"session.id", "exception.stacktrace", "exception.message", "exception.type", "code.stacktrace"}

// Of lists what of an event can be searched, by name. What the event says itself
// counts before what its resource says, and both before what follows from them.
func Of(e *event.Event) []Named {
	found := map[string]columns.Value{}
	for _, from := range []event.Attributes{e.Attributes, e.Resource} {
		for name, v := range from {
			if _, ok := found[name]; ok || len(name) > MaxName || slices.Contains(leftOut, name) {
				continue
			}
			if value, ok := valueOf(v); ok {
				found[name] = value
			}
		}
	}
	derive(e, func(name, value string) {
		if _, ok := found[name]; ok || value == "" {
			return
		}
		if n, err := strconv.Atoi(value); err == nil && strings.HasSuffix(name, ".version") {
			found[name] = columns.NumberValue(float64(n))
			return
		}
		found[name] = columns.TextValue(event.TrimText(value, MaxValue))
	})
	out := make([]Named, 0, len(found))
	for name, v := range found {
		out = append(out, Named{name, v})
	}
	slices.SortFunc(out, func(a, b Named) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// valueOf is an attribute as it is searched. Lists are searched as their parts with
// commas between them.
func valueOf(v any) (columns.Value, bool) {
	switch v := v.(type) {
	case nil:
		return columns.Value{}, false
	case string:
		return columns.TextValue(event.TrimText(v, MaxValue)), v != "" // nothing was said
	case bool:
		return columns.TextValue(strconv.FormatBool(v)), true
	case float64:
		return columns.NumberValue(v), true
	case int64:
		return columns.NumberValue(float64(v)), true
	case int:
		return columns.NumberValue(float64(v)), true
	case []any:
		parts := make([]string, len(v))
		for i, x := range v {
			parts[i] = fmt.Sprint(x)
		}
		return columns.TextValue(event.TrimText(strings.Join(parts, ", "), MaxValue)), true
	default:
		return columns.TextValue(event.TrimText(fmt.Sprint(v), MaxValue)), true
	}
}

// derive adds what follows from an event's own attributes.
func derive(e *event.Event, tell func(name, value string)) {
	text := func(name string) string {
		for _, from := range []event.Attributes{e.Attributes, e.Resource} {
			if v, ok := valueOf(from[name]); ok {
				return v.String()
			}
		}
		return ""
	}
	if len(e.Exceptions) > 0 {
		tell("error.type", e.Exceptions[0].Type)
	}
	agent(text, tell)
	path := text("url.path")
	if path == "" {
		if u, err := url.Parse(text("url.full")); err == nil && u.Host != "" {
			path = u.Path
			tell("url.path", path)
		}
	}
	tell("url.template", Template(path))
}

// agent reads a user agent and the hints of a browser.
func agent(text func(string) string, tell func(name, value string)) {
	brand, version := hint(text("browser.brands"))
	tell("browser.name", brand)
	tell("browser.version", version)
	if text("browser.mobile") == "true" {
		tell("device.type", "phone")
	}
	tell("os.name", text("browser.platform"))
	tell("browser.name", text("user_agent.name"))
	tell("browser.version", major(text("user_agent.version")))
	original := text("user_agent.original")
	if original == "" {
		return
	}
	ua := useragent.Parse(original)
	tell("browser.name", ua.Name)
	tell("browser.version", major(ua.Version))
	tell("os.name", ua.OS)
	tell("os.version", major(ua.OSVersion))
	tell("device.model.name", ua.Device)
	switch {
	case ua.Bot:
		tell("device.type", "bot")
	case ua.Tablet:
		tell("device.type", "tablet")
	case ua.Mobile:
		tell("device.type", "phone")
	case ua.Desktop:
		tell("device.type", "desktop")
	}
}

// hint is the browser that a list of brands names, which also names its engine and
// something made up (Sec-CH-UA, User-Agent Client Hints).
func hint(brands string) (name, version string) {
	for _, part := range strings.Split(brands, ",") {
		fields := strings.Fields(strings.NewReplacer(`"`, " ", ";v=", " ").Replace(part))
		if len(fields) == 0 || strings.Contains(strings.ToLower(part), "not") {
			continue
		}
		v := ""
		if n := len(fields); n > 1 && fields[n-1][0] >= '0' && fields[n-1][0] <= '9' {
			v, fields = fields[n-1], fields[:n-1]
		}
		this := strings.TrimPrefix(strings.Join(fields, " "), "Google ")
		if this == "Chromium" && name != "" {
			continue
		}
		name, version = this, major(v)
	}
	return name, version
}

// major is the first part of a version.
func major(version string) string {
	first, _, _ := strings.Cut(version, ".")
	return first
}

// Template is a path with its ids taken out: /berths/17/map is /berths/{id}/map.
func Template(path string) string {
	parts := strings.Split(path, "/")
	for i, p := range parts {
		if isID(p) {
			parts[i] = "{id}"
		}
	}
	return strings.Join(parts, "/")
}

// isID says whether a part of a path names one thing of many: a number, a UUID, a
// long word with digits in it.
func isID(part string) bool {
	digits, others, hex := 0, 0, true
	for _, c := range part {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c >= 'a' && c <= 'f', c >= 'A' && c <= 'F', c == '-':
			others++
		default:
			others++
			hex = false
		}
	}
	switch {
	case digits == 0:
		return false
	case others == 0:
		return true
	case hex:
		return digits+others >= 8
	}
	return digits >= 3 && digits+others >= 6 || digits+others >= 16
}
