package projects

import (
	"context"
	"database/sql"
	"encoding/json"
	"maps"
	"net/url"
	"slices"
	"strings"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
)

// CommitMark is the place of a commit's hash in a project's link.
const CommitMark = "{commit}"

// maxMappings are how many source paths can be set.
const maxMappings = 50

// ProjectChange is a change of a project. Zero values change nothing.
type ProjectChange struct {
	KeepDays     int    // the class of retention: one of KeepClasses
	KeepSymbols  int    // days after their last push or use
	LogMessages  string // from which severity on log records without an exception become events: error, fatal, or off
	ReleaseOrder string // by what releases are ordered: one of release.Policies

	LocateUsers   *bool // whether the country of client addresses is noted
	CutOffCrashes *bool // whether cut-off sessions count as crashed

	Repository  *string            // where the code may be fetched from; "": nowhere
	CommitLink  *string            // where people read a commit; "": nowhere
	SourcePaths *[]commits.Mapping // which source paths stand where in the repository; the first that fits counts

	AllowanceMinute, AllowanceDay *int64 // events; 0: any number; negative: the default
	Origins                       []string
}

// validate finds what is wrong with a change, before any of it is made.
func (c *ProjectChange) validate() error {
	if c.KeepDays != 0 && !slices.Contains(KeepClasses, c.KeepDays) {
		return problem.New(problem.BadInput, "events can be kept for 7, 30, 90 or 365 days, not %d", c.KeepDays)
	}
	if c.KeepSymbols < 0 || c.KeepSymbols > 3650 {
		return problem.New(problem.BadInput, "symbols are kept 1 to 3650 days after their last use; %d is not",
			c.KeepSymbols)
	}
	if !slices.Contains([]string{"", "off", "error", "fatal"}, c.LogMessages) {
		return problem.New(problem.BadInput, "log records become events from error or fatal on, or are off; %q is none of these", c.LogMessages)
	}
	if c.ReleaseOrder != "" && !slices.Contains(release.Policies, c.ReleaseOrder) {
		return problem.New(problem.BadInput, "releases are ordered by %s, not by %q",
			strings.Join(release.Policies, ", "),
			c.ReleaseOrder)
	}
	if c.CommitLink != nil && *c.CommitLink != "" {
		u, err := url.Parse(strings.ReplaceAll(*c.CommitLink, CommitMark, "0"))
		if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" ||
			!strings.Contains(*c.CommitLink, CommitMark) {
			return problem.New(problem.BadInput, "a link to commits is an http or https address that has %s in it, not %q", CommitMark, *c.CommitLink)
		}
	}
	if c.SourcePaths != nil {
		if len(*c.SourcePaths) > maxMappings {
			return problem.New(problem.BadInput, "at most %d source paths can be set", maxMappings)
		}
		for _, m := range *c.SourcePaths {
			if m.From == "" {
				return problem.New(problem.BadInput, "a source path is set as FROM=TO, for example webpack://quayside/=web/quayside/")
			}
		}
	}
	for _, o := range c.Origins {
		u, err := url.Parse(o)
		if o != "*" && (err != nil || u.Scheme == "" || u.Host == "" || o != u.Scheme+"://"+u.Host) {
			return problem.New(problem.BadInput, "%q is no web origin: write it as https://quayside.example, without a path, or * for any", o)
		}
	}
	return nil
}

// columns are the plain columns that a change sets.
func (c *ProjectChange) columns() (map[string]any, error) {
	set := map[string]any{}
	if c.KeepSymbols != 0 {
		set["keep_symbols"] = c.KeepSymbols
	}
	if c.LocateUsers != nil {
		set["locate_users"] = *c.LocateUsers
	}
	if c.CutOffCrashes != nil {
		set["cut_off_crashes"] = *c.CutOffCrashes
	}
	switch c.LogMessages {
	case "":
	case "off":
		set["log_messages"] = ""
	default:
		set["log_messages"] = c.LogMessages
	}
	switch c.ReleaseOrder {
	case "":
	case release.Policies[0]:
		set["release_order"] = string(release.Auto)
	default:
		set["release_order"] = c.ReleaseOrder
	}
	for column, v := range map[string]*string{"repository": c.Repository, "commit_link": c.CommitLink} {
		if v != nil {
			set[column] = *v
		}
	}
	for column, v := range map[string]*int64{"allowance_minute": c.AllowanceMinute, "allowance_day": c.AllowanceDay} {
		switch {
		case v == nil:
		case *v < 0:
			set[column] = nil
		default:
			set[column] = *v
		}
	}
	if c.SourcePaths != nil {
		raw, err := json.Marshal(append([]commits.Mapping{}, *c.SourcePaths...))
		if err != nil {
			return nil, err
		}
		set["source_paths"] = string(raw)
	}
	if c.Origins != nil {
		raw, err := json.Marshal(c.Origins)
		if err != nil {
			return nil, err
		}
		set["origins"] = string(raw)
	}
	return set, nil
}

// ChangeProject makes all of a change, or nothing of it.
func (s *Store) ChangeProject(ctx context.Context, id int64, c ProjectChange) error {
	if err := c.validate(); err != nil {
		return err
	}
	set, err := c.columns()
	if err != nil {
		return err
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		before, err := valuesOf(ctx, tx, id, slices.Sorted(maps.Keys(set)), c.KeepDays != 0)
		if err != nil {
			return err
		}
		if c.KeepDays != 0 {
			if err := s.setKeepDays(ctx, tx, id, c.KeepDays); err != nil {
				return err
			}
		}
		for column, v := range set {
			if _, err := tx.ExecContext(ctx, "UPDATE project SET "+column+"=? WHERE id=?", v, id); err != nil {
				return err
			}
		}
		after := maps.Clone(set)
		if c.KeepDays != 0 {
			after["keep_days"] = c.KeepDays
		}
		return Record(ctx, tx, s.db.Now(), id, audit.Act{Action: "project changed", Before: before, After: after})
	})
	if err != nil || c.KeepDays == 0 {
		return err
	}
	return s.schema.EnsurePartitions(ctx)
}

// valuesOf are what columns of a project hold now, for the audit.
func valuesOf(ctx context.Context, tx *sql.Tx, id int64, columns []string, keep bool) (map[string]any, error) {
	if keep {
		columns = append(columns, "keep_days")
	}
	out := map[string]any{}
	for _, column := range columns {
		var v sql.NullString
		if err := tx.QueryRowContext(ctx, "SELECT "+column+" FROM project WHERE id=?", id).Scan(&v); err != nil {
			return nil, err
		}
		if out[column] = nil; v.Valid {
			out[column] = v.String
		}
	}
	return out, nil
}

// setKeepDays gives a project another class of retention. It acts on events
// from now on; the class before is remembered for as long as events of it are
// kept, so that repeats are still found.
func (s *Store) setKeepDays(ctx context.Context, tx *sql.Tx, project int64, days int) error {
	if err := Lock(ctx, tx, project); err != nil {
		return err
	}
	var now int
	if err := tx.QueryRowContext(ctx, "SELECT keep_days FROM project WHERE id=? FOR UPDATE",
		project).Scan(&now); err != nil || now == days {
		return err
	}
	// Events may be stored under tomorrow's day.
	if _, err := tx.ExecContext(ctx, "REPLACE INTO project_class (project, keep_days, until_day) VALUES (?,?,?)",
		project, now, db.Day(s.db.Now())+now+2); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE project SET keep_days=? WHERE id=?", days, project)
	return err
}
