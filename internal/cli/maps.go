package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/moved"
	"firethorn/internal/core/release"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

// dirSymbols are the bundles of a directory.
type dirSymbols struct {
	release string // of the frames: the build in a directory of that name goes first
	kinds   []symbolicate.KindRule
	dir     string
	list    []bundle
	files   map[int]*symbols.File // what was compiled of list
}

// load finds the bundles and maps, if a directory was named.
func (d *dirSymbols) load() (err error) {
	if d.dir == "" {
		return nil
	}
	if d.list, _, err = findBundles(d.dir); err != nil {
		return err
	}
	alone, err := findMaps(d.dir)
	d.list = append(d.list, alone...)
	return err
}

// File finds the symbols of a generated file, as symbolicate.Event asks for them.
func (d *dirSymbols) File(path, debugID string) (*symbols.File, string) {
	if d.dir == "" {
		return nil, ""
	}
	return d.file(path, debugID)
}

// Failed is never told: all is in memory.
func (d *dirSymbols) Failed(error) {}

func (d *dirSymbols) resolve(raws []event.RawFrame) []event.Frame {
	frames := make([]event.Frame, len(raws))
	for i, raw := range raws {
		var file *symbols.File
		why := ""
		if d.dir != "" && symbolicate.Resolvable(raw) {
			file, why = d.file(raw.File, "")
		}
		frames[i] = symbolicate.Frame(raw, file, why, symbolicate.Options{Sources: true, Kinds: d.kinds})
	}
	return frames
}

func (d *dirSymbols) file(file, debugID string) (*symbols.File, string) {
	files := make([]symbolicate.File, len(d.list))
	for k, b := range d.list {
		files[k] = symbolicate.File{Address: b.Path, DebugID: b.DebugID}
	}
	i := symbolicate.Nearest(files, file, debugID, d.release)
	if i < 0 && len(files) == 0 {
		return nil, "no file with a source map lies below " + d.dir
	}
	if i < 0 {
		return nil, fmt.Sprintf("%s is not among the %d files with maps below %s", file, len(files), d.dir)
	}
	f, err := d.compiled(i)
	if err != nil {
		return nil, err.Error()
	}
	return f, ""
}

// compiled compiles bundle i once.
func (d *dirSymbols) compiled(i int) (f *symbols.File, err error) {
	if d.files == nil {
		d.files = map[int]*symbols.File{}
	}
	if d.files[i] == nil {
		d.files[i], err = compiled(d.list[i].Map, d.list[i].Code)
	}
	return d.files[i], err
}

// mapsOf are the symbols that --maps names: DIR for every release, or
// RELEASE=DIR, repeated.
type mapsOf struct {
	all      *dirSymbols // of a plain DIR; nil: none was given
	releases []string    // in the order they were given
	by       map[string]*dirSymbols
	*dirSymbols
}

// openMaps finds the bundles of all directories that were named.
func openMaps(flags []string) (*mapsOf, error) {
	m := &mapsOf{by: map[string]*dirSymbols{}, dirSymbols: &dirSymbols{}}
	for _, f := range flags {
		name, dir, named := strings.Cut(f, "=")
		if !named {
			name, dir = "", f
		}
		d := &dirSymbols{dir: dir, release: name}
		if err := d.load(); err != nil {
			return nil, err
		}
		switch {
		case !named && m.all != nil:
			return nil, usage("--maps names two directories for every release, %s and %s; name the release of each: --maps 4.2.0=%s", m.all.dir, dir, m.all.dir)
		case !named:
			m.all = d
		case m.by[name] != nil:
			return nil, usage("--maps names release %s twice", name)
		default:
			m.by[name] = d
			m.releases = append(m.releases, name)
		}
	}
	return m, nil
}

// use takes the symbols of a release from now on.
func (m *mapsOf) use(name string) {
	switch {
	case m.by[name] != nil:
		m.dirSymbols = m.by[name]
	case m.all != nil:
		m.dirSymbols = m.all
		m.all.release = name
	default:
		m.dirSymbols = &dirSymbols{}
	}
}

// Before says whether a release comes before another: by their versions, else
// in the order in which their maps were named.
func (m *mapsOf) Before(a, b string) bool {
	if va, vb := release.Parse(a), release.Parse(b); release.Comparable(va, vb) {
		return release.CompareVersions(va, vb) < 0
	}
	i, j := slices.Index(m.releases, a), slices.Index(m.releases, b)
	return i >= 0 && j >= 0 && i < j
}

// Sources are the sources of a release: those of its directory, or of a plain
// DIR the bundles below a directory of its name.
func (m *mapsOf) Sources(name string) moved.Sources {
	if d := m.by[name]; d != nil {
		return &dirSources{d, func(string) bool { return true }}
	}
	return &dirSources{m.all, func(path string) bool {
		return slices.Contains(strings.Split(filepath.ToSlash(path), "/"), name)
	}}
}

// dirSources are the sources of the bundles of a directory.
type dirSources struct {
	*dirSymbols
	has func(path string) bool
}

// Named finds functions by name, as moved.Sources asks for them.
func (d *dirSources) Named(name string) (out []moved.Placed, known bool) {
	if d.dirSymbols == nil {
		return nil, false
	}
	for i, b := range d.list {
		if !d.has(b.Path) {
			continue
		}
		f, err := d.compiled(i)
		if err != nil {
			return nil, false
		}
		list, err := symbolicate.Named(f, name)
		if err != nil {
			return nil, false
		}
		for _, p := range list {
			out = append(out, moved.Placed{Module: moduleOf(p.Source), Text: p.Digest})
		}
		known = true
	}
	return out, known
}

// moduleOf is where a source is written, as fingerprints have it.
func moduleOf(source string) string {
	return blame.Module(event.Frame{File: symbolicate.SourcePath(source)})
}
