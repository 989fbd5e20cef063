// Package members reads the variants of a project: the issue of each, and what their traces say. It
// reads all of them once, then only changes.
package members

import (
	"context"
	"database/sql"
	"slices"
	"sync"

	"firethorn/internal/db"
)

// Members are the variants of a project: which issue each belongs to, and what their
// traces say. Ids rise; a variant is named by its place among them.
type Members struct {
	version  int64
	IDs      []uint32
	Issue    []int64
	Type     Texts
	File     Texts
	Function Texts
	Headline []string
	Place    []string
	Message  []string
	byID     []int32 // place + 1 of the variant IDs[0]+i
}

// Texts are texts of variants, many of them equal.
type Texts struct {
	All  []string
	Code []uint32 // of each variant: its place in All
	at   map[string]uint32
}

func (t *Texts) add(s string) {
	if t.at == nil {
		t.at = map[string]uint32{}
	}
	n, ok := t.at[s]
	if !ok {
		n = uint32(len(t.All))
		t.All = append(t.All, s)
		t.at[s] = n
	}
	t.Code = append(t.Code, n)
}

// Index is the place of a variant; -1 where it is none of the project's, or its issue is
// gone.
func (m *Members) Index(variant uint32) int {
	if len(m.IDs) == 0 || variant < m.IDs[0] || int(variant-m.IDs[0]) >= len(m.byID) {
		return -1
	}
	return int(m.byID[variant-m.IDs[0]]) - 1
}

// Passing makes a quick test from which variants pass, by their places.
func (m *Members) Passing(pass []bool) func(uint32) bool {
	if len(m.IDs) == 0 {
		return func(uint32) bool { return false }
	}
	base, quick := m.IDs[0], make([]bool, len(m.byID))
	for i, id := range m.IDs {
		quick[id-base] = pass[i]
	}
	return func(id uint32) bool { return id >= base && int(id-base) < len(quick) && quick[id-base] }
}

// Store remembers the members of projects. They are read again when variants went to
// other issues; new ones are added. It is safe for concurrent use.
type Store struct {
	mu   sync.Mutex
	held map[int64]*heldMembers
}

type heldMembers struct {
	mu sync.Mutex
	m  *Members
}

// maxMembers is of how many projects members are remembered.
const maxMembers = 200

// New makes a store.
func New() *Store { return &Store{held: map[int64]*heldMembers{}} }

func (c *Store) of(project int64) *heldMembers {
	c.mu.Lock()
	defer c.mu.Unlock()
	h := c.held[project]
	if h == nil {
		if len(c.held) >= maxMembers {
			for id := range c.held { // any: it is read again where it is needed
				delete(c.held, id)
				break
			}
		}
		h = &heldMembers{}
		c.held[project] = h
	}
	return h
}

// Of reads the members of a project as a transaction sees them; version is what its
// memberships are counted by.
func (c *Store) Of(ctx context.Context, tx *sql.Tx, project, version int64) (*Members, error) {
	h := c.of(project)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.m != nil && h.m.version > version {
		return readMembers(ctx, tx, project, &Members{version: version}) // an older view than is remembered
	}
	from := &Members{version: version}
	if h.m != nil && h.m.version == version {
		from = h.m
	}
	m, err := readMembers(ctx, tx, project, from)
	if err == nil {
		h.m = m
	}
	return m, err
}

// readMembers adds the variants that are new since. What was read before is shared,
// and stays as it is.
func readMembers(ctx context.Context, tx *sql.Tx, project int64, before *Members) (*Members, error) {
	m := *before
	last := uint32(0)
	if n := len(m.IDs); n > 0 {
		last = m.IDs[n-1]
	}
	type found struct {
		id                                            uint32
		issue                                         int64
		typ, message, file, function, headline, place string
	}
	var list []found
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var f found
		err := db.ScanNames(r, db.Into{"id": &f.id, "issue": &f.issue, "type": &f.typ, "message": &f.message,
			"file": &f.file, "function": &f.function, "headline": &f.headline, "place": &f.place})
		list = append(list, f)
		return err
	}, "SELECT v.id, v.issue, COALESCE(f.type,'') AS type, COALESCE(f.message,'') AS message, COALESCE(f.file,'') AS file, COALESCE(f.function,'') AS function, COALESCE(f.headline,'') AS headline, COALESCE(f.place,'') AS place"+
		" FROM variant v FORCE INDEX ("+memberIndex(last)+") JOIN issue_list l ON l.issue=v.issue LEFT JOIN variant_fact f ON f.variant=v.id WHERE v.project=? AND v.id>?", project, last)
	if err != nil || len(list) == 0 {
		return &m, err
	}
	slices.SortFunc(list, func(a, b found) int { return int(int64(a.id) - int64(b.id)) })
	for _, f := range list {
		m.IDs, m.Issue = append(m.IDs, f.id), append(m.Issue, f.issue)
		m.Type.add(f.typ)
		m.File.add(f.file)
		m.Function.add(f.function)
		m.Headline, m.Place = append(m.Headline, f.headline), append(m.Place, f.place)
		m.Message = append(m.Message, f.message)
	}
	m.byID = make([]int32, m.IDs[len(m.IDs)-1]-m.IDs[0]+1)
	for i, id := range m.IDs {
		m.byID[id-m.IDs[0]] = int32(i + 1)
	}
	return &m, nil
}

// memberIndex is the index that finds the variants after one: all of a project, or
// those that are new.
func memberIndex(last uint32) string {
	if last == 0 {
		return "project"
	}
	return "PRIMARY"
}

// Where gives the variants with a text that passes a test.
func (t *Texts) Where(test func(string) bool) []bool {
	pass := make([]bool, len(t.All))
	for i, s := range t.All {
		pass[i] = test(s)
	}
	out := make([]bool, len(t.Code))
	for i, c := range t.Code {
		out[i] = pass[c]
	}
	return out
}

// Where gives the variants with a text that passes a test.
func Where(list []string, test func(string) bool) []bool {
	out := make([]bool, len(list))
	for i, s := range list {
		out[i] = test(s)
	}
	return out
}
