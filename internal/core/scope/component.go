package scope

import (
	"path"
	"regexp"
	"strings"

	"firethorn/internal/core/sourcemap"
)

// DialectOf gives the dialect of a source by its name. known is false for
// names that say nothing, and for what is no script.
func DialectOf(name string) (d Dialect, known bool) {
	switch ext(name) {
	case ".js", ".mjs", ".cjs", ".jsx", ".es", ".es6", ".jsm":
		return Dialect{Markup: true}, true
	case ".ts", ".mts", ".cts":
		return Dialect{Types: true}, true
	case ".tsx":
		return Dialect{Types: true, Markup: true}, true
	}
	return d, false
}

func ext(name string) string {
	if i := strings.IndexAny(name, "?#"); i >= 0 {
		name = name[:i]
	}
	return strings.ToLower(path.Ext(name))
}

// ScanSource reads a source as its name says what it is written in. nil: it is
// no script and holds none. A table that is not Clean tells how far it could be
// read; the functions of such a one are not to be trusted.
func ScanSource(name, text string) *Table {
	d, known := DialectOf(name)
	if !known {
		switch ext(name) {
		case ".vue", ".svelte", ".astro":
			return scanComponent(name, text)
		case "", ".": // a name that says nothing
			d.Markup = true
		default:
			return nil
		}
	}
	t := ScanAs(text, d)
	if t.Clean || d.Types && d.Markup {
		return t
	}
	// Annotations in files called ".js", and tags in what is called ".ts".
	if other := ScanAs(text, Dialect{Types: true, Markup: true}); other.Clean {
		return other
	}
	if !known {
		return nil
	}
	return t
}

// script is a script within a component.
type script struct {
	from, to int
	dialect  Dialect
	inside   string // the function that its framework puts it into, "": none
}

// scanComponent reads the scripts of a component. What stands outside them,
// and scripts that cannot be read, is not known.
func scanComponent(name, src string) *Table {
	list := scripts(name, src)
	if list == nil {
		if ext(name) == ".astro" || strings.Contains(src, "<template") {
			return nil
		}
		// A tool that cut the component up gives one script under a name like
		// "Deck.vue?vue&type=script&lang.ts".
		// Casts such as "<Deck>berth" can only be read where there are no tags.
		for _, markup := range []bool{true, false} {
			if t := ScanAs(src, Dialect{Types: true, Markup: markup}); t.Clean {
				return t
			}
		}
		return nil
	}
	t := &Table{Clean: true}
	places := sourcemap.NewText(src)
	all := parser{lexer: lexer{src: src}}
	outside := 0
	for _, s := range list {
		p := parse(src[:s.to], s.from, s.dialect)
		if p.failed || p.skipped {
			if t.Problem == nil {
				t.Problem = new(places.At(int(p.problem)))
			}
			continue
		}
		all.cover(outside, s.from, binding{kind: Outside})
		outside = s.to
		if s.inside != "" {
			b := binding{name: s.inside, at: int32(s.from), property: true}
			if s.inside == "setup" {
				b.owner, b.ownerAt = componentName(name), int32(s.from)
			}
			all.cover(s.from, s.to, b)
		}
		for i := range p.funcs {
			if p.funcs[i].class > 0 {
				p.funcs[i].class += len(all.classes)
			}
		}
		all.funcs, all.classes = append(all.funcs, p.funcs...), append(all.classes, p.classes...)
	}
	all.cover(outside, len(src), binding{kind: Outside})
	all.fill(t, places)
	return t
}

// cover notes a stretch that is bound to b.
func (p *parser) cover(from, to int, b binding) {
	p.funcs = append(p.funcs, found{start: int32(from), body: int32(from), end: int32(to), parent: -1, binding: b})
}

var (
	comment   = regexp.MustCompile(`(?s)<!--.*?-->`)
	scriptTag = regexp.MustCompile(`(?is)<script\b((?:[^>"']|"[^"]*"|'[^']*')*)>(.*?)</script\s*>`)
	langTag   = regexp.MustCompile(`(?i)\blang\s*=\s*["']?(\w+)`)
	dataTag   = regexp.MustCompile(`(?i)\btype\s*=\s*["']?(?:application/(?:ld\+)?json|text/(?:template|html|x-))`)
	moduleTag = regexp.MustCompile(`(?i)(?:^|\s)(?:module\b|context\s*=\s*["']?module)`)
	setupTag  = regexp.MustCompile(`(?i)(?:^|\s)setup\b`)
	fenced    = regexp.MustCompile(`(?s)^(\s*---[ \t]*\r?\n)(.*?\n)?---`)
)

// scripts finds the scripts of a component.
func scripts(name, src string) (list []script) {
	kind := ext(name)
	hidden := comment.FindAllStringIndex(src, -1)
	if kind == ".astro" {
		if m := fenced.FindStringSubmatchIndex(src); m != nil && m[4] >= 0 {
			list = append(list, script{m[4], m[5], Dialect{Types: true, Markup: true}, componentName(name)})
		}
	}
	for _, m := range scriptTag.FindAllStringSubmatchIndex(src, -1) {
		attributes := src[m[2]:m[3]]
		if within(hidden, m[0]) || dataTag.MatchString(attributes) || len(list) > 0 && m[0] < list[len(list)-1].to {
			continue
		}
		s := script{from: m[4], to: m[5], dialect: Dialect{Markup: true}}
		if kind == ".astro" {
			s.dialect = Dialect{Types: true}
		}
		if l := langTag.FindStringSubmatch(attributes); l != nil {
			switch strings.ToLower(l[1]) {
			case "ts", "typescript":
				s.dialect = Dialect{Types: true}
			case "tsx":
				s.dialect = Dialect{Types: true, Markup: true}
			}
		}
		switch {
		case kind == ".vue" && setupTag.MatchString(attributes):
			s.inside = "setup"
		case kind == ".svelte" && !moduleTag.MatchString(attributes):
			s.inside = componentName(name)
		}
		list = append(list, s)
	}
	return list
}

func within(spans [][]int, at int) bool {
	for _, s := range spans {
		if s[0] <= at && at < s[1] {
			return true
		}
	}
	return false
}

// Component is the name of the function that a framework makes of a source's
// markup, "" for sources that hold none.
func Component(source string) string {
	switch ext(source) {
	case ".svelte", ".astro":
		return componentName(source)
	case ".vue":
		return componentName(source) + ".render"
	}
	return ""
}

// componentName is what a component is called by its file: "Deck".
func componentName(name string) string {
	if i := strings.IndexAny(name, "?#"); i >= 0 {
		name = name[:i]
	}
	name = path.Base(name)
	return strings.TrimSuffix(name, path.Ext(name))
}
