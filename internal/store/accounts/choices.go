package accounts

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// Choice is how a person gets a kind of notice.
type Choice string

// The choices.
const (
	ByMail  Choice = "mail"    // at once
	Daily   Choice = "digest"  // once a day, at nine in their zone
	Console Choice = "console" // in the console alone
)

// NoticeKinds are the kinds of notices that people choose for.
var NoticeKinds = []string{"new", "regressed", "woken", "surging", "threshold", "fixed", "holding", "assigned",
	"commented", "release.worse", "symbols.missing"}

// Wishes are a person's notice settings: each kind of NoticeKinds has a choice.
type Wishes struct {
	Zone    string // of the tz database; "": UTC
	Choices map[string]Choice
}

// Location is the person's time zone.
func (w Wishes) Location() *time.Location {
	zone, err := time.LoadLocation(w.Zone)
	if err != nil {
		return time.UTC
	}
	return zone
}

// WishesOf reads a person's notice settings. Who chose nothing gets mail at once.
func WishesOf(ctx context.Context, q db.Querier, person int64) (Wishes, error) {
	all, err := WishesOfAll(ctx, q, person)
	if _, there := all[person]; !there && err == nil {
		err = sql.ErrNoRows
	}
	return all[person], err
}

// WishesOfAll reads the notice settings of several people, by their ids.
func WishesOfAll(ctx context.Context, q db.Querier, people ...int64) (map[int64]Wishes, error) {
	out := map[int64]Wishes{}
	if len(people) == 0 {
		return out, nil
	}
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var id int64
		var zone string
		var kind, choice sql.NullString
		if err := r.Scan(&id, &zone, &kind, &choice); err != nil {
			return err
		}
		w, there := out[id]
		if !there {
			w = Wishes{Zone: zone, Choices: map[string]Choice{}}
			for _, k := range NoticeKinds {
				w.Choices[k] = ByMail
			}
			out[id] = w
		}
		if _, known := w.Choices[kind.String]; known {
			w.Choices[kind.String] = Choice(choice.String)
		}
		return nil
	}, "SELECT p.id, p.zone, c.kind, c.choice FROM person p LEFT JOIN person_choice c ON c.person=p.id WHERE p.id IN ("+
		db.Marks(len(people))+")", db.AnyOf(people)...)
}

// SetWishes changes some of a person's choices, and their zone if it is given.
func SetWishes(ctx context.Context, tx *sql.Tx, person int64, zone *string, change map[string]Choice) error {
	if zone != nil {
		if _, err := time.LoadLocation(*zone); err != nil || *zone == "Local" {
			return problem.New(problem.BadInput, "%.60q is no time zone; write one as Europe/Lisbon or UTC", *zone)
		}
		if _, err := tx.ExecContext(ctx, "UPDATE person SET zone=? WHERE id=?", *zone, person); err != nil {
			return err
		}
	}
	for kind, choice := range change {
		if !slices.Contains(NoticeKinds, kind) {
			return problem.New(
				problem.BadInput,
				"%.60q is no kind of notice; there are %s",
				kind,
				strings.Join(NoticeKinds, ", "),
			)
		}
		if choice != ByMail && choice != Daily && choice != Console {
			return problem.New(
				problem.BadInput,
				"notices come by mail, as a daily digest or in the console alone: mail, digest or console, not %.60q",
				choice,
			)
		}
		if _, err := tx.ExecContext(
			ctx,
			"REPLACE INTO person_choice (person, kind, choice) VALUES (?,?,?)",
			person,
			kind,
			string(choice),
		); err != nil {
			return err
		}
	}
	return nil
}

// MailablePeople are the people who work here, have an address and a role in a project, out
// of those that a condition on p selects.
func MailablePeople(
	ctx context.Context,
	q db.Querier,
	project int64,
	cond string,
	args ...any,
) (list []*Person, err error) {
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		p, err := scanPerson(r)
		list = append(list, p)
		return err
	}, "SELECT "+personColumns+" FROM person p WHERE p.left_at IS NULL AND p.team=0 AND p.email IS NOT NULL AND p.email<>'' AND ("+
		"EXISTS (SELECT 1 FROM project_role r WHERE r.person=p.id AND r.project IN (0,?)) OR"+
		" EXISTS (SELECT 1 FROM team_member m JOIN project_role r ON r.person=m.team WHERE m.person=p.id AND r.project IN (0,?))) AND ("+
		cond+") ORDER BY p.name", append([]any{project, project}, args...)...)
}

// ServiceSecret is a secret of the service, made when it is asked for first.
func ServiceSecret(ctx context.Context, d *db.DB, name string) (secret []byte, err error) {
	if _, err := d.ExecContext(ctx, "INSERT IGNORE INTO service_secret (name, secret) VALUES (?,?)", name,
		db.NewSecret(32)); err != nil {
		return nil, err
	}
	err = d.QueryRowContext(ctx, "SELECT secret FROM service_secret WHERE name=?", name).Scan(&secret)
	return secret, err
}

// PeopleByID are people of some ids who still work here.
func PeopleByID(ctx context.Context, q db.Querier, ids ...int64) (list []*Person, err error) {
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		p, err := scanPerson(r)
		list = append(list, p)
		return err
	}, "SELECT "+personColumns+" FROM person p WHERE p.left_at IS NULL AND p.id IN ("+db.Marks(len(ids))+")",
		db.AnyOf(ids)...)
}
