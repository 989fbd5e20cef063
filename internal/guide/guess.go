package guide

import (
	"encoding/json"
	"io/fs"
	"regexp"
	"strings"
)

// Guess is the runtime that the application in a directory most likely has, and
// what it is called there; both are "" where nothing tells.
func Guess(dir fs.FS) (runtime, name string) {
	if raw, err := fs.ReadFile(dir, "package.json"); err == nil {
		return guessNode(raw)
	}
	if raw, err := fs.ReadFile(dir, "go.mod"); err == nil {
		if m := goModule.FindSubmatch(raw); m != nil {
			name = string(m[1][strings.LastIndexByte(string(m[1]), '/')+1:])
		}
		return "go", name
	}
	for _, file := range []string{"pom.xml", "build.gradle", "build.gradle.kts", "pyproject.toml", "requirements.txt",
		"Gemfile", "composer.json", "Cargo.toml"} {
		if _, err := fs.Stat(dir, file); err == nil {
			return "opentelemetry", ""
		}
	}
	return "", ""
}

var goModule = regexp.MustCompile(`(?m)^module\s+"?([^\s"]+)`)

// guessNode looks at a package.json: a bundler for browsers, a web framework, or
// neither.
func guessNode(raw []byte) (runtime, name string) {
	var p struct {
		Name            string            `json:"name"`
		Dependencies    map[string]string `json:"dependencies"`
		DevDependencies map[string]string `json:"devDependencies"`
	}
	if err := json.Unmarshal(raw, &p); err != nil {
		return "node", ""
	}
	has := func(names ...string) bool {
		for _, n := range names {
			if p.Dependencies[n] != "" || p.DevDependencies[n] != "" {
				return true
			}
		}
		return false
	}
	name = p.Name[strings.LastIndexByte(p.Name, '/')+1:]
	switch {
	case has("express", "fastify", "koa", "polka", "restify", "connect", "@nestjs/core"):
		return "node-web", name
	case has("vite"):
		return "vite", name
	case has("webpack", "rollup", "parcel", "esbuild", "react-dom", "vue", "svelte", "@angular/core"):
		return "browser", name
	}
	return "node", name
}
