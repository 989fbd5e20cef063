package symbols

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stamp"
	"firethorn/internal/core/symbols"
)

// bundle is a generated file and its map, found in a directory.
type bundle struct {
	Path             string // below the directory, with slashes
	Code, MapRaw     []byte
	Map              *sourcemap.Map
	DebugID          string
	CodeHash, MapSum string
}

// findBundles looks for generated JavaScript with its maps below dir. A map
// that is none fails with its path and position; files without a map are
// named in without.
func findBundles(dir string) (list []bundle, without []string, err error) {
	paths, err := generatedFiles(dir)
	if err != nil {
		return nil, nil, err
	}
	for _, rel := range paths {
		b, _, err := readBundle(filepath.Join(dir, filepath.FromSlash(rel)))
		if err != nil {
			return nil, nil, err
		}
		if b == nil {
			without = append(without, rel)
			continue
		}
		b.Path = rel
		list = append(list, *b)
	}
	return list, without, nil
}

// found is a generated file with its map, to be pushed: read when it is sent.
type found struct {
	Path                string // below the directory, with slashes
	CodeHash, MapSum    string
	CodeBytes, MapBytes int64
	Sources, Dropped    int
	DebugID             string
	file                string // "": only its map is there
	mapFile             string // "": the map stands in the file itself
}

// sources are the contents of a file, which can be read again.
func (f *found) sources() []*source {
	of := &source{hash: f.MapSum, bytes: f.MapBytes, open: func() ([]byte, error) {
		if f.mapFile != "" {
			return os.ReadFile(f.mapFile)
		}
		code, err := os.ReadFile(f.file)
		if err != nil {
			return nil, err
		}
		raw, _, err := findMap(f.file, code)
		return raw, err
	}}
	if f.file == "" {
		return []*source{of}
	}
	return []*source{{hash: f.CodeHash, bytes: f.CodeBytes, open: func() ([]byte, error) {
		return os.ReadFile(f.file)
	}}, of}
}

// bundles is what a directory holds to be pushed.
type bundles struct {
	list    []found
	without []string // files without a map
}

// scanBundles looks for generated JavaScript with its maps below dir, some files
// at once, and for maps whose files are not there. It keeps none of their
// contents. A map that is none fails with its path and position.
func scanBundles(ctx context.Context, dir string) (out bundles, err error) {
	paths, err := generatedFiles(dir)
	if err != nil {
		return out, err
	}
	list := make([]*found, len(paths))
	g, _ := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, rel := range paths {
		g.Go(func() error {
			path := filepath.Join(dir, filepath.FromSlash(rel))
			b, mapPath, err := readBundle(path)
			if err != nil || b == nil {
				return err
			}
			list[i] = &found{Path: rel, CodeHash: b.CodeHash, MapSum: b.MapSum, CodeBytes: int64(len(b.Code)),
				MapBytes: int64(len(b.MapRaw)), Sources: b.Map.Sources(), Dropped: b.Map.Dropped(), DebugID: b.DebugID,
				file: path, mapFile: mapPath}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return out, err
	}
	for i, f := range list {
		if f == nil {
			out.without = append(out.without, paths[i])
			continue
		}
		out.list = append(out.list, *f)
	}
	alone, err := findMaps(dir)
	for _, b := range alone {
		out.list = append(out.list,
			found{Path: b.Path, MapSum: sum(b.MapRaw), MapBytes: int64(len(b.MapRaw)), Sources: b.Map.Sources(),
				Dropped: b.Map.Dropped(), DebugID: b.DebugID, mapFile: filepath.Join(dir, filepath.FromSlash(b.Path)) +
					".map"})
	}
	return out, err
}

// generatedFiles lists JavaScript below dir, with slashes, dependencies left out.
func generatedFiles(dir string) (list []string, err error) {
	info, err := os.Stat(dir)
	if err != nil {
		return nil, command.Usage("%s cannot be read: %v", dir, errors.Unwrap(err))
	}
	if !info.IsDir() {
		return nil, command.Usage("%s is no directory; name the one that the build wrote", dir)
	}
	return list, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && d.Name() == "node_modules" {
			return filepath.SkipDir
		}
		switch filepath.Ext(path) {
		case ".js", ".mjs", ".cjs":
		default:
			return nil
		}
		rel, err := filepath.Rel(dir, path)
		list = append(list, filepath.ToSlash(rel))
		return err
	})
}

// findMaps looks for maps below dir whose generated file is not there.
func findMaps(dir string) (list []bundle, err error) {
	err = filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && d.Name() == "node_modules" {
			return filepath.SkipDir
		}
		if err != nil || d.IsDir() || filepath.Ext(path) != ".map" {
			return err
		}
		generated := strings.TrimSuffix(path, ".map")
		if _, err := os.Stat(generated); err == nil ||
			!slices.Contains([]string{".js", ".mjs", ".cjs"}, filepath.Ext(generated)) {
			return nil
		}
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		m, err := sourcemap.Parse(raw)
		if err != nil {
			return problem.Wrap("symbols", problem.MapBroken, err, "%s is no good source map: %v", path, err)
		}
		rel, err := filepath.Rel(dir, generated)
		list = append(list, bundle{Path: filepath.ToSlash(rel), MapRaw: raw, Map: m, DebugID: m.DebugID})
		return err
	})
	return list, err
}

// readBundle reads a generated file and its map; mapFile is "" when the map
// stands in the file. nil without a map.
func readBundle(path string) (b *bundle, mapFile string, err error) {
	code, err := os.ReadFile(path)
	if err != nil {
		return nil, "", err
	}
	raw, mapFile, err := findMap(path, code)
	if err != nil || raw == nil {
		return nil, "", err
	}
	mapPath := show.OrElse(mapFile, path+" (its inline map)")
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return nil, "", problem.Wrap("symbols",
			problem.MapBroken, err, "%s is no good source map: %v; nothing was pushed",
			mapPath, err)
	}
	b = &bundle{Code: code, MapRaw: raw, Map: m, DebugID: m.DebugID}
	if id := stamp.ID(code); id != "" {
		if b.DebugID != "" && b.DebugID != id {
			return nil, "", problem.New(problem.MapBroken,
				"%s carries the debug id %s, its map %s carries %s: they come from different builds; nothing was pushed", path, id, mapPath, b.DebugID)
		}
		b.DebugID = id
	}
	b.CodeHash, b.MapSum = sum(code), sum(raw)
	return b, mapFile, nil
}

// findMap follows the file's own comment (https://tc39.es/ecma426/#sec-linking-inline),
// else takes FILE.map beside it.
func findMap(path string, code []byte) (raw []byte, mapPath string, err error) {
	if ref := sourcemap.Link(code); ref != "" {
		raw, err := sourcemap.Data(ref)
		if !errors.Is(err, sourcemap.ErrNoData) {
			return raw, "", err
		}
		if !strings.Contains(ref, "://") && !strings.HasPrefix(ref, "/") {
			p := filepath.Join(filepath.Dir(path), filepath.FromSlash(ref))
			if raw, err := os.ReadFile(p); err == nil {
				return raw, p, nil
			}
		}
	}
	raw, err = os.ReadFile(path + ".map")
	if errors.Is(err, fs.ErrNotExist) {
		return nil, "", nil
	}
	return bytes.Clone(raw), path + ".map", err
}

// compiled are the symbols of a map and, where there is code, of its functions.
func compiled(m *sourcemap.Map, code []byte) (*symbols.File, error) {
	raw, _, err := symbols.Compile(m, code)
	if err != nil {
		return nil, err
	}
	return symbols.Open(bytes.NewReader(raw), int64(len(raw)), 16<<20)
}

func sum(raw []byte) string {
	h := sha256.Sum256(raw)
	return hex.EncodeToString(h[:])
}

// loadMap reads a map alone, and the bundle it belongs to where that lies
// beside it: the map's "file", or its own name without ".map".
func loadMap(path string) (m *sourcemap.Map, code []byte, err error) {
	raw, err := os.ReadFile(path)
	if err != nil {
		return nil, nil, command.Usage("%s cannot be read: %v", path, errors.Unwrap(err))
	}
	m, err = sourcemap.Parse(raw)
	if err != nil { // perhaps it is a bundle that holds its map, or names it
		data, mapFile, found := findMap(path, raw)
		if found == nil && data == nil {
			return nil, nil, problem.Wrap("locate", problem.MapBroken, err,
				"%s is no good source map, nor a bundle with one: %v", path, err)
		}
		if found == nil {
			m, found = sourcemap.Parse(data)
		}
		if found != nil {
			return nil, nil, problem.Wrap("locate", problem.MapBroken, found, "%s is no good source map: %v",
				show.OrElse(mapFile, path+" (its inline map)"), found)
		}
		return m, raw, nil
	}
	for _, name := range []string{strings.TrimSuffix(filepath.Base(path), ".map"),
		filepath.Base(filepath.FromSlash(m.File))} {
		if name == filepath.Base(path) || name == "." || name == "" {
			continue
		}
		if code, err := os.ReadFile(filepath.Join(filepath.Dir(path), name)); err == nil {
			return m, code, nil
		}
	}
	return m, nil, nil
}
