package symbols

import (
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
	return &Direct{m: m, code: code, asked: map[int]bool{}, names: namer{m: m, text: map[int]string{}, own: map[int]*scope.Table{}, lines: map[int][]int{}, known: map[int]label{}}}
}

// Find returns where at came from, as sourcemap.Map.Find does.
func (d *Direct) Find(at sourcemap.Pos) (sourcemap.Original, bool) { return d.m.Find(at) }

// Function returns the function around the generated position at, which came
// from o, as File.Function does.
func (d *Direct) Function(at sourcemap.Pos, o sourcemap.Original) (fn Function, known bool) {
	if o.Source != "" {
		if t := d.source(o.Index); t != nil {
			i, ok := t.Find(o.Pos)
			if !ok {
				return fn, true
			}
			return written(t, i).function(), true
		}
	}
	if d.code == nil {
		return fn, false
	}
	if d.built == nil {
		d.built = scope.Scan(d.code)
	}
	i, ok := d.built.Find(at)
	if !ok {
		return fn, true
	}
	for j := i; j >= 0; j = d.built.At(j).Parent { // what is named after them may be asked for as well
		if o, ok := d.m.Find(d.built.At(j).Start); ok {
			d.source(o.Index)
		}
	}
	return d.names.label(d.built, i).function(), true
}

// source are the functions of a source that reads as JavaScript, nil for others.
func (d *Direct) source(i int) *scope.Table {
	if !d.asked[i] {
		d.asked[i] = true
		if text, ok := d.m.Content(i); ok {
			d.names.text[i] = text
			if javaScript(d.m.Source(i)) {
				if t := scope.Scan([]byte(text)); t.Clean {
					d.names.own[i] = t
				}
			}
		}
	}
	return d.names.own[i]
}

// function is a label as it is answered.
func (l label) function() Function {
	if l.anonymous {
		return Function{Within: l.name}
	}
	return Function{Name: l.name}
}
