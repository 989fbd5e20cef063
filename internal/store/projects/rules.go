package projects

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/cache"
	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/sight"
)

// RulesFile is one version of a project's rules file.
type RulesFile struct {
	Version int // counted from 1; 0: none was pushed yet
	At      time.Time
	Actor   accounts.Actor
	Note    string // what changed, in its author's words
	Text    string
}

// RuleOff is a rule that was switched off because it cost too much.
type RuleOff struct {
	Version       int
	Section, Rule string
	At            time.Time
	Why           string
}

// Rules gives a version of a project's rules file; 0 is the newest. The zero
// RulesFile is the file of a project that has none.
func (s *Store) Rules(ctx context.Context, project int64, version int) (*RulesFile, error) {
	var f RulesFile
	var at int64
	err := s.db.QueryRowContext(ctx, "SELECT version, at, actor_kind, actor, note, content FROM rules_file WHERE project=? AND (version=? OR ?=0) ORDER BY version DESC LIMIT 1", project, version, version).
		Scan(&f.Version, &at, &f.Actor.Kind, &f.Actor.Name, &f.Note, &f.Text)
	switch {
	case errors.Is(err, sql.ErrNoRows) && version == 0:
		return &RulesFile{}, nil
	case errors.Is(err, sql.ErrNoRows):
		return nil, problem.New(problem.NotFound, "the project's rules have no version %d", version)
	}
	f.At = db.FromMicros(at)
	return &f, err
}

// RulesHistory lists the versions of a project's rules file without their
// text, newest first.
func (s *Store) RulesHistory(ctx context.Context, project int64, limit int) ([]RulesFile, error) {
	var out []RulesFile
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var f RulesFile
		var at int64
		err := r.Scan(&f.Version, &at, &f.Actor.Kind, &f.Actor.Name, &f.Note)
		f.At = db.FromMicros(at)
		out = append(out, f)
		return err
	}, "SELECT version, at, actor_kind, actor, note FROM rules_file WHERE project=? ORDER BY version DESC LIMIT ?",
		project, limit)
}

// PushRules makes text the project's rules file. onto is the version it was
// made from, or negative: then it takes the place of whatever is there. When
// another came in between, problem.Stale. A text that is the newest already
// makes no version.
func (s *Store) PushRules(ctx context.Context, project int64, text, note string, onto int,
	who accounts.Actor) (*RulesFile, error) {
	f := &RulesFile{At: s.db.Now().UTC(), Actor: who, Note: event.TrimText(note, 290), Text: text}
	return f, s.db.InTx(ctx, func(tx *sql.Tx) error {
		if pushed, err := f.Push(ctx, tx, project, onto); err != nil || !pushed {
			return err
		}
		if set, problems := rules.Read(text); len(problems) == 0 && set.HasAlerts {
			if err := alerts.Register(ctx, tx, project, set.Alerts, s.db.Now()); err != nil {
				return err
			}
		}
		return Record(ctx, tx, s.db.Now(), project, audit.Act{Action: "rules pushed",
			Target: fmt.Sprintf("rules, version %d", f.Version), After: map[string]string{"note": f.Note}})
	})
}

// Push makes f the project's newest rules file, with its version filled in; pushed
// says that it was not that already.
func (f *RulesFile) Push(ctx context.Context, tx *sql.Tx, project int64, onto int) (pushed bool, err error) {
	var now int
	if err := tx.QueryRowContext(ctx, "SELECT rules_version FROM project WHERE id=? FOR UPDATE",
		project).Scan(&now); err != nil {
		return false, err
	}
	if onto >= 0 && onto != now {
		return false, problem.New(problem.Stale, "the rules are at version %d by now, and yours were made from version %d: pull them, bring both together, push again", now, onto)
	}
	if now > 0 {
		var before string
		if err := tx.QueryRowContext(ctx, "SELECT content FROM rules_file WHERE project=? AND version=?", project,
			now).Scan(&before); err != nil {
			return false, err
		}
		if before == f.Text {
			f.Version = now
			return false, nil
		}
	}
	f.Version = now + 1
	if _, err := tx.ExecContext(ctx, "INSERT INTO rules_file (project, version, at, actor_kind, actor, note, content) VALUES (?,?,?,?,?,?,?)", project, f.Version, db.Micros(f.At), f.Actor.Kind, f.Actor.Name, f.Note, f.Text); err != nil {
		return false, err
	}
	_, err = tx.ExecContext(ctx, "UPDATE project SET rules_version=? WHERE id=?", f.Version, project)
	return true, err
}

// SwitchOff switches a rule of a version off, visibly.
func (s *Store) SwitchOff(ctx context.Context, project int64, off RuleOff) error {
	_, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO rule_off (project, version, section, rule, at, why) VALUES (?,?,?,?,?,?)", project, off.Version, off.Section, off.Rule, db.Micros(s.db.Now()), event.TrimText(off.Why, 490))
	return err
}

// RulesOff lists the rules of a version that were switched off.
func (s *Store) RulesOff(ctx context.Context, project int64, version int) ([]RuleOff, error) {
	var out []RuleOff
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		o := RuleOff{Version: version}
		var at int64
		err := r.Scan(&o.Section, &o.Rule, &at, &o.Why)
		o.At = db.FromMicros(at)
		out = append(out, o)
		return err
	}, "SELECT section, rule, at, why FROM rule_off WHERE project=? AND version=? ORDER BY at", project, version)
}

// ProjectsWithRulesOff names the projects whose newest rules have one that was
// switched off, of those that a person sees.
func (s *Store) ProjectsWithRulesOff(ctx context.Context, seen sight.Sight) (map[string][]string, error) {
	out := map[string][]string{}
	where, args := seen.Where("p.id")
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var project, rule string
		err := r.Scan(&project, &rule)
		out[project] = append(out[project], rule)
		return err
	}, "SELECT p.name, o.rule FROM project p JOIN rule_off o ON o.project=p.id AND o.version=p.rules_version WHERE "+where+" ORDER BY p.name, o.rule", args...)
}

type ruleSetKey struct {
	project int64
	version int
}

// heldRules are compiled rules of a file. A version never changes, so what is held
// is never wrong.
type heldRules struct {
	set   *rules.Set
	bytes int // of the text
}

const (
	rulesHeld     = 64 << 20 // bytes
	compiledRatio = 20       // times that compiled rules are larger than their text, about
)

func newRuleSets() *cache.Cache[ruleSetKey, heldRules] {
	return cache.New(rulesHeld, func(_ ruleSetKey, h heldRules) int { return compiledRatio * h.bytes })
}

// giveRules gives a project the rules of its newest file, and those of them
// that are switched off.
func (s *Store) giveRules(ctx context.Context, p *Project) error {
	return s.GiveRules(ctx, p, p.RulesVersion)
}

// GiveRules gives a project the rules of a version of its file, 0 for none, and
// those of them that are switched off.
func (s *Store) GiveRules(ctx context.Context, p *Project, version int) error {
	p.RulesVersion, p.Rules, p.Off = version, nil, nil
	if version == 0 {
		return nil
	}
	k := ruleSetKey{p.ID, p.RulesVersion}
	held, ok := s.ruleSets.Get(k)
	if !ok {
		f, err := s.Rules(ctx, p.ID, p.RulesVersion)
		if err != nil {
			return fmt.Errorf("rules of project %s: %w", p.Name, err)
		}
		var problems []rules.Problem
		if held.set, problems = rules.Read(f.Text); len(problems) > 0 {
			// It was good when it was pushed: this binary reads rules more strictly.
			s.db.Log.Error("this version cannot read a project's rules, so they do not apply; push them again",
				"project", p.Name, "version", p.RulesVersion, "problem", problems[0])
		}
		held.bytes = len(f.Text)
		s.ruleSets.Put(k, held)
	}
	p.Rules = held.set
	off, err := s.RulesOff(ctx, p.ID, p.RulesVersion)
	for _, o := range off {
		if p.Off == nil {
			p.Off = map[string]bool{}
		}
		p.Off[o.Rule] = true
	}
	return err
}
