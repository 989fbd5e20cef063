package find

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
)

// Saved is a search with a name: of one person, or shared by a project.
type Saved struct {
	Name, Search string
	Shared       bool
	Default      bool // what a list begins with
	Maker        string
	Changed      time.Time
}

// maxSaved is how many searches are saved of a project, and maxName how long a
// name may be, in characters.
const (
	maxSaved = 500
	maxName  = 60
)

// maxExpansion is how deep saved searches may name others.
const maxExpansion = 4

// Save saves a search under a name. One with the name that is there already is
// replaced: a person's own, or the shared one. The answer says what of it is not known
// yet: the first event that has it may still come.
func (s *Service) Save(ctx context.Context, a Ask, x Saved, who accounts.Actor) (warnings []string, err error) {
	if x.Name = strings.TrimSpace(x.Name); x.Name == "" || utf8.RuneCountInString(x.Name) > maxName ||
		strings.ContainsFunc(x.Name, func(r rune) bool { return r < ' ' }) {
		return nil, problem.New(problem.BadInput, "a saved search needs a name of 1 to %d characters on one line", maxName)
	}
	tree, err := query.Parse(x.Search)
	if err != nil {
		return nil, searchError(err)
	}
	n, done, err := s.open(ctx, a.Project.ID, Window{From: a.Now})
	if err != nil {
		return nil, err
	}
	defer done()
	for _, e := range query.Check(tree, n.attributes()) {
		if !strings.HasPrefix(e.Message, "unknown field") {
			return nil, badSearch(e)
		}
		warnings = append(warnings, e.Message+"; it may still come")
	}
	if err := n.namesItself(ctx, s, a, x, tree); err != nil {
		return nil, err
	}
	owner := int64(0)
	if !x.Shared {
		if owner = a.Person; owner == 0 {
			return nil, problem.New(
				problem.BadInput,
				"a personal search needs a person, and this token belongs to none; add --shared",
			)
		}
	}
	return warnings, s.db.InTx(ctx, func(tx *sql.Tx) error {
		var count int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM saved_search WHERE project=?",
			a.Project.ID).Scan(&count); err != nil {
			return err
		}
		if count >= maxSaved {
			return problem.New(
				problem.Conflict,
				"%s has %d saved searches already; delete one first",
				a.Project.Name,
				maxSaved,
			)
		}
		if x.Default {
			if _, err := tx.ExecContext(ctx,
				"UPDATE saved_search SET preferred=0 WHERE project=? AND person=? AND shared=?", a.Project.ID,
				owner, x.Shared); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(
			ctx,
			"INSERT INTO saved_search (project, name, search, person, maker, shared, preferred, changed) VALUES (?,?,?,?,?,?,?,?)"+
				" ON DUPLICATE KEY UPDATE search=VALUES(search), maker=VALUES(maker), preferred=VALUES(preferred), changed=VALUES(changed)",
			a.Project.ID,
			x.Name,
			x.Search,
			owner,
			event.TrimText(who.Name, 140),
			x.Shared,
			x.Default,
			db.Micros(s.db.Now()),
		)
		return err
	})
}

// namesItself refuses a search that would lead back to itself.
func (n *snapshot) namesItself(ctx context.Context, s *Service, a Ask, x Saved, tree query.Node) error {
	_, err := query.Replace(tree, func(t query.Term) (query.Node, error) {
		if t.Name != "saved" {
			return nil, nil
		}
		for _, v := range t.Values {
			if whole, _ := v.Text(); strings.EqualFold(whole, x.Name) {
				return nil, problem.New(problem.BadInput, "the search %q would name itself", x.Name)
			}
		}
		return s.expand(ctx, n, a, t, 1)
	})
	return err
}

const savedColumns = "name, search, shared, preferred, maker, changed"

func scanSaved(r *sql.Rows) (x Saved, err error) {
	var at int64
	err = db.ScanNames(r, db.Into{"name": &x.Name, "search": &x.Search, "shared": &x.Shared, "preferred": &x.Default,
		"maker": &x.Maker, "changed": &at})
	x.Changed = db.FromMicros(at)
	return x, err
}

// SavedSearches lists the searches that a person sees in a project: their own and the
// shared ones, by name.
func (s *Service) SavedSearches(ctx context.Context, project, person int64) ([]Saved, error) {
	return db.List(ctx, s.db, scanSaved, "SELECT "+savedColumns+
		" FROM saved_search WHERE project=? AND (shared=1 OR person=? AND person<>0) ORDER BY name, shared",
		project, person)
}

// SavedNamed finds one by its name: a person's own before a shared one.
func (s *Service) SavedNamed(ctx context.Context, project, person int64, name string) (Saved, error) {
	return savedNamed(ctx, s.db, project, person, name)
}

func savedNamed(ctx context.Context, q db.Querier, project, person int64, name string) (Saved, error) {
	x, err := db.First(ctx, q, scanSaved, "SELECT "+savedColumns+
		" FROM saved_search WHERE project=? AND name=? AND (shared=1 OR person=? AND person<>0) ORDER BY shared LIMIT 1", project, name, person)
	if errors.Is(err, sql.ErrNoRows) {
		return x, problem.New(problem.NotFound, "there is no saved search %q here; firethorn search list shows them", name)
	}
	return x, err
}

// DeleteSaved deletes a search: a person's own, or with shared the shared one.
func (s *Service) DeleteSaved(ctx context.Context, project, person int64, name string, shared bool) error {
	owner := person
	if shared {
		owner = 0
	}
	r, err := s.db.ExecContext(
		ctx,
		"DELETE FROM saved_search WHERE project=? AND name=? AND shared=? AND person=?",
		project,
		name,
		shared,
		owner,
	)
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n > 0 {
		return err
	}
	if shared {
		return problem.New(problem.NotFound, "there is no shared search %q", name)
	}
	return problem.New(problem.NotFound, "you have no search %q; a shared one is deleted with --shared", name)
}

// expand puts saved searches in the place of their names.
func (s *Service) expand(ctx context.Context, n *snapshot, a Ask, tree query.Node, depth int) (query.Node, error) {
	return query.Replace(tree, func(t query.Term) (query.Node, error) {
		if t.Name != "saved" {
			return nil, nil
		}
		if depth >= maxExpansion {
			return nil, badTerm(t, "saved searches name each other more than 4 deep")
		}
		var any []query.Node
		for _, v := range t.Values {
			name, exact := v.Text()
			if !exact {
				return nil, badTerm(t, "saved: write the whole name of a search")
			}
			x, err := savedNamed(ctx, n.tx, a.Project.ID, a.Person, name)
			if err != nil {
				return nil, badTerm(t, problem.Public(err))
			}
			of, err := query.Parse(x.Search)
			if err != nil {
				return nil, searchError(err)
			}
			if of, err = s.expand(ctx, n, a, of, depth+1); err != nil {
				return nil, err
			}
			any = append(any, of)
		}
		if len(any) == 1 {
			return any[0], nil
		}
		return query.Or{Any: any}, nil
	})
}
