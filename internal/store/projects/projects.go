package projects

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"regexp"
	"time"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/sight"
)

// Project is one deployable application that reports.
type Project struct {
	pipeline.Project
	Created time.Time
	Origins []string // web origins that may report; "*" is any

	KeepSymbols    int            // for how many days after they were pushed or used last
	LogMessages    event.Severity // from which on log records without an exception become events; "": none
	ReleaseOrder   release.Policy // by what releases are ordered
	Repository     string         // where its code may be fetched from; "": builds send it
	CommitLink     string         // where people read a commit, {commit} represents its hash
	SourcePaths    []commits.Mapping
	CutOffCrashes  bool      // cut-off sessions count as crashed
	GroupingWanted int       // the grouping version to adopt before anything else is processed
	Allowance      Allowance // what the project itself may take in; see Allowance
}

// projectName is a valid name of a project: it is part of issue names,
// paths and configuration files.
var projectName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,62}$`)

// NewProject is a project that is to be made.
type NewProject struct {
	Name     string
	KeepDays int
	Maker    int64 // the person who makes it, and becomes its maintainer; 0: nobody
	Like     int64 // the project whose roles it begins with; 0: none
}

// CreateProject makes a project with its first ingest key.
func (s *Store) CreateProject(ctx context.Context, n NewProject) (*Project, *Key, error) {
	name, keepDays := n.Name, n.KeepDays
	if !projectName.MatchString(name) {
		return nil, nil, problem.New(problem.BadInput,
			"a project's name is 1 to 63 lower-case letters, digits and dashes, and begins with a letter or digit; %q does not", name)
	}
	k := &Key{Value: newKey(), Label: "first key", Created: s.db.Now().UTC()}
	var id int64
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO project (name, created, keep_days, user_secret, grouping_version, grouping_wanted) VALUES (?,?,?,?,?,?)", name, db.Micros(k.Created), keepDays, db.NewSecret(32), fingerprint.Version, fingerprint.Version)
		if db.Duplicate(err) {
			return problem.New(problem.Conflict, "there is a project %s already", name)
		}
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO project_counter (project) VALUES (?)", id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO scoring (project) VALUES (?)", id); err != nil {
			return err
		}
		res, err = tx.ExecContext(ctx, "INSERT INTO ingest_key (project, value, label, created) VALUES (?,?,?,?)", id,
			k.Value, k.Label, db.Micros(k.Created))
		if err != nil {
			return err
		}
		if k.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		if err := audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "project created", Project: name, Target: name,
			After: map[string]int{"keep_days": keepDays}}); err != nil {
			return err
		}
		if n.Like != 0 {
			return accounts.CopyRoles(ctx, tx, s.db.Now(), n.Like, id)
		}
		return accounts.MadeBy(ctx, tx, s.db.Now(), id, name, n.Maker)
	})
	if err != nil {
		return nil, nil, err
	}
	if err := s.schema.EnsurePartitions(ctx); err != nil {
		return nil, nil, err
	}
	p, err := s.Project(ctx, name)
	return p, k, err
}

const projectColumns = "p.id, p.name, p.keep_days, p.user_secret, p.created, p.origins, p.rules_version, p.allowance_minute, p.allowance_day, p.grouping_version, p.grouping_wanted, p.release_order, p.repository, p.commit_link, p.source_paths, p.keep_symbols, p.log_messages, p.locate_users, p.cut_off_crashes"

// fields are where projectColumns go; done finishes what was scanned.
func (p *Project) fields() (into []any, done func() error) {
	var created int64
	var origins, sources string
	var minute, day sql.NullInt64
	return []any{&p.ID, &p.Name, &p.KeepDays, &p.UserSecret, &created, &origins, &p.RulesVersion, &minute, &day,
			&p.GroupingVersion, &p.GroupingWanted, &p.ReleaseOrder, &p.Repository, &p.CommitLink, &sources,
			&p.KeepSymbols, &p.LogMessages, &p.LocateUsers, &p.CutOffCrashes}, func() error {
			p.Created = db.FromMicros(created)
			p.Allowance = Allowance{Minute: DefaultAllowance.Minute, Day: DefaultAllowance.Day}
			if minute.Valid {
				p.Allowance.Minute = minute.Int64
			}
			if day.Valid {
				p.Allowance.Day = day.Int64
			}
			return errors.Join(json.Unmarshal([]byte(origins), &p.Origins),
				json.Unmarshal([]byte(sources), &p.SourcePaths))
		}
}

// WantsLog says whether a log record of a severity that carries no exception
// becomes an event.
func (p *Project) WantsLog(s event.Severity) bool {
	return p.LogMessages != "" && s.Number() >= p.LogMessages.Number()
}

func scanProject(r interface{ Scan(...any) error }) (*Project, error) {
	var p Project
	into, done := p.fields()
	if err := r.Scan(into...); err != nil {
		return nil, err
	}
	return &p, done()
}

// Project finds a project by its name or a former one, with its rules ready to
// act.
func (s *Store) Project(ctx context.Context, name string) (*Project, error) {
	p, err := scanProject(s.db.QueryRowContext(ctx,
		"SELECT "+projectColumns+" FROM project p WHERE p.name=? OR p.id=(SELECT project FROM project_former_name WHERE name=?)", name, name))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, NotThere(name)
	}
	if err != nil {
		return nil, err
	}
	return p, s.giveRules(ctx, p)
}

// NotThere says that there is no project of a name, or none that the caller may know of.
func NotThere(name string) error {
	return problem.New(problem.NotFound, "there is no project %q; firethorn project list shows them", name)
}

// ProjectByID finds a project, with its rules ready to act.
func (s *Store) ProjectByID(ctx context.Context, id int64) (*Project, error) {
	p, err := scanProject(s.db.QueryRowContext(ctx, "SELECT "+projectColumns+" FROM project p WHERE p.id=?", id))
	if err != nil {
		return nil, err
	}
	return p, s.giveRules(ctx, p)
}

// Projects lists the projects that a person sees, by name.
func (s *Store) Projects(ctx context.Context, seen sight.Sight) ([]*Project, error) {
	var out []*Project
	where, args := seen.Where("p.id")
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		p, err := scanProject(r)
		out = append(out, p)
		return err
	}, "SELECT "+projectColumns+" FROM project p WHERE "+where+" ORDER BY p.name", args...)
	return out, err
}

// Seen says which of some projects, by name, a person sees.
func (s *Store) Seen(ctx context.Context, names []string, seen sight.Sight) (map[string]bool, error) {
	out := map[string]bool{}
	if len(names) == 0 {
		return out, nil
	}
	where, args := seen.Where("p.id")
	list := make([]any, len(names))
	for i, n := range names {
		list[i] = n
	}
	in := "p.name IN (" + db.Marks(len(list)) + ")"
	found, err := db.Texts(ctx, s.db, "SELECT p.name FROM project p WHERE "+in+" AND "+where,
		append(list, args...)...)
	for _, n := range found {
		out[n] = true
	}
	return out, err
}

// Totals are a project's sums, for lists of projects.
type Totals struct {
	Open, Issues, Events int64
	LastEvent            time.Time
}

// Totals sums a project's issues.
func (s *Store) Totals(ctx context.Context, project int64) (Totals, error) {
	all, err := s.totals(ctx, " WHERE project=?", project)
	return all[project], err
}

// AllTotals are the totals of the projects that a person sees and that have an issue.
func (s *Store) AllTotals(ctx context.Context, seen sight.Sight) (map[int64]Totals, error) {
	where, args := seen.Where("project")
	return s.totals(ctx, " WHERE "+where, args...)
}

func (s *Store) totals(ctx context.Context, where string, args ...any) (map[int64]Totals, error) {
	all := map[int64]Totals{}
	return all, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var t Totals
		var project, last int64
		err := r.Scan(&project, &t.Issues, &t.Open, &t.Events, &last)
		t.LastEvent = db.FromMicros(last)
		all[project] = t
		return err
	}, "SELECT project, COUNT(*), COALESCE(SUM(state IN ('new','accepted','regressed')),0), COALESCE(SUM(events),0), MAX(last_seen) FROM issue_list"+where+" GROUP BY project", args...)
}

// NextGrouping is the grouping version that a project is to adopt before
// anything else is processed; 0 is none.
func (p *Project) NextGrouping() int {
	switch {
	case p.GroupingWanted >= fingerprint.Oldest && p.GroupingWanted <= fingerprint.Version:
		if p.GroupingWanted != p.GroupingVersion {
			return p.GroupingWanted
		}
	case p.GroupingVersion < fingerprint.Oldest:
		return fingerprint.Oldest
	}
	return 0
}

// Lock locks the row that makes changes of one project come one after the other.
// It comes first in the order of locks.
func Lock(ctx context.Context, tx *sql.Tx, id int64) error {
	return tx.QueryRowContext(ctx, "SELECT project FROM project_counter WHERE project=? FOR UPDATE", id).Scan(&id)
}

// NextIssue takes the next number of an issue. The project is locked.
func NextIssue(ctx context.Context, tx *sql.Tx, id int64) (number int64, err error) {
	if _, err := tx.ExecContext(ctx, "UPDATE project_counter SET last_issue=last_issue+1 WHERE project=?",
		id); err != nil {
		return 0, err
	}
	err = tx.QueryRowContext(ctx, "SELECT last_issue FROM project_counter WHERE project=?", id).Scan(&number)
	return number, err
}

// WantGrouping has a project adopt a grouping version before its next events are
// processed.
func WantGrouping(ctx context.Context, q db.Querier, id int64, version int) error {
	_, err := q.ExecContext(ctx, "UPDATE project SET grouping_wanted=? WHERE id=?", version, id)
	return err
}

// Touch marks a project as changed, for whoever follows it.
func Touch(ctx context.Context, tx *sql.Tx, id int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", id)
	return err
}

// KeepClasses are the days that events can be kept.
var KeepClasses = []int{7, 30, 90, 365}

// GraceDays is how long a partition stays after its day: no event is processed
// into a day that is past, and no transaction lasts a day.
const GraceDays = 2
