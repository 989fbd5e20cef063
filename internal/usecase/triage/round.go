package triage

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// Round is what of a project needs a decision of a person: what called for one
// and was neither decided about nor passed by them since, and what they have and
// others changed.
type Round struct {
	Last    time.Time // when the person's last round ended; zero: there was none
	Begun   time.Time // of the one that is under way; zero: none is
	AsOf    time.Time
	Items   []RoundItem // by impact
	Waiting int         // how many there are in all, up to maxWaiting
}

// RoundItem is an issue of a round, and why it is there.
type RoundItem struct {
	*issues.Issue
	Why []Reason
}

// Reason is why an issue needs a decision.
type Reason struct {
	Kind  string // new, regressed, woken, surging, grown or yours
	Text  string
	Actor string // of yours: who changed it, "" for the service
	At    time.Time
}

const (
	maxWaiting   = 1000           // issues that are counted
	changedSince = 14             // days that changes of one's own issues are told of
	oldestRound  = 12 * time.Hour // a round that is older is over
)

// Queue lists the first of what a round of a person is about, in one project or
// in several; scope is the project's id, 0 for a round of all.
func (s *Service) Queue(ctx context.Context, scope int64, projects []*projects.Project, person int64,
	limit int) (*Round, error) {
	r := &Round{AsOf: s.db.Now().UTC().Truncate(time.Microsecond)}
	var last, begun sql.NullInt64
	err := s.db.QueryRowContext(ctx, "SELECT (SELECT MAX(ended) FROM triage_round WHERE person=? AND project=?), (SELECT begun FROM triage_round WHERE person=? AND project=? AND ended IS NULL ORDER BY id DESC LIMIT 1)", person, scope, person, scope).Scan(&last, &begun)
	if err != nil {
		return nil, err
	}
	if last.Valid {
		r.Last = db.FromMicros(last.Int64)
	}
	if begun.Valid && r.AsOf.Sub(db.FromMicros(begun.Int64)) < oldestRound {
		r.Begun = db.FromMicros(begun.Int64)
	}
	var keys []roundKey
	for _, p := range projects {
		more, err := s.queueOf(ctx, p.ID, person, db.Micros(r.AsOf.AddDate(0, 0, -changedSince)))
		if err != nil {
			return nil, err
		}
		keys = append(keys, more...)
	}
	r.Waiting = min(maxWaiting, len(keys))
	slices.SortFunc(keys, func(a, b roundKey) int {
		return cmp.Or(cmp.Compare(b.impact, a.impact), cmp.Compare(b.id, a.id))
	})
	keys = keys[:min(len(keys), limit)]
	ids := make([]any, len(keys))
	for i, k := range keys {
		ids[i] = k.id
	}
	return r, s.roundItems(ctx, r, person, ids)
}

// roundKey is an issue of a round by what orders it.
type roundKey struct{ id, impact int64 }

// queueOf lists what of a project waits for a person, up to maxWaiting.
func (s *Service) queueOf(ctx context.Context, project, person, since int64) (keys []roundKey, err error) {
	listed := map[int64]bool{} // what calls in between is not listed twice
	take := func(query string, args ...any) error {
		return db.Each(ctx, s.db, func(rows *sql.Rows) error {
			var k roundKey
			err := rows.Scan(&k.id, &k.impact)
			if !listed[k.id] {
				listed[k.id], keys = true, append(keys, k)
			}
			return err
		}, query, append(args, maxWaiting)...)
	}
	passed := func(issue, at string) string {
		return "EXISTS (SELECT 1 FROM round_passed r WHERE r.person=? AND r.issue=" + issue + " AND r.at>=" + at + ")"
	}
	if err := take("SELECT l.issue, l.impact FROM issue_list l FORCE INDEX (calls) WHERE l.project=? AND l.needs_decision=1 AND NOT "+passed("l.issue", "l.needs_decision_at")+
		" ORDER BY l.needs_decision DESC, l.impact DESC, l.issue DESC LIMIT ?", project, person); err != nil {
		return nil, err
	}
	// One's own, and what one was mentioned in; but for what calls anyway.
	return keys, take("SELECT DISTINCT l.issue, l.impact FROM notice n FORCE INDEX (in_project) JOIN issue i ON i.id=n.issue JOIN issue_list l ON l.issue=n.issue"+
		" WHERE n.person=? AND n.project=? AND n.at>=? AND l.state IN ('new','accepted','regressed') AND (l.needs_decision=0 OR "+passed("l.issue", "l.needs_decision_at")+")"+
		" AND (n.kind='mention' OR i.owner=? OR i.owner IN (SELECT t.team FROM team_member t WHERE t.person=?)) AND NOT "+passed("n.issue", "n.at")+
		" ORDER BY l.impact DESC, l.issue DESC LIMIT ?", person, project, since, person, person, person, person)
}

// roundItems fills in the issues of a round, in the order of ids, with their reasons.
func (s *Service) roundItems(ctx context.Context, r *Round, person int64, ids []any) error {
	if len(ids) == 0 {
		return nil
	}
	found, err := s.issues.IssuesByID(ctx, ids)
	if err != nil {
		return err
	}
	if err := s.issues.AddTrends(ctx, slices.Collect(maps.Values(found))); err != nil {
		return err
	}
	why, err := s.reasons(ctx, person, found, ids)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if is := found[id.(int64)]; is != nil {
			r.Items = append(r.Items, RoundItem{is, why[is.ID]})
		}
	}
	return nil
}

// reasons says of each issue why it is in a person's round: what happened since
// they passed it, and since anybody decided about it.
func (s *Service) reasons(ctx context.Context, person int64, found map[int64]*issues.Issue,
	ids []any) (map[int64][]Reason, error) {
	why := map[int64][]Reason{}
	add := func(id int64, x Reason) {
		if i := slices.IndexFunc(why[id], func(y Reason) bool { return y.Kind == x.Kind }); i >= 0 {
			why[id][i] = x
			return
		}
		why[id] = append(why[id], x)
	}
	const since = "COALESCE((SELECT r.at FROM round_passed r WHERE r.person=? AND r.issue=%s),0)"
	err := db.Each(ctx, s.db, func(rows *sql.Rows) error {
		var id, at int64
		var x Reason
		err := rows.Scan(&id, &x.Kind, &x.Text, &at)
		x.At = db.FromMicros(at)
		is := found[id]
		if is == nil || x.Kind == string(issue.Surging) && is.SurgeSince.IsZero() {
			return err
		}
		add(id, x)
		return err
	}, "SELECT h.issue, h.kind, h.text, h.at FROM history h WHERE h.issue IN ("+db.Marks(len(ids))+") AND h.kind IN ('regressed','woken','surging','grown') AND h.undone=0 AND h.at>"+fmt.Sprintf(since, "h.issue")+
		" AND h.id>COALESCE((SELECT MAX(d.id) FROM history d WHERE d.issue=h.issue AND d.undone=0 AND d.status_before IS NOT NULL AND d.actor_kind<>'service' AND d.kind<>'severity'),0) ORDER BY h.id", append(slices.Clone(ids), person)...)
	if err != nil {
		return nil, err
	}
	for id, is := range found {
		if is.State != issue.New || slices.ContainsFunc(why[id], func(x Reason) bool {
			return x.Kind == string(issue.Woken)
		}) {
			continue
		}
		x := Reason{Kind: "new", Text: "new", At: is.FirstSeen}
		if is.FirstRelease != "" {
			x.Text = "new in " + is.FirstRelease
		}
		why[id] = append([]Reason{x}, why[id]...)
	}
	err = db.Each(ctx, s.db, func(rows *sql.Rows) error {
		var id, at int64
		var kind string
		x := Reason{Kind: "yours"}
		err := rows.Scan(&id, &kind, &x.Text, &x.Actor, &at)
		x.At = db.FromMicros(at)
		if len(why[id]) == 0 || why[id][len(why[id])-1].Kind == x.Kind { // what calls tells more
			add(id, x)
		}
		return err
	}, "SELECT n.issue, n.kind, n.text, n.actor, n.at FROM notice n FORCE INDEX (of_issue) WHERE n.person=? AND n.at>=? AND n.issue IN ("+db.Marks(len(ids))+") AND n.at>"+fmt.Sprintf(since, "n.issue")+" ORDER BY n.id",
		append(append([]any{person, db.Micros(s.db.Now().AddDate(0, 0, -changedSince))}, ids...), person)...)
	if err != nil {
		return nil, err
	}
	for id, is := range found { // its entry may be older than what was passed
		if len(why[id]) == 0 {
			add(id, Reason{Kind: string(is.State), Text: issue.Describe(is.Status), At: is.LastSeen})
		}
	}
	return why, nil
}

// BeginRound begins a round, or goes on with the one that is under way; scope is
// as for Queue.
func (s *Service) BeginRound(ctx context.Context, scope, person int64) error {
	now := s.db.Now()
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "UPDATE triage_round SET ended=begun+? WHERE person=? AND project=? AND ended IS NULL AND begun<?", oldestRound.Microseconds(), person, scope, db.Micros(now.Add(-oldestRound))); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO triage_round (person, project, begun) SELECT ?,?,? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM triage_round r WHERE r.person=? AND r.project=? AND r.ended IS NULL)", person, scope, db.Micros(now), person, scope)
		return err
	})
}

// IssueName is an issue as people write it.
type IssueName struct {
	Project *projects.Project
	Number  int64
}

// Pass says that a person has seen issues as they stood at a time, and leaves
// them as they are: they come again when something new happens.
func (s *Service) Pass(ctx context.Context, person int64, asOf time.Time, list []IssueName) error {
	at := min(db.Micros(asOf), db.Micros(s.db.Now()))
	return s.ofNames(ctx, list, func(id int64) error { return pass(ctx, s.db, person, id, at) })
}

// Unpass lets issues come again that a person has passed.
func (s *Service) Unpass(ctx context.Context, person int64, list []IssueName) error {
	return s.ofNames(ctx, list, func(id int64) error {
		_, err := s.db.ExecContext(ctx, "DELETE FROM round_passed WHERE person=? AND issue=?", person, id)
		return err
	})
}

func (s *Service) ofNames(ctx context.Context, list []IssueName, do func(id int64) error) error {
	for _, n := range list {
		id, _, err := s.issues.IssueID(ctx, n.Project, n.Number)
		if err == nil {
			err = do(id)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func pass(ctx context.Context, q db.Querier, person, id, at int64) error {
	_, err := q.ExecContext(ctx, "INSERT INTO round_passed (person, issue, at) VALUES (?,?,?) ON DUPLICATE KEY UPDATE at=GREATEST(at, VALUES(at))", person, id, at)
	return err
}

// Done is something that a person did in a round.
type Done struct {
	Project    string
	Number     int64
	Headline   string
	At         time.Time
	Kind, Text string
	Undone     bool
}

// RoundEnd is how a round ended.
type RoundEnd struct {
	Begun, Ended time.Time
	Done         []Done // in the order it was done
	Left         int    // what still needs a decision of them, up to maxWaiting
}

// EndRound ends a person's round and sums it up; scope and projects are as for
// Queue.
func (s *Service) EndRound(ctx context.Context, scope int64, projects []*projects.Project,
	who *accounts.Person) (*RoundEnd, error) {
	var id, begun int64
	err := s.db.QueryRowContext(ctx, "SELECT id, begun FROM triage_round WHERE person=? AND project=? AND ended IS NULL ORDER BY id DESC LIMIT 1", who.ID, scope).Scan(&id, &begun)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.Conflict, "no round is under way; firethorn round begins one")
	}
	if err != nil {
		return nil, err
	}
	e := &RoundEnd{Begun: db.FromMicros(begun), Ended: s.db.Now().UTC().Truncate(time.Microsecond)}
	if _, err := s.db.ExecContext(ctx, "UPDATE triage_round SET ended=? WHERE id=?", db.Micros(e.Ended),
		id); err != nil {
		return nil, err
	}
	in := []any{0}
	for _, p := range projects {
		in = append(in, p.ID)
	}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var d Done
		var at int64
		err := r.Scan(&d.Project, &d.Number, &d.Headline, &at, &d.Kind, &d.Text, &d.Undone)
		d.At = db.FromMicros(at)
		e.Done = append(e.Done, d)
		return err
	}, "SELECT p.name, i.number, COALESCE(l.headline,''), h.at, h.kind, h.text, h.undone FROM history h FORCE INDEX (of_actor) JOIN issue i ON i.id=h.issue JOIN project p ON p.id=i.project LEFT JOIN issue_list l ON l.issue=h.issue"+
		" WHERE h.actor=? AND h.actor_kind='person' AND h.at>=? AND i.project IN ("+db.Marks(len(in))+") AND h.kind NOT IN ('merge','undo') ORDER BY h.id LIMIT 1000",
		append([]any{who.Name, begun}, in...)...)
	if err != nil {
		return nil, err
	}
	q, err := s.Queue(ctx, scope, projects, who.ID, 1)
	if err != nil {
		return nil, err
	}
	e.Left = q.Waiting
	return e, nil
}

// Settled is what became of an issue that is in a round no more.
type Settled struct {
	IssueName
	Actor, Kind, Text string
	At                time.Time
}

// Settled gives the last change of each issue, and who made it.
func (s *Service) Settled(ctx context.Context, list []IssueName) (out []Settled, err error) {
	asked := map[*projects.Project][]any{}
	for _, n := range list {
		asked[n.Project] = append(asked[n.Project], n.Number)
	}
	for p, numbers := range asked {
		err := db.Each(ctx, s.db, func(rows *sql.Rows) error {
			x := Settled{IssueName: IssueName{Project: p}}
			var at int64
			err := rows.Scan(&x.Number, &x.Actor, &x.Kind, &x.Text, &at)
			x.At = db.FromMicros(at)
			out = append(out, x)
			return err
		}, "SELECT i.number, h.actor, h.kind, h.text, h.at FROM issue i JOIN history h ON h.id=(SELECT MAX(l.id) FROM history l WHERE l.issue=i.id) WHERE i.project=? AND i.number IN ("+db.Marks(len(numbers))+")", append([]any{p.ID}, numbers...)...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}
