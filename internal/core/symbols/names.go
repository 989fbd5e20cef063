package symbols

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// label is what a function is called in the source.
type label struct {
	name      string
	anonymous bool // name is that of the function around it
	unknown   bool // the source does not say: the built code is asked
	makes     bool // the function makes an error
	behalf    bool // it fails on behalf of its callers
}

// namer finds the names that functions of generated code have in the source.
//
// Where a function's head comes from a place of the source that reads like
// one, the source says what it is called: builds drop and exchange names of
// functions, and inline those that are used once. Else the name it has in the
// generated code is mapped back.
type namer struct {
	m     *sourcemap.Map
	text  map[int]string
	own   map[int]*source         // those that could be read themselves
	texts map[int]*sourcemap.Text // of sources that were asked for a place
	known map[int]label
}

// label is that of function i.
func (n *namer) label(t *scope.Table, i int) label {
	if l, ok := n.known[i]; ok {
		return l
	}
	f := t.At(i)
	l, ok := n.sources(f)
	if !ok {
		l = n.built(f)
	}
	if l.name == "" {
		l.anonymous = true
		if f.Parent >= 0 {
			l.name = n.label(t, f.Parent).name
		}
		via := f.Via
		if !f.ViaMember {
			via = n.original(f.Via, f.ViaPos, false)
		}
		l.name = within(l.name, via, f.ViaText)
	}
	n.known[i] = l
	return l
}

// built is the label of a function that the source says nothing of.
func (n *namer) built(f scope.Func) label {
	if what := initializer(f.Kind); what != "" {
		return label{name: within(n.class(f), what, ""), anonymous: true}
	}
	return label{name: n.function(f), makes: f.Makes}
}

// within says where an anonymous function stands: in which function, and as an
// argument of a call there.
func within(around, via, text string) string {
	if via == "" {
		return around
	}
	if text != "" && len(text) <= maxVia {
		via += "(\"" + text + "\")"
	}
	if around == "" {
		return via
	}
	return around + " › " + via
}

// maxVia is the longest text of an argument that distinguishes calls.
const maxVia = 60

// sources is what the source says of a function whose head comes from one
// that could be read itself.
func (n *namer) sources(f scope.Func) (l label, ok bool) {
	o, found := n.m.Find(f.Start)
	if !found || !o.Exact || n.own[o.Index] == nil {
		return l, false
	}
	t := n.own[o.Index].table
	i, known := n.own[o.Index].find(o.Pos)
	if i < 0 || !known || !o.Pos.Before(t.At(i).Body) && t.At(i).Start != o.Pos {
		return l, false
	}
	return written(t, i), true
}

// written is the label of function i of a source as it was written.
func written(t *scope.Table, i int) label {
	if i < 0 {
		return label{anonymous: true}
	}
	f := t.At(i)
	if f.Kind == scope.Outside {
		return label{unknown: true}
	}
	if what := initializer(f.Kind); what != "" {
		return label{name: within(writtenClass(f), what, ""), anonymous: true}
	}
	if name := writtenName(f); name != "" {
		return label{name: name, makes: f.Makes, behalf: f.OnBehalf}
	}
	return label{name: within(written(t, f.Parent).name, f.Via, f.ViaText), anonymous: true, makes: f.Makes,
		behalf: f.OnBehalf}
}

// initializer says which of a class's functions without a name this is, "":
// none of them.
func initializer(k scope.Kind) string {
	switch k {
	case scope.FieldInitializer:
		return "field initializer"
	case scope.StaticInitializer:
		return "static initializer"
	}
	return ""
}

func writtenClass(f scope.Func) string {
	if f.Class == "" && f.Default && f.Property {
		return defaultExport
	}
	return f.Class
}

func writtenName(f scope.Func) string {
	class := f.Class
	if first, _ := utf8.DecodeRuneInString(class); f.Assigned && !unicode.IsUpper(first) {
		class = ""
	}
	if class == "" {
		class = writtenClass(f)
	}
	name := f.Name
	if name == "" && f.Default && !f.Property {
		name = defaultExport
	}
	return named(f.Kind, class, name)
}

// named puts a function's name together.
func named(kind scope.Kind, class, name string) string {
	switch {
	case kind == scope.Constructor && class == "":
		return name
	case kind == scope.Constructor:
		return "new " + class
	case name == "":
		return ""
	case kind == scope.Getter:
		name = "get " + name
	case kind == scope.Setter:
		name = "set " + name
	}
	if class != "" {
		return class + "." + name
	}
	return name
}

// defaultExport is the name that the language gives to what a module exports
// by default without a name.
const defaultExport = "default"

// function is the original name of a function with its class; "" when it has none.
func (n *namer) function(f scope.Func) string {
	class := n.class(f)
	name, told := "", false
	if !f.Member {
		name, told = n.head(f.Start, functionHead)
	}
	if !told {
		name = n.original(f.Name, f.NamePos, f.Property)
		if name == "" && f.Member && f.Name != "" && f.Name[0] == '#' {
			name, _ = n.head(f.Start, memberHead)
		}
	}
	switch {
	case f.Kind == scope.Constructor:
		name = f.Name
	case name == "" && f.Default && !f.Property:
		name = defaultExport
	}
	return named(f.Kind, class, name)
}

// class is the original name of the class a function belongs to.
func (n *namer) class(f scope.Func) string {
	if f.ClassHead != (sourcemap.Pos{}) || f.Kind == scope.Constructor {
		if name, ok := n.head(f.ClassHead, classHead); ok {
			return name
		}
	}
	class := n.original(f.Class, f.ClassPos, false)
	if first, _ := utf8.DecodeRuneInString(class); f.Assigned && !unicode.IsUpper(first) {
		return ""
	}
	if class == "" && f.Default && f.Property {
		return defaultExport
	}
	return class
}

// original is the name that stood in the source where name stands in the
// generated code: the identifier in the source text, else the map's own.
// A name the build made (bound to nothing in the source) gives "".
func (n *namer) original(name string, at sourcemap.Pos, property bool) string {
	if name == "" || name[0] == '[' {
		return name
	}
	private := ""
	if name[0] == '#' {
		private = "#"
	}
	o, ok := n.m.Find(at)
	exact := ok && o.Exact
	if property && private == "" { // minifiers keep it; bundlers number their modules
		if !exact && (unicode.IsDigit(rune(name[0])) || strings.Contains(name, "/")) {
			return ""
		}
		return name
	}
	if !exact {
		return ""
	}
	id, before := n.identifier(o)
	switch {
	case id != "" && !keyword[id]:
		return private + id
	case keyword[id] && (id == "default" || strings.HasSuffix(before, "default ")):
		return defaultExport
	case o.Name != "":
		return private + strings.Trim(strings.TrimPrefix(o.Name, "#"), `"'`)
	}
	return ""
}

var keyword = map[string]bool{
	"function": true, "const": true, "let": true, "var": true, "class": true, "export": true, "default": true,
	"async": true, "return": true, "new": true, "static": true, "import": true, "if": true, "for": true,
}

// split cuts the text of a source at a place; ok is false when it is not there.
func (n *namer) split(o sourcemap.Original) (before, behind string, ok bool) {
	text := n.texts[o.Index]
	if text == nil {
		text = sourcemap.NewText(n.text[o.Index])
		n.texts[o.Index] = text
	}
	off, ok := text.Offset(o.Pos)
	if src := n.text[o.Index]; ok && off < len(src) {
		return src[:off], src[off:], true
	}
	return "", "", false
}

// identifier reads the identifier at a place of its source, and what stands
// before it.
func (n *namer) identifier(o sourcemap.Original) (id, before string) {
	before, rest, ok := n.split(o)
	if !ok {
		return "", ""
	}
	rest = strings.TrimPrefix(rest, "#")
	if first, _ := utf8.DecodeRuneInString(rest); unicode.IsDigit(first) {
		return "", ""
	}
	end := strings.IndexFunc(
		rest,
		func(r rune) bool { return r != '_' && r != '$' && !unicode.IsLetter(r) && !unicode.IsDigit(r) },
	)
	if end < 0 {
		end = len(rest)
	}
	return rest[:end], before
}

const word = `[\p{L}_$][\p{L}\p{N}_$]*`

// What heads look like in the source, typed or not. The first group is the
// name, where the head itself has one.
var (
	functionHead = regexp.MustCompile(
		`^(?:(?:async\s+)?function\b\s*\*?\s*(` + word + `)?|async\b\s*[(<]|(?:async\s+)?` + word + `\s*=>|[(<])`,
	)
	classHead  = regexp.MustCompile(`^(?:export\s+)?(?:default\s+)?(?:abstract\s+)?class\b\s*(` + word + `)?`)
	memberHead = regexp.MustCompile(
		`^(?:(?:static|async|get|set|public|private|protected|override)\s+|\*\s*)*(#?` + word + `)\s*[(<]`,
	)
)

// What a head without a name is bound to: the end of the text before it. A
// variable or a field with its type comes first, for the type stands nearer.
var boundTo = []*regexp.Regexp{
	regexp.MustCompile(
		`(?:\b(?:const|let|var)\s+|[{;\n]\s*(?:(?:public|private|protected|readonly|static|override)\s+)*)(` + word + `)[?!]?\s*:[^=;\n]*(?:=>[^=;\n]*)*=[\s(]*(?:async\s*)?$`,
	),
	regexp.MustCompile(`(#?` + word + `)\s*(?:=|\?\?=|\|\|=|&&=)[\s(]*(?:async\s*)?$`),
	regexp.MustCompile(
		`[{,\n]\s*(?:(` + word + `|\d+)|'([^'\n]*)'|"([^"\n]*)"|\['([^'\n]*)'\]|\["([^"\n]*)"\]|(\[Symbol\.\w+\]))\s*:[\s(]*(?:async\s*)?$`,
	),
	regexp.MustCompile(`\[['"]([^'"\n]*)['"]\]\s*=[\s(]*(?:async\s*)?$`),
}

var exported = regexp.MustCompile(`\bexport\s+default\s*(?:async\s*)?$`)

// before is how much text in front of a head is looked at for its binding.
const before = 160

// head is the name of the function or class whose head stands, in the
// source, where at comes from. ok is false when no head stands there.
func (n *namer) head(at sourcemap.Pos, form *regexp.Regexp) (name string, ok bool) {
	o, found := n.m.Find(at)
	if !found || !o.Exact {
		return "", false
	}
	front, behind, ok := n.split(o)
	if !ok {
		return "", false
	}
	m := form.FindStringSubmatch(behind[:min(len(behind), before)])
	if m == nil {
		return "", false
	}
	if len(m) > 1 && m[1] != "" && m[1] != "extends" {
		return m[1], true
	}
	front = front[max(0, len(front)-before):]
	for _, form := range boundTo {
		for i, text := range form.FindStringSubmatch(front) {
			if i > 0 && text != "" {
				return text, true
			}
		}
	}
	if exported.MatchString(front) {
		return defaultExport, true
	}
	return "", true
}
