package guide

import (
	"testing"
	"testing/fstest"
)

func TestGuess(t *testing.T) {
	for want, files := range map[string]map[string]string{
		"vite quayside":    {"package.json": `{"name":"@ferries/quayside","devDependencies":{"vite":"8"}}`},
		"node-web gangway": {"package.json": `{"name":"gangway","dependencies":{"express":"5"},"devDependencies":{"esbuild":"1"}}`},
		"browser pier":     {"package.json": `{"name":"pier","dependencies":{"react-dom":"19"}}`},
		"node gate":        {"package.json": `{"name":"gate"}`},
		"node ":            {"package.json": `{"name":`},
		"go bosun":         {"go.mod": "// crew\nmodule marrowsound.example/bosun\n\ngo 1.26\n"},
		"opentelemetry ":   {"pyproject.toml": ""},
		" ":                {"README.md": "ferries"},
	} {
		dir := fstest.MapFS{}
		for name, text := range files {
			dir[name] = &fstest.MapFile{Data: []byte(text)}
		}
		if runtime, name := Guess(dir); runtime+" "+name != want {
			t.Errorf("%v: %q %q, want %q", files, runtime, name, want)
		}
	}
}
