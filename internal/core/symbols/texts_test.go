package symbols

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"testing"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

func compiledOf(t *testing.T, mappings, code string, sources ...string) *File {
	t.Helper()
	out := compiledBytes(t, mappings, code, sources...)
	f, err := Open(bytes.NewReader(out), int64(len(out)), 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func compiledBytes(t *testing.T, mappings, code string, sources ...string) []byte {
	t.Helper()
	var paths, texts []string
	for i := 0; i+1 < len(sources); i += 2 {
		paths, texts = append(paths, sources[i]), append(texts, sources[i+1])
	}
	raw, err := json.Marshal(map[string]any{"version": 3, "sources": paths, "sourcesContent": texts, "names": []string{}, "mappings": mappings})
	if err != nil {
		t.Fatal(err)
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		t.Fatal(err)
	}
	out, _, err := Compile(m, []byte(code))
	if err != nil {
		t.Fatal(err)
	}
	return out
}

const moor = "export function moor(ship) {\n\tif (!ship.name) throw new Error('no name')\n\treturn berth(ship)\n}\n"

func TestFile_FindsFunctionsByNameWithTheirText(t *testing.T) {
	f := compiledOf(t, "AACC", "function a(b){b}", "src/moor.ts", moor, "src/old/moor.ts", moor, "src/sail.ts", "export const sail = () => moor(1)\n")
	list, err := f.Named(func(fn Function) bool { return fn.Name == "moor" })
	if err != nil || len(list) != 2 || list[0].Source != "src/moor.ts" || list[1].Source != "src/old/moor.ts" || list[0].Digest.Like(list[1].Digest) != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	o := sourcemap.Original{Source: "src/moor.ts", Index: 0, Pos: sourcemap.Pos{Line: 1, Col: 1}}
	d, err := f.Digest(o)
	if err != nil || d != scope.DigestOf(moor) && d.Like(list[0].Digest) != 1 {
		t.Errorf("%+v, %v", d, err)
	}
	if text, err := f.Text(o); err != nil || text != moor[len("export "):len(moor)-1] {
		t.Errorf("%q, %v", text, err)
	}
	if text, err := f.Text(sourcemap.Original{Index: 2, Pos: sourcemap.Pos{}}); err != nil || text != "" {
		t.Errorf("outside of functions there is %q, %v", text, err)
	}
}

// Builds put calls of their own between what came from sources: the place
// before, in the same function, represents them.
func TestFile_BesideStaysWithinTheFunction(t *testing.T) {
	const code = "function a(b){return x(b.name)}function c(d){return x(d)}"
	f := compiledOf(t, "AACC,oB,qB", code, "src/moor.ts", moor)
	at := sourcemap.Pos{Line: 0, Col: 22}
	if o, ok, err := f.Find(at); err != nil || ok && o.Source != "" {
		t.Fatalf("%+v, %v, %v", o, ok, err)
	}
	if o, ok, err := f.Beside(at); err != nil || !ok || o.Source != "src/moor.ts" || o.Pos.Line != 1 {
		t.Errorf("%+v, %v, %v", o, ok, err)
	}
	if o, ok, err := f.Beside(sourcemap.Pos{Line: 0, Col: 50}); err != nil || ok {
		t.Errorf("another function: %+v, %v, %v", o, ok, err)
	}
}

// Symbols that an older program compiled stay readable after an upgrade.
func TestOpen_ReadsOlderForms(t *testing.T) {
	for form, readable := range map[uint16]bool{OldestFormat - 1: false, OldestFormat: true, Format: true, Format + 1: false} {
		out := compiledBytes(t, "AACC", "function a(b){b}", "src/moor.ts", moor)
		binary.LittleEndian.PutUint16(out[4:], form)
		binary.LittleEndian.PutUint32(out[28:], checksum(out[:28]))
		f, err := Open(bytes.NewReader(out), int64(len(out)), 0)
		if _, other := errors.AsType[*VersionError](err); readable && err != nil || !readable && !other {
			t.Fatalf("form %d: %v", form, err)
		}
		if !readable {
			continue
		}
		if o, ok, err := f.Find(sourcemap.Pos{}); err != nil || !ok || o.Pos.Line != 1 {
			t.Errorf("form %d: %+v, %v, %v", form, o, ok, err)
		}
	}
}
