package handbook

import (
	"bytes"
	"path"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
)

// Root is where the pages are served.
const Root = "/docs"

// Address is where a page is served: the front page at the root.
func Address(page string) string {
	if page == frontPage {
		return Root
	}
	return Root + "/" + page
}

// frontPage lists the others by task.
const frontPage = "README"

// html renders a page. Links to other pages lead to where those are served; links to files that are
// not served become plain text.
func (p Page) html() (string, error) {
	md := goldmark.New(goldmark.WithExtensions(extension.Table),
		goldmark.WithParserOptions(parser.WithAutoHeadingID()))
	source := []byte(p.Text)
	tree := md.Parser().Parse(text.NewReader(source), parser.WithContext(parser.NewContext(parser.WithIDs(&anchors{}))))
	var links []*ast.Link
	err := ast.Walk(tree, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if link, ok := n.(*ast.Link); ok && entering {
			links = append(links, link)
		}
		return ast.WalkContinue, nil
	})
	if err != nil {
		return "", err
	}
	for _, link := range links {
		to, ok := p.served(string(link.Destination))
		if ok {
			link.Destination = []byte(to)
			continue
		}
		for link.FirstChild() != nil {
			link.Parent().InsertBefore(link.Parent(), link, link.FirstChild())
		}
		link.Parent().RemoveChild(link.Parent(), link)
	}
	var out bytes.Buffer
	err = md.Renderer().Render(&out, source, tree)
	return out.String(), err
}

// served is where the target of a page's link is served.
func (p Page) served(target string) (address string, ok bool) {
	switch {
	case strings.HasPrefix(target, "#") || strings.HasPrefix(target, "https://"):
		return target, true
	case strings.HasSuffix(target, "openapi.json"):
		return "/api/openapi.json", true
	}
	file, anchor, hasAnchor := strings.Cut(target, "#")
	file = path.Join(path.Dir(p.Name), file)
	switch {
	case strings.HasPrefix(file, ".."):
		return "", false
	case strings.HasSuffix(file, ".md"):
		address = Address(strings.TrimSuffix(file, ".md"))
	case strings.HasSuffix(file, ".yaml"):
		address = Root + "/" + file
	case path.Ext(file) == "":
		address = Root + "/" + file
	default:
		return "", false
	}
	if hasAnchor {
		address += "#" + anchor
	}
	return address, true
}

// Generate implements parser.IDs: headings are named as the search names them.
func (a *anchors) Generate(value []byte, kind ast.NodeKind) []byte {
	return []byte(a.of(strings.TrimSpace(string(value))))
}

// Put implements parser.IDs.
func (a *anchors) Put([]byte) {}
