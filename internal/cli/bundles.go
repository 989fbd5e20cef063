package cli

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/sourcemap"
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

var (
	debugComment = regexp.MustCompile(`(?m)^[ \t]*//# debugId=([0-9a-fA-F-]{36})[ \t]*$`)
)

// findBundles looks for generated JavaScript with its maps below dir. A map
// that is none fails with its path and position; files without a map are
// named in without.
func findBundles(dir string) (list []bundle, without []string, err error) {
	info, err := os.Stat(dir)
	if err != nil {
		return nil, nil, usage("%s cannot be read: %v", dir, errors.Unwrap(err))
	}
	if !info.IsDir() {
		return nil, nil, usage("%s is no directory; name the one that the build wrote", dir)
	}
	err = filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
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
		if err != nil {
			return err
		}
		b, err := readBundle(path)
		if err != nil {
			return err
		}
		if b == nil {
			without = append(without, filepath.ToSlash(rel))
			return nil
		}
		b.Path = filepath.ToSlash(rel)
		list = append(list, *b)
		return nil
	})
	return list, without, err
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
		if _, err := os.Stat(generated); err == nil || !slices.Contains([]string{".js", ".mjs", ".cjs"}, filepath.Ext(generated)) {
			return nil
		}
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		m, err := sourcemap.Parse(raw)
		if err != nil {
			return fault.Wrap("symbols", fault.MapBroken, err, "%s is no good source map: %v", path, err)
		}
		rel, err := filepath.Rel(dir, generated)
		list = append(list, bundle{Path: filepath.ToSlash(rel), Map: m, DebugID: m.DebugID})
		return err
	})
	return list, err
}

func readBundle(path string) (*bundle, error) {
	code, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	raw, mapPath, err := findMap(path, code)
	if err != nil || raw == nil {
		return nil, err
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return nil, fault.Wrap("symbols", fault.MapBroken, err, "%s is no good source map: %v; nothing was pushed", mapPath, err)
	}
	b := &bundle{Code: code, MapRaw: raw, Map: m, DebugID: m.DebugID}
	if d := debugComment.FindSubmatch(code); d != nil && b.DebugID == "" {
		b.DebugID = strings.ToLower(string(d[1]))
	}
	b.CodeHash, b.MapSum = sum(code), sum(raw)
	return b, nil
}

// findMap follows the file's own comment (https://tc39.es/ecma426/#sec-linking-inline),
// else takes FILE.map beside it.
func findMap(path string, code []byte) (raw []byte, mapPath string, err error) {
	if ref := sourcemap.Link(code); ref != "" {
		raw, err := sourcemap.Data(ref)
		if !errors.Is(err, sourcemap.ErrNoData) {
			return raw, path + " (its inline map)", err
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
	raw, err := symbols.Compile(m, code)
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
		return nil, nil, usage("%s cannot be read: %v", path, errors.Unwrap(err))
	}
	if m, err = sourcemap.Parse(raw); err != nil {
		return nil, nil, fault.Wrap("locate", fault.MapBroken, err, "%s is no good source map: %v", path, err)
	}
	for _, name := range []string{strings.TrimSuffix(filepath.Base(path), ".map"), filepath.Base(filepath.FromSlash(m.File))} {
		if name == filepath.Base(path) || name == "." || name == "" {
			continue
		}
		if code, err := os.ReadFile(filepath.Join(filepath.Dir(path), name)); err == nil {
			return m, code, nil
		}
	}
	return m, nil, nil
}
