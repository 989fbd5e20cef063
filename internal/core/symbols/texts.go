package symbols

import (
	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// Placed is a function of a source with its text.
type Placed struct {
	Source string // as the map names it
	Digest scope.Digest
}

// maxNamed is how many functions of one name are listed.
const maxNamed = 50

// Digest is a hash of the text of the function around o; zero if its
// source is no script that could be read, or o lies in no function.
func (f *File) Digest(o sourcemap.Original) (scope.Digest, error) {
	d, i, err := f.written(o)
	if err != nil || i < 0 {
		return scope.Digest{}, err
	}
	return d.digests[i](), nil
}

// Text is the text of the function that o lies in, "" as Digest is zero.
func (f *File) Text(o sourcemap.Original) (string, error) {
	d, i, err := f.written(o)
	if err != nil || i < 0 {
		return "", err
	}
	return d.function(i), nil
}

// written finds the function that o lies in among those of its source, -1: none.
func (f *File) written(o sourcemap.Original) (d decoded, i int, err error) {
	if d, err = f.sourceTexts(o.Index); err != nil || d.table == nil {
		return d, -1, err
	}
	i, ok := d.table.Find(o.Pos)
	if !ok || d.table.At(i).Kind == scope.Outside {
		return d, -1, nil
	}
	return d, i, nil
}

// Named finds the functions of all sources that are meant: at most maxNamed+1,
// so that there are too many can be told.
func (f *File) Named(meant func(Function) bool) (out []Placed, err error) {
	numbers, err := f.labelsOf(meant)
	if err != nil || len(numbers) == 0 {
		return nil, err
	}
	last := -1
	for b, e := range f.dir[functions] {
		source := int(e.key[0]) - 1
		if source < 0 || source == last {
			continue
		}
		d, err := f.block(functions, b)
		if err != nil {
			return nil, err
		}
		found := false
		for _, x := range d.boundaries {
			found = found || numbers[x.label]
		}
		if !found {
			continue
		}
		last = source
		if out, err = f.namedIn(source, meant, out); err != nil || len(out) > maxNamed {
			return out, err
		}
	}
	return out, nil
}

// namedIn adds the functions of one source that are meant.
func (f *File) namedIn(source int, meant func(Function) bool, out []Placed) ([]Placed, error) {
	d, err := f.sourceTexts(source)
	if err != nil || d.table == nil {
		return out, err
	}
	path, err := f.listed(sources, source)
	if err != nil {
		return out, err
	}
	for i := range d.table.Len() {
		if l := written(d.table, i); l.unknown || !meant(l.function()) {
			continue
		}
		if out = append(out, Placed{path.text, d.digests[i]()}); len(out) > maxNamed {
			break
		}
	}
	return out, nil
}

// labelsOf are the numbers of the labels that are meant, from 1.
func (f *File) labelsOf(meant func(Function) bool) (map[int]bool, error) {
	out := map[int]bool{}
	for b, e := range f.dir[labels] {
		d, err := f.block(labels, b)
		if err != nil {
			return nil, err
		}
		for i, x := range d.list {
			if meant((label{name: x.text, anonymous: x.flags&1 != 0}).function()) {
				out[int(e.key[0])+i+1] = true
			}
		}
	}
	return out, nil
}

// sourceTexts reads the functions of a source again, or has them from before.
// Each one's digest is made when it is asked for.
func (f *File) sourceTexts(source int) (decoded, error) {
	id := blockID{kinds, source}
	f.mu.Lock()
	d, ok := f.hot[id]
	if !ok {
		d, ok = f.old[id]
	}
	f.mu.Unlock()
	if ok {
		return d, nil
	}
	path, err := f.listed(sources, source)
	if err != nil {
		return d, err
	}
	if path.flags&4 != 0 {
		text, _, err := f.Content(source)
		if err != nil {
			return d, err
		}
		if s, _ := readSource(path.text, text); s != nil {
			d.table, d.function, d.digests = s.table, s.function, make([]func() scope.Digest, s.table.Len())
			for i := range d.digests {
				d.digests[i] = s.digest(i)
			}
			d.size = len(text) + 300*s.table.Len()
		}
	}
	if f.keep > 0 {
		f.mu.Lock()
		f.put(id, d)
		f.mu.Unlock()
	}
	return d, nil
}
