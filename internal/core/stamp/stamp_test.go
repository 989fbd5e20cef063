package stamp

import (
	"encoding/base64"
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

const (
	code = "export function tideAt(d){return d}\nmore()\n//# sourceMappingURL=app.js.map\n"
	maps = `{"version":3,"sources":["src/tides.ts"],"sourcesContent":["const \"debugId\": string"],"mappings":"AAAA;AACA"}`
)

func TestCode_MovesNothingAndIsTheSameTwice(t *testing.T) {
	id := Derive([]byte(code), []byte(maps))
	once := Code([]byte(code), id)
	if !strings.HasPrefix(string(once), "export function tideAt(d){return d}\nmore()\n;(globalThis") || !strings.HasSuffix(string(once), "\n//# debugId="+id+"\n//# sourceMappingURL=app.js.map\n") {
		t.Errorf("stamped:\n%s", once)
	}
	if ID(once) != id || !Whole(once) || ID([]byte(code)) != "" {
		t.Errorf("it carries %q, whole %v", ID(once), Whole(once))
	}
	if string(Code(once, id)) != string(once) {
		t.Error("stamped twice it is another file")
	}
	if Derive([]byte(strings.Replace(code, "tideAt", "tideOn", 1)), []byte(maps)) == id || Derive([]byte(code), []byte(strings.Replace(maps, "AACA", "AAEA", 1))) == id {
		t.Error("another build has the same id")
	}
}

func TestCode_CompletesWhatABundlerStamped(t *testing.T) {
	id := "0b7c1f5e-0000-4000-a000-000000000001"
	half := "run()\n//# debugId=" + strings.ToUpper(id) + "\n//# sourceMappingURL=a.js.map"
	if ID([]byte(half)) != id || Whole([]byte(half)) {
		t.Fatalf("it carries %q", ID([]byte(half)))
	}
	out := string(Code([]byte(half), id))
	if strings.Count(out, "debugId="+id) != 1 || strings.Contains(out, strings.ToUpper(id)) || !Whole([]byte(out)) {
		t.Errorf("completed:\n%s", out)
	}
}

func TestMap_ChangesNothingElse(t *testing.T) {
	id := "0b7c1f5e-0000-4000-a000-000000000001"
	for name, c := range map[string]struct{ in, want string }{
		"without one":     {maps, strings.Replace(maps, `{`, `{"debugId":"`+id+`",`, 1)},
		"with another":    {`{"version":3,"debugId" : "x","sources":[],"mappings":""}`, `{"version":3,"debugId":"` + id + `","sources":[],"mappings":""}`},
		"with the same":   {`{"version":3,"debugId":"` + id + `","sources":[],"mappings":""}`, `{"version":3,"debugId":"` + id + `","sources":[],"mappings":""}`},
		"with a guard":    {")]}'\n" + `{"version":3,"sources":[],"mappings":""}`, ")]}'\n" + `{"debugId":"` + id + `","version":3,"sources":[],"mappings":""}`},
		"an index of map": {`{"version":3,"sections":[]}`, `{"debugId":"` + id + `","version":3,"sections":[]}`},
	} {
		got, err := Map([]byte(c.in), id)
		if err != nil || string(got) != c.want {
			t.Errorf("%s: %s, %v\nwant %s", name, got, err, c.want)
		}
	}
	for _, bad := range []string{"", "[]", "<html>", `{"version":3`} {
		if out, err := Map([]byte(bad), id); err == nil {
			t.Errorf("%q became %s", bad, out)
		}
	}
}

func TestInline_KeepsTheMapInTheFile(t *testing.T) {
	id := "0b7c1f5e-0000-4000-a000-000000000001"
	in := "run()\n//# sourceMappingURL=data:application/json;charset=utf-8;base64," + base64.StdEncoding.EncodeToString([]byte(maps)) + "\n"
	out, err := Inline([]byte(in), id)
	if err != nil || !strings.HasPrefix(string(out), "run()\n//# sourceMappingURL=data:") {
		t.Fatalf("%s, %v", out, err)
	}
	raw, err := sourcemap.Data(sourcemap.Link(out))
	if err != nil {
		t.Fatal(err)
	}
	m, err := sourcemap.Parse(raw)
	if err != nil || m.DebugID != id || m.Segments() != 2 {
		t.Errorf("%s, %v", raw, err)
	}
}
