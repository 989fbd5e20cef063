package plainscan

import (
	"database/sql"
	"slices"
	"strconv"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/core/event"
	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/testbed"
)

// plainEvent is an event as a plain scan sees it: its row, and what was sent.
type plainEvent struct {
	id                   uuid.UUID
	position             int64
	thrown               int64
	weight               int64
	user                 int64
	issue                int64
	typ, function, file  string
	headline, place      string
	message              string
	release, environment string
	severity, handled    string
	session              string
	attributes           map[string]columns.Value
	names                []int64 // hashes of all that its user is called
	unknown              bool
}

// plainIssue is an issue as a plain scan sees it.
type plainIssue struct {
	id, owner, events, users int64
	impact                   float64
	first, last              int64
	state, severity, words   string
	unhandled                bool
	firstRelease             string
	comments                 int
}

// plain is all events and issues of a project, read without the index.
type plain struct {
	b      *testbed.Bench
	events []plainEvent
	issues map[int64]plainIssue
	now    time.Time
	orders map[[2]string]int
}

// scan reads all events there are; sent is what was sent of each.
func scan(b *testbed.Bench, sent map[uuid.UUID]*event.Event, erased map[uuid.UUID]bool) *plain {
	b.T.Helper()
	p := &plain{b: b, issues: map[int64]plainIssue{}, now: b.Now, orders: map[[2]string]int{}}
	each := func(what func(r *sql.Rows) error, query string, args ...any) {
		if err := db.Each(b.T.Context(), b.DB, what, query, args...); err != nil {
			b.T.Fatal(err)
		}
	}
	each(func(r *sql.Rows) error {
		var e plainEvent
		var id []byte
		var handled sql.NullBool
		var user sql.NullInt64
		var dictionary sql.NullInt64
		var body []byte
		if err := db.ScanNames(r, db.Into{"id": &id, "filing": &e.position, "thrown": &e.thrown, "stands_for": &e.weight, "user": &user,
			"issue": &e.issue, "release_name": &e.release, "environment_name": &e.environment, "handled": &handled, "dictionary": &dictionary, "body": &body,
			"type": &e.typ, "function": &e.function, "file": &e.file, "headline": &e.headline, "place": &e.place, "message": &e.message}); err != nil {
			return err
		}
		e.id, e.user = uuid.UUID(id), user.Int64
		if handled.Valid {
			e.handled = strconv.FormatBool(handled.Bool)
		}
		says := sent[e.id]
		if body != nil { // other reports may have added to it
			raw, err := b.Events.UnpackBody(b.T.Context(), dictionary, body)
			if err != nil {
				return err
			}
			k, err := pipeline.Open(raw)
			if err != nil {
				return err
			}
			says = k.Event
		}
		e.severity, e.session = string(says.Severity), says.Attributes.Text("session.id")
		e.unknown, e.attributes = erased[e.id], map[string]columns.Value{}
		if !e.unknown {
			for _, a := range attributes.Of(says) {
				e.attributes[a.Name] = a.Value
			}
			if _, who := says.Identity(); who != "" {
				e.names = append(pipeline.OtherIdentities(b.Project.UserSecret, says), pipeline.UserHash(b.Project.UserSecret, who))
			}
		}
		p.events = append(p.events, e)
		return nil
	}, "SELECT e.id, e.filing, e.thrown, e.stands_for, e.user, v.issue, COALESCE(r.name,'') AS release_name, n.name AS environment_name, e.handled, b.dictionary, b.body,"+
		" f.type, f.function, f.file, f.headline, f.place, f.message FROM event e JOIN variant v ON v.id=e.variant JOIN issue_list l ON l.issue=v.issue JOIN variant_fact f ON f.variant=v.id"+
		" LEFT JOIN app_release r ON r.id=e.app_release JOIN environment n ON n.id=e.environment LEFT JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day ORDER BY e.filing")
	each(func(r *sql.Rows) error {
		var i plainIssue
		var tenths int64
		err := db.ScanNames(r, db.Into{"issue": &i.id, "owner": &i.owner, "events": &i.events, "users": &i.users, "impact": &tenths, "first_seen": &i.first,
			"last_seen": &i.last, "state": &i.state, "severity": &i.severity, "search_text": &i.words, "unhandled": &i.unhandled, "first_release": &i.firstRelease, "comments": &i.comments})
		i.impact = float64(tenths) / 10
		p.issues[i.id] = i
		return err
	}, "SELECT l.issue, COALESCE(l.owner,0) AS owner, l.events, l.users, l.impact, l.first_seen, l.last_seen, l.state, COALESCE(NULLIF(i.severity,''), l.severity) AS severity, l.search_text, l.unhandled, COALESCE(r.name,'') AS first_release,"+
		" (SELECT COUNT(*) FROM comment c WHERE c.issue=l.issue) AS comments FROM issue_list l JOIN issue i ON i.id=l.issue LEFT JOIN app_release r ON r.id=l.first_release")
	each(func(r *sql.Rows) error {
		var id int64
		var text string
		err := r.Scan(&id, &text)
		i := p.issues[id]
		i.words += "\n" + text
		p.issues[id] = i
		return err
	}, "SELECT COALESCE(m.merged_into, c.issue), c.text FROM comment c JOIN issue m ON m.id=c.issue")
	for i := range p.events { // a name that any event of the user carried finds all of them
		e := &p.events[i]
		for _, o := range p.events {
			if o.user == e.user && e.user != 0 {
				e.names = append(e.names, o.names...)
			}
		}
		slices.Sort(e.names)
		e.names = slices.Compact(e.names)
	}
	return p
}

// holds says whether a search holds of an event: 1, or not: -1, or is unknown: 0.
func (p *plain) holds(n query.Node, e *plainEvent) int {
	switch n := n.(type) {
	case query.And:
		out := 1
		for _, x := range n.All {
			out = min(out, p.holds(x, e))
		}
		return out
	case query.Or:
		out := -1
		for _, x := range n.Any {
			out = max(out, p.holds(x, e))
		}
		return out
	case query.Not:
		return -p.holds(n.Of, e)
	case query.Word:
		return sign(n.In(query.Words(p.issues[e.issue].words)))
	case query.Range:
		return p.inRange(n, e)
	case query.Term:
		return p.term(n, e)
	}
	panic("no such part")
}

func sign(ok bool) int {
	if ok {
		return 1
	}
	return -1
}

func (p *plain) term(t query.Term, e *plainEvent) int {
	i := p.issues[e.issue]
	text := map[string]string{"type": e.typ, "function": e.function, "file": e.file, "headline": e.headline, "place": e.place, "message": e.message,
		"release": e.release, "environment": e.environment, "session": e.session, "state": i.state, "appeared-in": i.firstRelease, "handled": e.handled}
	one := func(v query.Value) bool {
		whole, _ := v.Text()
		switch t.Name {
		case "severity":
			a, x := query.SeverityOf(e.severity)
			b, y := query.SeverityOf(whole)
			return x && y && a == b
		case "state":
			return whole == i.state || whole == "all" || whole == "open" && slices.Contains([]string{"new", "accepted", "regressed"}, i.state)
		case "owner":
			return v.Present() && i.owner != 0 || whole == "none" && i.owner == 0 || whole == "me" && i.owner == 101
		case "user":
			return v.Present() && e.user != 0 || !v.Present() && slices.Contains(e.names, pipeline.UserHash(p.b.Project.UserSecret, whole))
		case "comment":
			return i.comments > 0
		case "events", "users", "impact":
			n, _ := query.NumberOf(whole)
			return n == map[string]float64{"events": float64(i.events), "users": float64(i.users), "impact": i.impact}[t.Name]
		}
		have, fact := text[t.Name]
		return fact && have != "" && (v.Present() || v.Match(have))
	}
	if _, field := query.FieldOf(t.Name); field {
		return sign(slices.ContainsFunc(t.Values, one))
	}
	if e.unknown {
		return 0
	}
	v, ok := e.attributes[t.Name]
	return sign(ok && t.Holds(v))
}

// order is how two releases stand to each other.
func (p *plain) order(a, b string) int {
	k := [2]string{a, b}
	if d, ok := p.orders[k]; ok {
		return d
	}
	o, err := p.b.Releases.OrderOf(p.b.T.Context(), p.b.Project, a, b)
	if err != nil {
		p.b.T.Fatal(err)
	}
	p.orders[k] = o.Compare
	return o.Compare
}

func (p *plain) inRange(r query.Range, e *plainEvent) int {
	i := p.issues[e.issue]
	switch r.Name {
	case "severity":
		return sign(r.HoldsSeverity(e.severity))
	case "events":
		return sign(r.Contains(float64(i.events)))
	case "users":
		return sign(r.Contains(float64(i.users)))
	case "impact":
		return sign(r.Contains(i.impact))
	case "first", "last":
		span, _ := query.SpanOf(r, p.now, time.UTC)
		at := db.FromMicros(map[string]int64{"first": i.first, "last": i.last}[r.Name])
		return sign((span.From.IsZero() || !at.Before(span.From)) && (span.To.IsZero() || at.Before(span.To)))
	case "release", "appeared-in":
		name := e.release
		if r.Name == "appeared-in" {
			name = i.firstRelease
		}
		in := name != ""
		for _, b := range []struct {
			query.Bound
			sign int
		}{{r.From, 1}, {r.To, -1}} {
			if b.Text != "" && in {
				d := p.order(name, b.Text) * b.sign
				in = d > 0 || d == 0 && b.Inclusive
			}
		}
		return sign(in)
	}
	if e.unknown {
		return 0
	}
	v, ok := e.attributes[r.Name]
	return sign(ok && r.Holds(v))
}
