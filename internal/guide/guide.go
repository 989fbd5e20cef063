// Package guide writes the set-up steps for an application of each runtime, with the project's key and
// the service's address. Each guide is a file of the folder guides, whose texts are templates that
// Facts fill in.
package guide

import (
	"bytes"
	"embed"
	"fmt"
	"strings"
	"text/template"

	"go.yaml.in/yaml/v4"
)

// Facts are what a guide is filled in with.
type Facts struct {
	Server  string // where people and applications reach the service
	Key     string // the project's ingest key
	Project string
	Version string // of the clients that the service hands out
}

// Tarball is where the service hands the JavaScript client out.
func (f Facts) Tarball() string {
	return fmt.Sprintf("%s/clients/firethorn-client-%s.tgz", f.Server, f.Version)
}

// Step is one thing to do. It has a command to run, or a file to write with
// its text.
type Step struct {
	Title string `yaml:"title"`
	Why   string `yaml:"why"`
	Run   string `yaml:"run"`   // shell commands, one a line
	File  string `yaml:"file"`  // path in the application's directory
	Text  string `yaml:"text"`  // the file's text, or what to add to it
	Later bool   `yaml:"later"` // it belongs into the build or the deployment, not into the first try
}

// Guide is the steps of one runtime.
type Guide struct {
	Runtime string `yaml:"-"`
	Name    string `yaml:"name"`
	About   string `yaml:"about"`
	Steps   []Step `yaml:"steps"`
}

// Runtime is one that there is a guide for.
type Runtime struct{ ID, Name string }

//go:embed guides
var files embed.FS

// runtimes are those that there are guides for, in the order in which they are
// offered.
func runtimes() []string {
	return []string{"vite", "browser", "node", "node-web", "go", "opentelemetry", "logs"}
}

// Runtimes lists them in the order in which they are offered.
func Runtimes() ([]Runtime, error) {
	var out []Runtime
	for _, id := range runtimes() {
		g, err := read(id)
		if err != nil {
			return nil, err
		}
		out = append(out, Runtime{id, g.Name})
	}
	return out, nil
}

// For is the guide of a runtime, one of Runtimes.
func For(runtime string, f Facts) (Guide, error) {
	g, err := read(runtime)
	if err != nil {
		return Guide{}, err
	}
	for i := range g.Steps {
		s := &g.Steps[i]
		for _, text := range []*string{&s.Title, &s.Why, &s.Run, &s.File, &s.Text} {
			if *text, err = fill(*text, f); err != nil {
				return Guide{}, fmt.Errorf("the guide of %s, step %d: %w", runtime, i+1, err)
			}
		}
	}
	return g, nil
}

// read reads a guide that is not filled in.
func read(runtime string) (Guide, error) {
	g := Guide{Runtime: runtime}
	raw, err := files.ReadFile("guides/" + runtime + ".yaml")
	if err != nil {
		return g, fmt.Errorf("there is no guide for %q: %w", runtime, err)
	}
	if err := yaml.Unmarshal(raw, &g); err != nil {
		return g, fmt.Errorf("the guide of %s: %w", runtime, err)
	}
	return g, nil
}

func fill(text string, f Facts) (string, error) {
	t, err := template.New("").Funcs(template.FuncMap{"start": start}).Option("missingkey=error").Parse(text)
	if err != nil {
		return "", err
	}
	var out bytes.Buffer
	err = t.Execute(&out, f)
	return out.String(), err
}

// start is the file that starts the JavaScript client; release is an expression,
// and options are further ones of start.
func start(f Facts, release string, options ...string) string {
	lines := []string{"server: '" + f.Server + "'", "key: '" + f.Key + "'", "service: '" + f.Project + "'",
		"release: " + release, "environment: 'production'"}
	return "import { start } from '@firethorn/client'\n\nstart({\n  " +
		strings.Join(append(lines, options...), ",\n  ") + ",\n})\n"
}
