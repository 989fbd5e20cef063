// Package handbook serves the documentation: pages made from the Markdown in docs, and a search over
// their sections.
package handbook

import (
	"fmt"
	"io/fs"
	"path"
	"strings"
)

// Page is one file of the documentation.
type Page struct {
	Name     string // without .md: "alerts", "decisions/0008-the-stream-names-what-changed"
	Title    string
	Text     string // Markdown
	Sections []Section
}

// Section is the text below one heading of a page.
type Section struct {
	Heading string
	Anchor  string // of the heading; "" of what stands above the first
	Text    string // Markdown, without the heading
}

// Read reads all pages of a directory and those of its decisions.
func Read(files fs.FS) ([]Page, error) {
	var pages []Page
	for _, pattern := range []string{"*.md", "decisions/*.md"} {
		names, err := fs.Glob(files, pattern)
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			raw, err := fs.ReadFile(files, name)
			if err != nil {
				return nil, fmt.Errorf("the page %s: %w", name, err)
			}
			pages = append(pages, read(strings.TrimSuffix(name, ".md"), string(raw)))
		}
	}
	return pages, nil
}

func read(name, text string) Page {
	p := Page{Name: name, Title: path.Base(name), Text: text}
	anchors := &anchors{}
	now, code := Section{}, false
	for line := range strings.Lines(text) {
		if strings.HasPrefix(strings.TrimSpace(line), "```") {
			code = !code
		}
		marks := len(line) - len(strings.TrimLeft(line, "#"))
		if code || marks == 0 || !strings.HasPrefix(line[marks:], " ") {
			now.Text += line
			continue
		}
		heading := strings.TrimSpace(line[marks:])
		if marks == 1 {
			p.Title = strings.ReplaceAll(heading, "`", "")
		}
		p.Sections = append(p.Sections, now)
		now = Section{Heading: strings.ReplaceAll(heading, "`", ""), Anchor: anchors.of(heading)}
	}
	p.Sections = append(p.Sections, now)
	return p
}

// anchors names headings, each differently within a page, as links in the pages do.
type anchors struct{ used map[string]int }

func (a *anchors) of(heading string) string {
	var b strings.Builder
	for _, c := range strings.ToLower(heading) {
		switch {
		case c == ' ':
			b.WriteByte('-')
		case c == '-' || c == '_' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c > 127:
			b.WriteRune(c)
		}
	}
	name := b.String()
	if a.used == nil {
		a.used = map[string]int{}
	}
	n := a.used[name]
	a.used[name]++
	if n > 0 {
		name += fmt.Sprint("-", n)
	}
	return name
}
