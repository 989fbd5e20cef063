package find

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/query"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
)

// rowFields are the fields that a row of the list answers: they are asked of the
// database where the rows are read.
var rowFields = []string{"state", "owner", "severity", "handled", "first", "last", "events", "users", "impact",
	"appeared-in", "came-back-in", "fixed-in", "assigned-by", "comment", "ticket", "feedback"}

// eventFields are those of them that are asked of events where events are looked at.
var eventFields = []string{"severity", "handled"}

// ofRow says whether a row of the list holds all that a part of a search asks for;
// looked says that events are looked at.
func ofRow(n query.Node, looked bool) bool {
	return query.Walk(n, func(n query.Node) bool {
		switch n.(type) {
		case query.Word:
			return false
		case query.Term, query.Range:
			name := nameOf(n)
			return slices.Contains(rowFields, name) && !(looked && slices.Contains(eventFields, name))
		}
		return true
	})
}

// condition is a part of a WHERE over issue_list l and issue i.
type condition struct {
	sql  string
	args []any
}

var (
	always = condition{sql: "1=1"}
	never  = condition{sql: "1=0"}
)

// condition writes a part of a search that ofRow accepts.
func (c *compiler) condition(ctx context.Context, n query.Node) (condition, error) {
	switch n := n.(type) {
	case query.And:
		return c.joined(ctx, n.All, " AND ", always)
	case query.Or:
		return c.joined(ctx, n.Any, " OR ", never)
	case query.Not:
		of, err := c.condition(ctx, n.Of)
		return condition{"NOT COALESCE(" + of.sql + ",0)", of.args}, err
	case query.Term:
		return c.rowTerm(ctx, n)
	case query.Range:
		return c.rowRange(ctx, n)
	}
	return never, fmt.Errorf("a %T is in no row", n)
}

func (c *compiler) joined(ctx context.Context, list []query.Node, with string, none condition) (condition, error) {
	if len(list) == 0 {
		return none, nil
	}
	var out condition
	for i, n := range list {
		x, err := c.condition(ctx, n)
		if err != nil {
			return out, err
		}
		if i > 0 {
			out.sql += with
		}
		out.sql += "(" + x.sql + ")"
		out.args = append(out.args, x.args...)
	}
	out.sql = "(" + out.sql + ")"
	return out, nil
}

// rowTerm writes a term: one of its values holds.
func (c *compiler) rowTerm(ctx context.Context, t query.Term) (condition, error) {
	switch t.Name {
	case "severity":
		return severities(t), nil
	case "appeared-in", "came-back-in":
		ids, err := c.releases(ctx, t)
		return inReleases(t.Name, ids), err
	case "fixed-in":
		return c.fixedIn(ctx, t)
	case "release", "environment":
		return c.seenIn(ctx, t)
	}
	var out []condition
	for _, v := range t.Values {
		x, err := c.rowValue(ctx, t, v)
		if err != nil {
			return never, err
		}
		out = append(out, x)
	}
	return either(out), nil
}

func either(list []condition) condition {
	if len(list) == 0 {
		return never
	}
	out := condition{sql: "("}
	for i, x := range list {
		if i > 0 {
			out.sql += " OR "
		}
		out.sql += x.sql
		out.args = append(out.args, x.args...)
	}
	out.sql += ")"
	return out
}

func (c *compiler) rowValue(ctx context.Context, t query.Term, v query.Value) (condition, error) {
	whole, _ := v.Text()
	switch t.Name {
	case "state":
		return states(whole), nil
	case "owner":
		return c.owner(ctx, t, v)
	case "handled":
		return condition{"l.unhandled=?", []any{whole != "true"}}, nil
	case "events", "users", "impact":
		n, _ := query.NumberOf(whole)
		return condition{numberColumns[t.Name] + "=?", []any{n}}, nil
	case "first", "last":
		if _, age := query.AgeOf(whole); !age { // a day, whole
			return c.times(query.Range{Name: t.Name, Column: t.Column, From: query.Bound{Text: whole, Inclusive: true},
				To: query.Bound{Text: whole, Inclusive: true}})
		}
		return c.times(query.Range{Name: t.Name, Column: t.Column, To: query.Bound{Text: whole}})
	case "assigned-by":
		const by = "SELECT 1 FROM history h WHERE h.issue=l.issue AND h.kind IN ('assign','given') AND h.undone=0"
		if v.Present() {
			return oneOf(by), nil
		}
		return oneOf(by+" AND h.actor LIKE ?", like(v)), nil
	case "comment":
		return written("SELECT 1 FROM comment x WHERE x.issue=l.issue", "x.text", v), nil
	case "feedback":
		return written(
			"SELECT 1 FROM variant v JOIN feedback x ON x.variant=v.id WHERE v.issue=l.issue",
			"x.text",
			v,
		), nil
	case "ticket":
		// Few issues have one: a list of them is short.
		const of = "l.issue IN (SELECT COALESCE(m.merged_into, m.id) FROM ticket_issue x JOIN issue m ON m.id=x.issue JOIN ticket t ON t.id=x.ticket WHERE x.project=?"
		if v.Present() {
			return condition{of + ")", []any{c.p.ID}}, nil
		}
		return condition{of + " AND LOWER(t.ticket_key) LIKE ?)", []any{c.p.ID, like(v)}}, nil
	}
	return never, nil
}

// oneOf holds where a statement about the row of an issue finds something. Its LIMIT has
// the database ask for each row that is looked at: from EXISTS it makes a list of all
// issues first, which takes longer than a page.
func oneOf(statement string, args ...any) condition {
	return condition{"(" + statement + " LIMIT 1) IS NOT NULL", args}
}

// written asks for a text that somebody wrote: any, or one that has the words.
func written(rows, column string, v query.Value) condition {
	if v.Present() {
		return oneOf(rows)
	}
	return oneOf(rows+" AND LOWER("+column+") LIKE ?", "%"+like(v)+"%")
}

// like is a value as a pattern of SQL, in lower case.
func like(v query.Value) string {
	parts := make([]string, len(v.Parts))
	for i, p := range v.Parts {
		parts[i] = db.LikeEscape(strings.ToLower(p))
	}
	return strings.Join(parts, "%")
}

func states(word string) condition {
	switch word {
	case "all":
		return always
	case "open":
		return condition{sql: "l.state IN ('new','accepted','regressed')"}
	}
	return condition{"l.state=?", []any{word}}
}

// severities are those that a term or range asks for: what a person said, else what
// the events say.
func severities(n query.Node) condition {
	out := condition{sql: "COALESCE(NULLIF(i.severity,''), l.severity) IN (''"}
	any := false
	for _, s := range []string{"trace", "debug", "info", "warn", "warning", "error", "fatal"} {
		if holdsSeverity(n, s) {
			out.sql += ",?"
			out.args = append(out.args, s)
			any = true
		}
	}
	if !any {
		return never
	}
	out.sql = strings.Replace(out.sql, "IN ('',", "IN (", 1) + ")"
	return out
}

// person is a person or a team who may have issues.
type person struct {
	id          int64
	name, email string
}

// owner asks for who has an issue: me, none, a name, a handle or an address.
func (c *compiler) owner(ctx context.Context, t query.Term, v query.Value) (condition, error) {
	whole, exact := v.Text()
	switch {
	case v.Present():
		return condition{sql: "l.owner IS NOT NULL"}, nil
	case exact && whole == "none":
		return condition{sql: "l.owner IS NULL"}, nil
	case exact && whole == "me" && c.asker.Person == 0:
		return never, badTerm(
			t,
			"owner:me needs a person, and this token belongs to none; name one: owner:maren",
		)
	case exact && whole == "me":
		return condition{"l.owner=?", []any{c.asker.Person}}, nil
	}
	if c.once("people") {
		err := db.Each(ctx, c.n.tx, func(r *sql.Rows) error {
			var p person
			err := r.Scan(&p.id, &p.name, &p.email)
			c.people = append(c.people, p)
			return err
		}, "SELECT id, name, COALESCE(email,'') FROM person")
		if err != nil {
			return never, err
		}
	}
	out := condition{sql: "l.owner IN (0"}
	for _, p := range c.people {
		if v.Match(p.name) || p.email != "" && v.Match(p.email) || exact && text.Handle(whole, p.name, p.email) {
			out.sql += ",?"
			out.args = append(out.args, p.id)
		}
	}
	out.sql += ")"
	return out, nil
}

// seenIn asks for issues that were seen in some releases or environments.
func (c *compiler) seenIn(ctx context.Context, n query.Node) (condition, error) {
	ids, err := c.interned(ctx, n)
	if err != nil || len(ids) == 0 {
		return never, err
	}
	table, column := counterOf(nameOf(n))
	list := slices.Sorted(maps.Keys(ids))
	return oneOf("SELECT 1 FROM variant v JOIN "+table+" x ON x.variant=v.id WHERE v.issue=l.issue AND x."+column+
		" IN ("+db.Marks(len(list))+")", db.AnyOf(list)...), nil
}

// numberColumns are the columns of fields that are numbers. The impact is kept in
// tenths.
var numberColumns = map[string]string{"events": "l.events", "users": "l.users", "impact": "l.impact/10"}

var timeColumns = map[string]string{"first": "l.first_seen", "last": "l.last_seen"}

func (c *compiler) rowRange(ctx context.Context, r query.Range) (condition, error) {
	switch r.Name {
	case "severity":
		return severities(r), nil
	case "first", "last":
		return c.times(r)
	case "appeared-in", "came-back-in":
		ids, err := c.releases(ctx, r)
		return inReleases(r.Name, ids), err
	case "fixed-in":
		return c.fixedIn(ctx, r)
	case "release":
		return c.seenIn(ctx, r)
	}
	column, ok := numberColumns[r.Name]
	if !ok {
		return never, badTerm(r, r.Name+" is not compared by size")
	}
	var out condition
	add := func(b query.Bound, strict, loose string) {
		if b.Text == "" {
			return
		}
		op := strict
		if b.Inclusive {
			op = loose
		}
		if out.sql != "" {
			out.sql += " AND "
		}
		n, _ := query.NumberOf(b.Text)
		out.sql += column + op + "?"
		out.args = append(out.args, n)
	}
	add(r.From, ">", ">=")
	add(r.To, "<", "<=")
	return out, nil
}

// times asks for when an issue was first or last seen.
func (c *compiler) times(r query.Range) (condition, error) {
	span, ok := query.SpanOf(r, c.asker.Now, c.asker.Zone)
	if !ok {
		return never, badTerm(r, r.Name+": write an age, such as <2d, or a date, such as 2026-11-20")
	}
	out := condition{sql: "1=1"}
	for _, end := range []struct {
		at time.Time
		op string
	}{{span.From, ">="}, {span.To, "<"}} {
		if !end.at.IsZero() {
			out.sql += " AND " + timeColumns[r.Name] + end.op + "?"
			out.args = append(out.args, db.Micros(end.at))
		}
	}
	return out, nil
}
