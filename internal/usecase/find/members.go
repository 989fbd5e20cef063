package find

import (
	"context"
	"database/sql"
	"slices"
	"sync"

	"firethorn/internal/db"
)

// members are the variants of a project: which issue each belongs to, and what their
// traces say. Ids rise; a variant is named by its place among them.
type members struct {
	version  int64
	ids      []uint32
	issue    []int64
	typ      texts
	file     texts
	function texts
	headline []string
	place    []string
	message  []string
	byID     []int32 // place + 1 of the variant ids[0]+i
}

// texts are texts of variants of which many are alike.
type texts struct {
	all  []string
	at   map[string]uint32
	code []uint32 // of each variant
}

func (t *texts) add(s string) {
	if t.at == nil {
		t.at = map[string]uint32{}
	}
	n, ok := t.at[s]
	if !ok {
		n = uint32(len(t.all))
		t.all = append(t.all, s)
		t.at[s] = n
	}
	t.code = append(t.code, n)
}

// index is the place of a variant; -1 where it is none of the project's, or its issue is
// gone.
func (m *members) index(variant uint32) int {
	if len(m.ids) == 0 || variant < m.ids[0] || int(variant-m.ids[0]) >= len(m.byID) {
		return -1
	}
	return int(m.byID[variant-m.ids[0]]) - 1
}

// passing gives a quick test of variants out of which of them pass, by their places.
func (m *members) passing(pass []bool) func(uint32) bool {
	if len(m.ids) == 0 {
		return func(uint32) bool { return false }
	}
	base, quick := m.ids[0], make([]bool, len(m.byID))
	for i, id := range m.ids {
		quick[id-base] = pass[i]
	}
	return func(id uint32) bool { return id >= base && int(id-base) < len(quick) && quick[id-base] }
}

// memberCache remembers the members of projects. They are read anew when variants
// went to other issues; new ones are added.
type memberCache struct {
	mu   sync.Mutex
	held map[int64]*heldMembers
}

type heldMembers struct {
	mu sync.Mutex
	m  *members
}

// mostMembers is of how many projects members are remembered.
const mostMembers = 200

func newMemberCache() *memberCache { return &memberCache{held: map[int64]*heldMembers{}} }

func (c *memberCache) of(project int64) *heldMembers {
	c.mu.Lock()
	defer c.mu.Unlock()
	h := c.held[project]
	if h == nil {
		if len(c.held) >= mostMembers {
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

// membersOf reads the members of a project as a transaction sees them.
func (s *Service) membersOf(ctx context.Context, tx *sql.Tx, project, version int64) (*members, error) {
	h := s.members.of(project)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.m != nil && h.m.version > version {
		return readMembers(ctx, tx, project, &members{version: version}) // an older view than is remembered
	}
	from := &members{version: version}
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
func readMembers(ctx context.Context, tx *sql.Tx, project int64, before *members) (*members, error) {
	m := *before
	last := uint32(0)
	if n := len(m.ids); n > 0 {
		last = m.ids[n-1]
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
		m.ids, m.issue = append(m.ids, f.id), append(m.issue, f.issue)
		m.typ.add(f.typ)
		m.file.add(f.file)
		m.function.add(f.function)
		m.headline, m.place, m.message = append(
			m.headline,
			f.headline,
		), append(
			m.place,
			f.place,
		), append(
			m.message,
			f.message,
		)
	}
	m.byID = make([]int32, m.ids[len(m.ids)-1]-m.ids[0]+1)
	for i, id := range m.ids {
		m.byID[id-m.ids[0]] = int32(i + 1)
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

// where gives the variants of which a text passes a test.
func (t *texts) where(test func(string) bool) []bool {
	pass := make([]bool, len(t.all))
	for i, s := range t.all {
		pass[i] = test(s)
	}
	out := make([]bool, len(t.code))
	for i, c := range t.code {
		out[i] = pass[c]
	}
	return out
}

func textsWhere(list []string, test func(string) bool) []bool {
	out := make([]bool, len(list))
	for i, s := range list {
		out[i] = test(s)
	}
	return out
}
