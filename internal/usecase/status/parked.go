package status

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"firethorn/internal/core/issue"
)

// ParkedRow is what came since an issue was parked.
type ParkedRow struct {
	Events, Users int64
	Hours         map[int64]int64
}

// LoadParked reads and locks what an issue counted since it was parked.
func LoadParked(ctx context.Context, tx *sql.Tx, id int64) (p ParkedRow, err error) {
	var hours string
	p.Hours = map[int64]int64{}
	err = tx.QueryRowContext(ctx, "SELECT events, users, hours FROM parked WHERE issue=? FOR UPDATE", id).Scan(&p.Events, &p.Users, &hours)
	if errors.Is(err, sql.ErrNoRows) {
		return p, nil
	}
	if err != nil {
		return p, err
	}
	return p, json.Unmarshal([]byte(hours), &p.Hours)
}

// Since sums up, and drops the hours that are past.
func (p ParkedRow) Since(now time.Time) issue.Since {
	s := issue.Since{Events: p.Events, Users: p.Users}
	first := now.Unix()/3600 - 23
	for h, n := range p.Hours {
		if h < first {
			delete(p.Hours, h)
			continue
		}
		s.Day += n
	}
	return s
}

// Save writes the counts.
func (p ParkedRow) Save(ctx context.Context, tx *sql.Tx, id int64) error {
	raw, err := json.Marshal(p.Hours)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE parked SET events=?, users=?, hours=? WHERE issue=?", p.Events, p.Users, string(raw), id)
	return err
}
