package symbols

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"firethorn/internal/cli/command"
	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/moved"
	"firethorn/internal/core/release"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

// DirSymbols are the bundles of a directory.
type DirSymbols struct {
	release string // of the frames: the build in a directory of that name goes first
	Kinds   []symbolicate.KindRule
	Dir     string
	list    []bundle
	files   map[int]*symbols.File // what was compiled of list
}

// Load finds the bundles and maps, if a directory was named.
func (d *DirSymbols) Load() (err error) {
	if d.Dir == "" {
		return nil
	}
	if d.list, _, err = findBundles(d.Dir); err != nil {
		return err
	}
	alone, err := findMaps(d.Dir)
	d.list = append(d.list, alone...)
	return err
}

// File finds the symbols of a generated file, as symbolicate.Event asks for them.
func (d *DirSymbols) File(path, debugID string) (*symbols.File, string) {
	if d.Dir == "" {
		return nil, ""
	}
	return d.file(path, debugID)
}

// Failed is never called: everything is in memory.
func (d *DirSymbols) Failed(error) {}

// Resolve makes frames readable by the maps of the directory.
func (d *DirSymbols) Resolve(raws []event.RawFrame) []event.Frame {
	frames := make([]event.Frame, len(raws))
	for i, raw := range raws {
		var file *symbols.File
		why := ""
		if d.Dir != "" && symbolicate.Resolvable(raw) {
			file, why = d.file(raw.File, "")
		}
		frames[i] = symbolicate.Frame(raw, file, why, symbolicate.Options{Sources: true, Kinds: d.Kinds})
	}
	return frames
}

func (d *DirSymbols) file(file, debugID string) (*symbols.File, string) {
	files := make([]symbolicate.File, len(d.list))
	for k, b := range d.list {
		files[k] = symbolicate.File{Address: b.Path, DebugID: b.DebugID}
	}
	i := symbolicate.Nearest(files, file, debugID, d.release)
	if i < 0 && len(files) == 0 {
		return nil, "no file with a source map lies below " + d.Dir
	}
	if i < 0 {
		return nil, fmt.Sprintf("%s is not among the %d files with maps below %s", file, len(files), d.Dir)
	}
	f, err := d.compiled(i)
	if err != nil {
		return nil, err.Error()
	}
	return f, ""
}

// compiled compiles bundle i once.
func (d *DirSymbols) compiled(i int) (f *symbols.File, err error) {
	if d.files == nil {
		d.files = map[int]*symbols.File{}
	}
	if d.files[i] == nil {
		d.files[i], err = compiled(d.list[i].Map, d.list[i].Code)
	}
	return d.files[i], err
}

// MapsOf are the symbols that --maps names: DIR for every release, or
// RELEASE=DIR, repeated.
type MapsOf struct {
	all      *DirSymbols // of a plain DIR; nil: none was given
	releases []string    // in the order they were given
	by       map[string]*DirSymbols
	*DirSymbols
}

// OpenMaps finds the bundles of all directories that were named.
func OpenMaps(flags []string) (*MapsOf, error) {
	m := &MapsOf{by: map[string]*DirSymbols{}, DirSymbols: &DirSymbols{}}
	for _, f := range flags {
		name, dir, named := strings.Cut(f, "=")
		if !named {
			name, dir = "", f
		}
		d := &DirSymbols{Dir: dir, release: name}
		if err := d.Load(); err != nil {
			return nil, err
		}
		switch {
		case !named && m.all != nil:
			return nil, command.Usage("--maps names two directories for every release, %s and %s; name the release of each: --maps 4.2.0=%s", m.all.Dir, dir, m.all.Dir)
		case !named:
			m.all = d
		case m.by[name] != nil:
			return nil, command.Usage("--maps names release %s twice", name)
		default:
			m.by[name] = d
			m.releases = append(m.releases, name)
		}
	}
	return m, nil
}

// Use takes the symbols of a release from now on.
func (m *MapsOf) Use(name string) {
	switch {
	case m.by[name] != nil:
		m.DirSymbols = m.by[name]
	case m.all != nil:
		m.DirSymbols = m.all
		m.all.release = name
	default:
		m.DirSymbols = &DirSymbols{}
	}
}

// Before says whether a release comes before another: by their versions, else
// in the order in which their maps were named.
func (m *MapsOf) Before(a, b string) bool {
	if va, vb := release.Parse(a), release.Parse(b); release.Comparable(va, vb) {
		return release.CompareVersions(va, vb) < 0
	}
	i, j := slices.Index(m.releases, a), slices.Index(m.releases, b)
	return i >= 0 && j >= 0 && i < j
}

// Sources are the sources of a release: those of its directory, or of a plain
// DIR the bundles below a directory of its name.
func (m *MapsOf) Sources(name string) moved.Sources {
	if d := m.by[name]; d != nil {
		return &dirSources{d, func(string) bool { return true }}
	}
	return &dirSources{m.all, func(path string) bool {
		return slices.Contains(strings.Split(filepath.ToSlash(path), "/"), name)
	}}
}

// dirSources are the sources of the bundles of a directory.
type dirSources struct {
	*DirSymbols
	has func(path string) bool
}

// Named finds functions by name, as moved.Sources asks for them.
func (d *dirSources) Named(name string) (out []moved.Placed, known bool) {
	if d.DirSymbols == nil {
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
