package accounts

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"errors"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
)

func secretText() (text string, hash []byte) {
	text = base64.RawURLEncoding.EncodeToString(db.NewSecret(32))
	return text, hashSecret(text)
}

func hashSecret(text string) []byte {
	h := sha256.Sum256([]byte(text))
	return h[:]
}

// NewSignInLink makes the secret of a one-time link for a person. Older links
// of the same person end: an invitation that went to the wrong place is ended by
// making a new one.
func (s *SessionStore) NewSignInLink(ctx context.Context, person int64, life time.Duration) (string, error) {
	text, hash := secretText()
	return text, s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := dropLinks(ctx, tx, person); err != nil {
			return err
		}
		if err := s.addLink(ctx, tx, person, hash, life); err != nil {
			return err
		}
		return s.recordOf(ctx, tx, person, "sign-in link made")
	})
}

// recordOf writes into the audit what was done about a person.
func (s *SessionStore) recordOf(ctx context.Context, tx *sql.Tx, person int64, action string) error {
	p, err := scanPerson(tx.QueryRowContext(ctx, personByID, person))
	if err != nil {
		return err
	}
	return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: action, Target: p.Name})
}

const personByID = "SELECT " + personColumns + " FROM person p WHERE p.id=?"

func (s *SessionStore) addLink(ctx context.Context, tx *sql.Tx, person int64, hash []byte, life time.Duration) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO sign_in_link (hash, person, created, expires) VALUES (?,?,?,?)", hash,
		person, db.Micros(s.db.Now()), db.Micros(s.db.Now().Add(life)))
	return err
}

// Opening is what a session is opened with.
type Opening struct {
	Link    string // the secret of a sign-in link
	Agent   string // the browser, as it names itself
	Address string
	Before  string // the secret of the browser's session until now, which ends; "": it had none
}

// maxAgent is how much of a browser's name is kept, in bytes.
const maxAgent = 300

// SignIn uses a one-time link up and opens a session; its secret goes into the cookie.
func (s *SessionStore) SignIn(ctx context.Context, o Opening) (secret string, err error) {
	now := s.db.Now()
	secret, hash := secretText()
	link := hashSecret(o.Link)
	return secret, s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "UPDATE sign_in_link SET used=? WHERE hash=? AND used IS NULL AND expires>?",
			db.Micros(now), link, db.Micros(now))
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n != 1 {
			return errors.Join(problem.New(problem.Unauthorized,
				"this sign-in link was used already or has run out; firethorn person link NAME prints a new one"), err)
		}
		if o.Before != "" {
			if err := endBySecret(ctx, tx, o.Before); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, "INSERT INTO web_session (hash, person, created, expires, used, rotated, address, agent) SELECT ?, person, ?, ?, ?, ?, ?, ? FROM sign_in_link WHERE hash=?",
			hash, db.Micros(now), db.Micros(now.Add(SessionLife)), db.Micros(now), db.Micros(now), o.Address,
			strings.ToValidUTF8(o.Agent[:min(len(o.Agent), maxAgent)], ""), link)
		if err != nil {
			return err
		}
		p, err := scanPerson(tx.QueryRowContext(ctx,
			"SELECT "+personColumns+" FROM sign_in_link l JOIN person p ON p.id=l.person WHERE l.hash=?", link))
		if err != nil {
			return err
		}
		return audit.Record(audit.As(ctx, "person", p.ID, p.Name), tx, now,
			audit.Act{Action: "signed in", Target: p.Name})
	})
}

// endBySecret ends the session that has a secret, or had it until it was replaced.
func endBySecret(ctx context.Context, q db.Querier, secret string) error {
	hash := hashSecret(secret)
	_, err := q.ExecContext(ctx, "DELETE FROM web_session WHERE hash=? OR old_hash=?", hash, hash)
	return err
}

// SignOut ends a session.
func (s *SessionStore) SignOut(ctx context.Context, secret string) error {
	return endBySecret(ctx, s.db, secret)
}

// SignOutPerson ends all sessions and unused sign-in links of a person, and says
// how many sessions those were.
func (s *SessionStore) SignOutPerson(ctx context.Context, person int64) (sessions int64, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := dropLinks(ctx, tx, person); err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, "DELETE FROM web_session WHERE person=?", person)
		if err != nil {
			return err
		}
		if sessions, err = res.RowsAffected(); err != nil {
			return err
		}
		return s.recordOf(ctx, tx, person, "signed out everywhere")
	})
	return sessions, err
}

// PurgeSignIns deletes sessions and sign-in links that have run out. Links that
// were used go with them a day later.
func (s *SessionStore) PurgeSignIns(ctx context.Context) error {
	now := db.Micros(s.db.Now())
	_, err1 := s.db.ExecContext(ctx, "DELETE FROM web_session WHERE expires<? OR GREATEST(used, created)<?", now,
		now-SessionIdle.Microseconds())
	_, err2 := s.db.ExecContext(ctx, "DELETE FROM sign_in_link WHERE expires<?", now-(24*time.Hour).Microseconds())
	return errors.Join(err1, err2)
}

// dropLinks ends the sign-in links of a person that were not used.
func dropLinks(ctx context.Context, tx *sql.Tx, person int64) error {
	_, err := tx.ExecContext(ctx, "DELETE FROM sign_in_link WHERE person=? AND used IS NULL", person)
	return err
}
