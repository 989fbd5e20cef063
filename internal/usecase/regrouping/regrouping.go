package regrouping

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// Regrouping is stored events of a project grouped again, in the background:
// read, planned (core/regroup) and moved, variant by variant. It goes on where
// it was after any interruption, and can be undone as a whole.
//
// Reading order: regroup.go (begin, stop, undo), regroupread.go (what of each
// variant the new way distinguishes), regroupplan.go (where it goes),
// regroupmove.go (the moves), regroupback.go (the undo).
type Regrouping struct {
	ID, Project             int64
	At                      time.Time
	Actor                   accounts.Actor
	State                   RegroupState
	Rules, Version          int // of the rules file and of grouping, by which it groups
	BeforeRules, BeforeVers int // that an undo goes back to
	Variants                int // read so far
	Of                      int // that there are to read
	Bodies                  int64
	Events                  int64 // that went to another issue
	Stays                   int64 // that are counted without a body and so stayed, though others of their variant went
	Made, Emptied           int   // issues
	Ended                   *time.Time
	UndoneBy, Why           string

	pass               int
	at, last, position int64 // variants are read up to last and were up to at; bodies up to position
	rulesPushed        time.Time
}

// RegroupState says how far a regrouping is.
type RegroupState string

// The states of a regrouping.
const (
	RegroupReading RegroupState = "reading"
	RegroupMoving  RegroupState = "moving"
	RegroupDone    RegroupState = "done"
	RegroupUndoing RegroupState = "undoing"
	RegroupUndone  RegroupState = "undone"
	RegroupStopped RegroupState = "stopped"
)

// Works says whether it is under way.
func (s RegroupState) Works() bool {
	return s == RegroupReading || s == RegroupMoving || s == RegroupUndoing
}

const (
	Works = "state IN ('reading','moving','undoing')"
	// rulesSettle is how long a rules file may take to act in every process:
	// what is processed by the one before until then is read as well.
	rulesSettle = 6 * time.Second
	// maxMade is how many issues one regrouping may make.
	maxMade = 5_000
)

const regroupColumns = "g.id, g.project, g.at, g.actor_kind, g.actor, g.state, g.rules_version, g.grouping_version, g.before_rules, g.before_grouping, g.variants," +
	" (SELECT COUNT(*) FROM variant v WHERE v.project=g.project AND v.id<=g.last_variant) AS of_variants, g.bodies, g.events, g.stays, g.made, g.emptied, g.ended, g.undone_by, g.why, g.pass, g.at_variant, g.last_variant, g.filing," +
	" COALESCE((SELECT at FROM rules_file f WHERE f.project=g.project ORDER BY f.version DESC LIMIT 1),0) AS rules_pushed"

func scanRegroup(r *sql.Rows) (*Regrouping, error) {
	var g Regrouping
	var at, pushed int64
	var ended sql.NullInt64
	err := db.ScanNames(r,
		db.Into{"id": &g.ID, "project": &g.Project, "at": &at, "actor_kind": &g.Actor.Kind, "actor": &g.Actor.Name,
			"state": &g.State, "rules_version": &g.Rules, "grouping_version": &g.Version,
			"before_rules": &g.BeforeRules, "before_grouping": &g.BeforeVers, "variants": &g.Variants,
			"of_variants": &g.Of, "bodies": &g.Bodies, "events": &g.Events, "stays": &g.Stays, "made": &g.Made,
			"emptied": &g.Emptied, "ended": &ended, "undone_by": &g.UndoneBy, "why": &g.Why, "pass": &g.pass,
			"at_variant": &g.at, "last_variant": &g.last, "filing": &g.position, "rules_pushed": &pushed})
	g.At, g.rulesPushed = db.FromMicros(at), db.FromMicros(pushed)
	if ended.Valid {
		t := db.FromMicros(ended.Int64)
		g.Ended = &t
	}
	return &g, err
}

// Regroupings lists the regroupings of a project, newest first.
func (s *Service) Regroupings(ctx context.Context, project int64, limit int) (list []*Regrouping, err error) {
	return db.List(ctx, s.db, scanRegroup, "SELECT "+regroupColumns+" FROM regroup g WHERE g.project=? ORDER BY g.id DESC LIMIT ?", project, limit)
}

// Regrouping finds one of a project; 0 is the newest.
func (s *Service) Regrouping(ctx context.Context, project *projects.Project, id int64) (*Regrouping, error) {
	g, err := db.First(ctx, s.db, scanRegroup, "SELECT "+regroupColumns+" FROM regroup g WHERE g.project=? AND (g.id=? OR ?=0) ORDER BY g.id DESC LIMIT 1", project.ID, id, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "the stored events of %s were never regrouped", project.Name)
	}
	return g, err
}

// Regroup begins to group the stored events of a project by the rules and the
// grouping version it has now. One at a time is under way.
func (s *Service) Regroup(ctx context.Context, p *projects.Project, who accounts.Actor) (*Regrouping, error) {
	rulesBefore, versionBefore, err := s.groupedBefore(ctx, p)
	if err != nil {
		return nil, err
	}
	version := p.GroupingVersion
	if next := p.NextGrouping(); next != 0 {
		version = next // it is adopted before anything is read
	}
	var id int64
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		if err := idle(ctx, tx, p); err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, "INSERT INTO regroup (project, at, actor_kind, actor, state, rules_version, grouping_version, before_rules, before_grouping, last_variant, filing)"+
			" SELECT c.project, ?, ?, ?, 'reading', ?, ?, ?, ?, COALESCE((SELECT MAX(id) FROM variant WHERE project=c.project),0), c.filing FROM project_counter c WHERE c.project=?",
			db.Micros(s.db.Now()), who.Kind, who.Name, p.RulesVersion, version, rulesBefore, versionBefore, p.ID)
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		return projects.Record(ctx, tx, s.db.Now(), p.ID, audit.Act{Action: "regrouping begun",
			Target: fmt.Sprintf("rules %d, version %d", p.RulesVersion, version)})
	})
	if err != nil {
		return nil, err
	}
	return s.Regrouping(ctx, p, id)
}

// idle refuses while a regrouping of the project is under way, and says whose.
func idle(ctx context.Context, tx *sql.Tx, p *projects.Project) error {
	var who string
	var at int64
	var state RegroupState
	err := tx.QueryRowContext(ctx, "SELECT actor, at, state FROM regroup WHERE project=? AND "+Works+" LIMIT 1",
		p.ID).Scan(&who, &at, &state)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	return problem.New(problem.Conflict, "%s began to regroup %s at %s, and that is still under way (%s): firethorn group regroup --watch follows it, --stop ends it while it reads", who, p.Name, db.FromMicros(at).Format("15:04:05"), state)
}

// groupedBefore is the version of the rules and of grouping that what is stored
// was grouped by: those of the last regrouping, else the newest ones that
// differ from now.
func (s *Service) groupedBefore(ctx context.Context, p *projects.Project) (rulesVersion, version int, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT rules_version, grouping_version FROM regroup WHERE project=? AND state='done' ORDER BY id DESC LIMIT 1", p.ID).Scan(&rulesVersion, &version)
	if err == nil || !errors.Is(err, sql.ErrNoRows) {
		return rulesVersion, version, err
	}
	version = p.GroupingVersion
	err = s.db.QueryRowContext(ctx, "SELECT grouping_version FROM variant WHERE project=? ORDER BY id LIMIT 1", p.ID).Scan(&version)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return 0, 0, err
	}
	for rulesVersion = p.RulesVersion - 1; rulesVersion > 0; rulesVersion-- {
		before := *p
		if err := s.projects.GiveRules(ctx, &before, rulesVersion); err != nil {
			return 0, 0, err
		}
		if !before.Rules.GroupsAs(p.Rules) {
			break
		}
	}
	return max(rulesVersion, 0), version, nil
}

// StopRegroup ends a regrouping that only reads yet.
func (s *Service) StopRegroup(ctx context.Context, p *projects.Project, who accounts.Actor) error {
	g, err := s.Regrouping(ctx, p, 0)
	if err != nil {
		return err
	}
	done, err := s.db.ExecContext(ctx, "UPDATE regroup SET state='stopped', ended=?, why=? WHERE id=? AND state='reading' AND pass=0", db.Micros(s.db.Now()), "stopped by "+who.Name+" before anything moved", g.ID)
	if err != nil {
		return err
	}
	if n, err := done.RowsAffected(); err != nil || n > 0 {
		return err
	}
	if g.State.Works() {
		return problem.New(problem.Conflict, "events are already moving; wait until it ends, then undo it: firethorn group undo --project %s", p.Name)
	}
	return problem.New(problem.Conflict, "no regrouping of %s is under way", p.Name)
}

// Regroupers lists the projects with a regrouping under way.
func (s *Service) Regroupers(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM regroup WHERE "+Works)
}

// working reads the regrouping of a project that is under way; nil without one.
func (s *Service) working(ctx context.Context, project int64) (*Regrouping, error) {
	g, err := db.First(ctx, s.db, scanRegroup,
		"SELECT "+regroupColumns+" FROM regroup g WHERE g.project=? AND g."+Works+" ORDER BY g.id LIMIT 1", project)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return g, err
}

// RegroupStep goes on with the regrouping of a project by a step; more says
// that there is more to do. p is the project with its rules as they are now.
func (s *Service) RegroupStep(ctx context.Context, p *projects.Project, units *pipeline.Units) (more bool, err error) {
	g, err := s.working(ctx, p.ID)
	if err != nil || g == nil {
		return false, err
	}
	as := *p
	as.GroupingVersion = g.Version
	version := g.Rules
	if g.State == RegroupUndoing || g.pass > 0 { // what came in between goes by what is restored
		as.GroupingVersion, version = p.GroupingVersion, p.RulesVersion
	}
	if err := s.projects.GiveRules(ctx, &as, version); err != nil {
		return false, err
	}
	w := &regrouping{s: s, p: &as, Regrouping: g, look: LookerOf(units), reader: moves.ReaderOf(as.Project, units)}
	switch {
	case g.State == RegroupReading &&
		s.db.Now().Sub(g.rulesPushed).Abs() < rulesSettle: // a clock that is further behind tells nothing
		return false, nil // the next round looks again
	case p.NextGrouping() != 0:
		return false, nil // it is adopted first
	}
	if err := w.step(ctx); err != nil {
		return false, fmt.Errorf("regrouping %d: %w", g.ID, err)
	}
	return true, nil
}

// regrouping is the work on one.
type regrouping struct {
	s      *Service
	p      *projects.Project // with the rules and the grouping version that it groups by
	look   Looker
	reader moves.Reader
	*Regrouping
}

func (w *regrouping) step(ctx context.Context) error {
	switch w.State {
	case RegroupReading:
		return w.read(ctx)
	case RegroupUndoing:
		return w.back(ctx)
	default:
		return w.move(ctx)
	}
}

// scope is the condition that a variant of table alias v is read: all there
// were when it began; for an undo those that were processed by what is undone.
func (w *regrouping) scope() (cond string, args []any) {
	if w.pass == 0 {
		return "v.project=? AND v.id<=?", []any{w.Project, w.last}
	}
	return "v.project=? AND v.id<=? AND (v.rules_version>? OR v.grouping_version<>?)", []any{w.Project, w.last, w.BeforeRules, w.p.GroupingVersion}
}

// retired is a hash for a variant that nothing which comes will have.
func (w *regrouping) retired(hash fingerprint.Key, variant int64) fingerprint.Key {
	return hash.Part(-variant).Part(-w.ID)
}

// restoredRules is the text of the project's rules with the grouping of an
// earlier version.
func (s *Service) restoredRules(ctx context.Context, p *projects.Project, before int) (string, error) {
	now, err := s.projects.Rules(ctx, p.ID, p.RulesVersion)
	if err != nil {
		return "", err
	}
	old := &projects.RulesFile{}
	if before > 0 {
		if old, err = s.projects.Rules(ctx, p.ID, before); err != nil {
			return "", err
		}
	}
	return rules.WithGroupingOf(now.Text, old.Text), nil
}
