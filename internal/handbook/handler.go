package handbook

import (
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"regexp"
	"strings"

	"github.com/go-chi/chi/v5"
)

//go:embed page.html style.css
var assets embed.FS

// Policy is the Content-Security-Policy of the pages.
const Policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'; require-trusted-types-for 'script'; trusted-types 'none'"

// hitsShown is how many sections a search lists.
const hitsShown = 20

// Handler serves the documentation below Root. Nobody has to sign in for it: it holds nothing of the
// service's own.
type Handler struct {
	pages    map[string]*shown
	menu     []group
	index    *Index
	files    fs.FS
	template *template.Template
	style    []byte
}

// shown is a page, rendered.
type shown struct {
	Page
	HTML template.HTML // made from our own files
}

// NewHandler renders the pages of a directory.
func NewHandler(files fs.FS) (*Handler, error) {
	pages, err := Read(files)
	if err != nil {
		return nil, err
	}
	h := &Handler{pages: map[string]*shown{}, index: NewIndex(pages), files: files}
	for _, p := range pages {
		html, err := p.html()
		if err != nil {
			return nil, fmt.Errorf("the page %s: %w", p.Name, err)
		}
		h.pages[p.Name] = &shown{p, template.HTML(html)}
	}
	if h.pages["decisions"], err = decisions(pages); err != nil {
		return nil, err
	}
	h.menu = menuOf(h.pages)
	t := template.New("page.html").Funcs(template.FuncMap{"address": Address})
	if h.template, err = t.ParseFS(assets, "page.html"); err != nil {
		return nil, err
	}
	h.style, err = assets.ReadFile("style.css")
	return h, err
}

// group is a part of the menu.
type group struct {
	Name  string
	Pages []entry
}

// entry is a page as the menu calls it.
type entry struct{ Name, Title string }

var pageLink = regexp.MustCompile(`\[([^\]]+)\]\(([\w-]+)(?:\.md)?\)`)

// menuOf is the menu as the front page has it: its sections with the pages they name, each once.
func menuOf(pages map[string]*shown) (menu []group) {
	front := pages[frontPage]
	if front == nil {
		return nil
	}
	seen := map[string]bool{}
	for _, s := range front.Sections {
		g := group{Name: s.Heading}
		for _, m := range pageLink.FindAllStringSubmatch(s.Text, -1) {
			if name := m[2]; pages[name] != nil && !seen[name] {
				seen[name] = true
				g.Pages = append(g.Pages, entry{name, strings.ToUpper(m[1][:1]) + m[1][1:]})
			}
		}
		if len(g.Pages) > 0 {
			menu = append(menu, g)
		}
	}
	return menu
}

// decisions is the page that lists the decisions.
func decisions(pages []Page) (*shown, error) {
	list := Page{Name: "decisions", Title: "Decisions"}
	text := "# Decisions\n\nWhy Firethorn is built as it is. Each page says what the situation was, what was decided, and what follows.\n\n"
	for _, p := range pages {
		if name, ok := strings.CutPrefix(p.Name, "decisions/"); ok {
			title := strings.TrimLeft(p.Title, "0123456789. ")
			text += fmt.Sprintf("- [%s](decisions/%s.md)\n", title, name)
		}
	}
	list.Text = text
	html, err := list.html()
	return &shown{list, template.HTML(html)}, err
}

// Routes adds the pages to a router.
func (h *Handler) Routes(r chi.Router) {
	r.Get(Root, h.page)
	r.Get(Root+"/*", h.page)
}

// page answers a page, the result of a search, or a file that pages name.
func (h *Handler) page(w http.ResponseWriter, r *http.Request) {
	name := strings.Trim(strings.TrimPrefix(r.URL.Path, Root), "/")
	head := w.Header()
	head.Set("X-Content-Type-Options", "nosniff")
	head.Set("Referrer-Policy", "no-referrer")
	head.Set("Content-Security-Policy", Policy)
	head.Set("Cache-Control", "no-cache")
	switch {
	case name == "style.css":
		head.Set("Content-Type", "text/css; charset=utf-8")
		_, _ = w.Write(h.style) // the reader may have gone
		return
	case strings.HasSuffix(name, ".yaml"):
		raw, err := fs.ReadFile(h.files, name)
		if err != nil {
			h.write(w, http.StatusNotFound, view{Missing: name})
			return
		}
		head.Set("Content-Type", "text/plain; charset=utf-8")
		_, _ = w.Write(raw)
		return
	case name == "":
		name = frontPage
	}
	if q := strings.TrimSpace(r.URL.Query().Get("q")); q != "" {
		h.write(w, http.StatusOK, view{Asked: q, Hits: h.index.Search(q, hitsShown)})
		return
	}
	p, ok := h.pages[strings.TrimSuffix(name, ".md")]
	if !ok {
		h.write(w, http.StatusNotFound, view{Missing: name})
		return
	}
	h.write(w, http.StatusOK, view{Page: p})
}

// view is what the template shows.
type view struct {
	Page    *shown
	Asked   string
	Hits    []Hit
	Missing string
	Menu    []group
}

func (h *Handler) write(w http.ResponseWriter, status int, v view) {
	v.Menu = h.menu
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = h.template.Execute(w, v) // the reader may have gone
}
