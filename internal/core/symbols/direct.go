package symbols

import (
	"strings"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// Direct answers from a map and its code without compiling them: it reads the
// functions of a source, or of the code, when it is first asked for one there.
// For a few questions that is sooner than Compile. It is not safe for
// concurrent use.
type Direct struct {
	m     *sourcemap.Map
	code  []byte
	names namer
	built *scope.Table // the functions of the code, nil: not read yet
	asked map[int]bool // sources that were looked at
}

// NewDirect takes a map and, where it is there, its code (nil: not known).
func NewDirect(m *sourcemap.Map, code []byte) *Direct {
	return &Direct{
		m:     m,
		code:  code,
		asked: map[int]bool{},
		names: namer{
			m:     m,
			text:  map[int]string{},
			own:   map[int]*source{},
			texts: map[int]*sourcemap.Text{},
			known: map[int]label{},
		},
	}
}

// Find returns where at came from, as sourcemap.Map.Find does.
func (d *Direct) Find(at sourcemap.Pos) (sourcemap.Original, bool) { return d.m.Find(at) }

// Function returns the function around the generated position at, which came
// from o, as File.Function does.
func (d *Direct) Function(at sourcemap.Pos, o sourcemap.Original) (fn Function, known bool) {
	if o.Source != "" {
		if s := d.source(o.Index); s != nil {
			if i, known := s.find(o.Pos); known {
				return written(s.table, i).function(), true
			}
		}
	}
	if d.code == nil {
		l, known := label{}.orComponent(o.Source, false)
		return l.function(), known
	}
	if d.built == nil {
		d.built = scope.Scan(d.code)
	}
	i, ok := d.built.Find(at)
	if !ok {
		l, _ := label{}.orComponent(o.Source, true)
		return l.function(), true
	}
	for j := i; j >= 0; j = d.built.At(j).Parent { // what is named after them may be asked for as well
		if o, ok := d.m.Find(d.built.At(j).Start); ok {
			d.source(o.Index)
		}
	}
	l, _ := d.names.label(d.built, i).orComponent(o.Source, true)
	return l.function(), true
}

// orComponent is the label, or where that says nothing the name of the
// component that source is: frameworks make one function of its markup. Where
// they put more than one into that, it takes the generated code to tell.
func (l label) orComponent(source string, known bool) (label, bool) {
	name := scope.Component(source)
	if l.name != "" || name == "" || !known && strings.HasSuffix(name, ".render") {
		return l, known
	}
	return label{name: name}, true
}

// source is a source that could be read, nil for others.
func (d *Direct) source(i int) *source {
	if !d.asked[i] {
		d.asked[i] = true
		if text, ok := d.m.Content(i); ok {
			d.names.text[i] = text
			lineEnds(d.m, d.names.text)
			if s, _ := readSource(d.m.Source(i), d.names.text[i]); s != nil {
				d.names.own[i] = s
				trust(d.m, map[int]*source{i: s})
			}
		}
	}
	return d.names.own[i]
}

// flags are what of a label is written beside its name.
func (l label) flags() (flags byte) {
	if l.anonymous {
		flags |= 1
	}
	if l.unknown {
		flags |= 2
	}
	if l.makes {
		flags |= 4
	}
	if l.behalf {
		flags |= 8
	}
	return flags
}

// function is a label as it is answered.
func (l label) function() Function {
	if l.anonymous {
		return Function{Within: l.name, Makes: l.makes, OnBehalf: l.behalf}
	}
	return Function{Name: l.name, Makes: l.makes, OnBehalf: l.behalf}
}
