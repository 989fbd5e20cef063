package rules

import (
	"fmt"
	"math"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/release"
)

// Exception is a thrown value as conditions see it.
type Exception struct {
	Type    string `cel:"type"`
	Message string `cel:"message"`
	Thrown  string `cel:"thrown"` // "string", "number" … where the value was no error
}

// Frame is a frame as conditions see it.
type Frame struct {
	Function string `cel:"function"`
	Module   string `cel:"module"` // the package, class or path that the fingerprint names
	Path     string `cel:"path"`   // the source file, where the frame could be resolved; else as File
	File     string `cel:"file"`   // as the runtime printed it
	Line     int64  `cel:"line"`
	Kind     string `cel:"kind"` // own, vendor, runtime
}

// Breadcrumb is a breadcrumb as conditions see it.
type Breadcrumb struct {
	Kind     string `cel:"kind"`
	Message  string `cel:"message"`
	Severity string `cel:"severity"`
}

// Facts are one event as conditions see it. Frames are made readable when the
// first condition asks for them. Not safe for concurrent use.
type Facts struct {
	event    *event.Event
	thrown   time.Time
	frames   func() [][]event.Frame
	print    func() string
	occasion Occasion // on which an alert rule is asked
	known    map[string]ref.Val
}

// NewFacts prepares an event. frames gives its frames by exception, innermost
// first.
func NewFacts(e *event.Event, thrown time.Time, frames func() [][]event.Frame) *Facts {
	return &Facts{event: e, thrown: thrown, frames: frames, known: map[string]ref.Val{}}
}

// WithPrint gives the computed fingerprint, which grouping rules can name, when
// one asks for it.
func (f *Facts) WithPrint(print func() string) *Facts {
	f.print = print
	return f
}

// variable is a name that conditions can use.
type variable struct {
	name, doc string
	kind      *cel.Type
	value     func(*Facts) any
}

var (
	exceptionType  = cel.ObjectType("rules.Exception")
	frameType      = cel.ObjectType("rules.Frame")
	breadcrumbType = cel.ObjectType("rules.Breadcrumb")
	factsType      = cel.OpaqueType("rules.Facts")
)

// variables are all names a condition can use.
var variables = []variable{
	{"message", "the event's own message, else that of the reported exception", cel.StringType, func(f *Facts) any {
		if f.event.Message == "" && len(f.event.Exceptions) > 0 {
			return f.event.Exceptions[0].Message
		}
		return f.event.Message
	}},
	{"exception", "the reported exception: type, message, thrown; all empty when there is none", exceptionType, func(f *Facts) any {
		if len(f.event.Exceptions) == 0 {
			return Exception{}
		}
		return exceptionOf(f.event.Exceptions[0])
	}},
	{"exceptions", "all exceptions, the reported one first", cel.ListType(exceptionType), func(f *Facts) any {
		out := []Exception{}
		for _, x := range f.event.Exceptions {
			out = append(out, exceptionOf(x))
		}
		return out
	}},
	{"frames", "the frames of all exceptions, innermost first: function, module, path, file, line, kind (own, vendor, runtime)", cel.ListType(frameType), func(f *Facts) any {
		out := []Frame{}
		for _, list := range f.frames() {
			for _, fr := range list {
				out = append(out, frameOf(fr))
			}
		}
		return out
	}},
	{"origin", "the frame that is blamed: function, module, path, file, line, kind; all empty when there is none", frameType, func(f *Facts) any {
		frames := f.frames()
		if i, j, ok := blame.Origin(frames); ok {
			return frameOf(frames[i][j])
		}
		return Frame{}
	}},
	{"messages", "the event's own message, where it has one, and those of all exceptions", cel.ListType(cel.StringType), func(f *Facts) any {
		out := []string{}
		if f.event.Message != "" {
			out = append(out, f.event.Message)
		}
		for _, x := range f.event.Exceptions {
			if x.Message != "" {
				out = append(out, x.Message)
			}
		}
		return out
	}},
	{"attributes", "the event's attributes by name; asking for one that is absent fails, attr(\"NAME\") does not", cel.MapType(cel.StringType, cel.DynType), func(f *Facts) any { return map[string]any(f.event.Attributes) }},
	{"resource", "the attributes of what reported, by name", cel.MapType(cel.StringType, cel.DynType),
		func(f *Facts) any {
			return map[string]any(f.event.Resource)
		}},
	{"said", "the application's own key (its grouping field), filled in: texts", cel.ListType(cel.StringType), func(f *Facts) any {
		return append([]string{}, fingerprint.OwnKey(f.event)...)
	}},
	{"computed", "the fingerprint as it is computed, without the application's word; \"\" in intake rules", cel.StringType, func(f *Facts) any {
		if f.print == nil {
			return ""
		}
		return f.print()
	}},
	{"breadcrumbs", "oldest first: kind, message, severity", cel.ListType(breadcrumbType), func(f *Facts) any {
		out := []Breadcrumb{}
		for _, b := range f.event.AllBreadcrumbs() {
			out = append(out, Breadcrumb{b.Kind, b.Message, string(b.Severity)})
		}
		return out
	}},
	{"severity", "trace, debug, info, warn, error or fatal", cel.StringType, func(f *Facts) any {
		return string(f.event.Severity)
	}},
	{"handled", "the application caught it; false also when that is not known", cel.BoolType, func(f *Facts) any { return f.event.Handled != nil && *f.event.Handled }},
	{"unhandled", "nothing caught it; false also when that is not known", cel.BoolType, func(f *Facts) any {
		return f.event.Handled != nil && !*f.event.Handled
	}},
	{"release", "service.version, else the commit; \"\" when the event names neither", cel.StringType, func(f *Facts) any { return f.event.Release() }},
	{"environment", "\"unknown\" when the event names none", cel.StringType, func(f *Facts) any {
		return f.event.Environment()
	}},
	{"scope", "the instrumentation scope", cel.StringType, func(f *Facts) any { return f.event.Scope }},
	{"trace_id", "of the trace it was thrown in", cel.StringType, func(f *Facts) any { return f.event.TraceID }},
	{"stands_for", "how many events it counts as", cel.IntType, func(f *Facts) any { return f.event.StandsFor }},
	{"time", "when it was thrown", cel.TimestampType, func(f *Facts) any { return f.thrown }},
}

func frameOf(f event.Frame) Frame {
	return Frame{f.Called(), blame.Module(f), f.File, f.Raw.File, int64(f.Line), string(f.Kind)}
}

func exceptionOf(x event.Exception) Exception { return Exception{x.Type, x.Message, x.Thrown} }

// allVariables are those of every section.
var allVariables = slices.Concat(variables, alertVariables)

// factsName is the name under which the event itself stands; conditions
// cannot write it.
const factsName = "@facts"

// ResolveName gives a variable's value; it makes Facts an activation.
func (f *Facts) ResolveName(name string) (any, bool) {
	if name == factsName {
		return f, true
	}
	if v, ok := f.known[name]; ok {
		return v, true
	}
	for _, v := range allVariables {
		if v.name == name {
			val := language().CELTypeAdapter().NativeToValue(v.value(f))
			f.known[name] = val
			return val, true
		}
	}
	return nil, false
}

// Parent makes Facts an activation.
func (f *Facts) Parent() cel.Activation { return nil }

// attr is an attribute as text: of the event, else of its resource; "" when it
// is absent.
func (f *Facts) attr(name string) string {
	v, ok := f.event.Attributes[name]
	if !ok {
		v, ok = f.event.Resource[name]
	}
	if !ok {
		return ""
	}
	switch v := v.(type) {
	case string:
		return v
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return fmt.Sprint(v)
}

// number is an attribute as a number; one that is absent or no number is less,
// equal and greater than nothing.
func (f *Facts) number(name string) float64 {
	n, err := strconv.ParseFloat(f.attr(name), 64)
	if err != nil {
		return math.NaN()
	}
	return n
}

func (f *Facts) hasAttr(name string) bool {
	_, own := f.event.Attributes[name]
	_, shared := f.event.Resource[name]
	return own || shared
}

// ConvertToNative makes Facts a value of the language; it is nothing else.
func (f *Facts) ConvertToNative(t reflect.Type) (any, error) {
	return nil, fmt.Errorf("an event is no %s", t)
}

// ConvertToType makes Facts a value of the language.
func (f *Facts) ConvertToType(t ref.Type) ref.Val {
	return types.NewErr("an event is no %s", t.TypeName())
}

// Equal makes Facts a value of the language.
func (f *Facts) Equal(other ref.Val) ref.Val { return types.Bool(other == ref.Val(f)) }

// Type makes Facts a value of the language.
func (f *Facts) Type() ref.Type { return factsType }

// Value makes Facts a value of the language.
func (f *Facts) Value() any { return f }

// before says whether release a comes before release b by their versions;
// false when they are not both versions.
func before(a, b string) bool {
	order := release.Compare(release.Release{Version: a}, release.Release{Version: b}, release.Versions, nil)
	return order.Compare < 0 && order.By == release.ByVersion
}

// crawlers are user agents of programs that read pages for others: they say so
// by a word, or give an address where that is explained.
var crawlers = regexp.MustCompile(`(?i)bot\b|bot[/;_-]|crawl|spider|slurp|scrap(er|y)|headless|\+https?://|preview`)

// crawler says whether a user agent is a program's.
func crawler(agent string) bool { return crawlers.MatchString(agent) }

// extension says whether a file belongs to a browser's extension.
func extension(file string) bool {
	scheme, _, ok := strings.Cut(file, "://")
	return ok && (strings.HasSuffix(scheme, "-extension") || strings.HasSuffix(scheme, "-web-extension"))
}
