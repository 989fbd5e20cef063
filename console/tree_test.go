package console

import (
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// sources are the console's files with their texts.
func sources(t *testing.T) map[string]string {
	t.Helper()
	list := map[string]string{}
	err := filepath.WalkDir("src", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".ts") && !strings.HasSuffix(file, ".tsx") {
			return err
		}
		text, err := os.ReadFile(file)
		list[filepath.ToSlash(file)] = string(text)
		return err
	})
	if err != nil || len(list) < 50 {
		t.Fatalf("%d files, %v", len(list), err)
	}
	return list
}

var imports = regexp.MustCompile(`(?:from|import\()\s*'(\.[^']+)'`)

// A file of the console imports no file that imports it, however far round.
func TestTree_HasNoCircles(t *testing.T) {
	files := sources(t)
	of := map[string][]string{}
	for file, text := range files {
		for _, m := range imports.FindAllStringSubmatch(text, -1) {
			to := path.Join(path.Dir(file), m[1])
			if _, ok := files[to]; ok {
				of[file] = append(of[file], to)
			}
		}
	}
	done := map[string]bool{}
	var way []string
	var visit func(file string)
	visit = func(file string) {
		if i := slices.Index(way, file); i >= 0 {
			t.Errorf("a circle: %s → %s", strings.Join(way[i:], " → "), file)
			return
		}
		if done[file] {
			return
		}
		way = append(way, file)
		for _, to := range of[file] {
			visit(to)
		}
		way, done[file] = way[:len(way)-1], true
	}
	for file := range files {
		visit(file)
	}
	if len(of["src/main.tsx"]) < 10 {
		t.Errorf("main.tsx imports %v: this test reads the wrong lines", of["src/main.tsx"])
	}
}

// core computes: it knows neither the pages nor the network.
func TestTree_CoreImportsNoPage(t *testing.T) {
	for file, text := range sources(t) {
		if !strings.HasPrefix(file, "src/core/") {
			continue
		}
		for _, m := range regexp.MustCompile(`(?m)^import (type )?.* from '([^']+)'`).FindAllStringSubmatch(text, -1) {
			if strings.Contains(m[2], "/ui/") || m[1] == "" && (strings.Contains(m[2], "/api/") || !strings.HasPrefix(m[2], ".")) {
				t.Errorf("%s imports %s", file, m[2])
			}
		}
	}
}

// What is asked of the API, put among its answers or read again goes by the keys of
// four modules, three of them about searches, releases and alerts: a key that is written twice is changed once.
func TestTree_QuestionsStandInOneModule(t *testing.T) {
	seen := 0
	for file, text := range sources(t) {
		for n, line := range strings.Split(text, "\n") {
			if !regexp.MustCompile(`queryKey: \[|QueryData[^(]*\(\[`).MatchString(line) {
				continue
			}
			if seen++; file != "src/api/queries.ts" && file != "src/api/search.ts" && file != "src/api/health.ts" && file != "src/api/alerts.ts" && file != "src/api/tickets.ts" {
				t.Errorf("%s:%d writes a key; take it from api/queries.ts, search.ts, health.ts, alerts.ts or tickets.ts: %s", file, n+1, strings.TrimSpace(line))
			}
		}
	}
	if seen < 30 {
		t.Errorf("%d keys were found: this test reads the wrong lines", seen)
	}
}
